"""Reads one phrase in its short or long form, and tables of phrases."""

from __future__ import annotations

import re

from yurt.core.base.nearest import did_you_mean
from yurt.core.grammar.values import table_values
from yurt.core.language import build_phrases
from yurt.core.language.build_phrases import Draft, expression
from yurt.core.language.long_form import FLAGS, OFF, spelled_out
from yurt.core.language.read_context import ReadContext
from yurt.core.model import (
    Phrase,
    Table,
)
from yurt.core.model.expressions import Expression, Literal, Membership
from yurt.core.source.nodes import Mapping, Node, Scalar, Sequence
from yurt.core.source.yaml_nodes import QUOTE_ADVICE

BESIDE_TABLE = (*FLAGS, "present if", "named")
TABLE_KEY = re.compile(r"when$|by\b")
# The maximum number of rows per table.
MAX_ROWS = 1000

CUT_AT_COMMAS = "inside braces a phrase needs quotes, because YAML cuts it at commas"


class TableReader:
    """Reads the phrases of a field: one, or one per row of a table."""

    def __init__(self, context: ReadContext) -> None:
        self.context = context

    def draft(self, key: Scalar, node: Node, flow: bool = False) -> Draft | None:
        """Read one phrase in its short or long form."""
        if isinstance(node, Scalar):
            if node.broken:
                return None
            if not node.text.text.strip():
                builder = build_phrases.Phrases(node.text, self.context.findings, self.context.reuse.known)
                return builder.kind_by_name(key.text.text, key.span)
            if flow and node.style is None:
                advice = "write one field per line, without braces"
                self.context.findings.error(CUT_AT_COMMAS, node.span, hint=advice)
                return None
            cut = self.context.cut(node)
            found = build_phrases.phrase(node.text, self.context.findings, cut, self.context.reuse.known, key.text.text)
            if found is not None and cut and not cut.startswith((" ", "#")):
                self.context.findings.warn(
                    f"YAML took ` #{cut[:20]}` for a comment", node.span, f"if it is not one, {QUOTE_ADVICE}"
                )
            return found
        if isinstance(node, Sequence):
            self.context.findings.error(
                "a list is not a phrase", node.span, "`one of a | b | c`, or `one of:` above the list"
            )
            return None
        if node.flow and any(each.style is None for each, _ in node):
            advice = "write `name: phrase` on one line, without braces"
            self.context.findings.error(CUT_AT_COMMAS, node.span, hint=advice)
            return None
        text = spelled_out(node, self.context.findings)
        if text is None:
            return None
        return build_phrases.phrase(text, self.context.findings, None, self.context.reuse.known, key.text.text)

    def table(self, name: Scalar, node: Mapping) -> tuple[Table, Draft] | None:
        """Read `when:` or `by FIELD:`, with the clauses of the field beside it."""
        table: Table | None = None
        clauses: set[str] = set()
        present_if: Expression | None = None
        named: str | None = None
        for key, value in node:
            word = key.text.text
            if TABLE_KEY.match(word) and isinstance(value, Mapping) and len(value.entries) > MAX_ROWS:
                self.context.findings.error(f"a table of more than {MAX_ROWS:,} rows", key.span)
                return None
            if TABLE_KEY.match(word) and table is None and isinstance(value, Mapping):
                table = self._when(name, value) if word == "when" else self._by(name, key, value)
            elif word in FLAGS and isinstance(value, Scalar):
                clauses |= {word} if value.text.text not in OFF else set()
            elif word == "present if" and isinstance(value, Scalar):
                present_if = expression(value.text, self.context.findings, self.context.cut(value))
            elif word == "named" and isinstance(value, Scalar):
                named = value.text.text.strip("\"'")
            else:
                hint = did_you_mean(word, BESIDE_TABLE)
                expected = ", ".join(BESIDE_TABLE)
                self.context.findings.error(f"`{word}` does not fit beside a table", key.span, expected, hint)
        if table is None or not table.rows:
            if not self.context.findings.errors:
                self.context.findings.error(
                    "a table needs rows", name.span, "one `condition: phrase` per line, `else:` last"
                )
            return None
        draft = Draft(
            table.rows[0][1], "unique" in clauses, "helper" in clauses, "optional" in clauses, present_if, named
        )
        return table, draft

    def _when(self, name: Scalar, node: Mapping) -> Table:
        """Read a table of conditions."""
        rows: list[tuple[Expression | None, Phrase]] = []
        for key, value in node:
            word = key.text.text
            if word != "else" and re.fullmatch(r"\w+", word) and (hint := did_you_mean(word, ["else"])):
                self.context.findings.error(f"`{word}` is not a condition", key.span, hint=hint)
            condition = None if word == "else" else expression(key.text, self.context.findings)
            self._add_row(name, node, key, value, condition, rows)
        return Table(tuple(rows))

    def _by(self, name: Scalar, by: Scalar, node: Mapping) -> Table | None:
        """Read a table of a field's values; a row may list several: `booked | arrived: …`."""
        subject = expression(by.text.cut(2, len(by.text.text)), self.context.findings)
        if subject is None:
            return None
        keys = [key for key, _ in node if key.text.text != "else"]
        values = dict(zip(keys, table_values([key.text.text for key in keys]), strict=True))
        rows: list[tuple[Expression | None, Phrase]] = []
        for key, value in node:
            options = tuple(Literal(each, key.span) for each in values.get(key, ()))
            condition = Membership(subject, options, key.span) if options else None
            self._add_row(name, node, key, value, condition, rows)
        return Table(tuple(rows), subject)

    def _add_row(
        self, name: Scalar, node: Mapping, key: Scalar, value: Node, condition: Expression | None,
        rows: list[tuple[Expression | None, Phrase]],
    ) -> None:  # fmt: skip
        """Read one row of a table."""
        if key.text.text == "else" and key is not node.entries[-1][0]:
            self.context.findings.error("`else` comes last", key.span)
        draft = self.draft(name, value, node.flow)
        if draft is None or (condition is None and key.text.text != "else"):
            return
        if draft.unique or draft.helper or draft.optional or draft.present_if is not None or draft.named:
            advice = "put it beside the table"
            self.context.findings.error("this clause belongs to the field as a whole", draft.phrase.span, hint=advice)
        rows.append((condition, draft.phrase))
