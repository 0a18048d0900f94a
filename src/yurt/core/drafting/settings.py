"""What a draft is asked for."""

from __future__ import annotations

from yurt.core.base.data_classes import dataclass


@dataclass(frozen=True)
class Settings:
    """`least` is the number of rows in which a value must be before it enters the schema.

    `count` replaces the number of rows, `locale` what the names speak for.
    """

    least: int = 10
    count: int | None = None
    locale: str = ""
