"""Random schemas in which features meet: every label of their cases is right, and what is left out cannot be made."""

from __future__ import annotations

import json
from decimal import Decimal
from random import Random
from typing import Any

from yurt.core.cases.suite import Options, suite_of
from yurt.core.engine.run import RunOptions
from yurt.core.language.reader import read
from yurt.core.source.diagnostics import Source

from .composer_rules import Composed, Row, composed
from .conftest import FULL, schema_of

EVERY = ("partition", "boundary", "syntax", "hostile", "decision", "combinatorial")
HEAD = "seed: 4\ntoday: 2026-06-01\n"
ENDS = {"low": 0, "high": 1, "longest": 1}


def broken(made: Composed, row: Row) -> tuple[set[str], set[str]]:
    """Return the fields and the conditions that a record breaks."""

    def good(predicate: Any) -> bool:
        try:
            return bool(predicate(row))
        except (TypeError, KeyError, ValueError, AttributeError, ArithmeticError):
            return False

    return (
        {name for name, each in made.fields.items() if not good(each)},
        {text for text, each in made.rules.items() if not good(each)},
    )


def test_labels_where_features_meet() -> None:
    total, doubtful = 0, []
    for seed in range(60 if FULL else 4):
        made = composed(seed)
        schema, _ = read(Source("s", schema_of("\n".join(made.lines), 60, HEAD, made.tail)))
        suite = suite_of(schema, schema.records["row"], RunOptions(), Options(form="json", techniques=EVERY))
        texts = suite.rows.file().decode().strip("[]\n").split(",\n")
        rows = [json.loads(each, parse_float=Decimal, parse_constant=str) for each in texts]
        total += len(rows)
        for case, row in zip(suite.cases, rows, strict=True):
            fields, rules = broken(made, dict.fromkeys(made.fields) | row)
            told = (seed, case.id, fields, rules, row)
            if case.valid or case.violates == "unique":
                assert not fields and not rules, told
            elif case.violates == "always":
                assert case.target in rules and not fields, told
            else:
                assert case.target in fields, told
        for case, why in suite.left_out:
            # A search that knows nothing of the program finds no such record either.
            fixed = {case.target: ENDS[case.coverage_item]} if case.coverage_item in ENDS else {}
            wanted = {case.target: False} if case.coverage_item == "broken" else {}
            if not fixed and not wanted:
                doubtful.append((seed, case.id, why))
                continue
            assert made.found(Random(seed), 3000, fixed, wanted) is None, (seed, case.id, why)
    assert total > 150 * (60 if FULL else 4)
    assert len(doubtful) <= total / 100, doubtful


def test_the_search_finds_what_there_is() -> None:
    """The judge of what is left out would notice a record."""
    for seed in range(60):
        made = composed(seed)
        assert made.found(Random(1), 5000, {}, {}) is not None, seed
        row = made.found(Random(2), 5000, {}, {})
        assert row is not None and broken(made, row) == (set(), set())
