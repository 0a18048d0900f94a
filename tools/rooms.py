"""Draw the rooms of the code, from its import rules and docs/architecture.md: `python tools/rooms.py OUT.svg`."""

from __future__ import annotations

import re
import sys
import tomllib
from html import escape
from pathlib import Path

ROOT = Path(__file__).parent.parent
# The lowest room of each storey, the storey's colour, and its purpose.
STOREYS = {
    "base": ("#f3ead7", "tools that know nothing of schemas"),
    "source": ("#dfead9", "the words of a schema, and its model"),
    "formats": ("#d6e6ee", "columns, files, numbers, kinds"),
    "planning": ("#e6dcef", "a text becomes a schema that is checked"),
    "engine": ("#f4dcd6", "records: generated, checked, reported, written"),
    "cases": ("#f6e3c8", "cases and errors, on top of all that"),
    "api": ("#ececec", "what users meet"),
}
WIDE, HIGH, LEFT, TOP = 1240, 34, 20, 74


def layers() -> list[list[str]]:
    """Return the rooms of each layer, from top to bottom."""
    config = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["tool"]["importlinter"]
    found = next(each for each in config["contracts"] if each["type"] == "layers")["layers"]
    return [[name.strip().rpartition(".")[2] for name in layer.split("|")] for layer in found]


def purposes() -> dict[str, str]:
    """Return the purpose of each room, from the table in docs/architecture.md."""
    page = (ROOT / "docs" / "architecture.md").read_text("utf-8")
    return dict(re.findall(r"^\| `(\w+)` \| (.+?) \|", page, re.MULTILINE))


def drawn() -> str:
    """Return the house as SVG: each room is above the rooms that it may import."""
    said, rows = purposes(), layers()
    height = TOP + len(rows) * (HIGH + 8) + 14
    parts = [
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1280 {height}" width="1280" height="{height}" '
        'font-family="DejaVu Sans, Verdana, sans-serif"><rect width="100%" height="100%" fill="white"/>',
        '<text x="20" y="40" font-size="24" font-weight="bold">The rooms of Yurt</text>',
        '<text x="280" y="40" font-size="15" fill="#555">a room imports only from rooms further down</text>',
    ]
    colours = []
    colour = ""
    for layer in reversed(rows):
        colour = next((STOREYS[name][0] for name in layer if name in STOREYS), colour)
        colours.append(colour)
    for number, (layer, colour) in enumerate(zip(rows, reversed(colours), strict=True)):
        y = TOP + number * (HIGH + 8)
        width = (WIDE - 8 * (len(layer) - 1)) / len(layer)
        for place, name in enumerate(layer):
            x = LEFT + place * (width + 8)
            parts.append(
                f'<rect x="{x:.0f}" y="{y}" width="{width:.0f}" height="{HIGH}" rx="6" fill="{colour}" stroke="#888"/>'
                f'<text x="{x + 12:.0f}" y="{y + 22}" font-size="15" font-weight="bold">{escape(name)}</text>'
            )
            if len(layer) == 1:
                parts.append(f'<text x="160" y="{y + 22}" font-size="14">{escape(plain(said[name]))}</text>')
            else:
                parts.append(
                    f'<text x="{x + 18 + 10 * len(name):.0f}" y="{y + 22}" font-size="{13 if len(layer) < 3 else 12}">'
                    f"{escape(plain(said[name]).partition(';')[0])}</text>"
                )
            if name in STOREYS:
                parts.append(
                    f'<text x="{LEFT + WIDE - 12}" y="{y + 22}" font-size="13" fill="#666" text-anchor="end" '
                    f'font-style="italic">{escape(STOREYS[name][1])}</text>'
                    if len(layer) == 1
                    else ""
                )
    return "\n".join([*parts, "</svg>"]) + "\n"


def plain(text: str) -> str:
    """Return a table cell without its Markdown marks."""
    return text.replace("`", "")


if __name__ == "__main__":
    Path(sys.argv[1]).write_text(drawn(), "utf-8")
