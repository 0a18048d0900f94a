"""The functions of expressions, by group; each function is one entry of its module."""

from __future__ import annotations

from yurt.core.columns.functions import checks, cleaning, dates, lists, numbers, siblings, texts
from yurt.core.columns.functions.registry import KERNELS, SIGNATURES

__all__ = ["KERNELS", "SIGNATURES", "checks", "cleaning", "dates", "lists", "numbers", "siblings", "texts"]
