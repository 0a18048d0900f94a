"""From the text of a schema file to the model.

`read` returns a schema, or raises SchemaFault with every mistake of the file.
"""

from __future__ import annotations

import re
from collections.abc import Mapping as Mapping_
from collections.abc import Sequence as Sequence_
from pathlib import Path

from yurt.core.base.data_classes import replace
from yurt.core.base.errors import UsageFault, YurtError
from yurt.core.base.nearest import did_you_mean, limited
from yurt.core.language import build_phrases
from yurt.core.language.check import check
from yurt.core.language.doubts import doubts
from yurt.core.language.read_context import NOTHING_ASKED, Asked, ReadContext, Replaced
from yurt.core.language.read_schema import SchemaReader
from yurt.core.language.reuse import text_of_file
from yurt.core.model import (
    Schema,
)
from yurt.core.source.diagnostics import Diagnostic, Findings, Source, Span
from yurt.core.source.named_files import NONE, NamedFiles
from yurt.core.source.nodes import Mapping, Text
from yurt.core.source.yaml_nodes import read as read_yaml

# The content of files by the names that the schema has for them.
Held = Mapping_[str, bytes]
FAR_FROM_YAML = 8
FIELDS_COUNT = 10
# The number of unknown words of one file for which a similar one is searched.
HINTS = 100


def read_file(
    path: Path, replaced: Replaced | None = None, variants: Sequence_[str] = (), asked: Asked = NOTHING_ASKED
) -> tuple[Schema, list[Diagnostic]]:
    """Return the schema of a file and its warnings; raise SchemaFault, UsageFault, or SurroundingsFault.

    `replaced` has phrases that replace those of the file, by `record.field`; `variants` are names of the file's own
    groups of them.
    """
    return read(Source(str(path), text_of_file(path)), replaced, variants, path.parent, asked)


def read_fields(
    lines: Sequence_[str], asked: Asked = NOTHING_ASKED, name: str = "record"
) -> tuple[Schema, list[Diagnostic]]:  # fmt: skip
    """Return the schema of one record type with these fields, one line each, and no count of its own."""
    for line in lines:
        if "\n" in line or not re.match(r"\s*[^:\s]+\s*:\s", line + " "):
            raise YurtError(f"--field `{line}` is not a field; write it like 'age: integer 18..90'")
    head = f"yurt: 1\nrecords:\n  {name}:\n    count: {FIELDS_COUNT}\n    fields:\n"
    text = head + "".join(f"      {line.strip()}\n" for line in lines)
    return read(Source("--field", text, above=head.count("\n"), indent=6), asked=asked)


def read(
    source: Source, replaced: Replaced | None = None, variants: Sequence_[str] = (), folder: Path | None = None,
    asked: Asked = NOTHING_ASKED, held: Held = NONE,
) -> tuple[Schema, list[Diagnostic]]:  # fmt: skip
    """Return the schema of a text and its warnings; raise SchemaFault with all mistakes.

    Files that it names are searched for in `folder`, if they are not `held`, by their names.
    """
    with limited(HINTS):
        return _read(source, replaced, variants, NamedFiles(folder or Path(), held), asked)


def _read(
    source: Source, replaced: Replaced | None, variants: Sequence_[str], files: NamedFiles, asked: Asked
) -> tuple[Schema, list[Diagnostic]]:
    findings = Findings(source)
    context = ReadContext(findings, _checked(replaced or {}), variants, files, asked)
    root = read_yaml(findings)
    schema = None
    if isinstance(root, Mapping):
        schema = SchemaReader(context).schema(root)
    elif not findings.errors or len(findings.errors) > FAR_FROM_YAML:
        # A file with so many faults that nothing is left is not a faulty schema but another kind of file.
        findings.errors.clear()
        findings.spots.clear()
        findings.error("this is not a schema", Span(0, 1), "a mapping that begins with `yurt: 1` and has `records:`")
    if schema is not None:
        plan = check(schema, findings)
        if plan is not None:
            own = tuple(f"{name}={line}" for name, line in (replaced or {}).items())
            schema = replace(
                schema, plan=plan, files=tuple(files.read.values()), chosen=tuple(variants), replaced=own,
                asked_locale=asked.locale,
            )  # fmt: skip
            doubts(schema, findings)
    findings.raise_if_any()
    assert schema is not None
    if left := [name for name in context.replaced if name not in context.met]:
        known = [f"{record.name}.{each.name}" for record in schema.records.values() for each in record.fields]
        raise UsageFault(f"there is no field `{left[0]}`; " + (did_you_mean(left[0], known) or ", ".join(known)))
    return schema, findings.warnings


def _checked(replaced: Replaced) -> Replaced:
    """Return the phrases after checking that each is one; a mistake in it is shown where it was written."""
    for name, phrase in replaced.items():
        findings = Findings(Source(f"--set {name}", phrase))
        build_phrases.phrase(Text(phrase, tuple(range(len(phrase) + 1))), findings)
        findings.raise_if_any()
    return replaced
