"""The versions of this program and of the libraries on which the bytes of records can depend."""

from __future__ import annotations

import platform

# Each draws, knows, or writes something: numbers, names of the CLDR, holidays, time zones, containers of files.
LIBRARIES = ("numpy", "pyarrow", "babel", "holidays", "tzdata", "xlsxwriter", "duckdb", "jinja2")


def versions() -> dict[str, str]:
    """Return the versions by name; a library that is not installed is left out."""
    found = {"yurt": _version("yurt"), "python": platform.python_version()}
    found |= {name: _version(name) for name in LIBRARIES}
    return {name: each for name, each in found.items() if each}


def differing(then: dict[str, str]) -> list[str]:
    """Return in words which versions are not those of another time."""
    now = versions()
    return [
        f"{name} {then.get(name, 'not installed')} then, {now.get(name, 'not installed')} now"
        for name in sorted({*then, *now}) if then.get(name) != now.get(name)
    ]  # fmt: skip


def _version(name: str) -> str:
    # Slow to import, and needed only for receipts.
    from importlib.metadata import PackageNotFoundError, version

    try:
        return version(name)
    except PackageNotFoundError:
        return ""
