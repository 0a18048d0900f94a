"""The labels of cases: a record of its own in front of the fields, and the outcomes that it names."""

from __future__ import annotations

# The record that labels are in, unless another name is asked for, and its fields.
CASE = "case"
LABELS = ("id", "technique", "target", "item", "expected", "violates", "reason")
# What a program is expected to do with a record: where no rule decides, it stores it unchanged or refuses it.
ACCEPT, REJECT, HANDLE = "accept", "reject", "handle"
OUTCOMES = (ACCEPT, HANDLE, REJECT)


def paths_of(case: str) -> tuple[str, ...]:
    """Return the labels by their paths in a file: `case.id`, …"""
    return tuple(f"{case}.{each}" for each in LABELS)
