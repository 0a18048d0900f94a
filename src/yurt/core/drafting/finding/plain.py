"""The line of one column by itself: a kind, a list, a range, a pattern, with what is usual."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from decimal import Decimal

import numpy as np

from yurt.core.base.data_classes import dataclass, field, replace
from yurt.core.base.types import BOOLEAN, DATE, DATETIME, TEXT, TIME
from yurt.core.drafting.finding import calendar
from yurt.core.drafting.finding.kinds import NUMBERS, is_private, kind_of
from yurt.core.drafting.finding.listed import listed
from yurt.core.drafting.finding.rounding import CLOCK_STEPS, Ends, ends_of
from yurt.core.drafting.finding.shapes import length_of, shape_of
from yurt.core.drafting.finding.shares import percent
from yurt.core.drafting.finding.usual import Grid, usual
from yurt.core.drafting.quoting import EPOCH, literal, quoted
from yurt.core.drafting.samples.column import Column
from yurt.core.existing.recognising import TEXT_WORDS
from yurt.core.heads.ranged import length_text

# Texts longer than a sentence, and than a paragraph.
SENTENCE = 500
EMAIL_LIKE = ("email", "username", "url", "uuid")


@dataclass
class Line:
    """A type with its clauses, and wider ones that replace it if it proves too narrow.

    `withheld` says which values were kept out; `notes` are evidence, `found` is what the line rests on.
    """

    head: str
    clauses: list[str] = field(default_factory=list)
    others: list[tuple[str, list[str]]] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    withheld: list[str] = field(default_factory=list)
    found: str = ""
    kind: str = ""


def line_of(column: Column, least: int, *, unique: bool = False, kinds: bool = True) -> Line:
    """Return the line of a column. `unique` means that its values do not repeat; `kinds` whether to look for one."""
    if not column.count:
        return Line("text 1..20", ["missing 100%"], found="no values", notes=["no row has a value"])
    if column.type == BOOLEAN:
        return _boolean(column)
    found = None
    kind = kind_of(column) if kinds else None
    closed = listed(column, least) if kind is not None and not unique and not is_private(kind.kind) else None
    # A short list of frequent values says more than the kind that they are of.
    if kind is not None and (closed is None or kind.kind in NUMBERS):
        found = _of_kind(column, kind.kind, kind.sure, least, unique)
    elif not unique and (values := listed(column, least)) is not None:
        found = Line(values.head, found=f"{len(values.values)} values")
        found.others = [_text(column, least)] if column.type == TEXT else []
        if values.rare:
            rows = f"{values.rows:,} row{'s' * (values.rows != 1)}"
            found.withheld.append(f"{values.rare} rare value{'s' * (values.rare != 1)} in {rows}")
            found.notes.append(f"{percent(1 - values.rows / column.count)} of {column.count:,} rows have one of these")
    elif column.numeric:
        found = ranged(column, least)
    if found is None:
        head, clauses = _text(column, least)
        found = Line(head, clauses, found=_shape_told(head))
        if column.type == TEXT and len(column.words) > 1:
            found.withheld.append(_private_text(column, unique))
        found.others = [_wide(column)]
    if column.strays:
        found.notes.append(f"{column.strays:,} of {column.count:,} rows have something else than {_a(column)}")
    return found


def _a(column: Column) -> str:
    return {"integer": "an integer"}.get(column.type.name, f"a {column.type.name}")


def _shape_told(head: str) -> str:
    if head.startswith("/"):
        return "a pattern"
    return "UUIDs" if head.startswith("uuid") else "texts by their length" if head.startswith("text") else "free texts"


def _private_text(column: Column, unique: bool) -> str:
    count = len(column.words)
    word = "values" if count != 1 else "value"
    return f"all {count:,} {word}, which do not repeat" if unique else f"all {count:,} different {word}"


def _boolean(column: Column) -> Line:
    share = float(column.values.mean()) if len(column.values) else 0.5
    head = "boolean" if 0.47 <= share <= 0.53 else f"boolean {percent(share)}"
    clauses = [f"as {quoted(column.written)}"] if column.written else []
    return Line(head, clauses, found=f"true in {percent(share)}", others=[("boolean", clauses)])


def _of_kind(column: Column, kind: str, sure: str, least: int, unique: bool) -> Line:
    line = Line(kind, found=sure, kind=kind)
    head, clauses = _text(column, least) if column.type == TEXT else ("", [])
    if column.type == TEXT:
        values = listed(column, least) if not is_private(kind) else None
        line.others = [*([(values.head, [])] if values is not None else []), (head, clauses), _wide(column)]
    else:
        other = ranged(column, least)
        line.others = [(other.head, other.clauses)]
    if is_private(kind) or unique:
        line.withheld.append(f"all {len(column.words):,} different values")
    return line


def ranged(column: Column, least: int) -> Line:
    """Return the range of a column of numbers, dates, or times, with what is usual in it."""
    ends = _stated(column, ends_of(column.values, column.type, least))
    grid = Grid.of(column.type, ends)
    clauses: list[str] = []
    days = calendar.allowed_days(column, ends) if column.day else ""
    clauses += [days] if days else []
    told = calendar.profile(column, ends) if column.day else ""
    distance = 0.0
    if days and not told.startswith("usually hours"):
        told = ""
    if not told:
        found = usual(column.values, grid)
        told, distance = found.clause, found.distance
    clauses += [told] if told else []
    clauses += _form(column)
    head = f"{_word(column)} {literal(ends.low, column.type)}..{literal(ends.high, column.type)}{_step(column, ends)}"
    head += f" {column.written}" if column.written.startswith("zone") else ""
    line = Line(head, clauses, found=_found(told, distance))
    outside = ends.below + ends.above
    if outside:
        where = "below" if not ends.above else "above" if not ends.below else "outside"
        line.notes.append(f"{outside:,} of {column.count:,} rows are far {where} this range")
        line.withheld.append(f"{outside:,} outlier{'s' * (outside != 1)}")
    line.others = [(head, [each for each in clauses if not each.startswith(("usually", "on "))])]
    return line


def _stated(column: Column, found: Ends) -> Ends:
    """Return the range that a structure states, if all values are in it."""
    if column.stated is None:
        return found
    try:
        low, high = (_units(each, column) for each in column.stated)
    except (ArithmeticError, ValueError):
        return found
    if low > column.values.min() or high < column.values.max() or (int(column.values.min()) - low) % found.step:
        return found
    return replace(found, low=low, high=high, below=0, above=0)


def _units(text: str, column: Column) -> int:
    if column.type == DATE:
        return (date.fromisoformat(text) - EPOCH).days
    if column.type == DATETIME:
        return int((datetime.fromisoformat(text) - datetime(1970, 1, 1)) / timedelta(microseconds=1))
    if column.type == TIME:
        clock = time.fromisoformat(text)
        return ((clock.hour * 60 + clock.minute) * 60 + clock.second) * 1_000_000
    return int(Decimal(text).scaleb(column.type.places))


def _found(told: str, distance: float) -> str:
    word = told.removeprefix("usually ").partition("(")[0] if told else "all equally likely"
    return word + (f", distance {distance:.3f}" if distance else "")


def _word(column: Column) -> str:
    return column.type.name


def _step(column: Column, ends: Ends) -> str:
    if column.type == DATE:
        return ""
    if column.type in (DATETIME, TIME):
        usual_step = CLOCK_STEPS[-1] if column.type == DATETIME else 60_000_000
        return "" if ends.step == usual_step else f" step {length_text(ends.step)}"
    return f" step {literal(ends.step, column.type)}" if ends.step > 1 else ""


def _form(column: Column) -> list[str]:
    """Return the clause for the form in which values are written."""
    if not column.written or column.written.startswith("zone"):
        return []
    return [f"as {quoted(column.written)}"]


def _text(column: Column, least: int) -> tuple[str, list[str]]:
    """Return a pattern, a sentence, or a length."""
    texts = column.words.words
    spaces = float(np.mean([each.count(" ") for each in texts[:500]])) if texts else 0.0
    longest = max(map(len, texts), default=1)
    if spaces + 1 >= TEXT_WORDS and longest <= SENTENCE and not any("\n" in each for each in texts[:500]):
        return "sentence", []
    if longest > 200 or any("\n" in each or "\r" in each for each in texts[:500]):
        return "paragraphs", []
    shape = shape_of(column, least)
    if shape is not None:
        return shape.head, []
    return length_of(column).head, []


def _wide(column: Column) -> tuple[str, list[str]]:
    """Return the widest line for texts, which takes nearly any."""
    longest = max((len(each) for each in column.words.words), default=20)
    if longest > SENTENCE or any("\n" in each for each in column.words.words[:500]):
        return "paragraphs", []
    return length_of(column).head, []
