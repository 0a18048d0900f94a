"""SQL table definitions (`CREATE TABLE`), as PostgreSQL, MySQL, SQLite, and the standard have them."""

from __future__ import annotations

import logging
import re
from typing import TYPE_CHECKING, Any

from yurt.core.base.errors import YurtError
from yurt.core.drafting.draft import Draft
from yurt.core.drafting.sources import checks
from yurt.core.drafting.sources.source import Asked, Source
from yurt.core.drafting.sources.tables import ColumnFacts, TableFacts, draft_of_tables

if TYPE_CHECKING:
    from sqlglot import exp


# Words that only one database has, to tell whose definitions they are.
DIALECTS = (
    ("mysql", r"\bAUTO_INCREMENT\b|\bENGINE\s*=|`\w+`\s|\bUNSIGNED\b|(?<!\bAS )\bENUM\s*\("),
    ("postgres", r"\b(BIG|SMALL)?SERIAL\b|\bJSONB\b|\bTIMESTAMPTZ\b|::|\bAS ENUM\b|\bBYTEA\b|\bOWNER TO\b|~"),
    ("sqlite", r"\bAUTOINCREMENT\b|\bWITHOUT ROWID\b|\)\s*STRICT\b|\bPRAGMA\b"),
)  # fmt: skip
INTEGERS = {"TINYINT": 8, "SMALLINT": 16, "MEDIUMINT": 24, "INT": 32, "BIGINT": 64, "UTINYINT": 8, "USMALLINT": 16,
            "UMEDIUMINT": 24, "UINT": 32, "UBIGINT": 64, "SERIAL": 32, "BIGSERIAL": 64, "SMALLSERIAL": 16}  # fmt: skip
SORTS = {
    "DECIMAL": "decimal", "MONEY": "decimal", "FLOAT": "real", "DOUBLE": "real", "BOOLEAN": "boolean", "DATE": "date",
    "TIME": "time", "DATETIME": "datetime", "TIMESTAMP": "datetime", "TIMESTAMPNTZ": "datetime",
    "DATETIME2": "datetime", "TIMESTAMPTZ": "zoned", "TIMESTAMPLTZ": "zoned", "INTERVAL": "interval", "UUID": "uuid",
    "CHAR": "text", "NCHAR": "text", "VARCHAR": "text", "NVARCHAR": "text", "TEXT": "text", "TINYTEXT": "text",
    "MEDIUMTEXT": "text", "LONGTEXT": "text", "NAME": "text",
}  # fmt: skip


def _read(data: bytes, asked: Asked) -> Draft:
    import sqlglot

    # What the parser says on its way is said here, in the words of this program.
    logging.getLogger("sqlglot").setLevel(logging.CRITICAL)
    text = _text(data, asked.name)
    dialect = next((name for name, words in DIALECTS if re.search(words, text, re.IGNORECASE)), None)
    try:
        statements = [each for each in sqlglot.parse(text, dialect=dialect) if each is not None]
    except (sqlglot.errors.SqlglotError, RecursionError) as fault:
        errors: list[dict[str, Any]] = getattr(fault, "errors", None) or [{}]
        place = f", line {errors[0]['line']:,}" if errors[0].get("line") else ""
        told = errors[0].get("description") or str(fault).splitlines()[0][:100]
        raise YurtError(f"{asked.name}{place}: not SQL: {told}") from None
    tables = Definitions(asked, dialect or "").read(statements)
    if not tables:
        raise YurtError(f"{asked.name}: there is no CREATE TABLE")
    if asked.tables:
        tables = [each for each in tables if each.name in asked.tables]
    return asked.finish(draft_of_tables(tables, asked))


def _text(data: bytes, name: str) -> str:
    if b"\0" in data[:1000]:
        raise YurtError(f"{name}: this is no text")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as fault:
        raise YurtError(f"{name}: not UTF-8 text (byte {fault.start + 1:,})") from None


