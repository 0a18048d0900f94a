"""All locales: those of the catalogue, and those of a tester's own folder."""

from __future__ import annotations

from yurt.core.base.caches import kept
from yurt.core.kinds import catalogue, own_lists


@kept(16)
def every_locale(folder: str = "") -> tuple[str, ...]:
    """Return the names of all locales."""
    own = own_lists.locales(folder) if folder else []
    return tuple(sorted({*catalogue.locales(), *own}))
