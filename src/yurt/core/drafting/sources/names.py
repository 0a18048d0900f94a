"""Names of record types and descriptions, as a schema has them."""

from __future__ import annotations

import re


def one_line(text: str) -> str:
    """Return a description on one line, cut if it is long."""
    whole = " ".join(text.split())
    return whole if len(whole) <= 110 else whole[:109] + "…"


def record_name(text: str) -> str:
    """Return a name as record types have it: `NightStay` becomes `night_stay`."""
    found = re.sub(r"\W+", "_", re.sub(r"(?<=[a-z0-9])(?=[A-Z])", "_", text)).strip("_").lower()
    return found if re.fullmatch(r"[^\W\d]\w*", found) else f"record_{found}" if found else "record"
