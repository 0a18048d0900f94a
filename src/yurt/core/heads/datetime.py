"""The head `datetime`: date-times on the clock of a zone, or of no zone."""

from __future__ import annotations

from zoneinfo import ZoneInfo, ZoneInfoNotFoundError, available_timezones

from lark import Tree

from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import DATETIME
from yurt.core.grammar.builder import Builder
from yurt.core.heads import ranged
from yurt.core.heads.head import Describer, HeadRule
from yurt.core.model import DateTime

SECOND = 1_000_000


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


def _described(head: DateTime, writer: Describer) -> str:
    return ranged.described(head, writer, SECOND) + (f" zone {head.zone}" if head.zone is not None else "")


HEAD = HeadRule(
    DateTime,
    {"datetime": build},
    lambda head, scope, record: DATETIME,
    _described,
    ranged.cardinality,
    check=ranged.check,
)
