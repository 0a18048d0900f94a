"""Days of the week, months, and hours: which are allowed, and which are more frequent than others."""

from __future__ import annotations

import numpy as np

from yurt.core.base.types import DATETIME, TIME
from yurt.core.drafting.finding.rounding import HOUR, Ends
from yurt.core.drafting.finding.shares import equally_likely, percentages
from yurt.core.drafting.quoting import DAY
from yurt.core.drafting.samples.column import Column, Numbers
from yurt.core.model.words import DAYS, MONTHS

LEAST_ROWS, LEAST_DAYS = 100, 20
# The rows that the absent weekdays would have by chance, all together and each.
ABSENT, EACH = 15, 3
# Shares that differ by less than this are the same.
SAME, STRONG = 0.25, 0.35
# The clause `usually on` makes days this many times as frequent.
FAVOURED = 4.0


def allowed_days(column: Column, ends: Ends) -> str:
    """Return the clause for days of the week that are the only ones; empty if all occur."""
    days = _days(column)
    if len(days) < LEAST_DAYS or column.type == TIME:
        return ""
    counts, expected = _by_weekday(days, ends, column.type == DATETIME)
    there = counts > 0
    if there.all() or expected[~there].sum() < ABSENT or expected[~there].min() < EACH:
        return ""
    return "on " + _stretches([DAYS[at] for at in np.flatnonzero(there)], DAYS, " | ")


def profile(column: Column, ends: Ends) -> str:
    """Return the clause for weekdays, months, and hours that are more frequent than others; empty if none are."""
    days = _days(column)
    if len(days) < LEAST_ROWS or column.type == TIME:
        return ""
    weekdays = _weekdays(days, ends, column.type == DATETIME)
    months = _months(days, ends, column.type == DATETIME)
    hours = _hours(column.values) if column.type == DATETIME else ""
    parts = [each for each in (hours, weekdays, months) if each]
    if len(parts) == 1 and weekdays.startswith("on "):
        return f"usually {weekdays}"
    counts = _by_weekday(days, ends, column.type == DATETIME)[0]
    parts = [_listed("weekdays", counts, DAYS) if each.startswith("on ") else each for each in parts]
    return f"usually {' and '.join(parts)}" if parts else ""


def _days(column: Column) -> Numbers:
    return column.values // DAY if column.type == DATETIME else column.values


def _by_weekday(days: Numbers, ends: Ends, timed: bool) -> tuple[Numbers, Numbers]:
    """Return the rows of each weekday, Monday first, and those expected if all days of the range are equally likely."""
    first, last = (ends.low // DAY, ends.high // DAY) if timed else (ends.low, ends.high)
    counts = np.bincount((days + 3) % 7, minlength=7)
    every = np.bincount((np.arange(first, min(last, first + 7000) + 1) + 3) % 7, minlength=7)
    return counts, every / every.sum() * len(days)


def _weekdays(days: Numbers, ends: Ends, timed: bool) -> str:
    counts, expected = _by_weekday(days, ends, timed)
    there = (counts > 0) & (expected > 0)
    if there.sum() < 2 or equally_likely(counts[there], expected[there].astype(np.float64)):
        return ""
    rates = np.where(there, counts / np.maximum(expected, 1e-9), 0)
    if rates[there].max() / max(rates[there].min(), 1e-9) < 1 + STRONG:
        return ""
    middle = (rates[there].max() + rates[there].min()) / 2
    often = there & (rates > middle)
    ratio = rates[often].mean() / max(rates[there & ~often].mean(), 1e-9)
    even = all(_even(rates[each]) for each in (often, there & ~often))
    if even and FAVOURED * 0.75 < ratio < FAVOURED * 1.35 and there.all():
        return "on " + _stretches([DAYS[at] for at in np.flatnonzero(often)], DAYS, " | ")
    return _listed("weekdays", counts, DAYS)


def _even(rates: Numbers) -> bool:
    return bool(len(rates) and rates.max() - rates.min() <= SAME * rates.mean())


def _months(days: Numbers, ends: Ends, timed: bool) -> str:
    first, last = (ends.low // DAY, ends.high // DAY) if timed else (ends.low, ends.high)
    if last - first < 300:
        return ""
    months = days.astype("datetime64[D]").astype("datetime64[M]").astype(np.int64) % 12
    every = np.arange(first, last + 1).astype("datetime64[D]").astype("datetime64[M]").astype(np.int64) % 12
    counts, expected = np.bincount(months, minlength=12), np.bincount(every, minlength=12) / len(every) * len(days)
    if equally_likely(counts, expected):
        return ""
    rates = counts / np.maximum(expected, 1e-9)
    return _listed("months", counts, MONTHS) if rates.max() > (1 + STRONG) * max(rates.min(), 1e-9) else ""


def _hours(times: Numbers) -> str:
    """Return the shares of the hours of the day, neighbours with similar shares together."""
    counts = np.bincount(times % DAY // HOUR, minlength=24)
    if len(times) < LEAST_ROWS or equally_likely(counts):
        return ""
    if counts.max() < (1 + STRONG) * max(counts.min(), 1):
        return ""
    runs: list[tuple[int, int, int]] = []
    for hour, count in enumerate(counts.tolist()):
        if runs:
            first, last, total = runs[-1]
            mean = total / (last - first + 1)
            noise = 3 * np.sqrt(max(mean, 1))
            if abs(count - mean) <= max(SAME * mean, noise) and (count > 0) == (total > 0):
                runs[-1] = (first, hour, total + count)
                continue
        runs.append((hour, hour, count))
    present = [each for each in runs if each[2]]
    shares = percentages(np.array([total for _, _, total in present]))
    parts = [
        f"{first}..{last} {share}%" if last > first else f"{first} {share}%"
        for (first, last, _), share in zip(present, shares, strict=True)
    ]
    return f"hours({', '.join(parts)})"


def _listed(word: str, counts: Numbers, names: tuple[str, ...]) -> str:
    """Return the share of each name that occurs."""
    there = np.flatnonzero(counts)
    shares = percentages(counts[there])
    return f"{word}({', '.join(f'{names[at]} {share}%' for at, share in zip(there.tolist(), shares, strict=True))})"


def _stretches(chosen: list[str], names: tuple[str, ...], between: str) -> str:
    """Return names with neighbours as ranges: `mon..fri`."""
    places = [names.index(each) for each in chosen]
    parts: list[list[int]] = []
    for place in places:
        if parts and parts[-1][-1] + 1 == place:
            parts[-1].append(place)
        else:
            parts.append([place])
    texts = []
    for part in parts:
        if len(part) > 2:
            texts.append(f"{names[part[0]]}..{names[part[-1]]}")
        else:
            texts += [names[at] for at in part]
    return between.join(texts)
