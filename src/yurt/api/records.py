"""Records as dicts: one at a time for a test, or lazily in bulk."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import date
from threading import Lock
from typing import TYPE_CHECKING, Any

from yurt.api.arguments import check_record_type, check_whole, run_options
from yurt.core.base.errors import UsageFault, YurtError
from yurt.core.engine.blocks import slice_of
from yurt.core.engine.run import RunOptions
from yurt.core.given.ahead import RowsAhead
from yurt.core.given.paths import put
from yurt.core.given.records import Records, Row, reads_own_rows
from yurt.core.model import Schema

if TYPE_CHECKING:
    from yurt.core.given.checked import CheckedRecords

# Rows are made in blocks that grow, so that one record is quick and thousands are as well.
SMALLEST, GROWTH, LARGEST = 1, 4, 2048
# A block is the next one of the same kind if it begins within so many times the size of the last one; where single
# records cost far more than those of a block, it may be further away, and the blocks grow faster.
NEAR, FAR = 8, 512
FAST = 256
KEPT_BLOCKS, KEPT_ROWS = 512, 250_000


# Every restart begins with row 1 again, in all supplies.
_restarts = [0]


def restart() -> None:
    """Begin with row 1 again, for all schemas and classes: so that a test does not depend on those before it."""
    _restarts[0] += 1


class Block:
    """Rows that are made ahead: those of a span that could be made together; `size` is what was asked for."""

    def __init__(self, start: int, size: int, rows: dict[int, Row] | RowsAhead) -> None:
        self.start, self.size, self.rows = start, size, rows
        self.stop = start + len(rows) if isinstance(rows, dict) else rows.span.stop


class Supply:
    """The next records of a schema: each call takes the next row, and rows are made ahead."""

    def __init__(self, schema: Schema, options: RunOptions) -> None:
        self.records = Records(schema, options)
        self._lock = Lock()
        self._next: dict[str, int] = {}
        self._restarted = _restarts[0]
        # The rows made ahead, by record type and given values.
        self._blocks: dict[Any, Block] = {}
        self._reading: dict[str, bool] = {}

    def skip(self, name: str, rows: int) -> None:
        """Begin after a number of rows."""
        self._next[name] = rows

    def take(self, name: str, row: int | None, values: Mapping[str, Any], allow_invalid: bool) -> Row:
        """Return a record: of a row (counted from 0), or of the next one."""
        with self._lock:
            if self._restarted != _restarts[0]:
                self._next, self._restarted = {}, _restarts[0]
            at = self._next.get(name, 0) if row is None else row
            count = self.records.count(name)
            if at >= count:
                raise UsageFault(_used_up(self.records, name, count, row))
            apart = self.records.apart(name, values) if values else None
            if apart is not None:
                values = {}
            key = name, allow_invalid, repr(sorted(values.items(), key=lambda each: each[0]))
            rows = self._rows_with(key, name, at, count, values, allow_invalid)
            if row is None:
                self._next[name] = at + 1
            found = rows.pop(at)
            for field, value in (apart or {}).items():
                put(self.records.schema.records[name], found, field, value)
            return found

    def _reads_own_rows(self, name: str) -> bool:
        if name not in self._reading:
            self._reading[name] = reads_own_rows(self.records.schema.records[name])
        return self._reading[name]

    def _rows_with(
        self, key: tuple[str, bool, str], name: str, at: int, count: int, values: Mapping[str, Any], allow_invalid: bool
    ) -> dict[int, Row] | RowsAhead:  # fmt: skip
        """Return rows of which one is `at`."""
        last = self._blocks.get(key)
        if last is not None and at in last.rows:
            return last.rows
        if last is not None and last.start <= at < last.stop:
            # It could not be made with the others, or was taken before.
            return self._rows(name, at, at + 1, values, allow_invalid)
        # What is asked for again and again is made ahead; what comes now and then is not.
        near, growth = (FAR, FAST) if values and self._reads_own_rows(name) else (NEAR, GROWTH)
        again = last is not None and at <= last.start + near * last.size
        size = min(last.size * growth, LARGEST) if last is not None and again else SMALLEST
        try:
            made = self._rows(name, at, min(at + size, count), values, allow_invalid)
        except YurtError:
            if size == SMALLEST:
                raise
            # Another row may be at fault, which nobody has asked for.
            size = SMALLEST
            made = self._rows(name, at, at + size, values, allow_invalid)
        self._blocks.pop(key, None)
        kept = list(self._blocks.values())
        rows = sum(each.stop - each.start for each in kept)
        while kept and (len(kept) >= KEPT_BLOCKS or rows > KEPT_ROWS):
            del self._blocks[next(iter(self._blocks))]
            oldest = kept.pop(0)
            rows -= oldest.stop - oldest.start
        self._blocks[key] = Block(at, size, made)
        return made

    def _rows(
        self, name: str, start: int, stop: int, values: Mapping[str, Any], allow_invalid: bool
    ) -> dict[int, Row] | RowsAhead:  # fmt: skip
        """Return some of the rows by number, at least the first."""
        if values and self._reads_own_rows(name):
            # A record has the values, and the records before it do not.
            if not allow_invalid:
                return _checked(self.records).each(name, start, stop, values)
            stop = start + 1
        return dict(enumerate(rows_of(self.records, name, (start, stop), values, allow_invalid), start))


def rows_of(
    made: Records, name: str, rows: tuple[int, int], values: Mapping[str, Any], allow_invalid: bool,
    wanted: range | None = None,
) -> list[Row]:  # fmt: skip
    """Return some rows with given values, which are checked unless they may be invalid."""
    if not values or allow_invalid:
        return made.rows(name, *rows, values, allow_invalid=allow_invalid, wanted=wanted)
    return _checked(made).rows(name, *rows, values, wanted)


def _checked(records: Records) -> CheckedRecords:
    # Most records have no given values, and need no validator.
    from yurt.core.given.checked import CheckedRecords

    return CheckedRecords.of(records)


def _used_up(records: Records, name: str, count: int, row: int | None) -> str:
    per = records.schema.records[name].count.per
    more = f"a larger count of `{per}` in the schema" if per is not None else f"`count={count * 10 or 100}`"
    what = f"row {row + 1:,} is not there" if row is not None else "all of them are used"
    return f"`{name}` has {count:,} rows; {what}; {more} makes more of them"


def supply_of(schema: Schema, options: RunOptions) -> Supply:
    """Return the records of a schema for some options; the same ones every time."""
    kept: dict[RunOptions, Supply] = schema.attached.setdefault("supplies", {})
    if options not in kept:
        kept[options] = Supply(schema, options)
    return kept[options]


def record(
    schema: Schema,
    record_type: str,
    values: Mapping[str, Any] | None = None,
    /,
    *,
    row: int | None = None,
    seed: int | None = None,
    today: date | None = None,
    count: int | None = None,
    allow_invalid: bool = False,
    **fields: Any,
) -> dict[str, Any]:
    """Return one record as a dict, with chosen values set and everything else following from them.

    Without `row`, each call returns the next row, beginning with row 1; the same seed gives the same records as
    `yurt generate`. `fields` (or `values`, for names that are no Python names, such as `address.city`) set values: what
    depends on them follows, and other fields are drawn until they fit. A reference takes the key of a row, or a record
    that was made before.

    >>> schema = read_text("{yurt: 1, seed: 1, records: {hut: {count: 9, fields: {beds: 'integer 8..140'}}}}")
    >>> record(schema, "hut", beds=12)
    {'beds': 12}

    Values are int, Decimal, str, bool, date, datetime, time, timedelta, list, dict, or None where there is none. Raises
    `yurt.ValueFault`, which names the rule, for a value that breaks the schema, unless `allow_invalid` is set; and
    `yurt.UsageFault` for a record type, field, or row that does not exist.
    """
    check_record_type(schema, record_type)
    given = merged(values, fields)
    check_whole("row", row, 1)
    options = run_options(seed, today, count)
    return supply_of(schema, options).take(record_type, None if row is None else row - 1, given, allow_invalid)


def records(
    schema: Schema,
    record_type: str,
    values: Mapping[str, Any] | None = None,
    /,
    *,
    count: int | None = None,
    rows: tuple[int, int] | None = None,
    seed: int | None = None,
    today: date | None = None,
    allow_invalid: bool = False,
    **fields: Any,
) -> Iterator[dict[str, Any]]:
    """Yield records as dicts, made lazily in blocks.

    All rows are the default; `count` takes the first ones, also more than the schema has, and `rows` the first and the
    last, counted from 1. Values are set as in `record`; the same values are set in all records. Mistakes in the
    arguments are raised by the call, not by the first record.

    >>> schema = read_text("{yurt: 1, seed: 1, records: {hut: {count: 9, fields: {beds: 'integer 8..140'}}}}")
    >>> [each["beds"] for each in records(schema, "hut", rows=(1, 3))]
    [37, 104, 26]
    """
    check_record_type(schema, record_type)
    given = merged(values, fields)
    if count is not None and rows is not None:
        raise UsageFault("`count` and `rows` exclude one another")
    per = schema.records[record_type].count.per
    made = Records(schema, run_options(seed, today, count if per is None else None))
    start, stop = slice_of(rows, made.count(record_type), record_type)
    if count is not None and per is not None:
        check_whole("count", count, 0)
        if count > stop:
            raise UsageFault(f"`{record_type}` is counted per `{per}` and has {stop:,} rows, not {count:,}")
        stop = count
    first = rows_of(made, record_type, (start, min(start + 1, stop)), given, allow_invalid, range(start, stop))
    return _lazily(made, record_type, (start, stop), given, allow_invalid, first)


def _lazily(
    made: Records, name: str, rows: tuple[int, int], given: Mapping[str, Any], allow_invalid: bool, first: list[Row]
) -> Iterator[Row]:  # fmt: skip
    yield from first
    at, size = rows[0] + len(first), SMALLEST
    while at < rows[1]:
        size = min(size * GROWTH, LARGEST)
        yield from rows_of(made, name, (at, min(at + size, rows[1])), given, allow_invalid, range(*rows))
        at += size


def merged(values: Mapping[str, Any] | None, fields: Mapping[str, Any]) -> dict[str, Any]:
    """Return given values, those by name and those by keyword. Raises UsageFault for anything but a mapping."""
    if values is not None and not isinstance(values, Mapping):
        raise UsageFault(f"values are given by name, as `party=3` or {{'party': 3}}, not as {type(values).__name__}")
    for each in set(values or ()) & set(fields):
        raise UsageFault(f"`{each}` is given twice")
    return {**(values or {}), **fields}
