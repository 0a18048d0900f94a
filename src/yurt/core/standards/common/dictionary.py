"""The rows of a data dictionary: each field with its type, what it allows, and an example."""

from __future__ import annotations

from yurt.core.base import compute as pc
from yurt.core.base.data_classes import dataclass
from yurt.core.engine.blocks import block
from yurt.core.engine.run import Run, RunOptions
from yurt.core.model import Record, Reference, Schema
from yurt.core.reports.schema_summary import described
from yurt.core.standards.common.document import Asked
from yurt.core.standards.common.facts import FactsOf, Leaf, leaves
from yurt.core.text.forms import text_of

HEADER = ("field", "type", "allowed", "usual", "missing", "key", "example")
# The number of rows in which an example is looked for.
ROWS = 20


@dataclass(frozen=True)
class Chapter:
    """A record type: how many there are, its fields, and the conditions on the whole record."""

    name: str
    count: str
    rows: tuple[tuple[str, ...], ...]
    conditions: tuple[str, ...]


def chapters(asked: Asked) -> list[Chapter]:
    """Return a chapter for each record type."""
    told = {each["name"]: each for each in described(asked.schema, [])["records"]}
    run = Run(asked.schema, RunOptions())
    found = []
    for name in asked.names:
        record = asked.schema.records[name]
        examples = _examples(run, name)
        fields = {each["name"]: each for each in told[name]["fields"]}
        columns = leaves(FactsOf(asked.schema, record).all(), record)
        rows = tuple(_row(asked.schema, record, each, fields, examples) for each in columns)
        unique = (f"{' and '.join(group)} do not repeat together" for group in record.unique)
        found.append(Chapter(name, _count(record), rows, (*told[name]["always"], *unique)))
    return found


def _row(
    schema: Schema, record: Record, leaf: Leaf, fields: dict[str, dict[str, object]], examples: dict[str, str]
) -> tuple[str, ...]:  # fmt: skip
    own = fields[leaf.facts.field.name]
    condition = own["present if"]
    missing = f"unless {condition}" if condition else "may be" if leaf.missing else ""
    key = ["key"] if leaf.facts.field is record.key else ["unique"] if leaf.facts.field.never_repeats else []
    head = leaf.facts.field.head
    if isinstance(head, Reference):
        other = schema.records[head.record].key
        key.append(f"refers to {head.record}" + (f".{other.title}" if other is not None else ""))
    return (
        leaf.title, str(own["type"]), str(own["allowed"]), str(own["usual"]), missing, ", ".join(key),
        examples.get(leaf.title, ""),
    )  # fmt: skip


def _examples(run: Run, name: str) -> dict[str, str]:
    """Return the first value of each column."""
    rows = block(run, name, 0, min(ROWS, run.table(name).count), typed=False, nests=False)
    found = {}
    for title, column in zip(rows.schema.names, rows.columns, strict=True):
        values = pc.drop_null(text_of(column))
        found[title] = values[0].as_py() if len(values) else ""
    return found


def _count(record: Record) -> str:
    count = record.count
    many = f"{count.low:,}" if count.low == count.high else f"{count.low:,} to {count.high:,}"
    return f"{many} per {count.per}" if count.per else f"{many} records"
