"""What a file of JSON has, as Python reads it."""

from __future__ import annotations

from typing import Any

# The members of an object; whoever reads one knows what it has.
JsonObject = dict[str, Any]
