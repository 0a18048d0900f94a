"""Kinds of running text, in the language of the locale."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from yurt.core.kinds.catalogue import kind

if TYPE_CHECKING:
    from yurt.core.engine.kind_world import World


@kind("word", "text", "a noun", listed=("words", "word"))
def word(world: World) -> Any:
    return world.pick("words", own=True).text("word")


@kind("sentence", "text", "a short sentence")
def sentence(world: World) -> Any:
    parts = [world.pick(f"sentence-{part}", own=True).text("text") for part in ("subjects", "verbs", "places")]
    return world.join(parts[0], " ", parts[1], " ", parts[2], ".")
