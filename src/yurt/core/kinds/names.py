"""The names of the person that a record speaks of: from the lists of the locale, or from a field of the record."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from yurt.core.columns.column import Column
    from yurt.core.engine.world.held import Held
    from yurt.core.engine.world.lines import Pick
    from yurt.core.engine.world.world import World


def given(world: World) -> Pick | Held:
    """Return the given name."""
    return world.part("given-name", lambda: world.pick("given-names", by_sex=True))


def additional(world: World) -> Pick | Held:
    """Return the second given name."""
    return world.pick("given-names", by_sex=True, purpose=" second")


def family(world: World) -> Pick | Held:
    """Return the family name."""
    return world.part("family-name", lambda: world.pick("family-names"))


def given_text(world: World) -> Column:
    """Return the given name, in the script that is asked for."""
    return given(world).text("latin" if _latin(world) else "name")


def family_text(world: World) -> Column:
    """Return the family name: in the form for the person's sex, where there are two, and the script asked for."""
    found = family(world)
    column = "latin" if _latin(world) else "name"
    if not found.has("feminine"):
        return found.text(column)
    return found.text_by_sex(column, "latin-feminine" if _latin(world) else "feminine", world.sex())


def family_ascii(world: World) -> Column:
    """Return the family name as it is written in addresses of the net, in the form for the person's sex."""
    found = family(world)
    if not found.has("feminine"):
        return found.ascii("name")
    return found.ascii_by_sex("name", "feminine", world.sex())


def _latin(world: World) -> bool:
    return str(world.given("script")) == "latin"
