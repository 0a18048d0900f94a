"""Kinds of running text, in the language of the locale."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from yurt.core.kinds.catalogue import Parameter, kind
from yurt.core.types import INTEGER

if TYPE_CHECKING:
    from yurt.core.engine.world.world import World

ABOUT = {
    "about": Parameter("what the text speaks of: subjects of your own, in brackets", several=True),
    "verbs": Parameter("what they do: verbs of your own, in brackets", several=True),
}
SENTENCES = {"sentences": Parameter("how many sentences", "4"), **ABOUT}


@kind("word", "a noun", about="locale", listed=("words", "text"))
def word(world: World) -> Any:
    return world.pick("words", own=True).text("text")


@kind("word-ascii", "a noun as it is written in addresses of the net", about="locale")
def word_ascii(world: World) -> Any:
    return world.pick("words", own=True).ascii("text")


@kind("sentence", "a sentence", about="locale", parameters=ABOUT)
def sentence(world: World) -> Any:
    return world.sentence()


@kind("paragraph", "some sentences", about="locale", parameters=SENTENCES)
def paragraph(world: World) -> Any:
    return world.sentences(int(world.given("sentences") or 4))


@kind(
    "paragraphs",
    "several paragraphs, with a blank line between them",
    about="locale",
    parameters={"paragraphs": Parameter("how many paragraphs", "3"), **ABOUT},
)
def paragraphs(world: World) -> Any:
    count = max(int(world.given("paragraphs") or 3), 1)
    parts: list[Any] = []
    for number in range(count):
        parts += ["\n\n"] if number else []
        parts.append(world.sentences(3 + number % 2, f"paragraph {number} "))
    return world.join(*parts)


@kind("title", "a title of two words", about="locale")
def title(world: World) -> Any:
    return world.form(
        "title",
        {
            "first": world.capital(world.pick("words", own=True).text("text")),
            "second": world.capital(world.pick("words", own=True, purpose=" 2").text("text")),
        },
    )


@kind("headline", "a headline of a newspaper", about="locale", parameters=ABOUT)
def headline(world: World) -> Any:
    return world.capital(world.join(world.subject(""), " ", world.pick("predicates", own=True).text("text")))


@kind("review", "what a guest writes of a stay", about="locale")
def review(world: World) -> Any:
    return world.join(
        world.pick("reviews", own=True).text("text"), " ", world.pick("review-ends", own=True).text("text")
    )


@kind("question", "a question to an assistant", about="locale")
def question(world: World) -> Any:
    return world.pick("questions", own=True).text("text")


NOTE = {"shortest": Parameter("the least number of characters", "20"),
        "longest": Parameter("the greatest number of characters, up to 2000", "80")}  # fmt: skip


@kind("note", "a text of a number of characters", about="locale", parameters=NOTE)
def note(world: World) -> Any:
    return world.note(*(int(world.given(name) or NOTE[name].default) for name in ("shortest", "longest")))


@kind("greeting", "the first words of a letter", about="locale")
def greeting(world: World) -> Any:
    return world.pick("greetings", own=True).text("text")


@kind("word-count", "the number of words of a text", type=INTEGER)
def word_count(world: World) -> Any:
    return world.whole(20 + 980 * world.own_unit("count") ** 3)
