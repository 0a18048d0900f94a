"""Tables of databases and of their definitions: columns, keys, references, and checks become record types."""

from __future__ import annotations

from decimal import Decimal

from yurt.core.base.data_classes import dataclass, field
from yurt.core.drafting.draft import Draft, FieldDraft, RecordDraft
from yurt.core.drafting.sources import lines
from yurt.core.drafting.sources.json_values_of import kind_by_name, plain_kind
from yurt.core.drafting.sources.lines import Unwritable
from yurt.core.drafting.sources.names import record_name
from yurt.core.drafting.sources.source import Asked
from yurt.core.language.over_columns import field_names

COUNT = "100"
MISSING = "missing 10%"
# The ranges of whole numbers by their size in bits; larger ones are beyond 18 digits.
BITS = {8: (-128, 127), 16: (-32_768, 32_767), 24: (-8_388_608, 8_388_607), 32: (-2_147_483_648, 2_147_483_647)}
# Wide ranges are drawn near zero.
USUAL, WIDE = 1000, 100_000
HEX = "[0-9a-fA-F]"
# The kinds that can be usual where values do not repeat.
UNIQUE_KINDS = ("usually as email", "usually as username", "usually as url")


@dataclass
class ColumnFacts:
    """A column: the sort of its type (a word of `_line`), its sizes, and what its checks say.

    `bits` are those of a whole number, `length` is that of a text, `places` and `digits` are those of a decimal.
    """

    name: str
    sort: str
    told: str = ""
    bits: int = 0
    unsigned: bool = False
    length: int | None = None
    digits: int | None = None
    places: int | None = None
    nullable: bool = True
    counted: bool = False
    computed: bool = False
    values: list[str] | None = None
    comment: str = ""
    # From checks.
    low: Decimal | str | None = None
    high: Decimal | str | None = None
    above: bool = False
    below: bool = False
    listed: list[object] | None = None
    pattern: str = ""
    shortest: int = 0


@dataclass
class TableFacts:
    """A table: its key, groups of columns that do not repeat, references, and conditions on several columns."""

    name: str
    columns: list[ColumnFacts] = field(default_factory=list)
    primary: tuple[str, ...] = ()
    unique: list[tuple[str, ...]] = field(default_factory=list)
    # Columns, the table that they refer to, and its columns (empty for its key).
    foreign: list[tuple[tuple[str, ...], str, tuple[str, ...]]] = field(default_factory=list)
    always: list[str] = field(default_factory=list)
    comment: str = ""

    def column(self, name: str) -> ColumnFacts | None:
        """Return a column by its name, in any case."""
        return next((each for each in self.columns if each.name.casefold() == name.casefold()), None)


def draft_of_tables(tables: list[TableFacts], asked: Asked) -> Draft:
    """Return the draft of some tables, those that others refer to first."""
    draft = Draft()
    names = {
        each.name.casefold(): record_name(each.name) if not each.name.isidentifier() else each.name for each in tables
    }
    for each in _parents_first(tables):
        draft.records.append(_record(each, tables, names, asked))
    return draft


def _parents_first(tables: list[TableFacts]) -> list[TableFacts]:
    by_name = {each.name.casefold(): each for each in tables}
    order: list[TableFacts] = []

    def visit(table: TableFacts, path: tuple[str, ...]) -> None:
        if table in order or table.name in path:
            return
        for _, other, _ in table.foreign:
            if other.casefold() in by_name:
                visit(by_name[other.casefold()], (*path, table.name))
        order.append(table)

    for each in tables:
        visit(each, ())
    return order


