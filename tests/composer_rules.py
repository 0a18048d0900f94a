"""Composes random schemas in which features meet: large numbers, open ranges, bounds that are computed, conditions over
functions of fields, and groups that are unique together.

Like `composer.py`, it returns predicates that know nothing of the engine. Records are read with exact decimals.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from decimal import Decimal, getcontext
from random import Random
from typing import Any

# Exact for products of the largest numbers.
getcontext().prec = 60
Row = dict[str, Any]
Predicate = Callable[[Row], bool]
Sample = Callable[[Random, Row], Any]


@dataclass
class Composed:
    """The lines of a record type, its conditions, and its groups, with the predicates of fields and conditions.

    `samples` draw the fields of a record one by one, and `ends` give the least and the greatest value of some.
    """

    lines: list[str] = field(default_factory=list)
    fields: dict[str, Predicate] = field(default_factory=dict)
    rules: dict[str, Predicate] = field(default_factory=dict)
    groups: list[tuple[str, ...]] = field(default_factory=list)
    samples: dict[str, Sample] = field(default_factory=dict)
    ends: dict[str, tuple[Callable[[Row], Any], Callable[[Row], Any]]] = field(default_factory=dict)

    def line(self, name: str, text: str, good: Predicate, sample: Sample) -> str:
        """Add a field; return its name."""
        self.lines.append(f"{name}: {text}")
        self.fields[name], self.samples[name] = good, sample
        return name

    def ranged(self, name: str, text: str, good: Predicate, low: Any, high: Any, values: Callable[..., Any]) -> str:
        """Add a field between two ends, which are functions of the row before it."""
        self.ends[name] = low, high
        return self.line(name, text, good, lambda dice, row: values(dice, low(row), high(row)))

    def found(self, dice: Random, tries: int, fixed: dict[str, int], wanted: dict[str, bool]) -> Row | None:
        """Search for a record with some fields at an end (0 or 1), in which each condition is as wanted, or true."""
        for _ in range(tries):
            row: Row = {}
            for name, sample in self.samples.items():
                row[name] = self.ends[name][fixed[name]](row) if name in fixed else sample(dice, row)
            if all(good(row) for good in self.fields.values()) and all(
                rule(row) == wanted.get(text, True) for text, rule in self.rules.items()
            ):
                return row
        return None

    @property
    def tail(self) -> str:
        """The conditions and groups, as they stand behind the fields."""
        text = "".join(f"    unique: {', '.join(each)}\n" for each in self.groups)
        return text + ("    always:\n" + "".join(f"      - {each}\n" for each in self.rules) if self.rules else "")


def number(dice: Random, low: int, high: int) -> int:
    return dice.choice((low, high, dice.randint(low, high))) if low <= high else low


def amount(most: int) -> Callable[[Random, Any, Any], Decimal]:
    """Return a sampler of decimals with this number of places."""
    return lambda dice, low, high: Decimal(number(dice, int(low * 10**most), int(high * 10**most))).scaleb(-most)


def whole(row: Row, name: str) -> bool:
    return type(row[name]) is int


def places(value: Any, most: int) -> bool:
    return isinstance(value, int | Decimal) and Decimal(value) == round(Decimal(value), most)


def large(dice: Random, made: Composed, n: str) -> None:
    """Numbers of up to 18 digits, compared with each other and with their products."""
    high = 10 ** dice.randint(9, 18) - 1
    good = lambda r: whole(r, f"{n}a") and 0 <= r[f"{n}a"] <= high  # noqa: E731
    a = made.ranged(f"{n}a", f"integer 0..{high}", good, lambda r: 0, lambda r: high, number)
    top, scale = Decimal(10) ** dice.randint(2, 6), dice.randint(2, 12)
    end = f"{top:.{scale}f}"
    small = lambda r: places(r[f"{n}b"], scale) and 0 <= r[f"{n}b"] <= top  # noqa: E731
    b = made.ranged(f"{n}b", f"decimal 0..{end}", small, lambda r: 0, lambda r: top, amount(scale))
    cut = dice.randint(2, 9) * high // 10
    # A number in a condition has at most 18 digits.
    half = Decimal(cut) + Decimal("0.5")
    made.rules |= dice.choice((
        {f"{a} > {half}": lambda r: r[a] > half} if high < 10**17 else {f"{a} > {cut}": lambda r: r[a] > cut},
        {f"{a} >= {b}": lambda r: r[a] >= r[b]},
        {f"{a} - {cut} >= {b}": lambda r: r[a] - cut >= r[b]},
        {f"{a} * 2 <= {high} + {cut}": lambda r: r[a] * 2 <= high + cut},
    ))  # fmt: skip


def open_ended(dice: Random, made: Composed, n: str) -> None:
    end = dice.choice((-5, -1, 0, 7, 10**6, 10**15))
    sort = dice.randint(0, 3)
    name = f"{n}a"
    if sort == 0:
        made.line(name, f"integer ..{end}", lambda r: whole(r, name) and r[name] <= end, lambda dice, row: end)
    elif sort == 1:
        made.line(name, f"integer {end}..", lambda r: whole(r, name) and r[name] >= end, lambda dice, row: end)
    elif sort == 2:
        half = Decimal(f"{end}.50")
        made.line(name, f"decimal ..{half}", lambda r: places(r[name], 2) and r[name] <= half, lambda dice, row: half)
    else:
        made.line(name, f"decimal {end}.000..", lambda r: places(r[name], 3) and r[name] >= end, lambda dice, row: end)


def computed(dice: Random, made: Composed, n: str) -> None:
    """Bounds that other fields give, in other units than their own."""
    low, factor, more = dice.randint(0, 50), dice.randint(1, 4), dice.randint(0, 9)
    high = low + dice.randint(5, 400)
    good = lambda r: whole(r, f"{n}a") and low <= r[f"{n}a"] <= high  # noqa: E731
    a = made.ranged(f"{n}a", f"integer {low}..{high}", good, lambda r: low, lambda r: high, number)
    b = made.ranged(
        f"{n}b", f"integer {a}..{a} * {factor} + {more}",
        lambda r: whole(r, f"{n}b") and r[a] <= r[f"{n}b"] <= r[a] * factor + more,
        lambda r: r[a], lambda r: r[a] * factor + more, number,
    )  # fmt: skip
    part = Decimal(dice.choice(("0.5", "0.25", "1.12")))
    made.ranged(
        f"{n}c", f"decimal 0.00..{b} * {part}",
        lambda r: places(r[f"{n}c"], 2) and 0 <= r[f"{n}c"] <= r[b] * part,
        lambda r: 0, lambda r: r[b] * part, amount(2),
    )  # fmt: skip
    gap = dice.randint(0, 3)
    if gap < more:
        made.rules[f"{b} - {a} >= {gap}"] = lambda r: r[b] - r[a] >= gap


def of_numbers(dice: Random, made: Composed, n: str) -> None:
    a, b = (
        made.ranged(
            name, "integer 0..99", lambda r, name=name: whole(r, name) and 0 <= r[name] <= 99,
            lambda r: 0, lambda r: 99, number,
        )
        for name in (f"{n}a", f"{n}b")
    )  # fmt: skip
    by, rest, far = dice.randint(2, 9), dice.randint(0, 1), dice.randint(3, 60)
    made.rules |= dice.choice((
        {f"mod({a}, {by}) == {rest}": lambda r: r[a] % by == rest},
        {f"abs({a} - {b}) <= {far}": lambda r: abs(r[a] - r[b]) <= far},
        {f"max({a}, {b}) >= {far}": lambda r: max(r[a], r[b]) >= far},
        {f"if {a} > {far} then {b} > {far} else {b} <= 90": lambda r: r[b] > far if r[a] > far else r[b] <= 90},
    ))  # fmt: skip
    rate = Decimal(dice.randint(1, 40)) / 100
    share = lambda r: (r[a] * rate).quantize(Decimal("0.1"), rounding="ROUND_HALF_UP")  # noqa: E731
    made.line(f"{n}c", f"= round({a} * {rate}, 1)", lambda r: r[f"{n}c"] == share(r), lambda dice, row: share(row))


def of_dates(dice: Random, made: Composed, n: str) -> None:
    first = date(2020, 1, 1) + timedelta(days=dice.randint(0, 900))
    last = first + timedelta(days=dice.randint(400, 1500))

    def inside(name: str) -> str:
        return made.ranged(
            name, f"date {first}..{last}", lambda r: first <= date.fromisoformat(r[name]) <= last,
            lambda r: str(first), lambda r: str(last), between,
        )  # fmt: skip

    def between(dice: Random, low: str, high: str) -> str:
        return str(first + timedelta(days=number(dice, 0, (last - first).days)))

    a, b = inside(f"{n}a"), inside(f"{n}b")
    days, year = dice.randint(5, 300), first.year + 1

    def at(r: Row, name: str) -> date:
        return date.fromisoformat(r[name])

    made.rules |= dice.choice((
        {f"days({b} - {a}) <= {days}": lambda r: (at(r, b) - at(r, a)).days <= days},
        {f"year({a}) >= {year}": lambda r: at(r, a).year >= year},
        {f"month({a}) <= 9": lambda r: at(r, a).month <= 9},
        {f"{b} >= {a} + {days}d": lambda r: at(r, b) >= at(r, a) + timedelta(days=days)},
    ))  # fmt: skip


def of_times(dice: Random, made: Composed, n: str) -> None:
    hour = dice.randint(4, 20)

    def good(r: Row) -> bool:
        found = datetime.fromisoformat(r[f"{n}a"])
        return not found.microsecond and datetime(2026, 6, 1) <= found <= datetime(2026, 6, 30, 23, 59)

    a = made.ranged(
        f"{n}a", "datetime 2026-06-01T00:00..2026-06-30T23:59", good,
        lambda r: "2026-06-01T00:00:00", lambda r: "2026-06-30T23:59:00",
        lambda dice, low, high: (datetime(2026, 6, 1) + timedelta(seconds=dice.randint(0, 2_591_940))).isoformat(),
    )  # fmt: skip
    made.rules[f"hour({a}) < {hour}"] = lambda r: datetime.fromisoformat(r[a]).hour < hour


def of_texts(dice: Random, made: Composed, n: str) -> None:
    low, high = dice.randint(0, 3), dice.randint(6, 14)

    def good(r: Row) -> bool:
        value = r[f"{n}a"]
        return isinstance(value, str) and low <= len(value) <= high and all("a" <= each <= "z" for each in value)

    a = made.ranged(
        f"{n}a", f"text {low}..{high} of lower", good, lambda r: low * "x", lambda r: high * "x",
        lambda dice, least, most: "x" * dice.randint(low, high),
    )  # fmt: skip
    most = dice.randint(low + 1, high - 1)
    made.rules[f"length({a}) <= {most}"] = lambda r: len(r[a]) <= most


def together(dice: Random, made: Composed, n: str) -> None:
    a, b = (
        made.ranged(
            name, "integer 1..40", lambda r, name=name: whole(r, name) and 1 <= r[name] <= 40,
            lambda r: 1, lambda r: 40, number,
        )
        for name in (f"{n}a", f"{n}b")
    )  # fmt: skip
    made.groups.append((a, b))
    made.rules |= dice.choice((
        {f"{a} != {b}": lambda r: r[a] != r[b]},
        {f"{a} < {b}": lambda r: r[a] < r[b]},
        {f"{a} + {b} <= 60": lambda r: r[a] + r[b] <= 60},
    ))  # fmt: skip


PARTS = (large, open_ended, computed, of_numbers, of_dates, of_times, of_texts)


def composed(seed: int) -> Composed:
    """Return a random record type in which some of these features meet."""
    dice = Random(seed)
    made = Composed()
    for number, part in enumerate(dice.sample(PARTS, dice.randint(2, 4))):
        part(dice, made, f"f{number}")
    if dice.random() < 0.5:
        together(dice, made, "g")
    return made
