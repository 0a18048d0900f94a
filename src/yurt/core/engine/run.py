"""A run: a schema with its seed, date, and counts, ready to make any rows of any record type."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from datetime import date, datetime, time
from decimal import Decimal
from functools import cached_property
from math import prod
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.arrays import distinct
from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import UsageFault, YurtError
from yurt.core.base.nearest import no_record_type
from yurt.core.base.types import REAL, Type
from yurt.core.columns.column import cast
from yurt.core.distributions.registry import all_distributions
from yurt.core.engine.family import DrawnFamily, Ends, Family, FixedFamily
from yurt.core.engine.item_lookup import lookup
from yurt.core.engine.large_family import PARENTS, LargeFamily
from yurt.core.engine.overrides import Overrides
from yurt.core.engine.resolved import Resolved, measure
from yurt.core.engine.scope import ExistingScope
from yurt.core.engine.table import Table
from yurt.core.engine.width import row_widths
from yurt.core.heads.head import ENDLESS
from yurt.core.heads.registry import cardinality
from yurt.core.model import Count, NamedDistribution, Record, Reference, Schema, Sequence
from yurt.core.model.expressions import Literal
from yurt.core.sampling.grids import draw
from yurt.core.sampling.streams import Stream, Unit, stream
from yurt.core.sampling.weights import Weighted, weighted

if TYPE_CHECKING:
    from yurt.core.keyed.format_preserving import FormatPreserving
    from yurt.core.keyed.secret import Secret

MAX_ROWS = 1 << 60
MAX_NUMBER = 10**18
MAX_WEIGHTS = 5_000_000
# The maximum number of bytes for the texts and lists of one row.
MAX_WIDTH = 1 << 26
BLOCK = 1 << 16


@dataclass(frozen=True)
class RunOptions:
    """The options of the caller; None leaves the choice to the schema."""

    seed: int | None = None
    today: date | None = None
    count: int | None = None
    scale: float = 1.0
    # The most rows of a record type, for a caller who cannot wait for more.
    most: int = MAX_ROWS


def counter(count: Count) -> Callable[[Unit], NDArray[np.int64]]:
    """Return a function that turns a number in (0, 1) into a number of rows, counted from the minimum."""
    size, usual = count.high - count.low + 1, count.usually
    if not isinstance(usual, NamedDistribution):
        return lambda u: (u * size).astype(np.int64)
    arguments = [
        np.array(float(each.value))
        for each in usual.arguments
        if isinstance(each, Literal) and isinstance(each.value, int | Decimal)
    ]
    chosen = all_distributions()[usual.name]
    arguments = [
        each - count.low if argument.unit == "position" else each
        for argument, each in zip(chosen.arguments, arguments, strict=True)
    ]
    if chosen.from_zero:
        arguments.append(np.array(-float(count.low)))
    return lambda u: draw(usual.name, u, np.array(size), arguments, np.zeros(len(u)))


class Run:
    """Makes rows. The same schema, seed, date, and counts give the same values, in any order and on any thread."""

    def __init__(
        self, schema: Schema, options: RunOptions | None = None, only: str | None = None,
        overrides: Overrides | None = None, unmeasured: str = "", inside: Iterable[str] = (),
        existing: Mapping[str, ExistingScope] | None = None, secret: Secret | None = None,
        sums: Mapping[str, Ends] | None = None,
    ) -> None:  # fmt: skip
        """Prepare a run; `only` names the single requested record type, which `options.count` applies to, and `inside`
        further record types that it needs.

        `overrides` fix values of one record type. `unmeasured` names the one whose conditions are up to the caller:
        they may be rarer than draws could meet. `existing` are the files that rows come from, by record type, and
        `secret` is what their substitutes depend on. `sums` are those of another run of the same (see `sums`).

        Raises YurtError if a unique field has fewer values than rows.
        """
        self.options = options = options or RunOptions()
        self._overrides = overrides
        self.existing = existing or {}
        self.secret = secret
        self._given_sums = sums or {}
        self.small_domains: dict[str, FormatPreserving] = {}
        self.schema = schema
        self.seed_drawn = options.seed is None and schema.seed is None
        seed = options.seed if options.seed is not None else schema.seed
        self.seed = schema.drawn_seed if seed is None else seed
        self.today_from_clock = options.today is None and schema.today is None
        clock = schema.clock
        self.today = options.today or schema.today or clock.date()
        self.now = clock if self.today_from_clock else datetime.combine(self.today, time())
        self.plan = schema.plan
        self.widths = row_widths(schema, self.plan.types)
        for name, width in self.widths.items():
            if width > MAX_WIDTH:
                raise YurtError(f"one row of `{name}` could take {width // 1_000_000:,} MB; shorten its texts or lists")
        self.tables: dict[str, Table] = {}
        self._whole: dict[str, Resolved] = {}
        self._weighted: dict[tuple[str, str], Weighted] = {}
        self._sorted: dict[tuple[str, str, Type], tuple[NDArray[np.float64], bool]] = {}
        # Record types that the requested one does not need are neither counted nor compared with their capacity.
        asked = set().union(*(self.plan.records_for(each) for each in (only, *inside))) if only else set(schema.records)
        needed = [each for each in schema.records.values() if each.name in asked]
        for record in needed:
            self._add(record, options, only)
        for record in needed:
            self._check_room(record)
        for record in needed:
            if record.name != unmeasured:
                measure(self.tables[record.name])

    def _add(self, record: Record, options: RunOptions, only: str | None) -> Table:
        """Make the table of a record type, after that of its parent."""
        if record.name in self.tables:
            return self.tables[record.name]
        family: Family | None = None
        low, per = record.count.low, record.count.per
        source = stream(self.seed, record.name, "count")
        if record.count.combinations:
            if only == record.name and options.count is not None:
                listed = ", ".join(record.count.combinations)
                raise UsageFault(f"`{record.name}` has every combination of {listed}; that is its count")
            count = prod(self._values(record, name) for name in record.count.combinations)
        elif per is not None:
            if only == record.name and options.count is not None:
                raise UsageFault(
                    f"`{record.name}` is counted per `{per}`; ask for a count of `{per}`, or scale with --scale"
                )
            parents = self._add(self.schema.records[per], options, only).count
            self._limit(record, parents * low)
            family = self._family(record, parents, source)
            count = family.total
        elif options.count is not None and only in (None, record.name):
            count = options.count
        else:
            drawn = low + int(counter(record.count)(source.unit(np.zeros(1, dtype=np.uint64)))[0])
            # The factor as it is written: a product of floating-point numbers would lose rows.
            count = _scaled(drawn, options.scale)
        self._limit(record, count)
        overrides = self._overrides if self._overrides and self._overrides.record_name == record.name else None
        self.tables[record.name] = Table(self, record, count, family, overrides)
        return self.tables[record.name]

    def _family(self, record: Record, parents: int, source: Stream) -> Family:
        low, high, draw = record.count.low, record.count.high, counter(record.count)
        if low == high:
            return FixedFamily(parents, low)
        if parents > PARENTS:
            sums, evening = (stream(self.seed, record.name, "count", each) for each in ("sums", "evening"))
            return LargeFamily(parents, low, high, source, sums, evening, draw)
        return DrawnFamily(parents, low, high, source, draw, self._given_sums.get(record.name))

    @property
    def sums(self) -> dict[str, Ends]:
        """The sums over parents by record type: another run of the same with the same options need not make them."""
        families = {name: table.family for name, table in self.tables.items()}
        return {name: each.ends for name, each in families.items() if isinstance(each, DrawnFamily)}

    def _limit(self, record: Record, count: int) -> None:
        """Refuse more rows than can be numbered, or than somebody wants to wait for."""
        if count > self.options.most:
            told = (
                "Yurt can number"
                if self.options.most == MAX_ROWS
                else f"the {self.options.most:,} that may be asked for"
            )
            raise UsageFault(f"{count:,} rows of `{record.name}` are more than {told}")

    def _values(self, record: Record, name: str) -> int:
        """Return the number of values of a field; the table of a referenced record type exists already."""
        head = record.by_name[name].head
        if isinstance(head, Reference):
            return self._add(self.schema.records[head.record], self.options, None).count
        return cardinality(record.by_name[name], self.today, self.schema)

    def _check_groups(self, record: Record) -> None:
        """Refuse fields that are unique together but have fewer combinations than rows, or than children of a
        parent.
        """
        table, parent = self.tables[record.name], record.parent_field
        distinct = [
            (each.name,) for each in record.fields if each.phrases[0].distinct and isinstance(each.head, Reference)
        ]
        for group in (*record.unique, *distinct):
            names = [name for name in group if parent is None or name != parent.name]
            room = prod(self._values(record, name) for name in names)
            beside_parent = len(names) < len(group) or group in distinct
            wanted = table.family.largest() if beside_parent and table.family is not None else table.count
            if room < wanted:
                what = f"{record.name}: `{', '.join(names)}` has only {room:,} different values"
                rows = f"up to {wanted:,} rows of one parent" if beside_parent else f"{wanted:,} rows"
                raise YurtError(f"{what} for {rows}; widen what is allowed")

    def _check_room(self, record: Record) -> None:
        count = self.tables[record.name].count
        self._check_groups(record)
        for field in record.fields:
            head = field.head
            if isinstance(head, Sequence) and abs(head.start + head.step * count) >= MAX_NUMBER:
                raise YurtError(f"{record.name}.{field.name} would go beyond 18 digits in {count:,} rows")
            if not field.unique:
                continue
            room = cardinality(field, self.today, self.schema)
            if isinstance(head, Reference):
                room = self.tables[head.record].count
            if room < min(count, ENDLESS):
                advice = (
                    f"`--count {room}` makes all there are" if record.count.per is None else "widen what is allowed"
                )
                values = f"only {room:,} different values for {count:,} rows"
                raise YurtError(f"{record.name}.{field.name} is unique, but has {values}; {advice}")

    def table(self, name: str) -> Table:
        """Return the table of a record type."""
        return self.tables[name]

    def whole(self, name: str) -> Resolved:
        """Return all rows of a small record type, made once and kept."""
        if name not in self._whole:
            table = self.table(name)
            self._whole[name] = Resolved(table, np.arange(table.count, dtype=np.uint64))
        return self._whole[name]

    def weighted(self, record: str, field: str) -> Weighted:
        """Return a function that draws rows of a record type by the weights in one of its fields."""
        if (record, field) not in self._weighted:
            count = self.table(record).count
            if count > MAX_WEIGHTS:
                raise YurtError(
                    f"`weighted by {field}` reads all rows of `{record}`; {count:,} are more than {MAX_WEIGHTS:,}"
                )
            parts = [
                cast(
                    Resolved(self.table(record), np.arange(start, min(start + BLOCK, count), dtype=np.uint64)).field(
                        field
                    ),
                    REAL,
                )
                for start in range(0, count, BLOCK)
            ]
            weights = np.concatenate(
                [np.where(False if each.nulls is None else each.nulls, 0.0, each.values) for each in parts]
            )
            if np.any(weights < 0) or not np.any(weights > 0):
                raise YurtError(f"the weights in `{record}.{field}` are negative, or all 0")
            self._weighted[record, field] = weighted(weights)
        return self._weighted[record, field]

    def sorted_values(self, name: str, column: str, kind: Type) -> tuple[NDArray[np.float64], bool]:
        """Return the values of a column of a value list in units of a type, sorted, and whether most of them differ."""
        key = (name, column, kind)
        if key not in self._sorted:
            listed = self.schema.lists[name]
            there = np.setdiff1d(np.arange(listed.size), list(listed.gaps(column)))
            found = lookup(listed.column(column))(there)
            in_units = cast(found, REAL).values * 10.0**kind.places if kind.numeric else cast(found, kind).values
            values = np.sort(in_units.astype(np.float64))
            self._sorted[key] = values, len(distinct(values)) * 2 > len(values)
        return self._sorted[key]

    @cached_property
    def words(self) -> str:
        """The seed and the date, for the summary."""
        drawn = " (drawn; repeat with --seed)" if self.seed_drawn else ""
        clock = " (from the clock; pin with --today)" if self.today_from_clock else ""
        return f"seed {self.seed}{drawn}, today {self.today}{clock}"


def prepared(
    schema: Schema, record: str | None, options: RunOptions, inside: Iterable[str] = (),
    sums: Mapping[str, Ends] | None = None,
) -> Run:  # fmt: skip
    """Return a run of a schema; `record` must be one of its record types."""
    if record is not None and record not in schema.records:
        raise UsageFault(no_record_type(record, schema.records))
    return Run(schema, options, only=record, inside=inside, sums=sums)


def _scaled(count: int, factor: float) -> int:
    """Return a count times a factor as it is written, rounded; halfway between two, the even one."""
    above, below = Decimal(repr(factor)).as_integer_ratio()
    whole, rest = divmod(count * above, below)
    return whole + (2 * rest + whole % 2 > below)
