"""The tables of the parser, `phrase.json`, as Lark makes them of the grammar."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

from lark import Lark
from lark.grammar import Rule, Terminal
from lark.lexer import PatternStr, TerminalDef
from lark.parsers.lalr_analysis import Shift

FOLDER = Path(__file__).resolve().parent.parent / "src" / "yurt" / "core" / "grammar"
GRAMMAR = (FOLDER / "phrase.lark").read_text("utf-8")
TABLES = FOLDER / "phrase.json"
# A word of letters, and what must not follow it.
WHOLE = re.compile(r"([a-z]+)\(\?!(?:\[\\w(-)\]|\\w)\)")
BEGINNING = re.compile(r"[a-z]+(?![?*{a-z|])")


def lark() -> Lark:
    """Return Lark's own parser of the grammar."""
    return Lark(
        GRAMMAR, parser="lalr", lexer="contextual", start=["phrase", "expression", "count"],
        propagate_positions=True, maybe_placeholders=True,
    )  # fmt: skip


def tables() -> str:
    """Return the tables: terminals, rules, and what each state leads to."""
    made = lark()
    # The order in which Lark tries them.
    ordered = sorted(
        (each for each in made.terminals if each.name not in made.ignore_tokens),
        key=lambda each: (-each.priority, -each.pattern.max_width, -len(each.pattern.value), each.name),
    )
    table = made.parser.parser._parse_table
    rules = sorted(made.rules, key=lambda each: (each.origin.name, each.order, str(each)))
    names = [*(each.name for each in ordered), "$END", *sorted({each.origin.name for each in rules})]
    numbers = {name: at for at, name in enumerate(names)}
    # Lark numbers states as its sets happen to be ordered; here they are numbered as they are reached.
    states = list(table.start_states.values())
    for state in states:
        leads = [argument for _, (action, argument) in sorted(table.states[state].items()) if action is Shift]
        states += [each for each in dict.fromkeys(leads) if each not in states]
    places = {state: at for at, state in enumerate(states)}
    rows: dict[tuple[int, ...], int] = {}
    row_of = []
    for state in states:
        pairs = sorted(
            (numbers[name], places[argument] if action is Shift else -1 - rules.index(argument))
            for name, (action, argument) in table.states[state].items()
        )
        row_of.append(rows.setdefault(tuple(each for pair in pairs for each in pair), len(rows)))
    told = {
        "terminals": [_terminal(each) for each in ordered],
        "rules": [_rule(each, numbers) for each in rules],
        "starts": {name: [places[at], places[table.end_states[name]]] for name, at in table.start_states.items()},
        "states": row_of,
        "rows": [list(each) for each in rows],
        "words": _words(),
        "beginning": {rule: _first_terminals(rule) for rule in ("_head", "_of_file", "_clause")},
    }
    lines = (f" {json.dumps(name)}: {json.dumps(value, separators=(',', ':'))}" for name, value in told.items())
    return "{\n" + ",\n".join(lines) + "\n}\n"


def _terminal(each: TerminalDef) -> list[Any]:
    """Return the name, how it begins, what must not follow if that is all, and else the expression."""
    expression = each.pattern.to_regexp()
    if isinstance(each.pattern, PatternStr):
        return [each.name, each.pattern.value, "", ""]
    if whole := WHOLE.fullmatch(expression):
        return [each.name, whole[1], "_" + (whole[2] or ""), ""]
    beginning = BEGINNING.match(expression)
    return [each.name, beginning[0] if beginning else "", "", expression]


def _rule(rule: Rule, numbers: dict[str, int]) -> list[Any]:
    """Return where a rule leads, and which of its parts are kept."""
    absent = rule.options.empty_indices or [False] * len(rule.expansion)
    kept: list[tuple[int, bool] | None] = []
    at = 0
    for each in absent:
        if each:
            kept.append(None)
            continue
        symbol = rule.expansion[at]
        if not (isinstance(symbol, Terminal) and symbol.filter_out):
            kept.append((at, not symbol.is_term and symbol.name.startswith("_")))
        at += 1
    single = bool(rule.options.expand1 and not rule.alias)
    return [numbers[rule.origin.name], len(rule.expansion), str(rule.alias or rule.origin.name), single, kept]


def _words() -> dict[str, str]:
    """Return the word for each terminal: the first of several, without its lookahead."""
    found = {}
    for name, pattern in re.findall(r'^([A-Z_]+)(?:\.\d+)?:\s*(/.*/|".*")$', GRAMMAR, re.M):
        plain = re.sub(r"\(\?[!=].*$", "", pattern[1:-1])
        found[name] = plain.strip("()").split("|")[0].replace(" +", " ").replace("[47]", "7")
    return found


def _first_terminals(rule: str) -> list[str]:
    """Return the terminal at the start of each part of a rule, if it begins with one."""
    parts = re.findall(r"[a-z_]+", re.search(rf"^{rule}: ((?:.|\n +\|)*)", GRAMMAR, re.M)[1])
    found = (re.search(rf"^{part}: +([A-Z_]+)", GRAMMAR, re.M) for part in parts)
    return [each[1] for each in found if each is not None]
