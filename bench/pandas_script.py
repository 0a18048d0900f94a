"""A script that a tester who uses data frames would write: the fields of `guests.yaml` with NumPy and pandas."""

from __future__ import annotations

import sys

import numpy as np
import pandas as pd

GIVEN = ["Anna", "Maria", "Michael", "Thomas", "Julia", "Andreas", "Eva", "Martin"]
FAMILY = ["Gruber", "Huber", "Wagner", "Pichler", "Steiner", "Moser", "Mayer", "Hofer"]
CITIES = ["Wien", "Graz", "Linz", "Salzburg", "Innsbruck", "Villach"]


def main(count: int, path: str) -> None:
    """Write `count` guests to `path`."""
    random = np.random.default_rng(12)
    first = np.datetime64("2026-06-15T08:00:00")
    given, family = pd.Series(random.choice(GIVEN, count)), pd.Series(random.choice(FAMILY, count))
    letters = np.array([a + b for a in "ABCDEFGHIJKLMNOPQRSTUVWXYZ" for b in "ABCDEFGHIJKLMNOPQRSTUVWXYZ"])
    digits = pd.Series(random.integers(0, 10_000, count)).astype(str).str.zfill(4)
    pd.DataFrame(
        {
            "id": np.arange(1, count + 1),
            "given": given,
            "family": family,
            "mail": given.str.lower() + "." + family.str.lower() + "@example.com",
            "city": random.choice(CITIES, count),
            "altitude": np.clip(random.normal(2100, 420, count).round(), 900, 3200).astype(int),
            "price": random.integers(1800, 9501, count) / 100,
            "arrival": (first + random.integers(0, 108, count).astype("timedelta64[D]")).astype("datetime64[D]"),
            "seen_at": first + random.integers(0, 9_000_000, count).astype("timedelta64[s]"),
            "member": random.random(count) < 0.35,
            "code": pd.Series(random.choice(letters, count)) + "-" + digits,
            "status": random.choice(["booked", "arrived", "left", "cancelled"], count, p=(0.55, 0.3, 0.1, 0.05)),
        }
    ).to_csv(path, index=False)


if __name__ == "__main__":
    main(int(sys.argv[1]), sys.argv[2])
