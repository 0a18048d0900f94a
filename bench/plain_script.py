"""A script that a tester would write by hand: the fields of `guests.yaml` with the standard library only."""

from __future__ import annotations

import csv
import random
import string
import sys
from datetime import datetime, timedelta

GIVEN = ["Anna", "Maria", "Michael", "Thomas", "Julia", "Andreas", "Eva", "Martin"]
FAMILY = ["Gruber", "Huber", "Wagner", "Pichler", "Steiner", "Moser", "Mayer", "Hofer"]
CITIES = ["Wien", "Graz", "Linz", "Salzburg", "Innsbruck", "Villach"]
FIRST = datetime(2026, 6, 15)
NAMES = ["id", "given", "family", "mail", "city", "altitude", "price", "arrival", "seen_at", "member", "code", "status"]
STATES = ["booked", "arrived", "left", "cancelled"]


def main(count: int, path: str) -> None:
    """Write `count` guests to `path`."""
    random.seed(12)
    with open(path, "w", newline="", encoding="utf-8") as out:
        writer = csv.writer(out)
        writer.writerow(NAMES)
        for number in range(1, count + 1):
            given, family = random.choice(GIVEN), random.choice(FAMILY)
            letters = "".join(random.choices(string.ascii_uppercase, k=2))
            writer.writerow(
                [
                    number,
                    given,
                    family,
                    f"{given.lower()}.{family.lower()}@example.com",
                    random.choice(CITIES),
                    min(max(round(random.gauss(2100, 420)), 900), 3200),
                    f"{random.randint(1800, 9500) / 100:.2f}",
                    (FIRST + timedelta(days=random.randrange(108))).date().isoformat(),
                    (FIRST + timedelta(seconds=random.randrange(9_000_000))).isoformat(),
                    "true" if random.random() < 0.35 else "false",
                    f"{letters}-{random.randrange(10_000):04}",
                    random.choices(STATES, (55, 30, 10, 5))[0],
                ]
            )


if __name__ == "__main__":
    main(int(sys.argv[1]), sys.argv[2])
