"""URLs: what one looks like, so that it is not taken for the name of a file, and what in it must not be shown."""

from __future__ import annotations

import re
from collections.abc import Iterable
from urllib.parse import quote, unquote

URL = r"(?:jdbc:)?[A-Za-z][A-Za-z0-9+.-]*://"
# The names of settings in a URL whose values are secrets.
SECRET = re.compile(r"pass|pwd|secret|token|key", re.IGNORECASE)
SETTING = re.compile(r"[?&;]([^=&;#?]+)=([^&;#]*)")
# A shorter secret is hidden only where it stands in a URL: it may be a part of any word.
LEAST = 4
HIDDEN = "***"


def is_url(text: str) -> bool:
    """Return whether a text is a URL rather than the name of a file."""
    return re.match(URL, text) is not None


def secrets_in(text: str) -> set[str]:
    """Return the passwords and other secrets of the URLs in a text, in each way of writing them."""
    found: set[str] = set()
    for scheme in re.finditer(URL, text):
        rest = text[scheme.end() :]
        # A password may contain the sign that ends it.
        for end in {rest.find("@"), rest.rfind("@")} - {-1}:
            found.add(rest[:end].partition(":")[2])
        found |= {value for name, value in SETTING.findall(rest) if SECRET.search(name)}
    plain = {unquote(each) for each in found}
    return {each for each in found | plain | {quote(each, safe="") for each in plain} if each}


def without_secrets(text: str, secrets: Iterable[str] | None = None) -> str:
    """Return a text without certain secrets: by default those of the URLs in it."""
    for each in sorted(secrets_in(text) if secrets is None else secrets, key=len, reverse=True):
        text = text.replace(f":{each}@", f":{HIDDEN}@").replace(f"={each}", f"={HIDDEN}")
        if len(each) >= LEAST:
            text = text.replace(each, HIDDEN)
    return text
