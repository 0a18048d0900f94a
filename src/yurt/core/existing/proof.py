"""The proof that no original is left: an engine of queries looks for the originals in the new file.

Nothing of what made the substitutes takes part. Both files are read again and put into tables on disk, row by row; all
findings are answers of queries. Values of fewer than four letters and digits are not looked for outside of their own
column: they stand for nobody.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from yurt.core.base.arrays import arrow, nothing, word
from yurt.core.existing.columns import Existing, refused
from yurt.core.formats.common.raw import Raw

if TYPE_CHECKING:
    import duckdb

MEMORY = "512MB"
# The least number of letters and digits of a value that is looked for in other columns.
LEAST = 4
# The average number of spaces that makes a column a free text.
TEXT = 1.5
# The maximum number of words of an original that is looked for inside the texts of other rows.
MOST_WORDS = 4
SAMPLE = 10_000
# Treatments whose results may be anything.
DRAWN = ("substitute", "encrypt", "shift", "noise", "coarsen", "shuffle")
APART = r"[^\p{L}\p{N}]+"


@dataclass(frozen=True, slots=True)
class Treated:
    """A treated column: its title in both files, the word of its treatment, and why values may stay as they are."""

    title: str
    word: str
    # The new title; empty for a column that is left out.
    new: str
    # Why a value may stay in its row; empty if it must not.
    excuse: str = ""


@dataclass(frozen=True, slots=True)
class Finding:
    """Originals of a column that are in the new file: where, how many rows, the first of them, and why that is no leak.

    Without an explanation it is a leak.
    """

    column: str
    where: str
    rows: int
    first: int
    explanation: str = ""


@dataclass
class Proof:
    """What the queries have answered."""

    name: str
    rows: int = 0
    treated: list[Treated] = field(default_factory=list)
    # The number of different originals of each treated column, and of rows that have one.
    originals: dict[str, tuple[int, int]] = field(default_factory=dict)
    findings: list[Finding] = field(default_factory=list)
    # Columns that were unique and are not any more, and columns in which equal values have become different.
    not_unique: list[str] = field(default_factory=list)
    inconsistent: list[str] = field(default_factory=list)
    untouched: list[str] = field(default_factory=list)
    scrubbed: list[str] = field(default_factory=list)
    # Columns whose values are too short to be looked for elsewhere, with the number of their different values.
    short: dict[str, int] = field(default_factory=dict)
    grouped: tuple[str, ...] = ()
    smallest: int = 0
    alone: int = 0

    @property
    def leaks(self) -> list[Finding]:
        """The findings without an explanation."""
        return [each for each in self.findings if not each.explanation]

    @property
    def passed(self) -> bool:
        """Whether no original is left, and unique columns are still unique."""
        return not self.leaks and not self.not_unique


class Prover:
    """Looks for the originals of one file in the new one."""

    def __init__(
        self, before: Existing, after: Existing, treated: list[Treated], scrubbed: list[str], folder: Path
    ) -> None:  # fmt: skip
        """`scrubbed` are the titles of texts from which the originals of other columns have been taken."""
        self.before, self.after, self.folder = before, after, folder
        self.proof = Proof(after.name, treated=treated, scrubbed=scrubbed)
        self.present = [each for each in treated if each.new]

    def prove(self, group_by: tuple[str, ...] = ()) -> Proof:
        """Return the proof. Raises YurtError for a file that cannot be read."""
        import duckdb

        with duckdb.connect(str(self.folder / "proof.duckdb")) as base:
            base.execute(f"SET memory_limit='{MEMORY}'; SET temp_directory='{self.folder}'; SET threads=2")
            base.execute("SET preserve_insertion_order=false")
            old = [each.title for each in self.proof.treated]
            count = _stored(base, "old", self.before, old)
            self.proof.rows = _stored(base, "new", self.after, list(self.after.titles))
            assert count == self.proof.rows
            self.old = {title: f"old.c{at}" for at, title in enumerate(old)}
            self.new = {title: f"new.c{at}" for at, title in enumerate(self.after.titles)}
            treated = {*(each.new for each in self.present), *self.proof.scrubbed}
            self.proof.untouched = [each for each in self.after.titles if each not in treated]
            self._counts(base)
            self._same_row(base)
            self._other_rows(base)
            self._texts(base)
            self._mapping(base)
            self._groups(base, group_by)
        return self.proof

    def _one(self, base: duckdb.DuckDBPyConnection, query: str) -> tuple[int, ...]:
        found = base.execute(query).fetchone()
        assert found is not None
        return tuple(int(each or 0) for each in found)

    def _counts(self, base: duckdb.DuckDBPyConnection) -> None:
        for title, column in self.old.items():
            own = column.partition(".")[2]
            different, there = self._one(base, f"SELECT count(DISTINCT {own}), count({own}) FROM old")
            self.proof.originals[title] = different, there
            (short,) = self._one(base, f"SELECT count(DISTINCT {own}) FROM old WHERE NOT {_long(own)}")
            if short:
                self.proof.short[title] = short

    def _same_row(self, base: duckdb.DuckDBPyConnection) -> None:
        """Look for the originals of each row in the same row."""
        tests: list[tuple[str, str, str, str]] = []
        for each in self.proof.treated:
            column = self.old[each.title]
            for title, cell in self.new.items():
                if title == each.new:
                    tests.append((each.title, title, f"{cell} = {column}", each.excuse))
                else:
                    # Most rows do not contain the value at all; only the others are split into words.
                    inside = f"contains(lower({cell}), lower({column})) AND {_inside(cell, column)}"
                    tests.append((each.title, title, f"{_long(column)} AND {inside}", ""))
        parts = [f"count(*) FILTER (WHERE {test}), min(new.row) FILTER (WHERE {test})" for _, _, test, _ in tests]
        answers: list[int] = []
        for at in range(0, len(parts), 40):
            answers += self._one(
                base, f"SELECT {', '.join(parts[at : at + 40])} FROM new JOIN old ON new.row = old.row"
            )
        for (column, title, test, excuse), rows, first in zip(tests, answers[::2], answers[1::2], strict=True):
            if rows:
                self._found(base, column, title, test, excuse, rows, first)

    def _found(
        self, base: duckdb.DuckDBPyConnection, column: str, title: str, test: str, excuse: str, rows: int, first: int
    ) -> None:  # fmt: skip
        """Note what a test has found in the same row, as a leak or with what explains it."""
        findings = self.proof.findings
        own = next((each.new for each in self.proof.treated if each.title == column), "")
        if title == own:
            findings.append(Finding(column, "its own row", rows, first + 1, excuse))
            return
        where = f"`{title}` of the same row"
        other = next((each for each in self.proof.treated if each.new == title), None)
        if other is not None:
            told = f"`{title}` is treated, and has the value as a result"
            findings.append(Finding(column, where, rows, first + 1, told if other.word in DRAWN else ""))
            return
        # A cell that rows with other originals have as well does not come from this one.
        cell, value = self.new[title], self.old[column]
        base.execute(
            f"CREATE OR REPLACE TABLE shared AS SELECT {cell} AS cell FROM new JOIN old ON new.row = old.row"
            f" WHERE {cell} IN (SELECT {cell} FROM new JOIN old ON new.row = old.row WHERE {test})"
            f" GROUP BY {cell} HAVING count(DISTINCT {value}) > 1"
        )
        alone, at = self._one(
            base, f"SELECT count(*), min(new.row) FROM new JOIN old ON new.row = old.row ANTI JOIN shared ON {cell} ="
            f" shared.cell WHERE {test}"
        )  # fmt: skip
        if alone:
            findings.append(Finding(column, where, alone, at + 1))
        if rows > alone:
            told = f"`{title}` has no line, and the same cell stands beside other values, too"
            findings.append(Finding(column, where, rows - alone, first + 1, told))

    def _other_rows(self, base: duckdb.DuckDBPyConnection) -> None:
        """Look for whole cells of the new file that are originals of another row."""
        for each in self.proof.treated:
            own = self.old[each.title].partition(".")[2]
            base.execute(
                f"CREATE OR REPLACE TABLE sought AS SELECT DISTINCT {own} AS value FROM old WHERE {_long(own)}"
            )
            for title, cell in self.new.items():
                name = cell.partition(".")[2]
                rows, first = self._one(
                    base, f"SELECT count(*), min(row) FROM new SEMI JOIN sought ON {name} = sought.value"
                )
                same = sum(one.rows for one in self.proof.findings
                           if one.column == each.title and one.where.startswith(("its own", f"`{title}`")))  # fmt: skip
                if rows <= same:
                    continue
                why = (
                    f"results of `{each.word}` that are originals of other rows" if title == each.new
                    else f"`{title}` is treated, and has the value as a result" if title not in self.proof.untouched
                    else f"`{title}` has no line, and has such values of its own"
                )  # fmt: skip
                where = "other rows" if title == each.new else f"`{title}` of other rows"
                self.proof.findings.append(Finding(each.title, where, rows - same, first + 1, why))

    def _texts(self, base: duckdb.DuckDBPyConnection) -> None:
        """Look for originals inside the free texts of other rows."""
        for title, cell in self.new.items():
            name = cell.partition(".")[2]
            found = base.execute(
                f"SELECT avg(length({name}) - length(replace({name}, ' ', ''))) FROM"
                f" (SELECT {name} FROM new WHERE {name} IS NOT NULL LIMIT {SAMPLE})"
            ).fetchone()
            if found is None or (found[0] or 0) < TEXT:
                continue
            base.execute(
                "CREATE OR REPLACE TABLE parts AS WITH split AS (SELECT row, list_filter(string_split_regex("
                f"lower({name}), '{APART}'), lambda x: x <> '') AS words FROM new WHERE {name} IS NOT NULL), sizes AS ("
                f"SELECT unnest(range(1, {MOST_WORDS + 1})) AS size) SELECT row, unnest(list_transform(range(1, "
                "CAST(len(words) - size + 2 AS BIGINT)), lambda i: array_to_string(words[i : i + size - 1], ' '))) AS part"
                " FROM split, sizes WHERE len(words) >= size"
            )
            for each in self.proof.treated:
                if each.new == title:
                    continue
                own = self.old[each.title].partition(".")[2]
                base.execute(
                    f"CREATE OR REPLACE TABLE sought AS SELECT DISTINCT trim(regexp_replace(lower({own}), '{APART}', ' ', 'g'))"
                    f" AS value FROM old WHERE {_long(own)}"
                )
                if each.new:
                    # What is a result as well cannot be told from one.
                    new = self.new[each.new].partition(".")[2]
                    base.execute(
                        "DELETE FROM sought WHERE value IN (SELECT trim(regexp_replace(lower("
                        f"{new}), '{APART}', ' ', 'g')) FROM new)"
                    )
                rows, first = self._one(
                    base,
                    "SELECT count(DISTINCT row), min(row) FROM parts SEMI JOIN sought ON parts.part = sought.value",
                )
                same = sum(
                    one.rows for one in self.proof.findings if one.column == each.title and f"`{title}` of" in one.where
                )
                if rows > same:
                    self.proof.findings.append(
                        Finding(each.title, f"the text `{title}` of other rows", rows - same, first + 1)
                    )

    def _mapping(self, base: duckdb.DuckDBPyConnection) -> None:
        """Compare what equal and what different values have become."""
        for each in self.present:
            old, new = self.old[each.title], self.new[each.new]
            different, there = self.proof.originals[each.title]
            (results,) = self._one(base, f"SELECT count(DISTINCT {new}) FROM new")
            if different == there > 1 and results < different and each.word in ("encrypt", "substitute"):
                self.proof.not_unique.append(each.title)
            if each.word not in ("encrypt", "keep", "coarsen", "noise"):
                continue
            (wrong,) = self._one(
                base, f"SELECT count(*) FROM (SELECT 1 FROM new JOIN old ON new.row = old.row WHERE {old} IS NOT NULL"
                f" GROUP BY {old} HAVING count(DISTINCT {new}) > 1)"
            )  # fmt: skip
            if wrong:
                self.proof.inconsistent.append(each.title)

    def _groups(self, base: duckdb.DuckDBPyConnection, group_by: tuple[str, ...]) -> None:
        """Count the rows that share their values in some columns."""
        if not group_by or not self.proof.rows:
            return
        names = ", ".join(self.new[each].partition(".")[2] for each in group_by)
        self.proof.grouped = group_by
        self.proof.smallest, self.proof.alone = self._one(
            base, f"SELECT min(n), count(*) FILTER (WHERE n = 1) FROM (SELECT count(*) AS n FROM new GROUP BY {names})"
        )


def _long(column: str) -> str:
    """Return the test that a value has enough letters and digits to be looked for."""
    return f"length(regexp_replace({column}, '{APART}', '', 'g')) >= {LEAST}"


def _inside(cell: str, column: str) -> str:
    """Return the test that a text contains a value as whole words."""
    text, value = (f"trim(regexp_replace(lower({each}), '{APART}', ' ', 'g'))" for each in (cell, column))
    return f"contains(' ' || {text} || ' ', ' ' || {value} || ' ')"


def _stored(base: duckdb.DuckDBPyConnection, table: str, file: Existing, titles: list[str]) -> int:
    """Put columns of a file into a table, with the numbers of their rows; return the number of rows."""
    names = ", ".join(f"c{at} VARCHAR" for at in range(len(titles)))
    base.execute(f"CREATE OR REPLACE TABLE {table} (row BIGINT, {names})")
    start = 0
    with file.open() as stream:
        reading = file.reading(stream, titles)
        for piece in reading.pieces():
            block = reading.block(piece)
            raws = file.raws(block, titles)
            columns = [_texts(raws[title]) for title in titles]
            rows = arrow(np.arange(start, start + block.size, dtype=np.int64))
            found = pa.table([rows, *columns], names=["row", *(f"c{at}" for at in range(len(titles)))])
            base.register("found", found)
            base.execute(f"INSERT INTO {table} SELECT * FROM found")
            base.unregister("found")
            start += block.size
        if reading.faults:
            raise refused(file.name, reading.faults, file.open)
    return start


def _texts(raw: Raw) -> pa.Array:
    """Return the values as texts; an empty one is as good as none."""
    return pc.if_else(pc.equal(raw.texts, word("")), nothing(pa.string()), raw.texts)
