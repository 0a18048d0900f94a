"""Kinds of running text, in the language of the locale."""

from __future__ import annotations

from typing import TYPE_CHECKING

from yurt.core.base.types import INTEGER
from yurt.core.kinds import names, sentences
from yurt.core.kinds.catalogue import Parameter, kind
from yurt.core.kinds.contract import Contract, State, Terms, between, lines, listed, text, text_of

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext

ABOUT = {
    "about": Parameter("the subjects of the text: your own, in brackets", several=True),
    "verbs": Parameter("what they do: verbs of your own, in brackets", several=True),
}
# A sentence in any language is shorter than this, and a paragraph than that.
LONGEST_PART = 1200
INDUSTRY = {"industry": Parameter("what the text is about", "any", choices=("any", *sentences.INDUSTRIES))}
SENTENCES = {"sentences": Parameter("how many sentences", "4"), **ABOUT, **INDUSTRY}


def _of_industry(name: str, column: str, otherwise: State | None = None) -> State:
    """Return the contract of a text of a list that has some for each industry.

    Without an industry, `otherwise` is the contract if there is one.
    """

    def state(terms: Terms) -> Contract:
        industry = str(terms.one("industry") or sentences.ANY)
        if industry == sentences.ANY and otherwise is not None:
            return otherwise(terms)
        found = (line for line in lines(terms, name) if industry in (sentences.ANY, line["industry"]))
        return Contract(values=frozenset(line[column] for line in found))

    return state


@kind("word", "a noun", about="locale", listed=("words", "text"))
def word(context: KindContext) -> Column:
    return context.pick("words", own=True).text("text")


@kind("word-ascii", "a noun as web addresses spell it", about="locale", allowed="[a-z0-9-]{1,60}")
def word_ascii(context: KindContext) -> Column:
    return context.pick("words", own=True).ascii("text")


@kind("sentence", "a sentence", about="locale", parameters={**ABOUT, **INDUSTRY},
      contract=_of_industry("industry-sentences", "text", text("whether it is a sentence")))  # fmt: skip
def sentence(context: KindContext) -> Column:
    return sentences.sentence(context)


def _sentences(parameter: str, usual: int, lines: bool = False) -> State:
    """Return the contract of a number of sentences, or of paragraphs, as a parameter says."""

    def state(terms: Terms) -> Contract:
        count = max(int(terms.one(parameter) or usual), 1)
        return Contract((text_of(1, count * LONGEST_PART, lines),), rest="whether it consists of sentences")

    return state


@kind("paragraph", "some sentences", about="locale", parameters=SENTENCES, contract=_sentences("sentences", 4))
def paragraph(context: KindContext) -> Column:
    return sentences.sentences(context, int(context.given("sentences") or 4))


@kind(
    "paragraphs",
    "several paragraphs, with an empty line between them",
    about="locale",
    parameters={"paragraphs": Parameter("how many paragraphs", "3"), **ABOUT, **INDUSTRY},
    contract=_sentences("paragraphs", 3, lines=True),
)
def paragraphs(context: KindContext) -> Column:
    count = max(int(context.given("paragraphs") or 3), 1)
    parts: list[str | Column] = []
    for number in range(count):
        parts += ["\n\n"] if number else []
        parts.append(sentences.sentences(context, 3 + number % 2, f"paragraph {number} ", after=4 * number))
    return context.join(*parts)


@kind("title", "a title of two words", about="locale", contract=text("whether it is a title"))
def title(context: KindContext) -> Column:
    return context.form(
        "title",
        {
            "first": context.capital(context.pick("words", own=True).text("text")),
            "second": context.capital(context.pick("words", own=True, purpose=" 2").text("text")),
        },
    )


@kind(
    "headline", "a headline of a newspaper", about="locale", parameters=ABOUT, contract=text("whether it is a headline")
)
def headline(context: KindContext) -> Column:
    return context.capital(
        context.join(sentences.subject(context, ""), context.fact("between-words"), sentences.predicate(context, ""))
    )


@kind("review", "a customer's review of a purchase, or of a company of an industry", about="locale",
      parameters=INDUSTRY,
      contract=_of_industry("industry-reviews", "text", text("whether it is a review")))  # fmt: skip
def review(context: KindContext) -> Column:
    if str(context.given("industry")) != sentences.ANY:
        return sentences.of_industry(context, "industry-reviews")
    return context.join(
        context.pick("reviews", own=True).text("text"),
        context.fact("between-sentences"),
        context.pick("review-ends", own=True).text("text"),
    )


@kind("question", "a question to an assistant", about="locale", contract=listed("questions", "text"))
def question(context: KindContext) -> Column:
    return context.pick("questions", own=True).text("text")


NOTE = {"shortest": Parameter("the minimum number of characters", "20"),
        "longest": Parameter("the maximum number of characters, up to 2000", "80"), **INDUSTRY}  # fmt: skip


