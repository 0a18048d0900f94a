"""How the functions of expressions are computed. Their signatures are in `core/functions.py`."""

from __future__ import annotations

from yurt.core.columns.functions import checks, dates, lists, numbers, texts
from yurt.core.columns.functions.registry import KERNELS

__all__ = ["KERNELS", "checks", "dates", "lists", "numbers", "texts"]
