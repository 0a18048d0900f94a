"""Arrow's compute functions, each looked up when it is first called.

`pyarrow.compute` offers the same functions under the same names. When it is imported, it writes documentation and a
signature for each of its 300 functions, which takes a third of the start of a short command; this module does neither.
Methods of arrays such as `array.cast(…)`, `take`, and `filter` import `pyarrow.compute`: call the functions here.
"""

from __future__ import annotations

from collections.abc import Callable

import pyarrow as pa
from pyarrow import _compute

# Functions whose names are words of Python.
RENAMED = {"and_": "and", "or_": "or"}

# A function takes and returns arrays, chunked arrays, tables, or scalars.
Function = Callable[..., pa.Array]


def __getattr__(name: str) -> Function:
    """Return the function of this name; its options follow its arguments or are given by name."""
    if name.startswith("_"):
        raise AttributeError(name)
    try:
        function = _compute.get_function(RENAMED.get(name, name))
    except KeyError:
        raise AttributeError(f"Arrow has no function {name!r}") from None
    found = globals()[name] = _called(function)
    return found


def _called(function: _compute.Function) -> Function:
    call, arity, options_class = function.call, function.arity, function._doc.options_class
    if not options_class:
        return lambda *arguments: call(arguments, None, None)
    options_of = getattr(_compute, options_class)

    def called(*arguments: pa.Array, **options: object) -> pa.Array:
        count = len(arguments) if arity is Ellipsis else arity
        given = arguments[count:]
        return call(arguments[:count], options_of(*given, **options) if given or options else None, None)

    return called


def cast(values: pa.Array, kind: pa.DataType) -> pa.Array:
    """Return values of another type.

    Raises:
        pa.ArrowInvalid: A value would change.
    """
    return _compute.call_function("cast", [values], _compute.CastOptions.safe(kind))


def fill_null(values: pa.Array, filler: pa.Array | object) -> pa.Array:
    """Return the values with `filler`, one value or as many as there are rows, where they are missing."""
    if not isinstance(filler, (pa.Scalar, pa.Array, pa.ChunkedArray)):
        filler = pa.scalar(filler, values.type)
    elif filler.type != values.type:
        filler = cast(filler, values.type)
    return _compute.call_function("coalesce", [values, filler])


def index(values: pa.Array, value: pa.Scalar | object) -> pa.Int64Scalar:
    """Return the first row that has `value`, or -1."""
    sought = value if isinstance(value, pa.Scalar) else pa.scalar(value, values.type)
    return _compute.call_function("index", [values], _compute.IndexOptions(sought))