def _length(terms: Terms) -> Contract:
    low, high = (int(terms.one(name) or NOTE[name].default) for name in ("shortest", "longest"))
    return Contract((text_of(low, high),), rest="whether it consists of sentences")


@kind("note", "a text of a number of characters", about="locale", parameters=NOTE, contract=_length)
def note(context: KindContext) -> Column:
    return context.note(*(int(context.given(name) or NOTE[name].default) for name in ("shortest", "longest")))


@kind("greeting", "the first words of a letter", about="locale", contract=listed("greetings", "text"))
def greeting(context: KindContext) -> Column:
    return context.pick("greetings", own=True).text("text")


@kind("word-count", "the number of words of a text", type=INTEGER, contract=between(20, 999))
def word_count(context: KindContext) -> Column:
    return context.whole(20 + 980 * context.own_unit("count") ** 3)


@kind("ticket-subject", "what a request to a help desk is about", about="locale", parameters=INDUSTRY,
      contract=_of_industry("tickets", "subject"))  # fmt: skip
def ticket_subject(context: KindContext) -> Column:
    return sentences.of_industry(context, "tickets", own=False, column="subject")


@kind("ticket-text", "a request to a help desk, in agreement with its subject", about="locale", parameters=INDUSTRY,
      contract=text("whether it is a request"))  # fmt: skip
def ticket_text(context: KindContext) -> Column:
    request = sentences.of_industry(context, "tickets", own=False)
    return context.join(request, context.fact("between-sentences"), context.pick("ticket-ends").text("text"))


@kind("case-note", "a remark in the file of a customer, a patient, or a case", about="locale", parameters=INDUSTRY,
      contract=_of_industry("case-notes", "text"))  # fmt: skip
def case_note(context: KindContext) -> Column:
    return sentences.of_industry(context, "case-notes")


@kind("comment", "a remark on a page or a file", about="locale", parameters=INDUSTRY,
      contract=_of_industry("industry-sentences", "text", text("whether it is a comment")))  # fmt: skip
def comment(context: KindContext) -> Column:
    return sentences.sentences(context, 1, "comment ")


@kind(
    "product-description",
    "some sentences about a product",
    about="locale",
    contract=text("whether it describes a product"),
)
def product_description(context: KindContext) -> Column:
    reviews = (context.pick("reviews", own=True, purpose=each).text("text") for each in (" 1", " 2"))
    motto = context.pick("mottos", own=True).text("text")
    first, second = reviews
    gap = context.fact("between-sentences")
    return context.join(motto, context.fact("full-stop"), gap, first, gap, second)


@kind(
    "biography",
    "two sentences about a person: the job, and what they do",
    about="person",
    by_age=True,
    contract=text("whether it is about the person"),
)
def biography(context: KindContext) -> Column:
    job = context.pick("jobs").text_by_sex("male", "female", context.sex())
    name = context.form("full-name", names.parts(context))
    return context.join(
        name,
        ", ",
        job,
        context.fact("full-stop"),
        context.fact("between-sentences"),
        sentences.sentences(context, 1, "biography "),
    )


# Words from Cicero, De finibus bonorum et malorum I 32-33.
LATIN_WORDS = (
    "ab", "accusantium", "ad", "alias", "aliquam", "animi", "aperiam", "architecto", "aspernatur", "aut", "autem",
    "beatae", "consequatur", "corporis", "culpa", "cum", "debitis", "deleniti", "dicta", "dignissimos", "dolor",
    "dolorem", "ducimus", "ea", "eius", "eligendi", "enim", "esse", "est", "et", "eveniet", "ex", "excepturi",
    "explicabo", "facere", "fuga", "harum", "hic", "id", "illo", "impedit", "in", "incidunt", "inventore", "ipsa",
    "iste", "iure", "laborum", "libero", "magnam", "maiores", "maxime", "minima", "minus", "modi", "mollitia",
    "natus", "nemo", "neque", "nihil", "nisi", "nostrum", "odio", "omnis", "optio", "perferendis", "placeat",
    "porro", "possimus", "quae", "quas", "quia", "quidem", "quis", "quo", "ratione", "recusandae", "rem", "repellat",
    "rerum", "saepe", "sed", "similique", "sint", "soluta", "sunt", "tempora", "tenetur", "totam", "ullam", "unde",
    "ut", "vel", "velit", "veniam", "veritatis", "vero", "vitae", "voluptas", "voluptatem",
)  # fmt: skip
LATIN_LENGTH = 10


@kind(
    "filler-text",
    "filler text in Latin",
    source="Cicero, De finibus I 32-33",
    contract=text("whether it consists of Latin words"),
)
def filler_text(context: KindContext) -> Column:
    import numpy as np

    words: list[str | Column] = []
    for number in range(LATIN_LENGTH):
        at = (context.own_unit("word", number) * len(LATIN_WORDS)).astype(np.int64)
        words += [" ", context.word_of(list(LATIN_WORDS), at)]
    return context.capital(context.join(*words[1:], "."))
