"""Names for what Python's types cannot say: values of any type, and what stands for a type."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

# A value of a record as Python has it: int, Decimal, str, bool, a date or time, a list, a dict, or None.
PythonValue = Any
# What stands for a type in a class: a class, a union, an alias, or a type with constraints.
Annotation = Any
# A class of a tester, or an instance of one, about which nothing is known before it is looked at.
ModelClass = Any
# What makes one value of another.
Conversion = Callable[[PythonValue], PythonValue]
