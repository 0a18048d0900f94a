"""The most valuable cases, if only some are wanted.

First comes one case for each rule that a target can break, then one of each technique for each target, then the others
in turns of the targets; among equals, in the order of derivation.
"""

from __future__ import annotations

from collections import Counter

from yurt.core.cases.case import Case, Raw

HOSTILE = "hostile"


def most_valuable(cases: list[Case], limit: int) -> list[Case]:
    """Return a number of cases, in their order."""
    seen: set[tuple[str, str, str]] = set()
    turns: dict[str, int] = {}
    ranked: list[tuple[int, int, int]] = []
    for at, case in enumerate(cases):
        rule, technique = ("rule", case.target, case.violates), ("technique", case.target, case.technique)
        rank = 0 if case.violates and rule not in seen else 1 if technique not in seen else 2
        seen |= {rule, technique}
        turns[case.target] = turns.get(case.target, -1) + 1
        ranked.append((rank, turns[case.target] if rank == 2 else 0, at))
    kept = sorted(at for _, _, at in sorted(ranked)[:limit])
    return [cases[at] for at in kept]


def hostile_third(cases: list[Case], typed: bool) -> list[Case]:
    """Limit the hostile cases of each target to a third of its cases.

    Cases that only a format with types can express count if the format is `typed`.
    """
    others = Counter(case.target for case in cases if case.technique != HOSTILE and (typed or not _typed(case)))
    found = {id(case) for case in cases if case.technique != HOSTILE}
    by_target: dict[str, list[Case]] = {}
    for case in cases:
        if case.technique == HOSTILE:
            by_target.setdefault(case.target, []).append(case)
    for target, hostile in by_target.items():
        found |= {id(case) for case in most_valuable(hostile, others[target] // 2)}
    return [case for case in cases if id(case) in found]


def _typed(case: Case) -> bool:
    return any(isinstance(each, Raw) and each.typed for each in case.changes)
