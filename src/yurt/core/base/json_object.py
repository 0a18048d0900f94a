"""JSON objects as Python reads them."""

from __future__ import annotations

from typing import Any

# The members of an object; the reader knows their types.
JsonObject = dict[str, Any]
