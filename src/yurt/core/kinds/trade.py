"""Kinds of trade: companies and article numbers."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from yurt.core.kinds.catalogue import kind

if TYPE_CHECKING:
    from yurt.core.engine.kind_world import World


@kind("organization", "trade", "a made-up company", source="HTML autofill")
def organization(world: World) -> Any:
    parts = {
        "trade": world.pick("trades").text("trade"),
        "family-name": world.pick("family-names", own=True).text("name"),
        "legal-form": world.pick("legal-forms").text("form"),
    }
    return world.form("organization", parts)


@kind(
    "ean-13", "trade", "an article number", source="GS1 General Specifications, section 7.9",
    safe="begins with 2: for use inside a company, never given to an article", unique=10**11,
)  # fmt: skip
def ean_13(world: World) -> Any:
    return world.digits("2", 11, weights=(1, 3))


@kind("colour", "trade", "the name of a colour", listed=("colours", "colour"))
def colour(world: World) -> Any:
    return world.pick("colours", own=True).text("colour")