def _record(table: TableFacts, tables: list[TableFacts], names: dict[str, str], asked: Asked) -> RecordDraft:
    record = RecordDraft(names[table.name.casefold()], COUNT)
    if table.comment:
        record.notes.append(table.comment)
    fields = field_names([each.name for each in table.columns])
    references = _references(table, tables, names, asked)
    alone = {group[0].casefold() for group in [table.primary, *table.unique] if len(group) == 1}
    for column in table.columns:
        place = f"{table.name}.{column.name}"
        if column.computed:
            asked.leave_out("GENERATED", place, "its value is computed by the database")
            continue
        draft = FieldDraft(fields[column.name], column.name, found="a column of the table")
        if column.comment:
            draft.notes.append(column.comment)
        key = column.name.casefold() in alone
        if column.name.casefold() in references:
            draft.head = f"ref {references[column.name.casefold()]}"
            draft.found = "a reference"
        else:
            _line(draft, column, key, place, asked)
        if key and not draft.head.startswith(("sequence", "uuid")):
            # A kind whose values do not repeat cannot be restricted to a length.
            free = column.length is None and not column.shortest
            draft.clauses = [
                each for each in draft.clauses if not each.startswith("usually") or (free and each in UNIQUE_KINDS)
            ]
            draft.clauses.append("unique")
        if column.nullable and column.name not in table.primary:
            draft.clauses.append(MISSING)
        record.fields.append(draft)
    there = {each.name for each in record.fields}
    for group in [table.primary, *table.unique]:
        own = tuple(fields[each] for each in group if each in fields and fields[each] in there)
        if len(group) > 1 and len(own) == len(group):
            record.unique.append(own)
            for each in record.fields:
                if each.name in own:
                    each.clauses = [one for one in each.clauses if not one.startswith("usually histogram")]
    if len(table.primary) == 1 and fields.get(table.primary[0]) in there:
        first = next(
            (
                each.name
                for each in record.fields
                if "unique" in each.clauses or each.head.startswith(("sequence", "uuid"))
            ),
            "",
        )
        if first != fields[table.primary[0]]:
            record.key = fields[table.primary[0]]
    record.always = list(table.always)
    return record


def _references(table: TableFacts, tables: list[TableFacts], names: dict[str, str], asked: Asked) -> dict[str, str]:
    """Return the record type that each column refers to."""
    found: dict[str, str] = {}
    by_name = {each.name.casefold(): each for each in tables}
    for columns, other, targets in table.foreign:
        place = f"{table.name}.{', '.join(columns)}"
        target = by_name.get(other.rpartition(".")[2].casefold())
        if target is None:
            asked.leave_out("REFERENCES", place, f"there is no table `{other}` here")
        elif len(columns) > 1:
            asked.leave_out("REFERENCES", place, "a reference of several columns")
        elif len(target.primary) != 1 or (targets and targets[0].casefold() != target.primary[0].casefold()):
            asked.leave_out("REFERENCES", place, f"it is not the key of `{target.name}`")
        elif target is table and (own := table.column(columns[0])) is not None and not own.nullable:
            asked.leave_out("REFERENCES", place, "a table that refers to itself needs a first row without a reference")
        elif target is not table and _leads_back(target, table, by_name):
            asked.leave_out("REFERENCES", place, f"`{target.name}` refers back to `{table.name}`")
        else:
            found[columns[0].casefold()] = names[target.name.casefold()]
    return found


def _leads_back(start: TableFacts, aim: TableFacts, by_name: dict[str, TableFacts]) -> bool:
    """Return whether references lead from one table to another, which comes earlier."""
    waiting, seen = [start], set()
    while waiting:
        each = waiting.pop()
        if each.name in seen:
            continue
        seen.add(each.name)
        for _, other, _ in each.foreign:
            target = by_name.get(other.rpartition(".")[2].casefold())
            if target is aim:
                return list(by_name.values()).index(aim) < list(by_name.values()).index(start)
            if target is not None:
                waiting.append(target)
    return False


def _line(draft: FieldDraft, column: ColumnFacts, key: bool, place: str, asked: Asked) -> None:
    """Give a field the line of its type and its checks."""
    try:
        draft.head, draft.clauses = _of_sort(column, key, place, asked)
    except Unwritable as fault:
        asked.leave_out("CHECK", place, str(fault))
        draft.head, draft.clauses = "text 0..50 of any", []


