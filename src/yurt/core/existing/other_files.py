"""Originals of one file in the other new files of a run: a key that is encrypted here may stand there as it was."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from yurt.core.existing.proof import Finding, Prover
from yurt.core.existing.queries import quoted
from yurt.core.existing.searching import answer, connected, in_texts, refers, seek, split_texts, words

if TYPE_CHECKING:
    import duckdb


def look_in_other_files(provers: list[Prover], folder: Path) -> None:
    """Add to each proof what is found of its originals in the files of the others."""
    proved = [each for each in provers if each.proof.rows]
    with connected(folder) as base:
        for there in proved:
            others = [each for each in proved if each is not there]
            base.execute(f"CREATE OR REPLACE VIEW there AS SELECT * FROM read_parquet({quoted(there.path)})")
            for here in others:
                _cells(base, here, there)
            # The texts are split once for all other files.
            for title, cell in there.new.items():
                wanted = split_texts(base, "there", cell)
                for here in others if wanted else ():
                    _texts(base, here, there, title, wanted)


def _own(base: duckdb.DuckDBPyConnection, here: Prover) -> None:
    base.execute(f"CREATE OR REPLACE VIEW here AS SELECT * FROM read_parquet({quoted(here.path)})")


def _cells(base: duckdb.DuckDBPyConnection, here: Prover, there: Prover) -> None:
    """Look for whole cells that are originals."""
    _own(base, here)
    for each in here.proof.treated:
        own = here.old[each.title]
        seek(base, "here", f"lower({own})", own)
        for title, cell in there.new.items():
            rows, first = answer(
                base, f"SELECT count(*), min(row) FROM there SEMI JOIN sought ON lower({cell}) = sought.value"
            )
            if not rows:
                continue
            treated = title in there.results
            told = (
                f"`{title}` is treated, and has the value as a result" if treated
                else f"`{title}` is not treated; if it refers to `{each.title}`, give it the same one"
            )  # fmt: skip
            leak = not treated and here.identifies(each) and refers(base, "there", cell, rows)
            where = f"`{title}` of {there.proof.name}"
            here.proof.findings.append(Finding(each.title, where, rows, first + 1, "" if leak else told))


def _texts(base: duckdb.DuckDBPyConnection, here: Prover, there: Prover, title: str, wanted: str) -> None:
    """Look for the `wanted` originals inside a text; results, which stand in it by right, are explained."""
    _own(base, here)
    for each in here.proof.treated:
        seek(base, "here", words(here.old[each.title]), here.old[each.title])
        where = f"the text `{title}` of {there.proof.name}"
        results = " UNION ".join(_results(here, each.new) + _results(there, each.title)) or "SELECT NULL"
        base.execute(f"CREATE OR REPLACE TABLE results AS {results}")
        for condition, told in (("IN", "the values are results, too"), ("NOT IN", "")):
            rows, first = in_texts(
                base, f"{wanted} AND value {condition} (SELECT value FROM results WHERE value IS NOT NULL)"
            )
            if rows:
                here.proof.findings.append(Finding(each.title, where, rows, first + 1, told))


def _results(prover: Prover, title: str) -> list[str]:
    """Return the query for the results in a treated column, if there is one."""
    treated = any(each.new == title for each in prover.present)
    return [f"SELECT {words(prover.new[title])} AS value FROM read_parquet({quoted(prover.path)})"] if treated else []
