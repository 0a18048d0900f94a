"""All distributions by name."""

from __future__ import annotations

from functools import cache
from importlib import import_module
from pkgutil import iter_modules

from yurt.core import distributions
from yurt.core.distributions.distribution import Distribution


@cache
def all_distributions() -> dict[str, Distribution]:
    """Return every distribution, those without arguments first."""
    modules = (import_module(f"{distributions.__name__}.{each.name}") for each in iter_modules(distributions.__path__))
    found = [module.DISTRIBUTION for module in modules if hasattr(module, "DISTRIBUTION")]
    return {each.name: each for each in sorted(found, key=lambda each: (len(each.arguments) > 0, each.name))}
