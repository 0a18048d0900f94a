"""What label columns say of the rows of a file of cases."""

from __future__ import annotations

from dataclasses import dataclass

from yurt.core.verify.frame import Frame

# What the columns are called that say of a record what it is a case of.
LABELS = ("case", "technique", "target", "partition", "expected", "violates", "reason")


@dataclass(frozen=True, slots=True)
class Label:
    """What the label columns say of a row: the case, whether it is to be accepted, and what it violates where."""

    row: int
    case: str
    accept: bool
    target: str
    violates: str
    partition: str


def labels_of(frame: Frame, first: int) -> list[Label]:
    """Return what label columns say of each row, where there are any."""
    columns = [frame.raw.get(f"@{each}") for each in ("case", "expected", "target", "violates", "partition")]
    if any(each is None or each.missing.all() for each in columns[:3]):
        return []
    texts = [each.texts.to_pylist() if each is not None else [None] * frame.size for each in columns]
    return [
        Label(first + at, str(case), expected == "accept", str(target), str(violates or ""), str(partition or ""))
        for at, (case, expected, target, violates, partition) in enumerate(zip(*texts, strict=True))
        if expected in ("accept", "reject")
    ]
