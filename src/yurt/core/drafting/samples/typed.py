"""The data type of a column, by how its values are written; a few values of another type do not change it."""

from __future__ import annotations

import re
from collections.abc import Iterator

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import flags, numbers, word
from yurt.core.base.types import BOOLEAN, DATE, DATETIME, INTEGER, REAL, TEXT, TIME, Type, decimal
from yurt.core.drafting.samples.column import Column
from yurt.core.existing.values import CLOCK, DATE_TIME, DAY, DECIMAL, WHOLE, column_of, seen
from yurt.core.formats.common.raw import BOOLEAN as JSON_BOOLEAN
from yurt.core.formats.common.raw import CELL, STRING, Raw

# The share of values that a type must have; the others are told.
MOST = 0.99
# The forms of dates and date-times that are looked for, as the clause `as` has them.
DATES = ("%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%Y/%m/%d", "%d-%m-%Y", "%m-%d-%Y", "%Y%m%d", "%d %B %Y", "%d %b %Y",
         "%B %d, %Y", "%b %d, %Y")  # fmt: skip
TIMES = ("%d.%m.%Y %H:%M", "%d.%m.%Y %H:%M:%S", "%d/%m/%Y %H:%M", "%m/%d/%Y %H:%M", "%d/%m/%Y %H:%M:%S",
         "%m/%d/%Y %H:%M:%S", "%Y/%m/%d %H:%M", "%Y/%m/%d %H:%M:%S")  # fmt: skip
ISO_MINUTES = r"^\d{4}-\d\d-\d\d[T ]\d\d:\d\d$"
SHORT_CLOCK = r"^([01]\d|2[0-3]):[0-5]\d$"
OFFSET = r"^\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d(\.\d{1,6})?)?(Z|[+-]\d\d:\d\d)$"
# Words for yes and no, in pairs.
PAIRS = (("yes", "no"), ("y", "n"), ("true", "false"), ("t", "f"), ("ja", "nein"), ("oui", "non"), ("si", "no"),
         ("sì", "no"), ("da", "ne"), ("on", "off"))  # fmt: skip
# A number with marks: the sign or words in front, thousands, the decimal mark, places, and what is behind.
MARKED = re.compile(
    r"(?P<before>[^\d\s.,+-]{0,4}\s?)(?P<sign>-?)(?P<whole>\d{1,3}(?:(?P<mark>[.,' ])\d{3})+|\d+)"
    r"(?:(?P<point>[.,])(?P<places>\d{1,4}))?(?P<after>\s?[^\d\s.,+-]{0,4})"
)
COMPARED = 500


def with_type(column: Column) -> Column:
    """Set the type of a column, its numbers, and its form."""
    texts = column.texts
    column.right = column.present.copy()
    if not len(texts) or column.raw.objects is not None:
        return column
    whole = seen(column.raw).type
    if whole in (INTEGER, DATE, DATETIME, TIME) or (whole is not None and whole.name == "decimal"):
        return _typed(column, column.raw, whole)
    if whole == BOOLEAN:
        return _truth(column, "true", "false")
    if whole == REAL:
        return _reals(column)
    # A number in quotes is a text in JSON.
    if (column.raw.sorts == JSON_BOOLEAN).any():
        return column
    for attempt in (_words_for_truth, _mostly, _short_times, _dates, _with_offset, _marked):
        if attempt(column):
            break
    return column


def _typed(column: Column, raw: Raw, kind: Type) -> Column:
    column.type = kind
    column.numbers = column_of(raw, kind).values.astype(np.int64)
    return column


def _part(column: Column, fits: pa.Array, texts: pa.Array | None = None) -> Raw:
    """Return a column in which only the fitting values are left."""
    good = flags(fits)
    column.strays = int((column.present & ~good).sum())
    column.right = column.present & good
    return Raw(texts if texts is not None else column.raw.texts, np.where(good, CELL, 0).astype(np.uint8))


def _share(column: Column, fits: pa.Array) -> float:
    return float(flags(fits)[column.present].mean()) if column.count else 0.0


def _mostly(column: Column) -> bool:
    """Take the type that nearly all values have."""
    texts = column.raw.texts
    for pattern in (WHOLE, f"{WHOLE}|{DECIMAL}", DAY, DATE_TIME, CLOCK):
        fits = pc.match_substring_regex(texts, pattern)
        if MOST <= _share(column, fits) < 1:
            part = _part(column, fits)
            kind = seen(part).type
            if kind is not None and kind != TEXT:
                _typed(column, part, kind)
                return True
            column.right, column.strays = column.present.copy(), 0
    return False


