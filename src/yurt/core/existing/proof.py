"""The proof that no original is left: an engine of queries looks for the originals in the new file.

Nothing of what made the substitutes takes part. Both files are read again and put side by side into a file for
queries; all findings are answers of queries. Values of fewer than four letters and digits are not looked for outside of
their own column: they stand for nobody.
"""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from yurt.core.base.data_classes import dataclass, field
from yurt.core.existing.columns import Existing
from yurt.core.existing.queries import quoted
from yurt.core.existing.searching import (
    LEAST,
    SURE,
    answer,
    connected,
    in_texts,
    inside,
    long,
    refers,
    same_digits,
    seek,
    split_texts,
    words,
)  # fmt: skip
from yurt.core.existing.side_by_side import side_by_side

if TYPE_CHECKING:
    import duckdb

# The share of rows, or of different originals, that a treatment may leave as they are; a few more may stay by chance.
STAYING = {"noise": 0.5, "coarsen": 0.5, "keep": 0.5, "shuffle": 0.5}
USUAL_STAYING, BY_CHANCE = 0.1, 2
# A text that was scrubbed and stays as it was is a leak if it has a mail address or a long number, apart from dates.
DATES = r"\d{4}-\d\d-\d\d|\d\d?\.\d\d?\.\d{4}|\d\d?:\d\d"
TELLING = r"[^\s@]+@[^\s@]+\.[^\s@]+|\d(?:[ ./\-]?\d){8,}"
# Treatments whose results may be anything.
DRAWN = ("replace", "substitute", "encrypt", "shift", "noise", "coarsen", "shuffle")


@dataclass(frozen=True)
class Treated:
    """A treated column: its title in both files, the word of its treatment, and why values may stay as they are."""

    title: str
    word: str
    # The new title; empty for a column that is left out.
    new: str
    # Why a value may stay in its row; empty if it must not.
    excuse: str = ""
    # Whether different values must stay different.
    unique: bool = False