def _of_sort(column: ColumnFacts, key: bool, place: str, asked: Asked) -> tuple[str, list[str]]:
    if column.values is not None:
        return lines.one_of(column.values), []
    if column.listed is not None:
        return lines.one_of(column.listed), []
    match column.sort:
        case "integer" if column.counted or (key and column.low is None and column.high is None):
            return "sequence", []
        case "integer":
            return _integer(column)
        case "decimal":
            return _decimal(column)
        case "real":
            head = lines.decimal(_number(column.low), _number(column.high))
            return head, []
        case "boolean":
            return "boolean", []
        case "date" | "datetime" | "zoned" | "time":
            return _timed(column), []
        case "interval":
            return "duration .. step 1s", []
        case "uuid":
            return f"/{HEX}{{8}}-{HEX}{{4}}-{HEX}{{4}}-{HEX}{{4}}-{HEX}{{12}}/", []
        case "text":
            return _text(column)
    asked.leave_out(column.told or column.sort, place, "no type holds its values")
    return "text 0..50 of any", []


def _number(value: Decimal | str | None) -> Decimal | None:
    return value if isinstance(value, Decimal) else None


def _integer(column: ColumnFacts) -> tuple[str, list[str]]:
    low, high = BITS.get(column.bits, (None, None))
    if column.unsigned:
        low, high = 0, 2**column.bits - 1 if column.bits < 60 else None
    first, last = _number(column.low), _number(column.high)
    first = first + 1 if first is not None and column.above else first
    last = last - 1 if last is not None and column.below else last
    bottom = first if first is not None else Decimal(low) if low is not None else None
    top = last if last is not None else Decimal(high) if high is not None else None
    head = lines.integer(bottom, top)
    if bottom is None or top is None or top - bottom < WIDE:
        return head, []
    start = max(int(bottom), 0)
    return head, [f"usually histogram({start}..{min(start + USUAL, int(top))} 100%)"]


def _decimal(column: ColumnFacts) -> tuple[str, list[str]]:
    places = column.places if column.places is not None else 2
    if places == 0:
        whole = ColumnFacts(
            column.name, "integer", low=column.low, high=column.high, above=column.above, below=column.below
        )
        if column.digits is not None and column.digits <= lines.MOST_DIGITS:
            most = Decimal(10**column.digits - 1)
            whole.low = column.low if column.low is not None else -most
            whole.high = column.high if column.high is not None else most
        return _integer(whole)
    step = Decimal(1).scaleb(-places)
    first, last = _number(column.low), _number(column.high)
    first = first + step if first is not None and column.above else first
    last = last - step if last is not None and column.below else last
    if column.digits is not None and column.digits <= lines.MOST_DIGITS:
        most = (Decimal(10**column.digits) - 1).scaleb(-places)
        first = first if first is not None else -most
        last = last if last is not None else most
    head = lines.decimal(first, last, None, places)
    if first is None or last is None or last - first < WIDE:
        return _with_places(head, places), []
    start = max(first, Decimal(0)).quantize(step)
    end = min(start + USUAL, last).quantize(step)
    return _with_places(head, places), [f"usually histogram({start}..{end} 100%)"]


def _with_places(head: str, places: int) -> str:
    """Return a range with all of its places, which is how a person writes it: 0.00..95.00."""
    word, _, rest = head.partition(" ")
    span = rest.split(" ")[0]
    low, _, high = span.partition("..")
    written = [f"{Decimal(each):.{places}f}" if each else "" for each in (low, high)]
    return f"{word} {written[0]}..{written[1]}" + ("" if any(written) else f" places {places}")


def _timed(column: ColumnFacts) -> str:
    word = {"zoned": "datetime"}.get(column.sort, column.sort)
    low = column.low if isinstance(column.low, str) else ""
    high = column.high if isinstance(column.high, str) else ""
    step = "" if word == "date" else " step 0.001ms"
    zone = " zone utc" if column.sort == "zoned" else ""
    return f"{word} {low}..{high}{step}{zone}"


def _text(column: ColumnFacts) -> tuple[str, list[str]]:
    if column.pattern:
        found = lines.text(column.shortest, column.length, [column.pattern])
        return found.head, list(found.clauses)
    found = lines.text(column.shortest, column.length)
    kind = kind_by_name(column.name) or plain_kind(column.shortest, column.length)
    wide_enough = column.length is None or column.length >= 12
    return found.head, [f"usually as {kind}"] if kind is not None and wide_enough else []
