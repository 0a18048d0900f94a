"""The head `bytes`: random bytes in hexadecimal or base64 digits."""

from __future__ import annotations

from yurt.core.base.types import TEXT
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import HeadRule, not_unique
from yurt.core.model import Bytes

MAX_BYTES = 5000


def build(builder: Builder, tree: Tree) -> Bytes:
    """Return the head of a tree."""
    _, *size_trees, base = tree.children
    sizes = [builder.number(each) for each in size_trees if each is not None]
    low, high = sizes[0], sizes[-1]
    if not (isinstance(low, int) and isinstance(high, int) and 1 <= low <= high <= MAX_BYTES):
        expected = f"1 to {MAX_BYTES:,}: `bytes 16`"
        builder.findings.error("a number of bytes that is not possible", builder.span(tree), expected)
        low = high = 1
    return Bytes(low, high, base == "base64")


HEAD = HeadRule(
    Bytes,
    {"bytes": build},
    lambda head, scope, record: TEXT,
    lambda head, writer: f"{head.low}..{head.high} bytes",
    not_unique("random bytes are drawn one by one; a `uuid` is unique"),
    lambda head, scope: 16 * head.high,
)
