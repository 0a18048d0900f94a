"""SQL (ISO/IEC 9075 and four databases): tables with types, keys, references, and checks, without rows."""

from __future__ import annotations

import pyarrow as pa

from yurt.core.base.types import TEXT, Type
from yurt.core.formats import FORMATS
from yurt.core.formats.common.settings import complete
from yurt.core.formats.sql.definitions import Made, check_of, definition, may_miss
from yurt.core.formats.sql.dialects import DIALECTS
from yurt.core.kinds.contract import lengths
from yurt.core.model import Record
from yurt.core.planning.references import parents_first
from yurt.core.standards.common.document import Asked, Document, Written
from yurt.core.standards.common.facts import FactsOf, Leaf, Unsaid, leaves

TYPES = {
    "integer": pa.int64(), "real": pa.float64(), "boolean": pa.bool_(), "date": pa.date32(), "time": pa.time64("us"),
    "datetime": pa.timestamp("us"),
}  # fmt: skip


def _arrow(kind: Type) -> pa.DataType:
    return pa.decimal128(19, kind.places) if kind.name == "decimal" else TYPES.get(kind.name, pa.string())


def _width(leaf: Leaf) -> int:
    """Return the largest number of characters of a text; 0 if it is not known."""
    most = []
    for line in leaf.facts.lines:
        longest = lengths(line.patterns)[1] if line.patterns else None
        if line.values is not None:
            longest = max((len(str(each)) for each in line.values), default=0)
        if line.type != TEXT or longest is None or leaf.facts.field.shown is not None:
            return 0
        most.append(longest)
    return max(most, default=0)


def _unsaid(record: Record, leaf: Leaf) -> list[Unsaid]:
    """Return the rules about a column that its definition does not state."""
    loose = leaf.facts.field is not record.key and may_miss(record, leaf.facts.field)
    rules = ["that it has a value"] if loose and not leaf.missing else []
    for line in leaf.facts.lines:
        rules += ["its pattern"] if line.patterns else []
        rules += [f"its steps of {line.step}"] if line.step is not None and line.type.numeric and line.step != 1 else []
        rules += ["what the elements of its list are, and how many"] if line.type.name == "list" else []
        if not check_of(DIALECTS["standard"], leaf.title, leaf.facts.field):
            rules += ["its range"] if line.low is not None or line.high is not None else []
            rules += ["its list of values"] if line.values is not None else []
    return [Unsaid(record.name, ".".join(leaf.path), rule) for rule in dict.fromkeys(rules)]


def _write(asked: Asked) -> Written:
    made, text, unsaid = Made(), "", []
    for name in parents_first(asked.schema, list(asked.names)):
        record = asked.schema.records[name]
        chosen = complete("sql", FORMATS["sql"].settings, asked.output.chosen("sql", name))
        collected = FactsOf(asked.schema, record)
        columns = leaves(collected.all(), record)
        schema = pa.schema([(each.title, _arrow(each.facts.type)) for each in columns])
        widths = {each.title: width for each in columns if (width := _width(each))}
        found = definition(DIALECTS[chosen["dialect"]], record, schema, made, table=chosen["table"], widths=widths)
        own = [*collected.unsaid, *(one for each in columns for one in _unsaid(record, each))]
        parts = (each.partition(": ") for each in found.omitted)
        own += [Unsaid(name, field.removeprefix(f"{chosen['table'] or name}."), rule) for field, _, rule in parts]
        if record.count.per:
            own.append(Unsaid(name, "", f"that each {record.count.per} has {record.count.low} to {record.count.high}"))
        told = "".join("-- Not stated here: " + " ".join(str(each).split()) + "\n" for each in own)
        text += told + "".join(f"{each};\n" for each in found.statements) + "\n"
        unsaid += own
    return Written(text.rstrip("\n") + "\n", tuple(dict.fromkeys(unsaid)))


DOCUMENT = Document("sql", ".sql", "CREATE TABLE statements of a dialect of SQL", _write, form="sql")
