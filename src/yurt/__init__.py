"""Yurt: realistic synthetic records from a schema, for software tests.

    import yurt
    schema = yurt.read("huts.yaml")
    table = yurt.table(schema, "stay", rows=(1, 100))    # a pyarrow.Table

Everything heavy is imported when it is needed.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from yurt.api.schemas import read
    from yurt.api.tables import table

__version__ = "0.1.0"
__all__ = ["read", "table"]
PLACES = {"read": "schemas", "table": "tables"}


def __getattr__(name: str) -> Any:
    if name in PLACES:
        return getattr(import_module(f"yurt.api.{PLACES[name]}"), name)
    raise AttributeError(f"module `yurt` has no attribute `{name}`")
