"""Nanoseconds per value of every data type and distribution, slowest first, with the ratio to the cheapest numeric
draw.

Run `python bench/heads.py`; it takes about a minute. The engine makes each line alone, one block at a time, without a
writer; the best of several rounds counts. `--limit 40` exits with status 1 if a line is more than 40 times slower than
the cheapest; texts of more than 20 characters are shown, but exempt from the limit.
"""

from __future__ import annotations

import sys
import time

import numpy as np

from yurt.core.engine.blocks import BLOCK
from yurt.core.engine.run import Run
from yurt.core.engine.table import Resolved
from yurt.core.kinds.catalogue import KINDS
from yurt.core.language.reader import read
from yurt.core.source.diagnostics import Source

ROUNDS = 5
BLOCKS = 4
LINES = {
    "integer": "integer 1..1000",
    "integer, wide": "integer 1..900000000000000000",
    "integer, unique": "integer 1..100000000, unique",
    "integer, bounds by another field": "integer 1..n",
    "decimal": "decimal 0.00..999.99",
    "date": "date 2026-01-01..2026-12-31",
    "date, on": "date 2026-01-01..2026-12-31, on sat | sun",
    "date, on, unique": "date 0001-01-01..9999-12-31, on mon..sat, unique",
    "date, on, normal": "date 2026-01-01..2026-12-31, on sat, usually normal(2026-07-01, 30d)",
    "time": "time 08:00..22:00",
    "datetime": "datetime 2026-01-01..2026-12-31",
    "datetime, zone": "datetime 2026-01-01..2026-12-31 zone Europe/Vienna",
    "datetime, hours and weekdays": "datetime 2026-01-01..2026-12-31, usually hours(7..9 60%) and weekdays(sat 40%)",
    "duration": "duration 1h..9h",
    "every": "every 15min from 2026-06-01T00:00, jitter 2min",
    "boolean": "boolean 35%",
    "one of": "one of a | b | c",
    "one of, weighted": "one of a 60% | b 30% | c",
    "one of, in turn": "one of a | b | c, in turn",
    "from": "from words.value",
    "sequence": "sequence",
    "uuid": "uuid",
    "uuid v7": "uuid v7",
    "bytes 8": "bytes 8",
    "bytes 8 base64": "bytes 8 base64",
    "/pattern/, fixed": r"/[A-Z]{2}-\d{3}/",
    "/pattern/, free": r"/(a|bb)?[xyz]{2,5}\d*/",
    "/pattern/, unique": r"/[A-Z]{2}-\d{5}/, unique",
    "/pattern/, narrowed": r"/\d{3}/, matching /.*5/",
    "like": 'like "HK-40218"',
    "text": "text 3..12",
    "text of a script": "text 3..8 of Greek",
    "list": "list 0..4 of integer 1..9",
    "list, distinct": "list 0..4 of one of a | b | c | d | e, distinct",
    "list, weighted and distinct": "list 2 of (one of a 60% | b | c | d | e), distinct",
    "= arithmetic": "= n * 3 + row",
    "= draw": '= "x" & draw(one of a | b | c)',
    "text template": 'text "{n} of {row}"',
    "missing": "integer 1..1000, missing 20%",
    "tracks": "integer 1..1000, tracks n by 0.6",
    "outliers": "integer 1..1000, usually normal(500, 50), outliers 2%",
    "mixture": "integer 1..1000, usually normal(200, 50) 70% | normal(800, 50)",
    "histogram": "integer 1..1000, usually histogram(1..99 60%, 100..1000 40%)",
    "like a column": "integer 1..1000, usually as in numbers.value",
    **{
        shape: f"integer 1..1000, usually {shape}"
        for shape in (
            "low", "middle", "high", "triangular(300)", "normal(500, 150)", "lognormal(200, 0.6)", "exponential(90)",
            "gamma(2, 90)", "weibull(1.5, 200)", "pareto(1.2)", "beta(2, 5)", "poisson(40)", "binomial(900, 0.3)",
            "geometric(0.01)", "zipf(1.1)", "normal(n, 50)",
        )
    },
}  # fmt: skip


def nanoseconds(line: str) -> tuple[float, float]:
    """Return the time per value, and the mean length of a text (0 for other values)."""
    text = (
        "yurt: 1\nseed: 1\ntoday: 2026-06-01\nvalue-lists:\n  words: [ridge, lake, pass]\n"
        "  numbers: [" + ", ".join(str(each * each % 997 + 1) for each in range(500)) + "]\n"
        "records:\n  r:\n    count: 2000000\n    fields:\n      n: integer 1..900\n"
        f"      a: '{line.replace(chr(39), chr(39) * 2)}'\n"
    )
    schema, _ = read(Source("bench", text))
    table = Run(schema).table("r")
    best = float("inf")
    for _ in range(ROUNDS):
        resolved = [Resolved(table, np.arange(at * BLOCK, (at + 1) * BLOCK, dtype=np.uint64)) for at in range(BLOCKS)]
        for each in resolved:
            each.field("n")
        started = time.perf_counter()
        for each in resolved:
            each.field("a")
        best = min(best, time.perf_counter() - started)
    column = resolved[0].field("a")
    texts = column.text(BLOCK).to_pylist() if column.type.name == "text" else []
    return best / BLOCKS / BLOCK * 1e9, float(np.mean([len(each or "") for each in texts])) if texts else 0.0


def main() -> None:
    """Measure and print."""
    lines = LINES | {f"kind {name}": name for name in KINDS}
    nanoseconds("integer 1..9")
    found = {name: nanoseconds(line) for name, line in lines.items()}
    cheapest = found["integer"][0]
    slow = []
    print(f"{'':42} ns/value   x the cheapest numeric draw ({cheapest:.1f} ns)")
    for name, (each, length) in sorted(found.items(), key=lambda pair: -pair[1][0]):
        note = f"   ({length:.0f} characters)" if length > 20 else ""
        print(f"{name:42} {each:8.1f}   {each / cheapest:6.1f}{note}")
        # A kind of the catalogue combines several draws.
        slow += [name] if length <= 20 and not name.startswith("kind ") else []
    limit = float(sys.argv[sys.argv.index("--limit") + 1]) if "--limit" in sys.argv else None
    over = [name for name in slow if limit is not None and found[name][0] > limit * cheapest]
    if over:
        sys.exit(f"slower than {limit:g} times the cheapest numeric draw: {', '.join(over)}")


if __name__ == "__main__":
    main()
