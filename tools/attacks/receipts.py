"""Hostile receipts and journals: what a stranger says about a run, and what a run finds in its folder."""

from __future__ import annotations

import json
import random
from functools import cache
from typing import Any

from attacks.mutation import mutated
from attacks.process import Input
from attacks.schemas import FIELDS

# Values that an option, or any other member, gets.
VALUES: list[Any] = [
    None, -1, 0, 1, 7, 1e400, 10**30, 0.5, "", "row", "x", "..", "../x", "a\0b", "\ud800", "a" * 300, True, [], {}, [1, 2],
    ["row", "x"], [["row", 3]], [["row", 0]], [["", "delimiter", "semicolon"]], [["", 0.5]], ["i: integer 1..3"],
    ["row.i=integer 1..3"], "jsonl", "database", "template", "fi-FI", "2026-13-01", "i", {"row": 1},
]  # fmt: skip
WORDS = ["[", "]", "{", "}", ",", '"', ":", "null", "true", "1e999", "-1", "\\ud800", "\\u0000", "\n", '"files": []']


@cache
def texts() -> tuple[str, str]:
    """Return a receipt and a journal of a small run."""
    from datetime import date

    from yurt.core.language.reader import read
    from yurt.core.source.diagnostics import Source
    from yurt.core.writing.receipt import Made, receipt_of
    from yurt.core.writing.request import Request
    from yurt.core.writing.unfinished import Begun

    made = [Made(f"row-{number}.csv", 700, "0" * 64, 20) for number in (1, 2)]
    request = Request(seed=1, today=date(2026, 6, 1), part_rows=(("row", 20),))
    receipt = receipt_of(read(Source("s.yaml", FIELDS))[0], request, "folder", made)
    lines = [Begun(receipt.schema_digest, request, False, receipt.versions).as_data(), made[0].as_data()]
    return receipt.text, "".join(f"{json.dumps(each)}\n" for each in lines)


def receipt_input(chance: random.Random) -> Input:
    """Return a changed receipt to reproduce, or a changed receipt or journal in the folder of a run that goes on."""
    receipt, journal = texts()
    goes_on = chance.random() < 0.5
    text = chance.choice((receipt, journal)) if goes_on else receipt
    if chance.random() < 0.4:
        text = mutated(text, chance, WORDS)
    else:
        text = "".join(_changed(each, chance) for each in ([text] if text is receipt else text.splitlines()))
    content = text.encode("utf-8", "surrogatepass")
    if not goes_on:
        more = chance.choice(([], ["--compare-only"]))
        return Input({"r.json": content}, ["reproduce", "r.json", "--workers", "1", *more])
    name = "yurt-unfinished.jsonl" if "yurt-unfinished" in text[:40] else "yurt-receipt.json"
    more = chance.choice((["--resume"], ["--resume", "--force"], ["--force"], [], ["--resume", "--dry-run"]))
    command = ["generate", "s.yaml", "--parts", "2", "--out", "p", "--workers", "1", *more]
    return Input({"s.yaml": FIELDS.encode(), f"p/{name}": content, "p/row-1.csv": b"i\n1\n"}, command)


def _changed(text: str, chance: random.Random) -> str:
    """Return a JSON object of which one or two members are others, or are not there."""
    data = json.loads(text)
    for _ in range(chance.randint(1, 2)):
        inside = data
        while True:
            keys: list[Any] = list(inside) if isinstance(inside, dict) else list(range(len(inside)))
            if not keys:
                break
            key = chance.choice(keys)
            if isinstance(inside[key], dict | list) and inside[key] and chance.random() < 0.7:
                inside = inside[key]
                continue
            if chance.random() < 0.2:
                del inside[key]
            else:
                inside[key] = chance.choice(VALUES)
            break
        if isinstance(data.get("options"), dict) and chance.random() < 0.5:
            from yurt.core.writing.request import READERS

            data["options"][chance.choice(list(READERS))] = chance.choice(VALUES)
    return json.dumps(data) + "\n"
