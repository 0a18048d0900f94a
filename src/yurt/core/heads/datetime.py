"""The head `datetime`: date-times on the clock of a zone, or of no zone."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError, available_timezones

from lark import Tree

from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import DATETIME
from yurt.core.grammar.builder import Builder
from yurt.core.heads import ranged
from yurt.core.heads.head import Describer, HeadRule, NotUnique
from yurt.core.model import DateTime, Phrase, Schema
from yurt.core.planning.bounds import bounds

SECOND = 1_000_000
DAY = 86_400 * SECOND
NOON, NONE = time(12), timedelta(0)
# Outside of these days the offsets of zones are taken to be those at the ends.
FIRST_CHANGE, LAST_CHANGE = date(1900, 1, 1).toordinal(), date(2100, 12, 31).toordinal()


def build(builder: Builder, tree: Tree) -> DateTime:
    """Return the head of a tree."""
    _, range_tree, _, step_tree, _, zone = tree.children
    if zone is not None and not _zone_exists(str(zone)):
        hint = did_you_mean(str(zone), available_timezones())
        expected = "a zone such as Europe/Vienna, utc or +02:00"
        builder.findings.error(f"there is no zone `{zone}`", builder.place(zone), expected, hint)
        zone = None
    found = ranged.range_of(builder, range_tree, tree, "datetime", "datetime 2026-06-15T08:00..2026-06-15T18:00")
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
    """Return whether the clock of a zone is put forward on one of the days of a range, from noon to noon."""
    ends = bounds(head, today)
    if zone[0] in "+-" or zone == "utc" or ends is None:
        return False
    first, last = (date(1970, 1, 1).toordinal() + each // DAY for each in ends)
    years = range(max(first - 1, FIRST_CHANGE), min(last + 1, LAST_CHANGE) + 1)
    clock = ZoneInfo(zone)
    offsets = [datetime.combine(date.fromordinal(day), NOON, clock).utcoffset() or NONE for day in years]
    return any(later > earlier for earlier, later in pairwise(offsets))


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