def _reals(column: Column) -> Column:
    """Take floating-point numbers as decimals of as many places as they need, at most 6."""
    values = numbers(pc.cast(column.texts, pa.float64()), np.float64)
    finite = values[np.isfinite(values)]
    most = float(np.abs(finite).max()) if len(finite) else 0.0
    if not len(finite) or most >= 1e11:
        return column
    places = 6 if most < 1e9 else 3
    column.type = decimal(places)
    whole = np.zeros(column.rows, dtype=np.int64)
    good = np.isfinite(values)
    whole[column.present] = np.rint(np.where(good, values, 0) * 10**places).astype(np.int64)
    column.numbers = whole
    column.right = column.present.copy()
    column.right[column.present] = good
    return column


def _truth(column: Column, yes: str, no: str) -> Column:
    column.type = BOOLEAN
    good = flags(pc.is_in(column.raw.texts, value_set=pa.array([yes, no])))
    column.numbers = np.where(flags(pc.equal(column.raw.texts, word(yes))), 1, 0).astype(np.int64)
    column.right = column.present & good
    column.strays = int((column.present & ~good).sum())
    if (yes, no) != ("true", "false"):
        column.written = f"{yes} | {no}"
    return column


def _words_for_truth(column: Column) -> bool:
    words = column.words.words
    if not 1 < len(words) <= 4:
        return False
    for yes, no in PAIRS:
        for change in (str, str.capitalize, str.upper):
            pair = change(yes), change(no)
            if set(words[:2]) == set(pair) and column.words.counts[2:].sum() <= (1 - MOST) * column.count:
                _truth(column, *pair)
                return True
    return False


def _short_times(column: Column) -> bool:
    """Take date-times and times without seconds."""
    for pattern, suffix, written in ((ISO_MINUTES, ":00", "%Y-%m-%d{}%H:%M"), (SHORT_CLOCK, ":00", "%H:%M")):
        fits = pc.match_substring_regex(column.raw.texts, pattern)
        if _share(column, fits) < MOST:
            continue
        full = pc.binary_join_element_wise(column.raw.texts, word(suffix), word(""))
        part = _part(column, fits, full)
        if (kind := seen(part).type) in (DATETIME, TIME):
            _typed(column, part, kind)
            first = str(column.texts[0].as_py())
            column.written = written.format("T" if "T" in first else " ")
            return True
    return False


def _dates(column: Column) -> bool:
    """Take dates in the pattern that reads nearly all values and writes them again as they are."""
    head = column.texts[:COMPARED]
    found: list[tuple[float, str]] = []
    for pattern in (*DATES, *TIMES):
        read = pc.strptime(head, format=pattern, unit="s", error_is_null=True)
        again = pc.strftime(read, format=pattern)
        share = float(flags(pc.equal(again, head)).mean())
        if share >= MOST:
            found.append((share, pattern))
    if not found or (found[0][1] == "%Y%m%d" and not _plausible_days(head)):
        return False
    # Where day and month could be exchanged, all values decide.
    shares = {}
    for _, pattern in found:
        read = pc.strptime(column.raw.texts, format=pattern, unit="s", error_is_null=True)
        shares[pattern] = flags(pc.equal(pc.strftime(read, format=pattern), column.raw.texts))
    best = max(shares, key=lambda each: shares[each][column.present].mean())
    good = shares[best]
    if good[column.present].mean() < MOST:
        return False
    read = pc.strptime(column.raw.texts, format=best, unit="s", error_is_null=True)
    seconds = numbers(pc.fill_null(pc.cast(read, pa.int64()), 0), np.int64)
    column.type = DATETIME if "%H" in best else DATE
    column.numbers = seconds * 1_000_000 if column.type == DATETIME else seconds // 86_400
    column.right = column.present & good
    column.strays = int((column.present & ~good).sum())
    column.written = best
    return True


def _plausible_days(texts: pa.Array) -> bool:
    """Return whether eight digits are days of a plausible year, rather than numbers."""
    return bool(pc.all(pc.match_substring_regex(texts, r"^(19|20)\d\d(0[1-9]|1[0-2])([0-2]\d|3[01])$")).as_py())


