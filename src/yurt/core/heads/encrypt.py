"""The treatment `encrypt`: another text of the same length and the same classes of characters."""

from __future__ import annotations

from datetime import date
from typing import ClassVar

from yurt.core.base.data_classes import dataclass
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import TEXT
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads import treatment
from yurt.core.heads.head import ENDLESS, CheckScope, HeadRule
from yurt.core.kinds.checked_kinds import CHECKED_KINDS
from yurt.core.model import Phrase, Schema, Treatment


@dataclass(frozen=True)
class Encrypt(Treatment):
    """The format-preserving encryption of a value; `kind` has check digits, which are right afterwards."""

    word: ClassVar[str] = "encrypt"
    keeps_type: ClassVar[bool] = True
    kind: str = ""


def build(builder: Builder, tree: Tree) -> Encrypt:
    """Return the head of a tree."""
    kind = tree.children[1]
    return Encrypt(kind=str(kind) if kind is not None else "")


def _check(head: Encrypt, phrase: Phrase, scope: CheckScope) -> None:
    treatment.check(head, phrase, scope)
    if head.kind and head.kind not in CHECKED_KINDS:
        expected = "one of " + ", ".join(CHECKED_KINDS)
        message = f"`{head.kind}` is not a kind whose check digits `encrypt` can set"
        scope.findings.error(message, phrase.span, expected, did_you_mean(head.kind, CHECKED_KINDS))


def _cardinality(head: Encrypt, phrase: Phrase, today: date, schema: Schema) -> int:
    # Different values stay different.
    return ENDLESS


HEAD = HeadRule(
    Encrypt,
    {"encrypt": build},
    lambda head, scope, record: TEXT,
    lambda head, writer: f"encrypt {head.kind}".strip(),
    _cardinality,
    check=_check,
)
