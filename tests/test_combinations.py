"""Combinations of fields whose ranges depend on one another: every pair of levels that some record can have is covered.

The judge tries all records of small schemas, and reads the files with Python's own reader.
"""

from __future__ import annotations

import random
import re
from itertools import combinations, product
from pathlib import Path
from typing import Any

import pytest

from .conftest import FULL, read_csv, schema_of

Record = dict[str, Any]
ENDS = ("a", "a + 1", "a - 2", "2 * a", "a + 5", "10", "0", "-3", "25", "b", "b + 2", "a + b", "max(a, 4)")
RULES = (
    "c - a >= 3", "a + b <= 20", "b != a", "c > b", "a * b < 90", "member or a > 4", "kind != 'x' or c < 12",
    "board == 'none' or board == 'half'", "b - a == 2 or member", "mod(a, 2) == 0 or kind == 'y'", "a <= c", "b < 9",
)  # fmt: skip


def small_schema(dice: random.Random) -> tuple[str, list[str], dict[str, tuple[str, str]]]:
    """Return lines, rules, and the ends of the ranges, by field."""
    low = dice.randint(-3, 6)
    ends = {"a": (str(low), str(low + dice.randint(3, 9)))}
    for name in ("b", "c"):
        known = [each for each in ENDS if name == "c" or not re.search(r"\bb\b", each)]
        ends[name] = (dice.choice(known), dice.choice(known))
    lines = [f"{name}: integer {one}..{other}" for name, (one, other) in ends.items()]
    lines += ["member: boolean", "kind: one of x | y | z", "board: one of none | half | full"]
    return "\n".join(lines), dice.sample(RULES, dice.randint(1, 3)), ends


def worth(text: str, row: Record) -> Any:
    return eval(text, {"__builtins__": {}, "max": max, "mod": lambda a, b: a % b}, row)


def never_empty(ends: dict[str, tuple[str, str]]) -> bool:
    """Return whether every range has a value, whatever the other fields are: an empty one is a mistake."""
    for a in range(int(ends["a"][0]), int(ends["a"][1]) + 1):
        low, high = (worth(each, {"a": a}) for each in ends["b"])
        sides = [[worth(each, {"a": a, "b": b}) for each in ends["c"]] for b in range(low, high + 1)]
        if low > high or any(one > other for one, other in sides):
            return False
    return True


def every_record(ends: dict[str, tuple[str, str]], rules: list[str]) -> list[Record]:
    found = []
    for a in range(int(ends["a"][0]), int(ends["a"][1]) + 1):
        for b in range(worth(ends["b"][0], {"a": a}), worth(ends["b"][1], {"a": a}) + 1):
            row = {"a": a, "b": b}
            for c in range(worth(ends["c"][0], row), worth(ends["c"][1], row) + 1):
                for member, kind, board in product((True, False), "xyz", ("none", "half", "full")):
                    row = {"a": a, "b": b, "c": c, "member": member, "kind": kind, "board": board}
                    if all(worth(each, row) for each in rules):
                        found.append(row)
    return found


def pairs_of(rows: list[Record], ends: dict[str, tuple[str, str]]) -> set[tuple[tuple[str, str], ...]]:
    """Return the pairs of levels that occur; a value may be the minimum and the maximum of its range."""
    found = set()
    for row in rows:
        levels: list[list[tuple[str, str]]] = []
        for name, value in row.items():
            if name in ends:
                low, high = (worth(each, row) for each in ends[name])
                own = [
                    word
                    for word, good in (("low", value == low), ("high", value == high), ("inside", low < value < high))
                    if good
                ]
            else:
                own = [str(value)]
            levels.append([(name, each) for each in own])
        for one, other in combinations(levels, 2):
            found |= set(product(one, other))
    return found


def valid_ones(path: Path) -> list[Record]:
    """Return the records of the cases to be accepted."""
    found = []
    for row in read_csv(path.read_bytes()):
        if row["case.expected"] == "accept":
            whole = {name: int(row[name]) for name in "abc"}
            found.append({**whole, "member": row["member"] == "true", "kind": row["kind"], "board": row["board"]})
    return found


@pytest.mark.parametrize("seed", range(40 if FULL else 10))
def test_every_possible_pair_is_covered(seed: int, yurt: Any, tmp_path: Path) -> None:
    dice = random.Random(seed)
    rows: list[Record] = []
    while len(rows) < 50:
        lines, rules, ends = small_schema(dice)
        rows = every_record(ends, rules) if never_empty(ends) else []
    tail = "    always:\n" + "".join(f'      - "{each}"\n' for each in rules)
    (tmp_path / "s.yaml").write_text(schema_of(lines, 50, "seed: 1\n", tail))
    yurt("cases", "s.yaml", "--technique", "combinatorial", "--out", "c.csv")
    yurt("coverage", "s.yaml", "row=c.csv", "--complete", "more.csv", code=None)
    made = valid_ones(tmp_path / "c.csv")
    known = {tuple(each.items()) for each in rows}
    assert all(tuple(each.items()) in known for each in made), "a record that the schema does not allow"
    if (tmp_path / "more.csv").exists():
        made += [each for each in valid_ones(tmp_path / "more.csv") if tuple(each.items()) in known]
    assert pairs_of(rows, ends) - pairs_of(made, ends) == set(), (lines, rules)
