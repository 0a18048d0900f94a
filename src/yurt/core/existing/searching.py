"""How originals are found: the tests and tables of the queries that a proof asks."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from yurt.core.existing import queries

if TYPE_CHECKING:
    import duckdb

MEMORY = "512MB"
# The least number of letters and digits of a value that is looked for in other columns.
LEAST = 4
# The least number of digits of a number that is found in any way of writing it, and how many of the last ones it takes.
MANY_DIGITS, LAST_DIGITS = 9, 8
# The average number of spaces that makes a column a free text.
TEXT = 1.5
# What is looked for in shorter texts, where a single word may be there by chance: several words, or a long number.
SURE = f"(contains(sought.value, ' ') OR regexp_matches(sought.value, '[0-9]{{{MANY_DIGITS}}}'))"
# The maximum number of words of an original that is looked for inside the texts of other rows.
MOST_WORDS = 4
SAMPLE = 10_000
APART = r"[^\p{L}\p{N}]+"


@contextmanager
def connected(folder: Path) -> Iterator[duckdb.DuckDBPyConnection]:
    """Yield an engine of queries with its tables in a folder, which is for it alone."""
    with queries.connected(folder, "queries", MEMORY) as base:
        base.execute("SET preserve_insertion_order=false")
        yield base


def answer(base: duckdb.DuckDBPyConnection, query: str) -> tuple[int, ...]:
    """Return the one row that a query gives, with 0 for what is missing."""
    found = base.execute(query).fetchone()
    assert found is not None
    return tuple(int(each or 0) for each in found)


def seek(base: duckdb.DuckDBPyConnection, rows: str, value: str, own: str) -> None:
    """Put the different values of a column into the table `sought`."""
    base.execute(f"CREATE OR REPLACE TABLE sought AS SELECT DISTINCT {value} AS value FROM {rows} WHERE {long(own)}")


def refers(base: duckdb.DuckDBPyConnection, rows: str, cell: str, hits: int) -> bool:
    """Return whether a column has nothing but values of `sought`, none of which another number could be by chance."""
    there, plain = answer(
        base, f"SELECT (SELECT count({cell}) FROM {rows}), (SELECT count(*) FROM sought WHERE"
        f" regexp_full_match(value, '[0-9]{{1,{MANY_DIGITS - 1}}}'))"
    )  # fmt: skip
    return hits == there and not plain


def split_texts(base: duckdb.DuckDBPyConnection, rows: str, cell: str) -> str:
    """Put the words of a column, alone and several together, into the table `parts`.

    Returns the condition for the values of `sought` that are looked for there; empty if no cell has two words.
    """
    (some,) = answer(base, f"SELECT count(*) FROM {rows} WHERE contains(trim({cell}), ' ')")
    if not some:
        return ""
    average = base.execute(
        f"SELECT avg(length({cell}) - length(replace({cell}, ' ', ''))) FROM"
        f" (SELECT {cell} FROM {rows} WHERE {cell} IS NOT NULL LIMIT {SAMPLE})"
    ).fetchone()
    free = average is not None and (average[0] or 0) >= TEXT
    base.execute(
        "CREATE OR REPLACE TABLE parts AS WITH split AS (SELECT row, list_filter(string_split_regex("
        f"lower({cell}), '{APART}'), lambda x: x <> '') AS words FROM {rows} WHERE {cell} IS NOT NULL), sizes AS"
        f" (SELECT unnest(range(1, {MOST_WORDS + 1})) AS size) SELECT row, unnest(list_transform(range(1, "
        "CAST(len(words) - size + 2 AS BIGINT)), lambda i: array_to_string(words[i : i + size - 1], ' '))) AS"
        # A short cell that is an original as a whole is no text.
        f" part FROM split, sizes WHERE len(words) {'>=' if free else '>'} size"
    )
    return "true" if free else SURE


def in_texts(base: duckdb.DuckDBPyConnection, condition: str) -> tuple[int, ...]:
    """Return how many rows of `parts` have a value of `sought`, and the first of them."""
    return answer(
        base, "SELECT count(DISTINCT row), min(row) FROM parts SEMI JOIN"
        f" (FROM sought WHERE {condition}) AS sought ON parts.part = sought.value"
    )  # fmt: skip


def long(column: str) -> str:
    """Return the test that a value has enough letters and digits to be looked for."""
    return f"(length({column}) >= {LEAST} AND length(regexp_replace({column}, '{APART}', '', 'g')) >= {LEAST})"


def same_digits(cell: str, column: str) -> str:
    """Return the test that a text has the last digits of a long number, whatever stands between them."""
    digits = f"regexp_replace({column}, '[^0-9]', '', 'g')"
    found = f"contains(regexp_replace({cell}, '[^0-9]', '', 'g'), right({digits}, {LAST_DIGITS}))"
    return f"(length({digits}) >= {MANY_DIGITS} AND {found})"


def words(column: str) -> str:
    """Return the words of a text with one space between them."""
    return f"trim(regexp_replace(lower({column}), '{APART}', ' ', 'g'))"


def inside(cell: str, column: str) -> str:
    """Return the test that a text contains a value as whole words: a short number only in a text with letters."""
    number = f"(length({column}) < {MANY_DIGITS} AND NOT regexp_matches({column}, '[^0-9]'))"
    alone = f"{cell} = {column} OR NOT {number} OR regexp_matches({cell}, '\\p{{L}}')"
    return f"({alone}) AND contains(' ' || {words(cell)} || ' ', ' ' || {words(column)} || ' ')"