@dataclass(frozen=True)
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
    # Columns that were unique and should still be, and those of which nobody asked that; columns in which equal values
    # have become different.
    not_unique: list[str] = field(default_factory=list)
    repeated: list[str] = field(default_factory=list)
    inconsistent: list[str] = field(default_factory=list)
    untouched: list[str] = field(default_factory=list)
    # Those of them whose short texts are searched for several words and long numbers only.
    partly: list[str] = field(default_factory=list)
    scrubbed: list[str] = field(default_factory=list)
    # The number of values of scrubbed columns, and of those that came out as they were.
    unchanged: dict[str, tuple[int, int]] = field(default_factory=dict)
    calculated: list[str] = field(default_factory=list)
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
        self, before: Existing, after: Existing, treated: list[Treated], scrubbed: dict[str, str],
        calculated: list[str], folder: Path,
    ) -> None:  # fmt: skip
        """`scrubbed` are the titles of texts from which the originals of other columns have been taken, with their new
        titles, `calculated` those of new columns and of columns that expressions change.

        `folder` is for this prover alone; both files are in it side by side afterwards.
        """
        self.before, self.after, self.folder = before, after, folder
        self.path = folder / "rows.parquet"
        self.proof = Proof(after.name, treated=treated, scrubbed=[*scrubbed.values()], calculated=calculated)
        # A format without empty values does not have a column that became empty.
        self.present = [each for each in treated if each.new in after.titles]
        # The columns that have results of treatments.
        self.results = {*(each.new for each in self.present), *scrubbed.values()}
        self.old = {each.title: f"o{at}" for at, each in enumerate(treated)}
        shown = {title: new for title, new in scrubbed.items() if new in after.titles}
        self.texts = {title: (f"o{at}", new) for at, (title, new) in enumerate(shown.items(), len(treated))}
        self.new = {title: f"n{at}" for at, title in enumerate(after.titles)}

    def prove(self, group_by: tuple[str, ...] = ()) -> Proof:
        """Return the proof. Raises YurtError for a file that cannot be read."""
        before = [*self.old, *self.texts]
        self.proof.rows = side_by_side(self.path, (self.before, before), (self.after, list(self.new)))
        with_a_line = {*self.results, *self.proof.calculated}
        self.proof.untouched = [each for each in self.after.titles if each not in with_a_line]
        with connected(self.folder) as base:
            base.execute(f"CREATE VIEW rows AS SELECT * FROM read_parquet({quoted(self.path)})")
            if self.proof.rows:
                self._counts(base)
                self._own_row(base)
                self._unchanged(base)
                self._same_row(base)
                self._other_rows(base)
                self._texts(base)
                self._mapping(base)
                self._groups(base, group_by)
        return self.proof

    def identifies(self, each: Treated) -> bool:
        """Return whether each original stands in one row only."""
        different, there = self.proof.originals[each.title]
        return different == there > 1

    def _counts(self, base: duckdb.DuckDBPyConnection) -> None:
        """Count the originals, and note how long the values of each column are."""
        for title, own in self.old.items():
            different, there = answer(base, f"SELECT count(DISTINCT {own}), count({own}) FROM rows")
            self.proof.originals[title] = different, there
        columns = [*self.old.values(), *self.new.values()]
        parts = ", ".join(f"min(length({each})), max(length({each}))" for each in columns)
        ends = answer(base, f"SELECT {parts} FROM rows")
        self.lengths = dict(zip(columns, zip(ends[::2], ends[1::2], strict=True), strict=True))
        for title, own in self.old.items():
            if self.lengths[own][0] <= 2 * LEAST:
                (short,) = answer(base, f"SELECT count(DISTINCT {own}) FROM rows WHERE NOT {long(own)}")
                self.proof.short |= {title: short} if short else {}

    def _own_row(self, base: duckdb.DuckDBPyConnection) -> None:
        """Compare each treated value with its result."""
        for each in self.present:
            own = self.old[each.title]
            same = f"FROM rows WHERE {own} = {self.new[each.new]}"
            rows, first = answer(base, f"SELECT count(*), min(row) {same}")
            if rows:
                why = each.excuse if self._may_stay(base, each, same) else ""
                self.proof.findings.append(Finding(each.title, "its own row", rows, first + 1, why))

    def _may_stay(self, base: duckdb.DuckDBPyConnection, each: Treated, same: str) -> bool:
        """Return whether no more values came out as they were than the treatment explains."""
        own = self.old[each.title]
        # A value without letters and digits, and a zero, stand for nobody.
        telling = f"regexp_matches({own}, '[\\p{{L}}1-9]')"
        different, rows = answer(base, f"SELECT count(DISTINCT {own}), count(*) {same} AND {telling}")
        every, there = answer(base, f"SELECT count(DISTINCT {own}), count({own}) FROM rows WHERE {telling}")
        share = max((STAYING.get(word, USUAL_STAYING) for word in each.word.split(" or ")), default=USUAL_STAYING)
        if each.word == "replace":
            return True
        if each.word == "shuffle":
            # As many as meet when the values are dealt again: the sum of the squares of their shares.
            (meet,) = answer(
                base, f"SELECT CAST(sum(n * n) / {max(there, 1)} AS BIGINT) FROM"
                f" (SELECT count(*) AS n FROM rows WHERE {own} IS NOT NULL GROUP BY {own})"
            )  # fmt: skip
            return rows <= 2 * meet + 3 * BY_CHANCE
        return different <= BY_CHANCE + share * every

    def _unchanged(self, base: duckdb.DuckDBPyConnection) -> None:
        """Count the texts that came out as they were; those that tell who they are about are leaks."""
        for title, (own, new) in self.texts.items():
            same = f"{own} = {self.new[new]}"
            there, rows = answer(base, f"SELECT count({own}), count(*) FILTER (WHERE {same}) FROM rows")
            self.proof.unchanged[title] = there, rows
            told = f"regexp_matches(regexp_replace({own}, '{DATES}', ' ', 'g'), '{TELLING}')"
            rows, first = answer(base, f"SELECT count(*), min(row) FROM rows WHERE {same} AND {told}")
            if rows:
                where = "its own row, as it was, with a long number or an address"
                self.proof.findings.append(Finding(title, where, rows, first + 1))

    def _same_row(self, base: duckdb.DuckDBPyConnection) -> None:
        """Look for the originals of each row in all other columns of the same row."""
        # Nearly all rows contain none of the values at all; only the others are looked at column by column.
        whole = f"lower(concat_ws(' ', {', '.join(self.new.values())}))"
        some = " OR ".join(
            f"(length({own}) >= {LEAST} AND (contains(whole, lower({own})) OR {same_digits('whole', own)}))"
            for own in self.old.values()
        )
        if not self.old or not self.new:
            return
        base.execute(f"CREATE TABLE hits AS SELECT * FROM (SELECT *, {whole} AS whole FROM rows) WHERE {some}")
        for each in self.proof.treated:
            own = self.old[each.title]
            for title, cell in self.new.items():
                if title == each.new:
                    continue
                words = f"contains(lower({cell}), lower({own})) AND {long(own)} AND {inside(cell, own)}"
                test = f"(({words}) OR {same_digits(cell, own)})"
                rows, first = answer(base, f"SELECT count(*), min(row) FROM hits WHERE {test}")
                if rows:
                    self._found(base, each.title, title, test, rows, first)

    def _found(
        self, base: duckdb.DuckDBPyConnection, column: str, title: str, test: str, rows: int, first: int
    ) -> None:  # fmt: skip
        """Note what a test has found in the same row, as a leak or with what explains it."""
        findings, where = self.proof.findings, f"`{title}` of the same row"
        other = next((each for each in self.proof.treated if each.new == title), None)
        if other is not None:
            told = f"`{title}` is treated, and has the value as a result"
            findings.append(Finding(column, where, rows, first + 1, told if other.word in DRAWN else ""))
            return
        # A cell that rows with other originals have as well does not come from this one.
        cell, value = self.new[title], self.old[column]
        base.execute(
            f"CREATE OR REPLACE TABLE shared AS SELECT {cell} AS cell FROM rows"
            f" WHERE {cell} IN (SELECT {cell} FROM hits WHERE {test}) GROUP BY {cell}"
            f" HAVING count(DISTINCT {value}) > 1"
        )
        alone, at = answer(
            base, f"SELECT count(*), min(row) FROM hits ANTI JOIN shared ON {cell} = shared.cell WHERE {test}"
        )
        if alone:
            findings.append(Finding(column, where, alone, at + 1))
        if rows > alone:
            told = f"`{title}` is not treated, and the same cell stands beside other values, too"
            findings.append(Finding(column, where, rows - alone, first + 1, told))

    def _other_rows(self, base: duckdb.DuckDBPyConnection) -> None:
        """Look for whole cells of the new file that are originals of another row."""
        for each in self.proof.treated:
            own = self.old[each.title]
            seek(base, "rows", f"lower({own})", own)
            shortest, longest = self.lengths[own]
            for title, cell in self.new.items():
                if self.lengths[cell][1] < shortest or self.lengths[cell][0] > longest:
                    continue
                query = f"SELECT count(*), min(row) FROM rows SEMI JOIN sought ON lower({cell}) = sought.value"
                rows, first = answer(base, query)
                same = sum(one.rows for one in self.proof.findings
                           if one.column == each.title and one.where.startswith(("its own", f"`{title}`")))  # fmt: skip
                if rows <= same:
                    continue
                why = (
                    f"results of `{each.word}` that are originals of other rows" if title == each.new
                    else f"`{title}` is treated, and has the value as a result" if title in self.results
                    else f"`{title}` is not treated, and has such values of its own"
                )  # fmt: skip
                where = "other rows" if title == each.new else f"`{title}` of other rows"
                if title not in self.results and self.identifies(each) and refers(base, "rows", cell, rows):
                    why = ""
                self.proof.findings.append(Finding(each.title, where, rows - same, first + 1, why))

    def _texts(self, base: duckdb.DuckDBPyConnection) -> None:
        """Look for originals inside the texts of other rows."""
        for title, cell in self.new.items():
            wanted = split_texts(base, "rows", cell)
            if wanted == SURE and title in self.proof.untouched:
                self.proof.partly.append(title)
            for each in self.proof.treated if wanted else ():
                if each.new != title:
                    self._in_text(base, each, title, wanted)

    def _in_text(self, base: duckdb.DuckDBPyConnection, each: Treated, title: str, wanted: str) -> None:
        own, where = self.old[each.title], f"the text `{title}` of other rows"
        seek(base, "rows", words(own), own)
        if each in self.present:
            result = words(self.new[each.new])
            rows, first = in_texts(base, f"{wanted} AND sought.value IN (SELECT {result} FROM rows)")
            if rows:
                told = f"`{each.title}` has these values as results, too"
                self.proof.findings.append(Finding(each.title, where, rows, first + 1, told))
            base.execute(f"DELETE FROM sought WHERE value IN (SELECT {result} FROM rows)")
        rows, first = in_texts(base, wanted)
        same = sum(one.rows for one in self.proof.findings
                   if one.column == each.title and one.where.startswith(f"`{title}` of"))  # fmt: skip
        if rows > same:
            self.proof.findings.append(Finding(each.title, where, rows - same, first + 1))

    def _mapping(self, base: duckdb.DuckDBPyConnection) -> None:
        """Compare what equal and what different values have become."""
        for each in self.present:
            old, new = self.old[each.title], self.new[each.new]
            different, _ = self.proof.originals[each.title]
            (results,) = answer(base, f"SELECT count(DISTINCT {new}) FROM rows")
            if self.identifies(each) and results < different and (each.unique or each.word != "replace"):
                (self.proof.not_unique if each.unique else self.proof.repeated).append(each.title)
            if each.word not in ("encrypt", "keep", "coarsen", "noise"):
                continue
            (wrong,) = answer(
                base, f"SELECT count(*) FROM (SELECT 1 FROM rows WHERE {old} IS NOT NULL"
                f" GROUP BY {old} HAVING min({new}) <> max({new}))"
            )  # fmt: skip
            if wrong:
                self.proof.inconsistent.append(each.title)

    def _groups(self, base: duckdb.DuckDBPyConnection, group_by: tuple[str, ...]) -> None:
        """Count the rows that share their values in some columns."""
        if not group_by:
            return
        names = ", ".join(self.new[each] for each in group_by)
        self.proof.grouped = group_by
        self.proof.smallest, self.proof.alone = answer(
            base, f"SELECT min(n), count(*) FILTER (WHERE n = 1) FROM (SELECT count(*) AS n FROM rows GROUP BY {names})"
        )
