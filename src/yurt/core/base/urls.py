"""What a URL looks like, so that it is not taken for the name of a file."""

from __future__ import annotations

import re

URL = r"[A-Za-z][A-Za-z0-9+.-]*://"


def is_url(text: str) -> bool:
    """Return whether a text is a URL rather than the name of a file."""
    return re.match(URL, text) is not None