def _with_offset(column: Column) -> bool:
    """Take date-times with an offset as date-times in UTC; the offset is kept if it is always the same."""
    fits = pc.match_substring_regex(column.raw.texts, OFFSET)
    if _share(column, fits) < MOST:
        return False
    ends = set(pc.unique(pc.replace_substring_regex(column.texts, r"^.*?(Z|[+-]\d\d:\d\d)$", r"\1")).to_pylist())
    plain = pc.replace_substring_regex(column.raw.texts, r"(Z|[+-]\d\d:\d\d)$", "")
    part = _part(column, fits, plain)
    if (kind := seen(part).type) != DATETIME:
        return False
    _typed(column, part, kind)
    column.written = "zone " + _zone(ends)
    return True


def _zone(ends: set[str]) -> str:
    """Return the zone that offsets speak for; of two that are an hour apart, one with daylight saving time."""
    if ends <= {"Z", "+00:00"}:
        return "utc"
    common = {"+01:00": "Europe/Vienna", "+00:00": "Europe/London", "+02:00": "Europe/Athens",
              "-05:00": "America/New_York", "-06:00": "America/Chicago", "-07:00": "America/Denver",
              "-08:00": "America/Los_Angeles"}  # fmt: skip
    hours = sorted(int(each[:3]) if each != "Z" else 0 for each in ends)
    if len(hours) == 2 and hours[1] - hours[0] == 1:
        return common.get(f"{hours[0]:+03}:00", "utc")
    return next(iter(ends)) if len(ends) == 1 else "utc"


def _marked(column: Column) -> bool:
    """Take numbers with thousands, another decimal mark, a currency, a unit, or a percent sign."""
    if not (column.raw.sorts[column.present] >= STRING).all():
        return False
    head = column.texts[:COMPARED].to_pylist()
    matched = [MARKED.fullmatch(each) for each in head]
    good = [each for each in matched if each is not None]
    if len(good) < MOST * len(head):
        return False
    forms = {(each["before"], each["after"]) for each in good}
    if len(forms) > 1 or any(_is_code(each) for each in good):
        return False
    before, after = next(iter(forms))
    return any(_read_marked(column, before, after, mark, point) for mark, point in _marks(good))


def _is_code(found: re.Match[str]) -> bool:
    """Return whether a number with marks is rather a code: letters that touch its digits, or leading zeros."""
    touching = bool(re.search(r"[^\W\d_]$", found["before"]) or re.match(r"[^\W\d_]", found["after"]))
    return touching or bool(re.match(r"0\d", found["whole"]))


def _marks(found: list[re.Match[str]]) -> Iterator[tuple[str, str]]:
    """Yield the marks for thousands and decimals that could be meant, the most likely first."""
    marks = {each["mark"] for each in found if each["mark"]}
    points = {each["point"] for each in found if each["point"]}
    if len(marks) > 1 or len(points) > 1 or marks & points:
        return
    mark, point = next(iter(marks), ""), next(iter(points), "")
    if mark and not point and mark in ".,":
        # `1.234` alone is a number of thousands if all of them have three digits behind.
        yield mark, "," if mark == "." else "."
    elif mark or point or found[0]["before"] or found[0]["after"]:
        yield mark, point or "."


def _read_marked(column: Column, before: str, after: str, mark: str, point: str) -> bool:
    whole = rf"\d{{1,3}}({re.escape(mark)}\d{{3}})*" if mark else r"\d+"
    pattern = rf"^{re.escape(before)}-?{whole}({re.escape(point)}\d{{1,4}})?{re.escape(after)}$"
    fits = pc.match_substring_regex(column.raw.texts, pattern)
    if _share(column, fits) < MOST:
        return False
    plain = pc.replace_substring_regex(column.raw.texts, rf"[^\d{re.escape(point)}-]", "")
    plain = pc.replace_substring(plain, point, ".")
    part = _part(column, fits, plain)
    kind = seen(part).type
    if kind is None or (kind != INTEGER and kind.name != "decimal"):
        return False
    percent = "%" in after
    _typed(column, part, kind)
    places = kind.places
    if percent:
        column.type = decimal(places + 2)
    digits = point + "0" * places if places else ""
    column.written = f"{before}{f'1{mark}000' if mark else '1000' if not percent else '10'}{digits}{after}"
    return True
