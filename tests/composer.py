"""Composes random schemas, with independent predicates for their records.

A composer returns field lines and, for each field, a predicate: a function that takes a record as Python's JSON reader
returns it. Nothing here imports the engine.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date, datetime, time, timedelta
from random import Random
from typing import Any
from zoneinfo import ZoneInfo

from holidays import country_holidays

Row = dict[str, Any]
Predicate = Callable[[Row], bool]
Made = tuple[str, Predicate]
DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
WORDS = ("ridge", "lake", "pass", "hut", "snow", "goat", "path", "rain")


def integer(dice: Random, name: str, before: list[str]) -> Made:
    low = dice.randint(-500, 500)
    step = dice.choice((1, 1, 3, 10))
    high = low + step * dice.randint(0, 400)
    usual = dice.choice(
        (
            "",
            ", usually low",
            ", usually high",
            f", usually normal({(low + high) // 2}, {(high - low) // 5 + 1})",
            f", usually triangular({low})",
            ", usually beta(2, 3), outliers 5%",
            f", usually low 60% | normal({high}, {(high - low) // 3 + 1})",
            f", usually histogram({low}..{low + step} 50%, {low}..{high} 50%)",
        )
    )
    return (
        f"{name}: integer {low}..{high} step {step}{usual}",
        lambda r: low <= r[name] <= high and (r[name] - low) % step == 0,
    )


def decimal(dice: Random, name: str, before: list[str]) -> Made:
    low, high = sorted((dice.randint(-9999, 9999), dice.randint(-9999, 9999)))
    usual = dice.choice(("", ", usually middle", ", usually exponential(20)", f", usually normal({low / 100:.2f}, 30)"))
    predicate: Predicate = lambda r: low <= round(r[name] * 100, 6) <= high and round(r[name] * 100, 6) % 1 == 0  # noqa: E731
    return f"{name}: decimal {low / 100:.2f}..{high / 100:.2f}{usual}", predicate


def day(dice: Random, name: str, before: list[str]) -> Made:
    low = date(2020, 1, 1) + timedelta(days=dice.randint(0, 2000))
    high = low + timedelta(days=dice.randint(10, 900))
    chosen = dice.sample(DAYS, dice.randint(1, 7))
    on, free = f", on {' | '.join(chosen)}" if dice.random() < 0.5 else "", set()
    if dice.random() < 0.2:
        country = dice.choice(("AT", "JP", "US"))
        on, free = f", on workdays of {country}", set(country_holidays(country, years=range(2020, 2029)))
        chosen = list(DAYS[:5])
    usual = dice.choice(
        ("", ", usually low", f", usually normal({low + (high - low) / 2}, 40d)", ", usually on sat | sun")
    )
    if on and "on" in usual:
        usual = ""

    def predicate(r: Row) -> bool:
        found = date.fromisoformat(r[name])
        return low <= found <= high and (not on or DAYS[found.weekday()] in chosen) and found not in free

    return f"{name}: date {low}..{high}{on}{usual}", predicate


def moment(dice: Random, name: str, before: list[str]) -> Made:
    low = datetime(2024, 3, 1, 6) + timedelta(hours=dice.randint(0, 9000))
    high = low + timedelta(hours=dice.randint(30, 3000))
    zone = dice.choice(("", " zone utc", " zone Europe/Vienna"))
    hours = dice.random() < 0.4
    usual = ", usually hours(8..11 70%, 20 30%)" if hours else ""

    def predicate(r: Row) -> bool:
        found = datetime.fromisoformat(r[name].replace("Z", "+00:00"))
        if bool(zone) != (found.tzinfo is not None):
            return False
        # The same instant with another offset is the same value: the local time of the zone decides.
        wall = found.astimezone(ZoneInfo(zone[6:].replace("utc", "UTC"))).replace(tzinfo=None) if zone else found
        return low <= wall <= high and wall.microsecond == 0

    return f"{name}: datetime {low.isoformat()}..{high.isoformat()}{zone}{usual}", predicate


def clock(dice: Random, name: str, before: list[str]) -> Made:
    low = time(dice.randint(0, 11), dice.choice((0, 30)))
    high = time(dice.randint(12, 23), 59)
    return (
        f"{name}: time {low:%H:%M}..{high:%H:%M} step 30min",
        lambda r: low <= time.fromisoformat(r[name]) <= high and r[name][3:5] in ("00", "30"),
    )


def words(dice: Random, name: str, before: list[str]) -> Made:
    chosen = dice.sample(WORDS, dice.randint(2, 6))
    weights = dice.choice((False, True))
    items = [f"{word} * {dice.randint(1, 5)}" if weights else word for word in chosen]
    clause = "" if weights else dice.choice(("", ", in turn", ", usually zipf(1.2)"))
    return f"{name}: one of {' | '.join(items)}{clause}", lambda r: r[name] in chosen


def pattern(dice: Random, name: str, before: list[str]) -> Made:
    source = dice.choice((r"[A-Z]{2}-\d{3}", r"(a|bb|c{2,4})?x", r"[^0-9]{3}", r"\w+@\w+", r"[[:upper:]]\d[xyz]*"))
    read = source.replace("[[:upper:]]", "[A-Z]")
    return f"{name}: /{source}/", lambda r: re.fullmatch(read, r[name]) is not None


def text(dice: Random, name: str, before: list[str]) -> Made:
    low = dice.randint(0, 6)
    high = low + dice.randint(0, 8)
    without = "aeiou0" if dice.random() < 0.4 else ""
    clause = f', without "{without}"' if without else ""
    return (
        f"{name}: text {low}..{high} of lower | digit{clause}",
        lambda r: re.fullmatch(f"[a-z0-9]{{{low},{high}}}", r[name]) is not None and not set(r[name]) & set(without),
    )


def truth(dice: Random, name: str, before: list[str]) -> Made:
    return f"{name}: boolean {dice.randint(0, 100)}%", lambda r: r[name] in (True, False)


def many(dice: Random, name: str, before: list[str]) -> Made:
    low, extra = dice.randint(0, 2), dice.randint(0, 3)
    distinct = dice.random() < 0.5
    inner = dice.choice((("integer 1..9", range(1, 10)), ("one of ridge | lake | pass | hut | snow", WORDS)))

    def predicate(r: Row) -> bool:
        found = r[name]
        return (
            low <= len(found) <= low + extra
            and all(each in inner[1] for each in found)
            and (not distinct or len(set(found)) == len(found))
        )

    return f"{name}: list {low}..{low + extra} of {inner[0]}{', distinct' if distinct else ''}", predicate


def later(dice: Random, name: str, before: list[str]) -> Made:
    most = timedelta(days=dice.randint(1, 30))

    def predicate(r: Row) -> bool:
        first, found = date.fromisoformat(r[f"{name}_a"]), date.fromisoformat(r[name])
        return first < found <= first + most

    return f"{name}_a: date 2026-01-01..2026-06-30\n{name}: date {name}_a+1d..{name}_a+{most.days}d", predicate


def sum_of(dice: Random, name: str, before: list[str]) -> Made:
    factor = dice.randint(-9, 9)
    return (
        f"{name}_n: integer 1..{dice.randint(1, 900)}\n{name}: = {name}_n * {factor} + row",
        lambda r: isinstance(r[name], int) and (r[name] - r[f"{name}_n"] * factor) >= 1,
    )


def branch(dice: Random, name: str, before: list[str]) -> Made:
    cut = dice.randint(1, 9)
    return (
        f"{name}_n: integer 1..9\n{name}:\n  when:\n    {name}_n < {cut}: integer -9..-1\n    else: integer 100..200",
        lambda r: -9 <= r[name] <= -1 if r[f"{name}_n"] < cut else 100 <= int(r[name]) <= 200,
    )


def nested(dice: Random, name: str, before: list[str]) -> Made:
    share = dice.choice((0, 0, 30))
    clause = f"\n  missing: {share}%" if share else ""
    lines = (
        f"{name}:\n  nested:\n    a: integer 1..9\n    b: = a * 2\n    c:\n      nested:\n        d: = a + b{clause}"
    )
    return (
        lines,
        lambda r: (
            (bool(share) and r[name] is None)
            or (1 <= r[name]["a"] <= 9 and r[name]["b"] == r[name]["a"] * 2 and r[name]["c"]["d"] == r[name]["a"] * 3)
        ),
    )


def correlated(dice: Random, name: str, before: list[str]) -> Made:
    rank = dice.choice((-0.8, -0.2, 0.4, 0.9))
    return f"{name}_a: integer 1..500\n{name}: integer 1..500, tracks {name}_a by {rank}", lambda r: 1 <= r[name] <= 500


def records(dice: Random, name: str, before: list[str]) -> Made:
    high = dice.randint(1, 4)
    lines = f"{name}_n: integer 1..9\n{name}:\n  list: 0..{high}\n  nested:\n    a: integer 1..{name}_n\n    b: = a * 2 + {name}_n"

    def predicate(r: Row) -> bool:
        inside = all(
            1 <= each["a"] <= r[f"{name}_n"] and each["b"] == each["a"] * 2 + r[f"{name}_n"] for each in r[name]
        )
        return len(r[name]) <= high and inside

    return lines, predicate


PARTS: tuple[Callable[[Random, str, list[str]], Made], ...] = (
    integer,
    decimal,
    day,
    moment,
    clock,
    words,
    pattern,
    text,
    truth,
    many,
    later,
    sum_of,
    branch,
    nested,
    correlated,
    records,
)
# Clauses that may end any one-line field, with their effect on the predicate.
NOT_THERE = (", missing 20%", ", present if row > 60", ", optional", ", missing 50% if mod(row, 2) == 0")


def composed(seed: int) -> tuple[str, dict[str, Predicate]]:
    """Return the lines of a random record type, and the predicate of each field."""
    dice = Random(seed)
    lines: list[str] = []
    predicates: dict[str, Predicate] = {}
    for number in range(dice.randint(2, 7)):
        name = f"f{number}"
        line, predicate = dice.choice(PARTS)(dice, name, list(predicates))
        if line.rpartition("\n")[2].startswith(f"{name}:") and "tracks" not in line and dice.random() < 0.3:
            line, predicate = (
                line + dice.choice(NOT_THERE),
                (lambda r, name=name, predicate=predicate: r[name] is None or predicate(r)),
            )
        lines.append(line)
        predicates[name] = predicate
    if dice.random() < 0.3:
        lines.append("key: integer 1..5000, unique")
    if dice.random() < 0.3:
        lines.append("gate: integer 1..10\nif gate > 5:\n  inside: integer 1..gate")
        predicates["inside"] = lambda r: (
            (r["inside"] is not None and 1 <= r["inside"] <= r["gate"]) if r["gate"] > 5 else r["inside"] is None
        )
    return "\n".join(lines), predicates


# Replacements of words: the result is either a valid schema or a mistake with a message.
SPOILS = (
    ("integer", "intger"),
    ("..", "."),
    ("one of", "oneof"),
    ("usually", "usual"),
    (",", ""),
    ("|", ","),
    ("'", ""),
    (":", " "),
    ("1", "x"),
    (" ", ""),
)


def spoiled(lines: str, seed: int) -> str:
    """Return the lines with one random change."""
    dice = Random(seed)
    old, new = dice.choice(SPOILS)
    places = [found.start() for found in re.finditer(re.escape(old), lines)]
    at = dice.choice(places) if places else 0
    return lines[:at] + new + lines[at + len(old) :]
