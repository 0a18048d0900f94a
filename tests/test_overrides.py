"""Values fixed by a caller: dependent values follow, and the others stay unchanged."""

from __future__ import annotations

from datetime import date

import numpy as np
import pytest
from numpy.typing import NDArray

from yurt.core.base.types import INTEGER
from yurt.core.cases.case import Case, Gone, because
from yurt.core.columns.column import Column
from yurt.core.engine.blocks import block
from yurt.core.engine.overrides import Overrides
from yurt.core.engine.run import Run, RunOptions
from yurt.core.engine.scope import BatchScope, Maker, ReferenceScope, TableScope
from yurt.core.language.reader import read
from yurt.core.model import Field, Schema
from yurt.core.sampling.streams import Rows
from yurt.core.source.diagnostics import Source

LINES = """yurt: 1
seed: 3
today: 2026-06-01
records:
  hut:
    count: 4
    key: code
    fields:
      code: /[A-Z]{3}/, unique
      beds: integer 5..9
  stay:
    count: 40
    fields:
      hut: ref hut
      party: integer 1..hut.beds
      nights: integer 1..7
      due: = party * nights * 10
      note: text "{party} for {nights}"
      left: integer 0..hut.beds - party
    always:
      - party * nights <= 40
"""


class Fixed:
    """Fixes one field to one value in some rows."""

    attempts = 1000
    changing = False

    def __init__(self, field: str, value: int, rows: set[int]) -> None:
        self.record_name, self.field, self.value, self.rows = "stay", field, value, rows

    def maker(self, field: Field, make: Maker, table: TableScope) -> Maker:
        """Return the fixed value in those rows, and the field's own value elsewhere."""
        if field.name != self.field:
            return make

        def fixed(batch: BatchScope) -> Column:
            own = make(batch).spread(len(batch.rows))
            here = np.isin(batch.rows.astype(np.int64), sorted(self.rows))
            return Column(INTEGER, np.where(here, self.value, own.values))

        return fixed

    def references(self, own: ReferenceScope, table: TableScope) -> ReferenceScope:
        """Return the record's own references."""
        return own

    def ordinals(self, rows: Rows) -> NDArray[np.int64]:
        """Return zeros: no row has siblings."""
        return np.zeros(len(rows), dtype=np.int64)


def schema() -> Schema:
    return read(Source("s", LINES))[0]


def made(overrides: Overrides | None = None) -> list[dict[str, object]]:
    run = Run(schema(), RunOptions(today=date(2026, 6, 1)), overrides=overrides)
    rows: list[dict[str, object]] = block(run, "stay", 0, 40).to_pylist()
    assert block(run, "stay", 5, 9).to_pylist() == rows[5:9]
    return rows


@pytest.mark.parametrize(("field", "value"), [("nights", 4), ("nights", 1), ("party", 5)])
def test_what_depends_on_a_fixed_value_follows(field: str, value: int) -> None:
    rows = {0, 7, 39}
    plain, fixed = made(), made(Fixed(field, value, rows))
    for at, row in enumerate(fixed):
        assert row["due"] == row["party"] * row["nights"] * 10  # type: ignore[operator]
        assert row["note"] == f"{row['party']} for {row['nights']}"
        assert row["party"] * row["nights"] <= 40  # type: ignore[operator]
        if at in rows:
            assert row[field] == value
        else:
            assert row == plain[at]


def test_a_value_that_breaks_a_condition_is_not_silently_changed() -> None:
    from yurt.core.base.errors import YurtError

    with pytest.raises(YurtError, match="always"):
        made(Fixed("nights", 400, {3}))


def test_a_case_is_data_until_it_is_shown() -> None:
    one = Case(
        "boundary", "party", "above", because("{field} is above {high}", field="party", high="12"), (Gone("party"),)
    )
    assert one.sentence == "party is above 12"
    assert one.technique == "boundary"
    assert (one.changes[0].field, one.target) == ("party", "party")
    other = Case(
        "boundary", "party", "above", because("{field} is above {high}", field="party", high="12"), (Gone("party"),)
    )
    assert one == other
    assert one.id == other.id
