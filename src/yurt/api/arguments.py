"""Checks of arguments that several functions take; each fault says what to write instead."""

from __future__ import annotations

from datetime import date, datetime
from typing import Any

from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import no_record_type
from yurt.core.engine.run import RunOptions
from yurt.core.model import Schema

LARGEST_SEED = 10**18 - 1
LARGEST_COUNT = 10**15


def check_schema(schema: Any) -> None:
    """Refuse anything that is not a schema."""
    if not isinstance(schema, Schema):
        hint = f"; write yurt.read({str(schema)!r})" if isinstance(schema, str) and "\n" not in schema else ""
        raise UsageFault(f"the schema is what `yurt.read` returns, not {type(schema).__name__}{hint}")


def check_record_type(schema: Any, record_type: Any) -> None:
    """Refuse anything that is not a schema, or a record type that it does not have."""
    check_schema(schema)
    if not isinstance(record_type, str):
        names = ", ".join(schema.records)
        raise UsageFault(f"the record type is a name ({names}), not {type(record_type).__name__}")
    if record_type not in schema.records:
        raise UsageFault(no_record_type(record_type, schema.records))


def check_whole(name: str, value: Any, least: int = 0, most: int = LARGEST_COUNT) -> None:
    """Refuse anything but None or a whole number within a range."""
    if value is not None and (not isinstance(value, int) or isinstance(value, bool) or not least <= value <= most):
        raise UsageFault(f"`{name}` is {value!r}, not a whole number from {least} to {most:,}")


def run_options(seed: Any, today: Any, count: Any, scale: Any = 1.0) -> RunOptions:
    """Return the options of a run. Raises UsageFault for a wrong one."""
    check_whole("seed", seed, most=LARGEST_SEED)
    check_whole("count", count)
    if today is not None and (not isinstance(today, date) or isinstance(today, datetime)):
        raise UsageFault(f"`today` is {today!r}, not a datetime.date")
    if isinstance(scale, bool) or not isinstance(scale, int | float) or not 0 <= scale <= 1e12:
        raise UsageFault(f"`scale` is {scale!r}, not a factor such as 10 or 0.5")
    return RunOptions(seed, today, count, float(scale))
