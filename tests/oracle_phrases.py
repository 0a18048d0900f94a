"""A second reader of phrases and fields, from the language reference alone: phrases split at commas, clauses found by
words."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Any


def split(text: str, by: str) -> list[str]:
    """Split a phrase at commas or bars outside quotes, brackets, and patterns."""
    parts, depth, quote, at, begun = [""], 0, "", 0, True
    while at < len(text):
        char = text[at]
        if quote:
            if char == "\\":
                parts[-1] += char
                at += 1
                char = text[at]
            elif char == quote:
                quote = ""
        elif char in "\"'" or (
            char == "/" and (begun or parts[-1].rstrip().endswith(("matching", "of", "matches", "(", "is", ":")))
        ):
            quote = char
        elif char in "([{":
            depth += 1
        elif char in ")]}":
            depth -= 1
        elif char == by and not depth:
            parts.append("")
            at, begun = at + 1, True
            continue
        begun = begun and (char.isspace() or char == "(")
        parts[-1] += char
        at += 1
    return [each.strip() for each in parts]


@dataclass
class Phrase:
    """A data type with the clauses that restrict its values."""

    head: str
    clauses: dict[str, str] = field(default_factory=dict)


CLAUSES = (
    "present if",
    "missing",
    "optional",
    "unique",
    "helper",
    "matching",
    "without",
    "on",
    "in",
    "as",
    "named",
    "distinct",
)


def phrase(text: str) -> Phrase:
    head, *rest = split(text, ",")
    found = Phrase(head)
    for each in rest:
        word = next((one for one in CLAUSES if re.match(rf"{one}\b", each)), each.split()[0])
        found.clauses[word] = each[len(word) :].strip()
    return found


@dataclass
class Field:
    """A field: the lines of its table (condition and phrase), and the clauses of the field as a whole."""

    name: str
    rows: list[tuple[str, Phrase]]
    conditions: list[str]
    inside: dict[str, Field] | None = None
    only: Phrase = field(default_factory=lambda: Phrase(""))
    rejected: tuple[str, ...] = ()

    def says(self, clause: str) -> bool:
        return clause in self.only.clauses or any(clause in each.clauses for _, each in self.rows)


def fields_of(lines: dict[str, Any], around: list[str]) -> dict[str, Field]:
    found: dict[str, Field] = {}
    for name, line in lines.items():
        if name.startswith("if "):
            found |= fields_of(line, [*around, name[3:].rstrip(":")])
            continue
        each = Field(name, [], list(around))
        if isinstance(line, str):
            each.rows = [("", phrase(line))]
        else:
            table = next((key for key in line if key == "when" or key.startswith("by ")), "")
            if table:
                for key, part in line[table].items():
                    by = table[3:]
                    one = (
                        key
                        if not by or key == "else"
                        else " or ".join(f'{by} == "{value.strip()}"' for value in key.split("|"))
                    )
                    each.rows.append((one, phrase(part)))
            elif "nested" in line:
                each.inside = fields_of(line["nested"], [])
                each.rows = [("", Phrase("list " + line["list"] if "list" in line else "nested"))]
            else:
                head = line.get("is") or next(
                    f"{key} {line[key]}" for key in line if key not in ("accept", "reject", *CLAUSES)
                )
                each.rows = [("", phrase(head))]
            each.only = Phrase("", {key: str(value) for key, value in line.items() if key in CLAUSES})
            each.rejected = tuple(line.get("reject", ()))
        each.conditions += [
            one.clauses["present if"] for one in (each.only, each.rows[0][1]) if "present if" in one.clauses
        ]
        found[name] = each
    return found
