"""Instances of model classes, without a schema: filled by type, constraint, and name."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import date
from functools import lru_cache
from typing import Any, TypeVar

from yurt.api.arguments import check_whole, run_options
from yurt.api.records import Supply, merged, supply_of
from yurt.core.base.errors import UsageFault, YurtError
from yurt.core.classes.model import Model, model_of
from yurt.core.classes.model import schema_of as schema_of_model
from yurt.core.model import Schema

Instance = TypeVar("Instance")
# The records that a class may refuse, by rules that no annotation tells, before it is given up.
TRIES = 100


def instance(
    model: type[Instance],
    values: Mapping[str, Any] | None = None,
    /,
    *,
    row: int | None = None,
    seed: int | None = None,
    today: date | None = None,
    allow_invalid: bool = False,
    **fields: Any,
) -> Instance:
    """Return an instance of a class whose fields are filled by type, constraint, and name.

    Data classes, attrs, typed dicts, named tuples, pydantic models, mapped classes of SQLAlchemy, and classes with
    `__json_schema__` are known; objects inside them are made along. A keyword sets a field, and what Yurt knows to
    depend on it follows. Each call returns the next one, always the same ones for one seed; `row` returns a certain
    one. Raises `yurt.ValueFault` for a value that breaks a constraint, and YurtError for a field that cannot be filled.

    >>> from dataclasses import dataclass
    >>> @dataclass
    ... class Guest:
    ...     given_name: str
    ...     nights: int
    >>> instance(Guest, nights=3).nights
    3
    """
    check_whole("row", row, 1)
    source = _source(model, seed, today)
    return source.next(merged(values, fields), row, allow_invalid)  # type: ignore[no-any-return]


def instances(
    model: type[Instance],
    values: Mapping[str, Any] | None = None,
    /,
    *,
    count: int,
    row: int | None = None,
    seed: int | None = None,
    today: date | None = None,
    allow_invalid: bool = False,
    **fields: Any,
) -> Iterator[Instance]:
    """Yield a number of instances lazily, with the arguments of `instance`.

    They are the next ones, after those of earlier calls; `row` begins with a certain one, and with row 1 again.
    """
    check_whole("count", count)
    check_whole("row", row, 1)
    source = _source(model, seed, today) if row is None else _Source(model_of(model), seed, today, row - 1)
    given = merged(values, fields)
    first = [source.next(given, None, allow_invalid)] if count else []
    return _lazily(source, given, allow_invalid, first, count)


def _lazily(
    source: _Source, given: Mapping[str, Any], invalid: bool, first: list[Instance], count: int
) -> Iterator[Instance]:  # fmt: skip
    yield from first
    for _ in range(len(first), count):
        yield source.next(given, None, invalid)


def schema_of(model: type[Any]) -> Schema:
    """Return the schema that `instance` uses for a class, with one record type.

    >>> from typing import NamedTuple
    >>> class Hut(NamedTuple):
    ...     beds: int
    >>> print(schema_of(Hut).source.text)
    yurt: 1
    today: 2026-01-01
    seed: 1
    records:
      hut:
        count: 1000000
        fields:
          beds: integer 0..1000
    <BLANKLINE>
    """
    found = model_of(model)
    for fault in found.unfilled.values():
        raise fault
    return schema_of_model(found)


class _Source:
    """The instances of a class for one seed, one after the other."""

    def __init__(self, model: Model, seed: int | None, today: date | None, skipped: int = 0) -> None:
        self.model = model
        self.schema = schema_of_model(model)
        self.name = next(iter(self.schema.records))
        self.supply: Supply = supply_of(self.schema, run_options(seed, today, None))
        self.supply.skip(self.name, skipped)

    def next(self, values: Mapping[str, Any], row: int | None, allow_invalid: bool) -> Any:
        """Return the next instance that the class accepts, or that of a row."""
        for name, fault in self.model.unfilled.items():
            if name not in values:
                raise fault
        given = self.model.given(values, allow_invalid)
        for tried in range(TRIES if row is None else 1):
            made = self.supply.take(self.name, None if row is None else row - 1, given, True)
            try:
                return self.model.built(made, values, allow_invalid)
            except (ValueError, TypeError) as fault:
                if tried + 1 == TRIES or row is not None:
                    raise self._refused(values, fault, tried + 1) from fault
        raise AssertionError

    def _refused(self, values: Mapping[str, Any], fault: Exception, tries: int) -> YurtError:
        told = f"{self.model.model.__qualname__} refuses "
        told += "its values" if tries == 1 else f"{tries} records in a row"
        hint = "give the fields that its rule reads, or say in the annotations what it allows"
        return YurtError(f"{told}: {fault}; {hint}")


def _source(model: Any, seed: int | None, today: date | None) -> _Source:
    check_whole("seed", seed)
    try:
        return _kept_source(model, seed, today)
    except TypeError as fault:
        if "unhashable" not in str(fault):
            raise
        raise UsageFault(f"a model class is needed, not {type(model).__name__}") from None


@lru_cache(maxsize=256)
def _kept_source(model: Any, seed: int | None, today: date | None) -> _Source:
    return _Source(model_of(model), seed, today)
