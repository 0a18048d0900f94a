"""Size and run time of combinatorial arrays (pairwise and stronger), with the smallest sizes published.

Run `python bench/arrays.py`.
"""

from __future__ import annotations

import time

from yurt.core.combining.arrays import covering

# Name, levels, strength, and the smallest number of rows published.
MODELS = (
    ("3^4", [3] * 4, 2, 9),
    ("3^13", [3] * 13, 2, 15),
    ("4^15 3^17 2^29", [4] * 15 + [3] * 17 + [2] * 29, 2, 29),
    ("4 3^39 2^35", [4] + [3] * 39 + [2] * 35, 2, 21),
    ("2^100", [2] * 100, 2, 10),
    ("10^20", [10] * 20, 2, 180),
    ("2^7 3^2 4 10^2, t = 3", [2] * 7 + [3] * 2 + [4] + [10] * 2, 3, 400),
)


def main() -> None:
    """Measure and print."""
    print(f"{'factors':<24}{'rows':>6}{'fewest':>8}{'seconds':>9}")
    for name, levels, strength, fewest in MODELS:
        started = time.perf_counter()
        rows = covering(levels, strength)
        print(f"{name:<24}{len(rows):>6}{fewest:>8}{time.perf_counter() - started:>9.1f}")


if __name__ == "__main__":
    main()
