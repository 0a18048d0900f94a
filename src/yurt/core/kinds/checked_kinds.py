"""The kinds whose check digits can be set again; their rules are in `numbers/trailing.py`, which loads numerics."""

from __future__ import annotations

CHECKED_KINDS = (
    "cc-number", "imei", "iccid", "gtin-13", "gtin-8", "gtin-12", "gtin-14", "sscc", "gln", "isbn-13", "isbn-10",
    "issn", "routing-number", "lei", "iban",
)  # fmt: skip
