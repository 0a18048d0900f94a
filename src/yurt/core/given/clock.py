"""Date-times with an offset, on the clock of a field's zone."""

from __future__ import annotations

import contextlib
from datetime import datetime, timedelta, timezone
from zoneinfo import ZoneInfo

from yurt.core.base.python_values import PythonValue
from yurt.core.model import DateTime, Field


def on_clock(field: Field, value: PythonValue) -> PythonValue:
    """Return a date-time with an offset, or its text, on the clock of the field's zone."""
    zone = field.head.zone if isinstance(field.head, DateTime) else None
    if zone is None:
        return value
    told = value
    if isinstance(value, str):
        with contextlib.suppress(ValueError):
            told = datetime.fromisoformat(value)
    if not isinstance(told, datetime) or told.tzinfo is None:
        return value
    there = timezone(timedelta(0)) if zone == "utc" else _offset(zone) if zone[0] in "+-" else ZoneInfo(zone)
    return told.astimezone(there).replace(tzinfo=None)


def _offset(zone: str) -> timezone:
    hours, minutes = int(zone[:3]), int(zone[0] + zone[4:6])
    return timezone(timedelta(hours=hours, minutes=minutes))
