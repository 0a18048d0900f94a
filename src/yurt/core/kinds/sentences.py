"""Sentences in the language of each row's locale: made of parts, or about an industry."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.picks import Pick

INDUSTRIES = ("trade", "health", "logistics", "finance", "government", "software")
ANY = "any"


def of_industry(context: KindContext, name: str, own: bool = True, column: str = "text") -> Column:
    """Return a text of a list that has some for each industry: for the industry that the field asks for."""
    return _pick(context, name, own).text(column)


def _pick(context: KindContext, name: str, own: bool) -> Pick:
    return context.pick(name, own=own, only=("industry", _industry(context)) if _industry(context) != ANY else None)


def _industry(context: KindContext) -> str:
    return str(context.given("industry") or ANY)


def subject(context: KindContext, purpose: str) -> Column:
    """Return the subject of a sentence: one of the tester's own words, or one of the language."""
    if own := context.several("about"):
        return _one_of(context, own, "subject", purpose)
    return context.pick("subjects", own=True, purpose=purpose).text("text")


def predicate(context: KindContext, purpose: str) -> Column:
    """Return the predicate of a sentence: one of the tester's verbs, or one of the language."""
    if own := context.several("verbs"):
        return _one_of(context, own, "verb", purpose)
    return context.pick("predicates", own=True, purpose=purpose).text("text")


def _one_of(context: KindContext, words: list[object], *purpose: str) -> Column:
    return context.word_of([str(each) for each in words], (context.own_unit(*purpose) * len(words)).astype("int64"))


def sentence(context: KindContext, purpose: str = "") -> Column:
    """Return a sentence: of an industry, or of a subject, a predicate, and an end."""
    if _industry(context) != ANY:
        return of_industry(context, "industry-sentences")
    parts = {
        "subject": subject(context, purpose),
        "predicate": predicate(context, purpose),
        "tail": context.pick("tails", own=True, purpose=purpose).text("text"),
    }
    return context.capital(context.form("sentence", parts))


def sentences(context: KindContext, count: int, purpose: str = "", after: int = 0) -> Column:
    """Return several sentences, joined as the language does.

    Those of an industry are different as long as there are any; `after` is the number of earlier ones.
    """
    if _industry(context) == ANY:
        each = [sentence(context, f"{purpose}{number}") for number in range(max(count, 1))]
    else:
        first = _pick(context, "industry-sentences", own=True)
        each = [first.further(after + number, "industry").text("text") for number in range(max(count, 1))]
    blank = context.fact("between-sentences")
    return context.join(each[0], *(part for one in each[1:] for part in (blank, one)))
