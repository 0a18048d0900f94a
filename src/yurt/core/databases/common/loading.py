"""Fills the tables of a database with the blocks of a run; a row that the database refuses is found and named."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from types import MappingProxyType

import pyarrow as pa

from yurt.core.base.errors import SurroundingsFault, UsageFault, YurtError
from yurt.core.databases.common.connection import Connection, Refused, Target
from yurt.core.databases.common.copied import Copied
from yurt.core.databases.common.structure import Structure, misfits, structure_of
from yurt.core.formats.common.format import Rendered, Writer
from yurt.core.formats.database import Database
from yurt.core.formats.sql.definitions import Made, definition, key_of
from yurt.core.model import Record, Reference, Schema, Sequence


class Loading:
    """A load of several tables. Use it as a context manager: what is not complete is undone on leaving it."""

    def __init__(
        self, connection: Connection, schema: Schema, forms: dict[str, Database],
        copied: Mapping[str, Copied] = MappingProxyType({}),
    ) -> None:  # fmt: skip
        """`forms` are the settings of each record type, parents first; `copied` are tables that new ones are like."""
        self.copied = copied
        self.connection, self.schema, self.forms = connection, schema, forms
        self.tables = {name: form.table or name for name, form in forms.items()}
        self.by_table = any(form.by_table for form in forms.values())
        # The tables that this load has made and not yet committed, last first; some databases cannot undo them.
        self.made: list[str] = []
        self.begun = False
        self.size = 0
        # The tables as they are in this transaction, by record type.
        self.structures: dict[str, Structure] = {}
        # What the tables do not enforce, in words.
        self.omitted: list[str] = []

    def __enter__(self) -> Loading:
        return self

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        if error is not None:
            self.undo()

    def undo(self) -> None:
        """Undo what is not committed, as far as the connection still stands."""
        try:
            if self.begun:
                self.connection.rollback()
                self.begun = False
            if not self.connection.undoes_tables:
                for table in self.made:
                    self.connection.execute(f"DROP TABLE IF EXISTS {self.connection.dialect.identifier(table)}")
        except (Refused, SurroundingsFault):
            return

    def prepare(self, columns: Callable[[str], pa.Schema]) -> None:
        """Make the tables that are not there, and empty those whose rows are replaced.

        `columns` returns the columns of a record type. Raises UsageFault, with everything that does not fit.
        """
        found = {name: self.connection.structure(table) for name, table in self.tables.items()}
        wrong: list[str] = []
        for name, structure in found.items():
            if structure is None:
                continue
            if self.forms[name].existing == "refuse":
                wrong.append(f"table `{structure.table}` exists already; `--with existing=append` adds rows to it, and "
                             "`existing=replace` deletes its own first")  # fmt: skip
                continue
            record, numbered = self.schema.records[name], self.numbered(name)
            wrong += misfits(structure, record, self._kept(name, columns(name)), self.tables, numbered=numbered)
        if wrong:
            raise UsageFault("\n".join(wrong))
        self._begin()
        if self.connection.undoes_tables:
            self._empty(found)
        made = Made()
        for name, structure in found.items():
            record, table = self.schema.records[name], self.tables[name]
            self.structures[name] = structure or structure_of(table, record, columns(name))
            if structure is not None:
                made.tables[name] = table
                made.keys |= {name: key} if (key := key_of(record)) and (key,) in structure.unique else {}
                continue
            numbered = self.numbered(name)
            if numbered and not self.connection.dialect.identity:
                told = f"{self.connection.dialect.name} counts no keys itself"
                raise UsageFault(f"{told}; leave out `identity=server`, or make the table with a default of its own")
            kept, copied, dialect = self._kept(name, columns(name)), self.copied.get(name), self.connection.dialect
            what = definition(
                dialect, record, kept, made, table=table, numbered=numbered,
                columns=copied.columns(dialect, record, kept) if copied is not None else {},
                constraints=copied.constraints(dialect) if copied is not None else (),
            )  # fmt: skip
            self.omitted += what.omitted
            self.made.insert(0, table)
            for statement in what.statements:
                self._execute(statement, name)
        if not self.connection.undoes_tables:
            # To make a table has ended the transaction.
            self._begin()
            self._empty(found)

    def _empty(self, found: dict[str, Structure | None]) -> None:
        replaced = [each for each in reversed(self.tables) if found[each] and self.forms[each].existing == "replace"]
        if replaced:
            try:
                self.connection.empty([self.tables[each] for each in replaced])
            except Refused as fault:
                raise YurtError(f"the rows of {', '.join(replaced)} cannot be deleted: {fault}") from None

    def _begin(self) -> None:
        self.connection.begin()
        self.begun = True

    def numbered(self, name: str) -> str:
        """Return the key that the database counts itself; empty if the schema does. Raises UsageFault if it cannot."""
        record = self.schema.records[name]
        if not self.forms[name].identity or record.key is None or not isinstance(record.key.head, Sequence):
            return ""
        for other in self.forms:
            for each in self.schema.records[other].shown:
                if isinstance(each.head, Reference) and each.head.record == name:
                    told = f"`{other}.{each.name}` refers to `{name}`, so the database cannot count its keys"
                    raise UsageFault(f"{told}; leave out `identity=server` for `{name}`")
        return key_of(record)

    def _kept(self, name: str, columns: pa.Schema) -> pa.Schema:
        numbered = self.numbered(name)
        return pa.schema([each for each in columns if each.name != numbered])

    def _execute(self, statement: str, name: str) -> None:
        try:
            self.connection.execute(statement)
        except Refused as fault:
            raise YurtError(f"table `{self.tables[name]}`: {fault}") from None

    def writer(self, record: Record, names: list[str]) -> Writer:
        """Return what fills the table of a record type."""
        return TableLoader(self, Target(self.tables[record.name], record), self.numbered(record.name))

    def close(self) -> None:
        """Commit what is not committed yet."""
        if self.begun:
            self._commit(self.tables[next(reversed(self.tables))])

    def ended(self, table: str) -> None:
        """Take note that a table is complete; with a transaction for each table, it is committed."""
        if self.by_table:
            self._commit(table)
            self.made = [each for each in self.made if each != table]
            if table != self.tables[next(reversed(self.tables))]:
                self._begin()

    def _commit(self, table: str) -> None:
        try:
            self.connection.commit()
        except Refused as fault:
            raise YurtError(f"table `{table}`: {fault}") from None
        self.begun = False


class TableLoader:
    """Fills one table."""

    size = 0

    def __init__(self, loading: Loading, target: Target, numbered: str) -> None:
        self.loading, self.target, self.numbered = loading, target, numbered
        self.connection = loading.connection

    def rendered(self, batch: pa.RecordBatch, first_row: int) -> tuple[pa.RecordBatch, int, Rendered]:
        """Return a block as the database takes it, with its rows and the number of the first one."""
        if self.numbered:
            batch = batch.drop_columns([self.numbered])
        return batch, first_row, self.connection.rendered(self.target, batch, first_row)

    def put(self, block: tuple[pa.RecordBatch, int, Rendered]) -> None:
        """Insert the rows of a block. Raises YurtError that names the first row that is refused."""
        batch, first, rendered = block
        try:
            with self._guarded():
                self.connection.load(self.target, rendered)
        except Refused as fault:
            row = self._refused(batch, first, str(fault))
            told = (
                f"row {first + row + 1:,}" if row is not None else f"rows {first + 1:,} to {first + batch.num_rows:,}"
            )
            raise YurtError(f"table `{self.target.table}`, {told}: {fault}") from None

    def finish(self, empty: Callable[[], pa.RecordBatch]) -> None:
        """The table is complete."""
        self.loading.ended(self.target.table)

    @contextmanager
    def _guarded(self, keep: bool = True) -> Iterator[None]:
        """Undo only a part of the transaction if it fails, or if it is not to be kept."""
        if not self.connection.savepoints:
            yield
            return
        self.connection.execute("SAVEPOINT block")
        try:
            yield
            undone = not keep
        except Refused:
            self.connection.execute("ROLLBACK TO SAVEPOINT block")
            raise
        if undone:
            self.connection.execute("ROLLBACK TO SAVEPOINT block")
        self.connection.execute("RELEASE SAVEPOINT block")

    def _refused(self, batch: pa.RecordBatch, first: int, reason: str) -> int | None:
        """Return the place of the first row in a block that is refused, by trying ever fewer rows; None if unknown."""
        if not self.connection.savepoints:
            # The rows in front of the block are undone, so the block may fail for another reason than before.
            self.connection.rollback()
            self.loading.begun = False
        good, bad = 0, batch.num_rows
        while bad - good > 1:
            middle = (good + bad) // 2
            if self._fails(batch.slice(0, middle), first):
                bad = middle
            else:
                good = middle
        return good if self._fails(batch.slice(0, bad), first) == reason else None

    def _fails(self, batch: pa.RecordBatch, first: int) -> str:
        """Return why some rows are refused; empty if they are not. None of them stays."""
        if not self.connection.savepoints:
            self.connection.begin()
        try:
            with self._guarded(keep=False):
                self.connection.load(self.target, self.connection.rendered(self.target, batch, first))
        except Refused as fault:
            return str(fault)
        finally:
            if not self.connection.savepoints:
                self.connection.rollback()
        return ""
