"""What somebody asks to be generated: all that the bytes depend on, beside the schema and its files."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date

from yurt.core.base.data_classes import dataclass, fields
from yurt.core.base.errors import UsageFault
from yurt.core.base.json_object import JsonObject
from yurt.core.formats import FORMATS

# The most rows, rows of a file, and bytes of a file that may be asked for.
MOST = 10**15
# Reads the value of an option from plain data.
Reader = Callable[[object], object]


@dataclass(frozen=True)
class Request:
    """The options of a run. As plain data they are kept in receipts, and travel to other processes."""

    record: str | None = None
    # Lines in place of a schema, and lines that replace its own.
    fields: tuple[str, ...] = ()
    replaced: tuple[str, ...] = ()
    variants: tuple[str, ...] = ()
    locale: str | None = None
    seed: int | None = None
    today: date | None = None
    count: int | None = None
    scale: float = 1.0
    # The first and the last row, counted from 1.
    rows: tuple[int, int] | None = None
    format: str = "csv"
    # Settings of the format: record type, name, value.
    settings: tuple[tuple[str, str, str], ...] = ()
    rows_per_file: int | None = None
    size_per_file: int | None = None
    file_per: str | None = None
    each_variant: bool = False
    # The most rows of a file by record type, where they differ.
    part_rows: tuple[tuple[str, int], ...] = ()
    # Shares of errors, by field.
    errors: tuple[tuple[str, float], ...] = ()

    def as_data(self) -> JsonObject:
        """Return the options that are not the usual ones, as plain data."""
        chosen = {each.name: getattr(self, each.name) for each in fields(self)}
        return {
            name: value.isoformat() if isinstance(value, date) else value
            for name, value in chosen.items() if value != getattr(USUAL, name)
        }  # fmt: skip

    @classmethod
    def of_data(cls, data: JsonObject) -> Request:
        """Return the request of plain data. Raises UsageFault for what is none."""
        found: JsonObject = {}
        for name, value in data.items():
            try:
                found[name] = READERS[name](value)
            except (TypeError, ValueError, KeyError):
                raise UsageFault(f"`{name}` with the value {str(value)[:100]} is not an option of a run") from None
        return cls(**found)

    def differing(self, other: Request) -> list[str]:
        """Return the names of the options that two requests do not share."""
        return [each.name for each in fields(self) if getattr(self, each.name) != getattr(other, each.name)]


def _of(kind: type) -> Reader:
    def read(value: object) -> object:
        if type(value) is not kind:
            raise TypeError
        return value

    return read


def _tuple(*kinds: type) -> Reader:
    def read(values: object) -> object:
        if not isinstance(values, list | tuple) or len(values) != len(kinds):
            raise TypeError
        return tuple(_of(kind)(value) for kind, value in zip(kinds, values, strict=True))

    return read


def _tuple_of(read: Reader) -> Reader:
    def read_all(values: object) -> object:
        if not isinstance(values, list | tuple):
            raise TypeError
        return tuple(map(read, values))

    return read_all


def _whole(low: int, high: int) -> Reader:
    def read(value: object) -> object:
        if not isinstance(value, int) or isinstance(value, bool) or not low <= value <= high:
            raise ValueError
        return value

    return read


def _factor(value: object) -> object:
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 <= value < MOST:
        raise ValueError
    return float(value)


def _part_rows(values: object) -> object:
    found = _tuple(str, int)(values)
    assert isinstance(found, tuple)
    return found[0], _whole(1, MOST)(found[1])


def _format(value: object) -> object:
    if value not in FORMATS:
        raise ValueError
    return value


USUAL = Request()
# How each option is read from plain data.
READERS: dict[str, Reader] = {
    "record": _of(str), "fields": _tuple_of(_of(str)), "replaced": _tuple_of(_of(str)),
    "variants": _tuple_of(_of(str)), "locale": _of(str), "seed": _whole(0, 10**18 - 1),
    "today": lambda value: date.fromisoformat(str(value)), "count": _whole(0, MOST), "scale": _factor,
    "rows": _tuple(int, int), "format": _format, "settings": _tuple_of(_tuple(str, str, str)),
    "rows_per_file": _whole(1, MOST), "size_per_file": _whole(1, MOST), "file_per": _of(str),
    "each_variant": _of(bool), "part_rows": _tuple_of(_part_rows), "errors": _tuple_of(_tuple(str, float)),
}  # fmt: skip
