"""The head `datetime`: date-times on the clock of a zone, or of no zone."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from functools import lru_cache
from itertools import pairwise
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError, available_timezones

from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import DATETIME
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads import ranged
from yurt.core.heads.head import Describer, HeadRule, NotUnique
from yurt.core.model import DateTime, Phrase, Schema
from yurt.core.planning.bounds import bounds

SECOND = 1_000_000
DAY = 86_400 * SECOND
LIMITS = (datetime.min, datetime(9999, 12, 31, 23, 59, 59))
# Outside of these years no clock is taken to change.
FIRST_CHANGE, LAST_CHANGE = 1900, 2100


def build(builder: Builder, tree: Tree) -> DateTime:
    """Return the head of a tree."""
    _, range_tree, _, step_tree, _, zone = tree.children
    if zone is not None and not _zone_exists(str(zone)):
        hint = did_you_mean(str(zone), available_timezones())
        expected = "a zone such as Europe/Vienna, utc or +02:00"
        builder.findings.error(f"there is no zone `{zone}`", builder.place(zone), expected, hint)
        zone = None
    found = ranged.range_of(
        builder, range_tree, tree, "datetime", "datetime 2026-06-15T08:00..2026-06-15T18:00", LIMITS
    )
    return DateTime(found, ranged.step_of(builder, step_tree, SECOND), str(zone) if zone is not None else None)


def _zone_exists(name: str) -> bool:
    if name[0] in "+-":
        return int(name[1:3]) < 15 and int(name[4:]) < 60
    if name == "utc":
        return True
    try:
        ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError):
        return False
    return True


def _cardinality(head: DateTime, phrase: Phrase, today: date, schema: Schema) -> int:
    if head.zone is not None and _skips(head, head.zone, today):
        raise NotUnique(f"the clock of {head.zone} skips some of its range; use `zone utc`")
    return ranged.cardinality(head, phrase, today, schema)


def _skips(head: DateTime, zone: str, today: date) -> bool:
    """Return whether the clock of a zone is put forward on one of the days of a range."""
    ends = bounds(head, today)
    if zone[0] in "+-" or zone == "utc" or ends is None:
        return False
    first, last = (date(1970, 1, 1).toordinal() + each // DAY for each in ends)
    years = range(max(date.fromordinal(first).year, FIRST_CHANGE), min(date.fromordinal(last).year, LAST_CHANGE) + 1)
    return any(first <= day <= last for year in years for day in _put_forward(zone, year))


@lru_cache(4096)
def _put_forward(zone: str, year: int) -> tuple[int, ...]:
    """Return the days of a year, as ordinals, on which the clock of a zone is put forward."""
    clock = ZoneInfo(zone)
    first = date(year, 1, 1).toordinal()
    # Midnight of each day and of the one after the year.
    starts = (datetime.combine(date.fromordinal(first + at), time(0), clock) for at in range(367))
    offsets = [each.utcoffset() or timedelta(0) for each in starts]
    return tuple(first + at for at, (one, next_one) in enumerate(pairwise(offsets)) if next_one > one)


def _described(head: DateTime, writer: Describer) -> str:
    return ranged.described(head, writer, SECOND) + (f" zone {head.zone}" if head.zone is not None else "")


HEAD = HeadRule(
    DateTime,
    {"datetime": build},
    lambda head, scope, record: DATETIME,
    _described,
    _cardinality,
    check=ranged.check,
)
