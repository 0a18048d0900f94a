"""Quoted texts: their escapes, and the braces of a template."""

from __future__ import annotations

from collections.abc import Callable

ESCAPES = {"n": "\n", "t": "\t", "r": "\r", "0": "\0", "\\": "\\", '"': '"', "'": "'"}


def unquote(quoted: str, complain: Callable[[int, str], None]) -> str:
    """Return the text inside the quotes with its escapes resolved; `complain(offset, message)` receives the faults."""
    return "".join(char for char, _ in characters(quoted, complain))


def characters(quoted: str, complain: Callable[[int, str], None]) -> list[tuple[str, int]]:
    """Return the characters between the quotes, each with its offset in `quoted`.

    Escapes: `\\n \\t \\r \\0 \\\\ \\" \\'` and `\\u{1F600}`, a code point in hexadecimal.
    """
    found: list[tuple[str, int]] = []
    at, end = 1, len(quoted) - 1
    while at < end:
        start = at
        char = quoted[at]
        at += 1
        if char == "\\":
            char = quoted[at]
            at += 1
            if char == "u":
                close = quoted.find("}", at)
                digits = quoted[at + 1 : close]
                at = close + 1 if close > 0 else end
                char = _code_point(digits) or ""
                if not char:
                    complain(start, "a character by number is written \\u{1F600}")
            elif char in ESCAPES:
                char = ESCAPES[char]
            else:
                complain(start, f"`\\{char}` is not an escape; a backslash itself is written \\\\")
        found.append((char, start))
    return found


def _code_point(digits: str) -> str | None:
    try:
        number = int(digits, 16)
    except ValueError:
        return None
    return chr(number) if 0 <= number < 0x110000 and not 0xD800 <= number < 0xE000 else None
