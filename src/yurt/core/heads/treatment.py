"""What the heads that treat an existing column have in common."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TypeVar

from yurt.core.base.types import TEXT, Type
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Tree
from yurt.core.heads.head import CheckScope, HeadRule, TypeScope, not_unique
from yurt.core.model import Phrase, Record, Treatment

T = TypeVar("T", bound=Treatment)


def check(head: Treatment, phrase: Phrase, scope: CheckScope) -> None:
    """Note a treatment without a column."""
    if head.original is None:
        message = f"`{head.word}` treats a column of an existing file, and there is none"
        scope.findings.error(message, phrase.span, "`yurt disguise` with the file")


def _text(head: Treatment, scope: TypeScope, record: Record) -> Type | None:
    return TEXT


def rule(
    model: type[T],
    build: Callable[[Builder, Tree], T],
    described: Callable[[T], str],
    *,
    data_type: Callable[[T, TypeScope, Record], Type | None] = _text,
    check: Callable[[T, Phrase, CheckScope], None] = check,
) -> HeadRule[T]:
    """Return the rule of a treatment, which is built by the grammar rule of its name."""
    built: Mapping[str, Callable[[Builder, Tree], T]] = {model.word: build}
    reason = f"`{model.word}` may make one value of two; `encrypt` keeps different values different"
    return HeadRule(
        model, built, data_type, lambda head, writer: described(head), not_unique(reason), check=check,
    )  # fmt: skip
