"""A statistician's and a reader's view of made-up people: `python bench/realism.py [LOCALE …]`.

For each locale: the dependence between 30 pairs of facts about ten thousand people, with the expected range; the share
of the commonest names; the share of each weekday; and twenty records to read.
"""

from __future__ import annotations

import sys
from collections import Counter
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent.parent))

from tests.test_kinds import made
from tests.test_lives import PAIRS, people_of

from yurt.core.kinds.catalogue import locales

RECORDS = (
    "name: full-name\nage: age\nmarital: marital-status\nchildren: number-of-children\neducation: education\n"
    "doing: employment-status\njob: job-title\nlevel: pay-grade\nsalary: salary\nstreet: street-address\n"
    "zip: postal-code\ncity: city\nmail: email\ncompany: organization\nnote: sentence"
)


def report(locale: str) -> None:
    """Print the figures of one locale."""
    people = people_of(locale)
    print(f"\n== {locale}")
    for name, (measure, low, high) in PAIRS.items():
        value = measure(people)
        mark = " " if low - 1e-9 <= value <= high + 1e-9 else "!"
        print(f"  {mark} {name:36} {value:6.2f}   {low:5.2f} to {high:4.2f}")
    names = made("given: given-name\nfamily: family-name", 50_000, f"locale: {locale}\n")
    for title, values in names.items():
        common = ", ".join(
            f"{name} {100 * count / len(values):.2f} %" for name, count in Counter(values).most_common(5)
        )
        print(f"    {title}: {len(set(values))} different; {common}")
    days = made("day: working-day\nany: date-before-today", 20_000, f"locale: {locale}\n")
    for title, column in (("working days", days["day"]), ("any days", days["any"])):
        share = np.bincount([each.weekday() for each in column], minlength=7) / len(column)
        print(f"    {title}, Monday to Sunday: " + " ".join(f"{100 * each:.0f} %" for each in share))
    rows = made(RECORDS, 20, f"locale: {locale}\n")
    for row in zip(*rows.values(), strict=True):
        print("    " + " | ".join(str(each) for each in row))


for each in sys.argv[1:] or locales():
    report(each)
