"""Columns that follow from others: sums, differences, products, days between dates, joined texts, running totals."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, word
from yurt.core.base.data_classes import dataclass
from yurt.core.base.types import DATE, INTEGER, TEXT
from yurt.core.drafting.quoting import quoted
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.rows import Rows, near

Floats = NDArray[np.float64]
# Rows of the first comparison, the least rows with a result, and the share of rows in which a formula must hold.
TRIED, LEAST, MOST = 48, 20, 0.995
# The share of wrong values in these rows, and the rows that are looked at for all combinations.
WRONG, FIRST = 0.05, 12
# The operands that are combined at most, two at a time and three at a time.
PAIRS, TRIPLES = 60, 24
SEPARATORS = (" ", "", ", ", "-", "_", "/", ".", " - ")


@dataclass(frozen=True)
class Formula:
    """An expression, the fields that it uses, and the share of rows in which it holds."""

    text: str
    uses: frozenset[str]
    share: float


@dataclass(frozen=True)
class Operand:
    """A number in each row, the expression for it, and the fields that it uses."""

    text: str
    values: Floats
    uses: frozenset[str]


def formula(target: Column, rows: Rows, earlier: list[Column]) -> Formula | None:
    """Return the expression that a column follows from; None if there is none."""
    if target.type == TEXT:
        return _joined(target, rows, earlier)
    if target.type != INTEGER and target.type.name != "decimal":
        return None
    right = target.right
    if right.sum() < LEAST or len(np.unique(target.values[:1000])) < 4:
        return None
    for found in (_of_siblings(target, rows), _of_numbers(target, rows, earlier)):
        if found is not None:
            return found
    return None


def _of_siblings(target: Column, rows: Rows) -> Formula | None:
    """Return `ordinal()` or `running(…)` in rows that stand together by their parent."""
    if rows.per is None or not rows.sample.whole:
        return None
    parents = rows.per.column.words.codes
    starts = np.flatnonzero(np.concatenate([[True], parents[1:] != parents[:-1]]))
    sizes = np.diff(np.concatenate([starts, [len(parents)]]))
    first = np.repeat(starts, sizes)
    if (sizes > 1).sum() < LEAST:
        return None
    assert target.numbers is not None
    ordinal = np.arange(len(parents)) - first + 1
    if target.type == INTEGER and (target.numbers == ordinal)[target.right].mean() >= MOST:
        return Formula("ordinal()", frozenset(), 1.0)
    for each in rows.columns:
        if each is target or each.numbers is None or not each.type.numeric or each.type.places > target.type.places:
            continue
        scaled = each.numbers * 10 ** (target.type.places - each.type.places)
        sums = np.cumsum(scaled)
        before = (sums - scaled)[first]
        share = float((sums - before == target.numbers)[target.right].mean())
        if share >= MOST and rows.may_depend(target.name, {each.name}):
            return Formula(f"running({each.name})", frozenset({each.name}), share)
    return None


def _of_numbers(target: Column, rows: Rows, earlier: list[Column]) -> Formula | None:
    operands = [each for each in _operands(rows, earlier, target) if rows.may_depend(target.name, set(each.uses))]
    wanted, right = target.floats, target.right
    some = np.flatnonzero(right)
    # Rows from all of the sample; values that are 0 everywhere would tell nothing.
    some = some[np.linspace(0, len(some) - 1, min(TRIED, len(some))).astype(int)]
    tolerance = 0.5 / 10**target.type.places + 1e-9

    def may_be_near(values: Floats) -> NDArray[np.bool_]:
        # All that are wrong in the whole of the tried rows may be wrong in its first ones.
        wrong = np.isfinite(values) & ~(np.abs(values - wanted[some[:FIRST]]) <= tolerance)
        result: NDArray[np.bool_] = wrong.sum(axis=1) <= WRONG * TRIED
        return result

    for text, values, uses, exact in _combined(operands, some, may_be_near):
        if not _near(values, wanted[some], tolerance):
            continue
        whole = _evaluated(text, operands, uses)
        known = right & np.isfinite(whole)
        if known.sum() < LEAST or known.sum() < 0.9 * right.sum():
            continue
        share = float((np.abs(whole - wanted)[known] <= tolerance).mean())
        if share >= MOST and len(np.unique(wanted[known])) > 3:
            told = _told(text)
            needs = not exact and target.type.name == "decimal"
            return Formula(f"round({told}, {target.type.places})" if needs else told, uses, share)
    return _times_a_factor(target, rows, operands, some)


def _near(values: Floats, wanted: Floats, tolerance: float) -> bool:
    good = np.abs(values - wanted) <= tolerance
    known = np.isfinite(values)
    return bool(
        known.sum() >= min(12, 0.5 * len(values))
        and good[known].mean() >= 1 - WRONG
        and len(np.unique(values[known])) > 3
    )


def _operands(rows: Rows, earlier: list[Column], target: Column) -> list[Operand]:
    found = []
    for each in earlier:
        if each.numbers is not None and each.type.numeric:
            found.append(Operand(each.name, each.floats, frozenset({each.name})))
    days = [each for each in earlier if each.type == DATE and "." not in each.name]
    for first, last in combinations(days, 2):
        for one, two in ((first, last), (last, first)):
            difference = two.floats - one.floats
            if np.nanmin(np.where(np.isfinite(difference), difference, np.inf)) >= 0:
                text = f"days({two.name} - {one.name})"
                found.append(Operand(text, difference, frozenset({one.name, two.name})))
    for name in rows.references:
        for each in rows.through(name):
            if each.numbers is not None and each.type.numeric:
                found.append(Operand(each.name, each.floats, frozenset({name})))
    return [each for each in found if each.text != target.name]


# An expression over operands, by their places; its values in some rows, the fields, and whether it needs no rounding.
Combined = tuple[tuple[str, tuple[Operand, ...]], Floats, frozenset[str], bool]
# The expressions that are tried: their text, the order of the operands in it, how to compute it from the operands in
# their own order, and whether it needs no rounding.
Shape = tuple[str, tuple[int, ...], Callable[..., Floats], bool]
OF_TWO: tuple[Shape, ...] = (
    ("{} * {}", (0, 1), lambda x, y: x * y, False),
    ("{} + {}", (0, 1), lambda x, y: x + y, True),
    ("{} - {}", (0, 1), lambda x, y: x - y, True),
    ("{} - {}", (1, 0), lambda x, y: y - x, True),
    ("{} / {}", (0, 1), lambda x, y: x / y, False),
    ("{} / {}", (1, 0), lambda x, y: y / x, False),
)
OF_THREE: tuple[Shape, ...] = (
    ("{} * {} * {}", (0, 1, 2), lambda x, y, z: x * y * z, False),
    ("{} + {} + {}", (0, 1, 2), lambda x, y, z: x + y + z, True),
    ("{} * {} + {}", (0, 1, 2), lambda x, y, z: x * y + z, False),
    ("{} * {} + {}", (0, 2, 1), lambda x, y, z: x * z + y, False),
    ("{} * {} + {}", (1, 2, 0), lambda x, y, z: y * z + x, False),
    ("{} * {} - {}", (0, 1, 2), lambda x, y, z: x * y - z, False),
    ("{} + {} - {}", (0, 1, 2), lambda x, y, z: x + y - z, True),
)
# Tells of rows of values whether each may be near the wanted ones.
Near = Callable[[Floats], NDArray[np.bool_]]


def _combined(operands: list[Operand], some: NDArray[np.int64], near: Near) -> Iterator[Combined]:
    """Yield the combinations of one, two, and three operands whose first values are near enough."""
    taken = np.array([each.values[some] for each in operands]).reshape(len(operands), len(some))
    for each, values in zip(operands, taken, strict=True):
        yield ("{}", (each,)), values, each.uses, True
    with np.errstate(all="ignore"):
        for size, most, shapes in ((2, PAIRS, OF_TWO), (3, TRIPLES, OF_THREE)):
            chosen = np.array(list(combinations(range(min(len(operands), most)), size)), dtype=np.int64)
            if not len(chosen):
                continue
            first = [taken[at][:, :FIRST] for at in chosen.T]
            hopeful = np.stack([near(compute(*first)) for _, _, compute, _ in shapes], axis=1)
            for at, shape in np.argwhere(hopeful).tolist():
                text, order, compute, exact = shapes[shape]
                used = [operands[each] for each in chosen[at]]
                uses = frozenset().union(*(each.uses for each in used))
                values = compute(*(taken[each] for each in chosen[at]))
                yield (text, tuple(used[each] for each in order)), values, uses, exact


def _told(text: tuple[str, tuple[Operand, ...]]) -> str:
    return text[0].format(*(each.text for each in text[1]))


def _evaluated(text: tuple[str, tuple[Operand, ...]], operands: list[Operand], uses: frozenset[str]) -> Floats:
    names = [f"x{at}" for at in range(len(text[1]))]
    values = dict(zip(names, (each.values for each in text[1]), strict=True))
    shape = text[0].format(*names).split(" ")
    with np.errstate(all="ignore"):
        if len(shape) == 1:
            return values[shape[0]]
        apply: dict[str, Callable[[Floats, Floats], Floats]] = {
            "*": np.multiply, "+": np.add, "-": np.subtract, "/": np.divide,
        }  # fmt: skip
        found = apply[shape[1]](values[shape[0]], values[shape[2]])
        return apply[shape[3]](found, values[shape[4]]) if len(shape) > 3 else found


def _times_a_factor(target: Column, rows: Rows, operands: list[Operand], some: NDArray[np.int64]) -> Formula | None:
    """Return a product with one of two factors, which a Boolean or a list of two values decides."""
    deciders = [each for each in near(rows.columns, target) if each.name != target.name]
    for name in rows.references:
        deciders += rows.through(name)
    deciders = [each for each in deciders if 1 < len(each.words) <= 3 and each.count == each.rows]
    if not deciders:
        return None
    wanted, right = target.floats, target.right
    taken = np.array([each.values[some] for each in operands[:TRIPLES]]).reshape(-1, len(some))
    for size in (1, 2, 3):
        chosen = np.array(list(combinations(range(len(taken)), size)), dtype=np.int64)
        if not len(chosen):
            continue
        with np.errstate(all="ignore"):
            products = taken[chosen].prod(axis=1)
            ratios = wanted[some] / products
            factors, fits = _two_factors(ratios, np.isfinite(ratios) & (np.abs(products) > 5))
        for at in np.flatnonzero(fits).tolist():
            used = tuple(operands[each] for each in chosen[at])
            found = _decided(target, rows, used, factors[at], deciders, wanted, right)
            if found is not None:
                return found
    return None


def _two_factors(ratios: Floats, good: NDArray[np.bool_]) -> tuple[Floats, NDArray[np.bool_]]:
    """Return the smallest and the largest ratio of each line, and whether there are only these two, both positive."""
    rounded = np.round(ratios, 2)
    low = np.where(good, rounded, np.inf).min(axis=1, initial=np.inf)
    high = np.where(good, rounded, -np.inf).max(axis=1, initial=-np.inf)
    only = ((rounded == low[:, None]) | (rounded == high[:, None]) | ~good).all(axis=1)
    exact = np.where(good, np.abs(ratios - rounded), 0.0).max(axis=1, initial=0.0) <= 0.003
    return np.stack([low, high], axis=1), (good.sum(axis=1) >= 10) & (low > 0) & (low < high) & only & exact


def _decided(
    target: Column, rows: Rows, chosen: tuple[Operand, ...], factors: Floats, deciders: list[Column], wanted: Floats,
    right: NDArray[np.bool_],
) -> Formula | None:  # fmt: skip
    product = np.prod([each.values for each in chosen], axis=0)
    tolerance = 0.5 / 10**target.type.places + 1e-9
    for decider in deciders:
        uses = frozenset().union(*(each.uses for each in chosen)) | {decider.name}
        if not rows.may_depend(target.name, set(uses)):
            continue
        for word_at in sorted(range(len(decider.words)), key=lambda at: not _positive(decider, at)):
            yes = decider.words.codes == word_at
            for one, other in ((factors[0], factors[1]), (factors[1], factors[0])):
                values = product * np.where(yes, one, other)
                share = float((np.abs(values - wanted)[right & np.isfinite(values)] <= tolerance).mean())
                if share < MOST:
                    continue
                if decider.yes_no:
                    condition = decider.name if _positive(decider, word_at) else f"not {decider.name}"
                else:
                    condition = f"{decider.name} == {quoted(decider.words.words[word_at])}"
                choice = f"(if {condition} then {one:g} else {other:g})"
                text = " * ".join([*(each.text for each in chosen), choice])
                return Formula(f"round({text}, {target.type.places})", uses, share)
    return None


def _positive(column: Column, at: int) -> bool:
    """Return whether one of the words of a column means yes."""
    return column.yes_no and column.words.words[at] == (column.written.partition(" |")[0] or "true")


def _joined(target: Column, rows: Rows, earlier: list[Column]) -> Formula | None:
    """Return a text that is another one, or two others with something between them."""
    right = target.present
    if right.sum() < LEAST or len(target.words) < 4 or target.raw.objects is not None:
        return None
    others = [each for each in earlier if each.type == TEXT and each.raw.objects is None]
    for name in rows.references:
        others += [each for each in rows.through(name) if each.type == TEXT]
    some = np.flatnonzero(right)
    some = some[np.linspace(0, len(some) - 1, min(TRIED, len(some))).astype(int)]
    wanted = pc.take(target.raw.texts, arrow(some)).to_pylist()
    heads = {each.name: pc.take(each.raw.texts, arrow(some)).to_pylist() for each in others}
    by_name = {each.name: each for each in others}
    for first, texts in heads.items():
        if texts == wanted and _holds(target, by_name[first].raw.texts) and rows.may_depend(target.name, {first}):
            return Formula(first, frozenset({first}), 1.0)
    for first, texts in heads.items():
        if sum(one is not None and whole.startswith(one) for one, whole in zip(texts, wanted, strict=True)) < len(some):
            continue
        for last, ends in heads.items():
            if last == first or not rows.may_depend(target.name, {first, last}):
                continue
            for between in SEPARATORS:
                if all(whole == f"{a}{between}{b}" for a, b, whole in zip(texts, ends, wanted, strict=True)):
                    joined = pc.binary_join_element_wise(
                        by_name[first].raw.texts, by_name[last].raw.texts, word(between)
                    )
                    if _holds(target, joined):
                        text = f'text "{{{first}}}{between}{{{last}}}"'
                        return Formula(text, frozenset({first, last}), 1.0)
    return None


def _holds(target: Column, texts: object) -> bool:
    same = flags(pc.equal(target.raw.texts, texts))
    return float(same[target.present].mean()) >= MOST
