"""Mutated schemas, patterns, and expressions, and grown schemas whose records `verify` must accept."""

from __future__ import annotations

import json
import random
import re

from attacks.mutation import corpus, mutated
from attacks.process import Input

PATTERNS = [
    "[A-Z]{2}-[0-9]{4}", "(a|b)*c", r"\d{3}-\d{2}", "[^x-z]+", "(ab?){2,5}", r"\p{Greek}{3}", "a{2,}",
    "[[:alpha:]]+x", "(?:x|y)z",
]  # fmt: skip
EXPRESSIONS = [
    "i + 1", "round(d * 1.5, 2)", "if i > 3 then t else upper(t)", "day + 3d", "day - day", "t & \"x\" & text(i)",
    "i in [1, 2, 3]", "coalesce(null, i)", "t matches /a+/", "b and not b or i == 2", "min(i, 3) + max(i, 2)",
    "length(t) * 2", "year(day)", "draw(integer 1..9)", "mod(i, 7)", "previous(i)", "running(i)",
    "substring(t, 1, 2)", "now - 2h", "-i / d", "(i)",
]  # fmt: skip
FIELDS = """yurt: 1
seed: 1
today: 2026-06-01
records:
  row:
    count: 40
    fields:
      i: integer 1..9
      d: decimal 0.50..2.00
      t: text 1..8
      b: boolean
      day: date 2026-01-01..2026-12-31
"""


def schema_input(chance: random.Random) -> Input:
    """Return a mutated schema and a command that reads it."""
    text = mutated(chance.choice(corpus()), chance)
    # A count of a thousand million rows is allowed to take long.
    text = re.sub(r"(count: *)\d{5,}", r"\g<1>4321", text)
    command = chance.choice(
        (
            ["check", "s.yaml"],
            ["check", "s.yaml", "--json"],
            ["preview", "s.yaml"],
            ["cases", "s.yaml", "--out", "cases"],
        )
    )
    return Input({"s.yaml": text.encode("utf-8", "surrogatepass")}, command)


def pattern_input(chance: random.Random) -> Input:
    """Return a schema with a mutated pattern."""
    pattern = mutated(chance.choice(PATTERNS), chance)
    clause = chance.choice(("", ", unique", ", matching /[a-z0-9]*/", ', without "a"'))
    line = json.dumps(f"/{pattern}/{clause}", ensure_ascii=False)
    return Input({"s.yaml": f"{FIELDS}      x: {line}\n".encode()}, _on_fields(chance))


def expression_input(chance: random.Random) -> Input:
    """Return a schema with a mutated expression."""
    line = json.dumps("= " + mutated(chance.choice(EXPRESSIONS), chance), ensure_ascii=False)
    return Input({"s.yaml": f"{FIELDS}      x: {line}\n".encode()}, _on_fields(chance))


def _on_fields(chance: random.Random) -> list[str]:
    return chance.choice(
        (["preview", "s.yaml"], ["check", "s.yaml"], ["cases", "s.yaml", "--out", "cases", "--target", "x"])
    )


CLAUSES = (
    ", missing 30%", ", optional", ", present if row > 2", ", unique", ", helper", ", missing 50% if row > 3",
    ", distinct", ", in turn",
)  # fmt: skip
NEW_FIELDS = (
    "= {0}", 'text "a {{{0}}}"', "= if row > 3 then {0} else null", "= previous({0})", "= {0} is null",
    "= coalesce({0}, {0})", "= ordinal()", "= row * 2", "list 1..2 of integer 1..9", "one of a | b", "given-name",
    "decimal 0.00..9.99", "date 2026-01-01..2026-12-31", "boolean", "email", "iban",
)  # fmt: skip
AROUND = ("", "missing: 40%", "present if: row > 2", "list: 1..3")
FIELD = re.compile(r"^( {4,})(?!count:|key:|unique:|locale:)([\w ]+): (.+)$")


def grown(text: str, chance: random.Random) -> str:
    """Return a schema in which one to three fields get clauses, move, or become a table or a nested record."""
    for _ in range(chance.randint(1, 3)):
        lines = text.split("\n")
        found = [(at, match) for at, line in enumerate(lines) if (match := FIELD.match(line))]
        if not found:
            break
        (at, field), (other, swapped) = chance.choice(found), chance.choice(found)
        indent, name, phrase = field.groups()
        match chance.randint(0, 4):
            case 0:
                lines[at] += chance.choice(CLAUSES)
            case 1:
                lines[at] = f"{indent}{name}: {swapped[3]}"
                lines[other] = f"{swapped[1]}{swapped[2]}: {phrase if other != at else swapped[3]}"
            case 2:
                new = chance.choice(NEW_FIELDS).format(name.split()[-1])
                lines.insert(at + 1, f"{indent}new{chance.randint(1, 99)}: {new}")
            case 3:
                around = chance.choice(AROUND)
                lines[at + 1 : at + 1] = [
                    f"{indent}inner{chance.randint(1, 99)}:", *([f"{indent}  {around}"] if around else []),
                    f"{indent}  nested:", f"{indent}    {name}: {phrase}", f"{indent}    more: integer 1..9, optional",
                ]  # fmt: skip
            case 4:
                rest = chance.choice((phrase, "= null"))
                lines[at] = f"{indent}{name}:\n{indent}  when:\n{indent}    row > 4: {phrase}\n{indent}    else: {rest}"
        text = "\n".join(lines)
    return text


def round_input(chance: random.Random) -> Input:
    """Return a grown schema: `verify` must accept the records that `generate` makes from it."""
    text = re.sub(r"(count: *)\d{3,}", r"\g<1>60", grown(chance.choice(corpus()), chance))
    form = chance.choice(("csv", "json", "xml"))
    made = ["generate", "s.yaml", "--out", "made/", "--format", form]
    return Input({"s.yaml": text.encode()}, made, ("verify", "s.yaml", "made/"))
