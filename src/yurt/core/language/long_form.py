"""The long form of a field: a mapping whose words are joined into the equivalent phrase."""

from __future__ import annotations

from yurt.core.base.nearest import did_you_mean
from yurt.core.grammar.words import CLAUSES, HEADS, SOME_CLAUSES
from yurt.core.source.diagnostics import Findings
from yurt.core.source.nodes import Mapping, Node, Scalar, Sequence, Text
from yurt.core.source.yaml_nodes import QUOTE_ADVICE, cut_by_comment

KEYS = (*HEADS, "=", "kind", *CLAUSES)
FLAGS = ("optional", "unique", "helper", "live", "encrypt", "shuffle", "scrub", "remove", "evenly")
OFF = ("no", "false")


def spelled_out(node: Mapping, findings: Findings) -> Text | None:
    """Join the long form: `{integer: 1..6, unique: yes}` becomes `integer 1..6, unique`."""
    whole: Text | None = None
    for key, value in node:
        word = key.text.text
        if word not in KEYS and whole is not None:
            hint = did_you_mean(word, KEYS)
            findings.error(f"unknown clause `{word}`", key.span, "a clause: " + SOME_CLAUSES, hint)
            return None
        if isinstance(value, Scalar) and (value.broken or (word in FLAGS and value.text.text in OFF)):
            continue
        part = key.text if word != "kind" else Text("", key.text.at[:1])
        content = _content(word, value, findings)
        if content is None:
            return None
        if content.text and not (word in FLAGS and content.text in ("yes", "true")):
            part = part + part.filler(" ") + content
        whole = part if whole is None else whole + whole.filler(", ") + part
    return whole


def _content(word: str, value: Node, findings: Findings) -> Text | None:
    if isinstance(value, Scalar):
        if (cut := cut_by_comment(findings.source, value)) is not None and any(mark in cut for mark in "|\"'/,"):
            findings.error(f"YAML cut this value at ` #{cut[:20]}`", value.span, hint=QUOTE_ADVICE)
        return value.text
    if word == "one of" and isinstance(value, Sequence) and value.items:
        items = [each.text for each in value.items if isinstance(each, Scalar)]
        whole = items[0]
        for each in items[1:]:
            whole = whole + whole.filler(" | ") + each
        return whole
    findings.error(f"`{word}` takes one line", value.span)
    return None
