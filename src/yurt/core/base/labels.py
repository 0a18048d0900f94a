"""The labels of cases: a nested record in front of the fields, and the outcomes it can name."""

from __future__ import annotations

# The default name of the nested record for labels, and its fields.
CASE = "case"
LABELS = ("id", "technique", "target", "item", "expected", "violates", "reason")
# What a program should do with a record: accept it, reject it, or, if no rule decides, store it unchanged or refuse it.
ACCEPT, REJECT, HANDLE = "accept", "reject", "handle"
OUTCOMES = (ACCEPT, HANDLE, REJECT)


def paths_of(case: str) -> tuple[str, ...]:
    """Return the labels by their paths in a file, such as `case.id`."""
    return tuple(f"{case}.{each}" for each in LABELS)
