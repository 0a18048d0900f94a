"""What the readers of one schema file share."""

from __future__ import annotations

import re
from collections.abc import Mapping
from collections.abc import Sequence as Sequence_

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.shares import faulty_sum
from yurt.core.language.over_columns import Columns
from yurt.core.language.reuse import Reuse
from yurt.core.model import (
    Schema,
)
from yurt.core.model.words import NOW_NAMES, RESERVED
from yurt.core.source.diagnostics import Findings
from yurt.core.source.named_files import NamedFiles
from yurt.core.source.nodes import Node, Scalar, Sequence, Text
from yurt.core.source.yaml_nodes import cut_by_comment

# Phrases that replace those of a schema, by `record.field`.
Replaced = dict[str, str]
FIELD_NAME = re.compile(r"[^\W\d]\w*")

# The maximum number of locales in a mix.
MAX_LOCALES = 100


@dataclass(frozen=True)
class Asked:
    """Counts that a call requests instead of those in the file, for record types with a count of their own."""

    count: int | None = None
    # The only record type that the count applies to; None for all.
    record: str | None = None
    locale: str | None = None
    # The columns of existing files, by record type: the lines of a record type are about them.
    existing: Mapping[str, Columns] = field(default_factory=dict)


NOTHING_ASKED = Asked()


class ReadContext:
    """The mistakes, the shared definitions, and the phrases that replace those of the file."""

    def __init__(
        self, findings: Findings, replaced: Replaced, variants: Sequence_[str], files: NamedFiles, asked: Asked
    ) -> None:
        self.asked = asked
        self.findings = findings
        self.replaced = replaced
        self.reuse = Reuse(findings, variants, files)
        # The replaced fields that exist in the file.
        self.met: set[str] = set()
        # The number of fields so far.
        self.fields = 0

    def replacement(self, full_name: str, node: Node) -> Node:
        """Return what a variant or the command line puts in place of the node of a field or count."""
        if full_name in self.reuse.varied:
            self.met.add(full_name)
            node = self.reuse.varied[full_name][1]
        if (phrase := self.replaced.get(full_name)) is not None:
            self.met.add(full_name)
            # A mistake in it is shown where it was written.
            source = self.findings.source
            start = len(source.text) + 1
            self.findings.source = source.with_part(f"--set {full_name}", phrase)
            node = Scalar(Text(phrase, tuple(range(start, start + len(phrase) + 1))), "'")
        return node

    def cut(self, node: Scalar) -> str | None:
        return cut_by_comment(self.findings.source, node)

    def plain(self, node: Node, what: str) -> Text:
        if isinstance(node, Scalar):
            return node.text
        self.findings.error(f"`{what}` is one value on one line", node.span)
        return Text("", (node.span.start,))

    def field_name(self, key: Scalar, what: str) -> bool:
        name = key.text.text
        advice = "letters, digits and underscores, not beginning with a digit"
        if not FIELD_NAME.fullmatch(name):
            suggestion = re.sub(r"\W+", "_", name).strip("_")
            hint = (
                f'write `{suggestion}`, and `, named "{name}"` behind it for the column'
                if FIELD_NAME.fullmatch(suggestion)
                else None
            )
            self.findings.error(f"`{name}` is not a name for a {what}", key.span, advice, hint)
            return False
        if name in RESERVED or (what == "field" and name in NOW_NAMES):
            self.findings.error(f"`{name}` is a word of the language", key.span, "another name", f"write `{name}_`")
            return False
        return True

    @property
    def countries(self) -> tuple[str, ...]:
        """The countries of the fields that are being read; none if each row has a locale of its own."""
        return self.reuse.known.countries

    @countries.setter
    def countries(self, countries: tuple[str, ...]) -> None:
        self.reuse.known.countries = countries

    def locales(self, node: Node) -> tuple[tuple[str, float], ...]:
        if isinstance(node, Scalar):
            return ((node.text.text, 1.0),)
        size = len(node.items) if isinstance(node, Sequence) else len(node.entries)
        if size > MAX_LOCALES:
            self.findings.error(f"a mix of more than {MAX_LOCALES} locales", node.span)
            return Schema.locales
        if isinstance(node, Sequence):
            names = [self.plain(each, "locale").text for each in node.items]
            return tuple((name, 1 / len(names)) for name in names)
        shares: list[tuple[str, float]] = []
        texts: list[str] = []
        for key, value in node:
            share = re.fullmatch(r"(\d+(?:\.\d+)?) *%", self.plain(value, "locale").text)
            if share is None and not (isinstance(value, Scalar) and value.broken):
                self.findings.error("the share of a locale is missing", value.span, "a percentage such as 45%")
            texts += [share.group(1)] if share else []
            shares.append((key.text.text, float(share.group(1)) if share else 1.0))
        total = sum(share for _, share in shares)
        if not self.findings.errors and (wrong := faulty_sum(texts)):
            self.findings.error(f"the shares of the locales add up to {wrong}", node.span, "100%")
        return tuple((name, share / total) for name, share in shares) if total else Schema.locales


def countries_of(locales: tuple[tuple[str, float], ...]) -> tuple[str, ...]:
    """Return the countries of some locales."""
    return tuple(dict.fromkeys(name.rpartition("-")[2] for name, _ in locales))
