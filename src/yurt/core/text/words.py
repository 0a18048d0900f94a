"""Numbers and texts as messages show them."""

from __future__ import annotations

ESCAPES = {"\n": "\\n", "\r": "\\r", "\t": "\\t"}


def visible(text: str) -> str:
    """Return a text with all characters visible: control characters as escapes, spaces at the ends as ␣."""
    middle = text.strip(" ")
    ends = len(text) - len(text.lstrip(" ")), len(text) - len(text.rstrip(" "))
    shown = "".join(ESCAPES.get(each) or (each if each.isprintable() else f"\\u{ord(each):04x}") for each in middle)
    return "␣" * ends[0] + shown + ("␣" * ends[1] if middle else "")


def size_words(count: int) -> str:
    """Return a number of bytes in words, such as `1.2 MB`."""
    size = float(count)
    for unit in ("bytes", "kB", "MB", "GB"):
        if size < 1000:
            return f"{size:.0f} {unit}" if unit == "bytes" else f"{size:.1f} {unit}"
        size /= 1000
    return f"{size:.1f} TB"


def plural(count: int, word: str) -> str:
    """Return a number with its noun, such as `2 rows`."""
    return f"{count:,} {word}{'s' * (count != 1)}"
