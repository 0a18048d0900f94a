"""Yurt: realistic synthetic records from a schema, for software tests.

    import yurt
    schema = yurt.read("huts.yaml")
    stay = yurt.record(schema, "stay", party=3)          # one record as a dict
    table = yurt.table(schema, "stay", rows=(1, 100))    # a pyarrow.Table
    yurt.assert_valid(stay, schema, "stay")

Everything heavy is imported when it is needed.
"""

from __future__ import annotations

from importlib import import_module
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from yurt.api.cases import Case, Cases, cases
    from yurt.api.files import Generated, generate
    from yurt.api.instances import instance, instances, schema_of
    from yurt.api.parts import Part, parts
    from yurt.api.records import record, records
    from yurt.api.schemas import read, read_dict, read_text
    from yurt.api.tables import frame, table
    from yurt.api.verification import Verified, Violation, assert_valid, verify
    from yurt.core.base.errors import SurroundingsFault, UsageFault, YurtError
    from yurt.core.classes.constraints import Line
    from yurt.core.given.records import ValueFault
    from yurt.core.model import Schema
    from yurt.core.source.diagnostics import SchemaFault

__version__ = "0.1.0"
__all__ = [
    "Case", "Cases", "Generated", "Line", "Part", "Schema", "SchemaFault", "SurroundingsFault", "UsageFault",
    "ValueFault", "Verified", "Violation", "YurtError", "assert_valid", "cases", "frame", "generate", "instance",
    "instances", "parts", "read", "read_dict", "read_text", "record", "records", "schema_of", "table", "verify",
]  # fmt: skip
PLACES = {
    "yurt.api.cases": ("Case", "Cases", "cases"),
    "yurt.api.files": ("Generated", "generate"),
    "yurt.api.instances": ("instance", "instances", "schema_of"),
    "yurt.api.parts": ("Part", "parts"),
    "yurt.api.records": ("record", "records"),
    "yurt.api.schemas": ("read", "read_dict", "read_text"),
    "yurt.api.tables": ("frame", "table"),
    "yurt.api.verification": ("Verified", "Violation", "assert_valid", "verify"),
    "yurt.core.base.errors": ("SurroundingsFault", "UsageFault", "YurtError"),
    "yurt.core.classes.constraints": ("Line",),
    "yurt.core.given.records": ("ValueFault",),
    "yurt.core.model": ("Schema",),
    "yurt.core.source.diagnostics": ("SchemaFault",),
}
MODULE_OF = {name: module for module, names in PLACES.items() for name in names}


def __getattr__(name: str) -> Any:
    if name in MODULE_OF:
        return getattr(import_module(MODULE_OF[name]), name)
    raise AttributeError(f"module `yurt` has no attribute `{name}`")


def __dir__() -> list[str]:
    return sorted([*__all__, "__version__"])