class Definitions:
    """Collects the tables, enumerations, and constraints of some statements."""

    def __init__(self, asked: Asked, dialect: str) -> None:
        self.asked, self.dialect = asked, dialect
        self.enums: dict[str, list[str]] = {}
        self.tables: dict[str, TableFacts] = {}

    def read(self, statements: list[exp.Expr]) -> list[TableFacts]:
        """Return the tables."""
        from sqlglot import exp

        for each in statements:
            kind = str(each.args.get("kind") or "").upper()
            if isinstance(each, exp.Command):
                self._command(each)
            elif isinstance(each, exp.Create) and kind == "TYPE":
                self._enum(each)
        for each in statements:
            kind = str(each.args.get("kind") or "").upper()
            if isinstance(each, exp.Create) and kind == "TABLE" and isinstance(each.this, exp.Schema):
                self._table(each.this)
            elif isinstance(each, exp.Create) and kind == "INDEX" and each.args.get("unique"):
                self._index(each)
            elif isinstance(each, exp.Alter):
                self._alter(each)
            elif isinstance(each, exp.Comment):
                self._comment(each)
        return list(self.tables.values())

    def _command(self, command: exp.Expr) -> None:
        """Take `CREATE TYPE … AS ENUM (…)` where the parser keeps it as text."""
        text = command.sql()
        found = re.search(r"TYPE\s+(?:\w+\.)?\"?(\w+)\"?\s+AS\s+ENUM\s*\((.*)\)", text, re.IGNORECASE | re.DOTALL)
        if found:
            self.enums[found[1].casefold()] = [
                each.replace("''", "'") for each in re.findall(r"'((?:[^']|'')*)'", found[2])
            ]

    def _enum(self, create: exp.Expr) -> None:
        from sqlglot import exp

        values = [str(each.this) for each in create.find_all(exp.Literal) if each.is_string]
        name = create.this.name if create.this is not None else ""
        if values and name:
            self.enums[name.casefold()] = values

    def _table(self, schema: exp.Expr) -> None:
        from sqlglot import exp

        table = TableFacts(schema.this.name)
        self.tables[table.name.casefold()] = table
        rules: list[tuple[exp.Expr, str]] = []
        for each in schema.expressions:
            if isinstance(each, exp.ColumnDef):
                column = self._column(each, table)
                table.columns.append(column)
                rules += [
                    (one.kind.this, f"{table.name}.{column.name}") for one in each.args.get("constraints") or ()
                    if isinstance(one.kind, exp.CheckColumnConstraint)
                ]  # fmt: skip
            else:
                self._constraint(each, table, rules)
        for rule, place in rules:
            checks.apply(rule, table, self.asked, place)

    def _column(self, definition: exp.Expr, table: TableFacts) -> ColumnFacts:
        from sqlglot import exp

        column = self._typed(definition)
        for each in definition.args.get("constraints") or ():
            kind = each.kind
            if isinstance(kind, exp.NotNullColumnConstraint):
                column.nullable = bool(kind.args.get("allow_null"))
            elif isinstance(kind, exp.PrimaryKeyColumnConstraint):
                table.primary, column.nullable = (column.name,), False
            elif isinstance(kind, exp.UniqueColumnConstraint):
                table.unique.append((column.name,))
            elif isinstance(kind, exp.AutoIncrementColumnConstraint | exp.GeneratedAsIdentityColumnConstraint):
                column.computed = bool(getattr(kind, "expression", None))
                column.counted = not column.computed
            elif isinstance(kind, exp.ComputedColumnConstraint | exp.GeneratedAsRowColumnConstraint):
                column.computed = True
            elif isinstance(kind, exp.Reference):
                table.foreign.append(((column.name,), *_target(kind)))
            elif isinstance(kind, exp.CommentColumnConstraint):
                column.comment = str(kind.this.this)
        return column

    def _typed(self, definition: exp.Expr) -> ColumnFacts:
        from sqlglot import exp

        kind = definition.args.get("kind")
        told = kind.sql() if kind is not None else "no type"
        word = kind.this.name if isinstance(kind, exp.DataType) and hasattr(kind.this, "name") else ""
        sizes = (
            [int(each.name) for each in kind.expressions if each.name.isdigit()]
            if isinstance(kind, exp.DataType)
            else []
        )
        column = ColumnFacts(definition.name, SORTS.get(word, "other"), told)
        if word in INTEGERS:
            column.sort, column.bits = "integer", INTEGERS[word]
            column.counted, column.unsigned = "SERIAL" in word, word.startswith("U")
            if self.dialect == "mysql" and word == "TINYINT" and sizes == [1]:
                column.sort = "boolean"
            if self.dialect == "sqlite":
                column.bits = 64
        elif column.sort == "decimal":
            column.digits = sizes[0] if sizes else 19 if word == "MONEY" else None
            column.places = sizes[1] if len(sizes) > 1 else 2 if word == "MONEY" else 0 if sizes else None
        elif column.sort == "text":
            column.length = sizes[0] if sizes else 1 if word in ("CHAR", "NCHAR") else None
        elif word in ("ENUM", "SET") and isinstance(kind, exp.DataType):
            column.values = [each.name for each in kind.expressions]
        elif told.strip('"').rpartition(".")[2].strip('"').casefold() in self.enums:
            column.values = self.enums[told.strip('"').rpartition(".")[2].strip('"').casefold()]
        elif kind is None and self.dialect == "sqlite":
            column.sort = "text"
        return column

    def _constraint(self, node: exp.Expr, table: TableFacts, rules: list[tuple[exp.Expr, str]]) -> None:
        from sqlglot import exp

        for each in node.expressions if isinstance(node, exp.Constraint) else [node]:
            if isinstance(each, exp.PrimaryKey):
                table.primary = tuple(_name(one) for one in each.expressions)
                for name in table.primary:
                    if (column := table.column(name)) is not None:
                        column.nullable = False
            elif isinstance(each, exp.UniqueColumnConstraint):
                inside = each.this.expressions if isinstance(each.this, exp.Schema) else []
                table.unique.append(tuple(_name(one) for one in inside))
            elif isinstance(each, exp.ForeignKey):
                columns = tuple(_name(one) for one in each.expressions)
                table.foreign.append((columns, *_target(each.args["reference"])))
            elif isinstance(each, exp.CheckColumnConstraint | exp.Check):
                rules.append((each.this, table.name))
            elif not isinstance(each, exp.IndexColumnConstraint | exp.IndexParameters | exp.Var):
                self.asked.leave_out(type(each).__name__.upper(), table.name, each.sql()[:80])

    def _index(self, create: exp.Expr) -> None:
        from sqlglot import exp

        index = create.this
        owner = index.args.get("table") if index is not None else None
        table = self.tables.get(owner.name.casefold()) if owner is not None else None
        names = tuple(each.name for each in index.find_all(exp.Column)) if index is not None else ()
        if table is not None and names and index.find(exp.Where) is None:
            table.unique.append(names)

    def _alter(self, alter: exp.Expr) -> None:
        from sqlglot import exp

        table = self.tables.get(alter.this.name.casefold())
        if table is None:
            return
        rules: list[tuple[exp.Expr, str]] = []
        for action in alter.args.get("actions") or ():
            if isinstance(action, exp.AddConstraint):
                for each in action.expressions:
                    self._constraint(each, table, rules)
        for rule, place in rules:
            checks.apply(rule, table, self.asked, place)

    def _comment(self, comment: exp.Expr) -> None:
        text = " ".join(str(comment.expression.name).split()) if comment.expression is not None else ""
        kind = str(comment.args.get("kind") or "").upper()
        if kind == "TABLE" and (table := self.tables.get(comment.this.name.casefold())) is not None:
            table.comment = text
        elif kind == "COLUMN" and (owner := self.tables.get(str(comment.this.table).casefold())) is not None:
            column = owner.column(comment.this.name)
            if column is not None:
                column.comment = text


def _name(node: exp.Expr) -> str:
    """Return the name of a column in a constraint, also with an order behind it."""
    return str(node.name or node.this.name)


def _target(reference: exp.Expr) -> tuple[str, tuple[str, ...]]:
    """Return the table and the columns that a reference leads to."""
    from sqlglot import exp

    target = reference.this
    if isinstance(target, exp.Schema):
        return target.this.name, tuple(_name(each) for each in target.expressions)
    return target.name, ()


def _matches(suffix: str, head: bytes) -> bool:
    return suffix in (".sql", ".ddl")


SOURCE = Source("SQL definitions", "SQL table definitions", _matches, _read)
