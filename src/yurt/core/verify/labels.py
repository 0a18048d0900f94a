"""The labels of a file of cases: a nested record in front of the fields."""

from __future__ import annotations

from yurt.core.base.data_classes import dataclass
from yurt.core.base.labels import OUTCOMES
from yurt.core.verify.frame import Frame


@dataclass(frozen=True)
class Label:
    """The labels of a row: the case, its expected outcome, and the violated rule with its target."""

    row: int
    id: str
    expected: str
    target: str
    violates: str
    item: str


def labels_of(frame: Frame, first: int, case: str) -> list[Label]:
    """Return the labels of each row, if there are any."""
    names = ("id", "expected", "target", "violates", "item")
    columns = [frame.raw.get(f"@{case}.{each}") for each in names]
    if any(each is None or each.missing.all() for each in columns[:3]):
        return []
    texts = [each.texts.to_pylist() if each is not None else [None] * frame.size for each in columns]
    return [
        Label(first + at, str(name), str(expected), str(target), str(violates or ""), str(item or ""))
        for at, (name, expected, target, violates, item) in enumerate(zip(*texts, strict=True))
        if expected in OUTCOMES
    ]
