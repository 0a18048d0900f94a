"""How the functions of expressions are computed. Their signatures are in `core/functions.py`."""

from __future__ import annotations

from yurt.core.engine.functions import dates, numbers, texts
from yurt.core.engine.functions.registry import KERNELS

__all__ = ["KERNELS", "dates", "numbers", "texts"]
