"""Measure the Python functions on an idle machine: `python bench/python.py`.

The plain script is what a tester would write: values of the standard library's `random`, in a dict.
"""

from __future__ import annotations

import itertools
import random
import statistics
import subprocess
import sys
import time
from collections.abc import Callable
from datetime import date, timedelta
from pathlib import Path

import yurt

HUTS = Path(__file__).parent.parent / "src" / "yurt" / "examples" / "huts.yaml"
SMALL = """yurt: 1
records:
  guest:
    count: 1000000
    fields:
      id: sequence
      given: given-name
      family: family-name
      born: date 1950-01-01..2005-12-31
      nights: integer 1..14
      price: decimal 18.00..95.00
"""
NEW = """
from time import perf_counter as now
a = now(); import yurt; b = now()
schema = yurt.read({path!r}); c = now()
yurt.record(schema, "stay"); d = now()
print(b - a, c - b, d - c)
"""


def plain() -> dict[str, object]:
    """Return the record of a plain script."""
    return {
        "id": random.randint(1, 10**6),
        "given": random.choice(["Eva", "Max"]), "family": random.choice(["Moser", "Ganz"]),
        "born": date(1950, 1, 1) + timedelta(random.randint(0, 20_000)), "nights": random.randint(1, 14),
        "price": random.randint(1800, 9500) / 100,
    }  # fmt: skip


def rate(call: Callable[[], object], seconds: float = 2) -> float:
    """Return the calls a second."""
    begun, done = time.perf_counter(), 0
    while time.perf_counter() - begun < seconds:
        for _ in range(50):
            call()
        done += 50
    return done / (time.perf_counter() - begun)


def main() -> None:
    """Run the measurements, and print them."""
    times = [
        [float(each) for each in subprocess.run(
            [sys.executable, "-c", NEW.format(path=str(HUTS))], capture_output=True, text=True, check=True
        ).stdout.split()]
        for _ in range(5)
    ]  # fmt: skip
    imported, read, first = (statistics.median(each) for each in zip(*times, strict=True))
    print(f"import yurt {imported:.3f} s; reading the demo {read:.2f} s; its first stay {first:.2f} s (medians of 5)")
    schema, number = yurt.read_text(SMALL), iter(range(10**9))
    print(f"record(guest): {rate(lambda: yurt.record(schema, 'guest')):,.0f} a second")
    print(f"record(guest, nights=3): {rate(lambda: yurt.record(schema, 'guest', nights=3)):,.0f} a second")
    changing = rate(lambda: yurt.record(schema, "guest", nights=next(number) % 14 + 1, price=next(number) % 77 + 18))
    print(f"record(guest, nights=…, price=…), other values each time: {changing:,.0f} a second")
    huts = yurt.read(HUTS)
    beds = rate(lambda: yurt.record(huts, "hut", beds=8 + next(number) % 130, count=500_000))
    party = rate(lambda: yurt.record(huts, "stay", party=1 + next(number) % 8), 1)
    print(f"record(hut, beds=…): {beds:,.0f} a second; record(stay, party=…): {party:,.0f} a second")
    rows, first_day = itertools.cycle(range(1, 7_000)), date(2026, 7, 1)

    def arrival() -> object:
        return yurt.record(huts, "stay", row=next(rows), arrival=first_day + timedelta(next(number) * 37 % 90))

    first_ones, later = rate(arrival, 2), rate(arrival, 4)
    print(f"record(stay, arrival=…), one of 90 dates each time: {first_ones:,.0f} a second, then {later:,.0f}")
    print(f"a plain script: {rate(plain):,.0f} a second")


if __name__ == "__main__":
    main()
