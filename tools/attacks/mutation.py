"""Changes of texts and bytes that a person might make by mistake, or an attacker on purpose."""

from __future__ import annotations

import io
import random
import re
import zipfile
from functools import cache
from pathlib import Path

ROOT = Path(__file__).parent.parent.parent
TOKENS = [
    "integer",
    "1..9",
    "..",
    ",",
    "unique",
    "missing 10%",
    "usually normal(3, 1)",
    "one of a | b",
    "(",
    ")",
    "[",
    "]",
    "{",
    "}",
    "|",
    '"',
    "'",
    "/",
    "\\",
    ":",
    "#",
    "-",
    "999999999999999999",
    "0",
    "-1",
    "1e400",
    "NaN",
    "null",
    "\t",
    "\n",
    "\r",
    "\x00",
    "\ufeff",
    "é",
    "😀",
    "\u202e",
    "&a",
    "*a",
    "!!python/object",
    "%",
    "locale: xx-YY",
    "matching /(a*)*b/",
    "{0,9999}",
    "list 1..3 of",
    "= 1 / 0",
    "today",
    "2026-02-30",
    "ref hut",
    "by row:",
    "sequence",
    "1d",
    "<",
    ">",
    "]]>",
    "<!DOCTYPE x>",
    "&lt;",
    "\u2028",
    "step 0",
    "and ",
    "not ",
    "if ",
    "  ",
]
# What makes readers of data and of structures stumble.
DATA_TOKENS = [
    '"',
    '""',
    ",",
    ";",
    "\r",
    "\n",
    "\x00",
    "\ufeff",
    "\\ud800",
    "1e9999999999",
    "1E400",
    "-0",
    "NaN",
    "Infinity",
    "[" * 900,
    '{"a":' * 200,
    "9" * 5000,
    "0" * 400 + "1",
    '<!DOCTYPE a [<!ENTITY b "c">]>',
    "&b;",
    "&#0;",
    "<![CDATA[",
    "]]>",
    "<a>" * 300,
    'xsi:nil="true"',
    'xmlns="x"',
    "0001-01-01",
    "9999-12-31",
    "10000-01-01",
    "24:00",
    "2026-02-30",
    "true",
    "null",
    "=1+1",
    "😀",
    "e\u0301",
    "\u202e",
    " ",
    "\t",
    "&a",
    "*a",
    "!!binary",
    "? ",
    "- ",
    "%YAML 9.9\n---\n",
    "<<: *a",
    "{{",
    "$ref",
    "#/",
    '"$ref": "#"',
    'maxOccurs="999999999"',
    "CHECK (1 = 1 AND",
    "PRIMARY KEY",
    "REFERENCES",
    "--",
    "/*",
    "'",
]


def mutated(text: str, chance: random.Random, tokens: list[str] = TOKENS) -> str:
    """Return the text after one to four changes: spans are deleted, moved, or repeated, and tokens are inserted."""
    for _ in range(chance.randint(1, 4)):
        at = chance.randint(0, len(text))
        end = min(len(text), at + chance.choice((1, 1, 2, 5, 20, 80)))
        match chance.randint(0, 6):
            case 0:
                text = text[:at] + text[end:]
            case 1:
                text = text[:end] + text[at:end] + text[end:]
            case 2:
                text = text[:at] + chance.choice(tokens) + text[at:]
            case 3:
                text = text[:at] + chance.choice(tokens) + text[end:]
            case 4:
                text = text[:at] + text[at:end] * chance.choice((3, 50, 400)) + text[end:]
            case 5:
                other = chance.randint(0, len(text))
                text = text[:at] + text[other : other + end - at] + text[end:]
            case 6:
                lines = text.split("\n")
                one, two = chance.randrange(len(lines)), chance.randrange(len(lines))
                lines[one], lines[two] = lines[two], lines[one]
                text = "\n".join(lines)
    return text


def mutated_bytes(data: bytes, chance: random.Random) -> bytes:
    """Return bytes after one to four changes: bits are turned, spans are cut, repeated, or filled."""
    changed = bytearray(data)
    for _ in range(chance.randint(1, 4)):
        at = chance.randrange(len(changed) + 1)
        end = min(len(changed), at + chance.choice((1, 1, 2, 4, 8, 64, 4096)))
        match chance.randint(0, 5):
            case 0:
                del changed[at:end]
            case 1:
                changed[at:at] = changed[at:end]
            case 2:
                changed[at:end] = bytes(chance.choice((0, 255, 127, 128)) for _ in range(end - at))
            case 3:
                del changed[at:]
            case 4:
                changed[at:end] = chance.choice((b"\xff\xff\xff\x7f", b"\x00\x00\x00\x80", b"\xff" * 8))
            case 5 if at < len(changed):
                changed[at] ^= 1 << chance.randrange(8)
    return bytes(changed)


def mutated_zip(data: bytes, chance: random.Random) -> bytes:
    """Return an archive in which one file is mutated as a text; checksums are right."""
    with zipfile.ZipFile(io.BytesIO(data)) as old:
        names = old.namelist()
        target = chance.choice([each for each in names if each.endswith(".xml")])
        made = io.BytesIO()
        with zipfile.ZipFile(made, "w", zipfile.ZIP_DEFLATED) as new:
            for each in names:
                content = old.read(each)
                if each == target:
                    content = mutated(content.decode(), chance, DATA_TOKENS).encode("utf-8", "surrogatepass")
                new.writestr(each, content)
    return made.getvalue()


@cache
def corpus() -> list[str]:
    """Return the project's own schemas: the demo, the benchmark, and the documents."""
    found = [path.read_text("utf-8") for folder in ("src", "bench") for path in sorted((ROOT / folder).rglob("*.yaml"))]
    domains = (ROOT / "tests" / "domains.txt").read_text("utf-8").split("\n---\n")[1:]
    found += ["yurt: 1\nseed: 3\ntoday: 2026-06-01\n" + each.partition("\n")[2] + "\n" for each in domains]
    for page in sorted((ROOT / "docs").glob("*.md")):
        found += re.findall(r"```yaml\n(.*?)```", page.read_text("utf-8"), re.DOTALL)
    return found
