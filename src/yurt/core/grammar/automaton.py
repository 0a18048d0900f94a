"""Parses texts with the tables that Lark has made of the grammar: an LALR(1) automaton (F. DeRemer, 1969).

`phrase.json` holds the tables; `tools/catalogue.py` writes them. To make them takes half a second, to read them some
milliseconds. A word is looked for only among those that are possible at its place (a contextual lexer). The tests
compare the trees, and what is expected at a mistake, with those of Lark itself.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from functools import cache

from yurt.core.base.json_object import JsonObject
from yurt.core.grammar.tree import Token, Tree
from yurt.core.grammar.words import TABLES

END = "$END"
SPACE = " \t\n"

Part = Token | Tree | None


class Unexpected(Exception):
    """The place where a text cannot go on, and the names of the terminals that could come there.

    `ends` is whether the text ends too early.
    """

    def __init__(self, at: int, expected: Sequence[str], ends: bool = False) -> None:
        super().__init__(at)
        self.at = at
        self.expected = sorted(expected)
        self.ends = ends


class Terminal:
    """A word or sign of the grammar. Its expression is compiled when a text begins like it."""

    def __init__(self, name: str, beginning: str, no_more: str, expression: str) -> None:
        self.name = name
        # The characters that it begins with, if they are always the same.
        self.beginning = beginning
        # If these are all: the signs that must not follow; with any, no letter and no digit may follow either.
        self.no_more = no_more
        self.expression = expression
        self._match: Callable[[str, int], re.Match[str] | None] | None = None

    def at(self, text: str, start: int) -> str | None:
        """Return the text of the terminal at a place, if it stands there."""
        if not text.startswith(self.beginning, start):
            return None
        if not self.expression:
            end = start + len(self.beginning)
            after = text[end : end + 1] if self.no_more else ""
            return None if after and (after.isalnum() or after in self.no_more) else self.beginning
        if self._match is None:
            self._match = re.compile(self.expression).match
        found = self._match(text, start)
        return found[0] if found else None


class Rule:
    """A rule of the grammar, and how its parts become a node.

    `kept` has the position of each part that is kept; a helper rule (True) is replaced by its own parts, and an absent
    optional part is None. A node of a single part may be that part (`single`).
    """

    def __init__(self, origin: int, size: int, data: str, single: bool, kept: list[tuple[int, bool] | None]) -> None:
        self.origin = origin
        self.size = size
        self.data = data
        self.single = single
        self.kept = kept

    def node(self, parts: list[Part]) -> Part:
        """Return the node of some parts."""
        children: list[Part] = []
        for each in self.kept:
            if each is None:
                children.append(None)
            elif each[1]:
                children += parts[each[0]].children  # type: ignore[union-attr]
            else:
                children.append(parts[each[0]])
        found = children[0] if self.single and len(children) == 1 else Tree(self.data, children)
        if isinstance(found, Tree):
            _place(found, parts)
        return found


def _place(node: Tree, parts: list[Part]) -> None:
    """Set the place of a node to that of its parts; one that is taken over keeps its own inside of the new one."""
    start = next((each for each in map(_start, parts) if each is not None), None)
    end = next((each for each in map(_end, reversed(parts)) if each is not None), None)
    if start is None or end is None:
        return
    if node.start is None:
        node.start, node.end = start, end
    node.outer = (start, end)


def _start(part: Part) -> int | None:
    return part.start if isinstance(part, Token) else part.outer[0] if part is not None else None


def _end(part: Part) -> int | None:
    return part.end if isinstance(part, Token) else part.outer[1] if part is not None else None


class Automaton:
    """The states of the parser. What is possible in a state is made a table when the state is first reached."""

    def __init__(self, told: JsonObject) -> None:
        self.terminals = [Terminal(*each) for each in told["terminals"]]
        self.rules = [Rule(*each) for each in told["rules"]]
        self.starts: dict[str, tuple[int, int]] = {name: (start, end) for name, (start, end) in told["starts"].items()}
        self.ends = {end for _, end in self.starts.values()}
        # By state, in pairs: a terminal or rule, and the next state; below 0 the rule to be finished (-1 is the first).
        self._rows: list[list[int]] = told["rows"]
        self._row_of: list[int] = told["states"]
        self._actions: dict[int, dict[int, int]] = {}
        # After the terminals comes the end of the text, then the rules.
        self.end = len(self.terminals)

    def actions(self, state: int) -> dict[int, int]:
        """Return what can come next in a state, in the order in which it is tried, and what it leads to."""
        row = self._row_of[state]
        if row not in self._actions:
            told = self._rows[row]
            self._actions[row] = dict(zip(told[::2], told[1::2], strict=True))
        return self._actions[row]

    def parse(self, text: str, start: str) -> Tree:
        """Return the tree of a text. Raises Unexpected."""
        state, last = self.starts[start]
        states, parts, at = [state], list[Part](), 0
        token: Token | None = None
        while True:
            while text[at : at + 1] in SPACE and at < len(text):
                at += 1
            if at == len(text):
                break
            kind, token = self._token(text, at, states)
            at = token.end
            if not self._reduced(kind, states, parts):
                raise Unexpected(token.start, self._acceptable(states))
            states.append(self.actions(states[-1])[kind])
            parts.append(token)
        while states[-1] != last:
            if not self._reduce_once(self.end, states, parts):
                raise Unexpected(token.start if token else 0, self._acceptable(states), ends=True)
        found = parts[-1]
        assert isinstance(found, Tree)
        return found

    def _token(self, text: str, at: int, states: list[int]) -> tuple[int, Token]:
        """Return the next word or sign, and the number of its terminal."""
        for kind in self.actions(states[-1]):
            if kind < self.end and (found := self.terminals[kind].at(text, at)):
                return kind, Token.of(self.terminals[kind].name, found, at)
        raise Unexpected(at, self._acceptable(states))

    def _reduced(self, kind: int, states: list[int], parts: list[Part]) -> bool:
        """Finish all rules that end before a token; return whether the token can come then."""
        while (action := self.actions(states[-1]).get(kind)) is not None and action < 0:
            self._reduce_once(kind, states, parts)
        return action is not None

    def _reduce_once(self, kind: int, states: list[int], parts: list[Part] | None) -> bool:
        """Finish one rule; return whether there was one. Without parts, only the states change."""
        action = self.actions(states[-1]).get(kind, 0)
        if action >= 0:
            return False
        rule = self.rules[-1 - action]
        if rule.size:
            del states[-rule.size :]
        states.append(self.actions(states[-1])[rule.origin])
        if parts is not None:
            first = len(parts) - rule.size
            parts[first:] = [rule.node(parts[first:])]
        return True

    def _acceptable(self, states: list[int]) -> list[str]:
        """Return the names of the terminals after which the text could go on."""
        found = []
        for kind in self.actions(states[-1]):
            if kind <= self.end:
                tried = list(states)
                while self._reduce_once(kind, tried, None):
                    pass
                if kind in self.actions(tried[-1]) or (kind == self.end and tried[-1] in self.ends):
                    found.append(END if kind == self.end else self.terminals[kind].name)
        return found


@cache
def automaton() -> Automaton:
    """Return the parser of phrases, expressions, and counts."""
    return Automaton(TABLES)
