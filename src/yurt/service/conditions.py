"""Entity tags and conditional requests (RFC 9110, 8.8.3 and 13)."""

from __future__ import annotations

import re
from hashlib import blake2b

from starlette.datastructures import Headers

from yurt.service.problem import Problem

TAG = re.compile(r'(W/)?"([\x21\x23-\x7e\x80-\xff]*)"')


def tag_of(text: bytes, form: str = "json") -> str:
    """Return the entity tag of a record in a format: that of its JSON, with the name of another format."""
    base = blake2b(text, digest_size=8).hexdigest()
    return f'"{base}"' if form == "json" else f'"{base}-{form}"'


def unchanged(headers: Headers, tag: str) -> bool:
    """Return whether the client has this version already (`If-None-Match`)."""
    told = headers.get("if-none-match")
    if told is None:
        return False
    return told.strip() == "*" or tag in (f'"{each[2]}"' for each in TAG.finditer(told))


def check_match(headers: Headers, tag: str | None) -> None:
    """Refuse a write (412) if the record is not, or no longer, the one that the client means; None means no record."""
    if (told := headers.get("if-match")) is not None:
        # A tag of another format names the same version; a weak one never matches.
        known = [each[2].partition("-")[0] for each in TAG.finditer(told) if not each[1]]
        if tag is None or (told.strip() != "*" and tag.strip('"') not in known):
            raise Problem(412, "the record has changed since: `If-Match` names another version")
    if (told := headers.get("if-none-match")) is not None and tag is not None:
        known = [f'"{each[2]}"' for each in TAG.finditer(told)]
        if told.strip() == "*" or tag in known:
            raise Problem(412, "there is such a record already (`If-None-Match`)")
