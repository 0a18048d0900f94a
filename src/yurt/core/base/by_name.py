"""What the modules of a folder hold, by name: each module is imported only when it is asked for."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from importlib import import_module
from pkgutil import iter_modules
from typing import TypeVar

Held = TypeVar("Held")


class ByName(Mapping[str, Held]):
    """The objects that the modules of a package hold under the same name, by the names of the modules.

    A name is written with hyphens where the module has underscores.
    """

    def __init__(self, package: str, path: list[str], attribute: str, without: tuple[str, ...] = ()) -> None:
        self.package = package
        self.names = tuple(each.name.replace("_", "-") for each in iter_modules(path) if each.name not in without)
        self.attribute = attribute

    def __getitem__(self, name: str) -> Held:
        if name not in self.names:
            raise KeyError(name)
        found: Held = getattr(import_module(f"{self.package}.{name.replace('-', '_')}"), self.attribute)
        return found

    def __contains__(self, name: object) -> bool:
        return name in self.names

    def __iter__(self) -> Iterator[str]:
        return iter(self.names)

    def __len__(self) -> int:
        return len(self.names)
