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
    from yurt.core.base.errors import UsageFault, YurtError
    from yurt.core.source.diagnostics import SchemaFault

__version__ = "0.1.0"
__all__ = ["SchemaFault", "UsageFault", "YurtError", "read", "table"]
PLACES = {
    "read": "yurt.api.schemas", "table": "yurt.api.tables", "YurtError": "yurt.core.base.errors",
    "UsageFault": "yurt.core.base.errors", "SchemaFault": "yurt.core.source.diagnostics",
}  # fmt: skip


def __getattr__(name: str) -> Any:
    if name in PLACES:
        return getattr(import_module(PLACES[name]), name)
    raise AttributeError(f"module `yurt` has no attribute `{name}`")
