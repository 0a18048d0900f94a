"""What reads schemas: the parser, judged by the one that made its tables, and the faster reader of YAML."""

from __future__ import annotations

import contextlib
import random
import re
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any

import pytest
import yaml
from lark import Token as LarkToken
from lark import Tree as LarkTree
from lark.exceptions import UnexpectedCharacters, UnexpectedToken
from tools.grammar_tables import TABLES, lark, tables

from yurt.core.grammar.automaton import END, Unexpected, automaton
from yurt.core.grammar.tree import Token, Tree
from yurt.core.source.yaml_nodes import events_of

ROOT = Path(__file__).parent.parent
STARTS = ("phrase", "expression", "count")
SIGNS = "()[],|%*=.:\"'/ -~äé1\t"
JUDGE = lark()


def test_the_tables_are_those_of_the_grammar() -> None:
    assert TABLES.read_text("utf-8") == tables()


def lines() -> list[str]:
    """Return the lines of the documentation and the demo, what comes after their colons, and broken forms of both."""
    found: dict[str, None] = {}
    for path in (*ROOT.glob("docs/*.md"), *ROOT.glob("src/yurt/examples/*.yaml"), ROOT / "tests" / "domains.txt"):
        for line in path.read_text("utf-8").splitlines():
            for each in (
                line.strip(),
                line.partition(": ")[2].strip().strip("\"'"),
                line.partition("= ")[2].strip("`\"' "),
            ):
                if 0 < len(each) < 200:
                    found[each] = None
    choose = random.Random(7)
    whole = choose.sample(list(found), 1200)
    for line in choose.sample(whole, 600):
        at, other = choose.randrange(len(line) + 1), choose.choice(whole)
        broken = (
            line[:at],
            line[:at] + other[at // 2 :],
            line[:at] + choose.choice(SIGNS) + line[at:],
            line[:at] + line[at + 1 :],
        )
        whole.append(choose.choice(broken))
    return whole


def shape(tree: Any) -> Any:
    """Return a tree of either parser as plain tuples, with the place of every part."""
    match tree:
        case Token():
            return tree.type, str(tree), tree.start, tree.end
        case Tree():
            return tree.data, (tree.start, tree.end), [shape(each) for each in tree.children]
        case LarkToken():
            return tree.type, str(tree), tree.start_pos, tree.end_pos
        case LarkTree():
            place = (None, None) if tree.meta.empty else (tree.meta.start_pos, tree.meta.end_pos)
            return str(tree.data), place, [shape(each) for each in tree.children]
    return tree


def judged(text: str, start: str) -> tuple[Any, set[str]]:
    """Return the judge's tree, or where a mistake is, with what could come there."""
    try:
        return shape(JUDGE.parse(text, start=start)), set()
    except UnexpectedToken as fault:
        return "the end" if fault.token.type == END else fault.pos_in_stream, set(fault.accepts or fault.expected)
    except UnexpectedCharacters as fault:
        return fault.pos_in_stream, set(fault.allowed or ())


def parsed(text: str, start: str) -> tuple[Any, set[str]]:
    try:
        return shape(automaton().parse(text, start)), set()
    except Unexpected as fault:
        return "the end" if fault.ends else fault.at, set(fault.expected)


@pytest.mark.parametrize("start", STARTS)
def test_trees_places_and_mistakes_are_those_of_the_judge(start: str) -> None:
    trees = 0
    for text in lines():
        (wanted, possible), (found, expected) = judged(text, start), parsed(text, start)
        assert found == wanted, text
        # The judge sometimes lists what could come in other contexts as well.
        assert expected - {END} <= possible, text
        trees += isinstance(wanted, tuple)
    assert trees > {"phrase": 100, "expression": 25, "count": 5}[start]


def test_what_is_expected_can_come_and_nothing_else() -> None:
    """Every terminal is put at the place of a mistake: the parser goes past it exactly if it was expected."""
    samples = {
        "COMMA": ",",
        "RPAR": ")",
        "PERCENT": "5%",
        "NAME": "abc",
        "NUMBER": "5",
        "USUALLY": "usually",
        "OF": "of",
        "PLUS": "+",
    }
    for text in (
        "integer 1..9 ~",
        "one of 'a' ~",
        "= f(a ~",
        "= a ~",
        "text 1 ~",
        "decimal 0..1, ~",
        "list 1..2 of (uuid ~",
    ):
        at = text.index("~")
        with pytest.raises(Unexpected) as fault:
            automaton().parse(text, "phrase")
        assert fault.value.at == at
        for name, sample in samples.items():
            try:
                automaton().parse(text[:at] + sample, "phrase")
                passed = True
            except Unexpected as next_fault:
                passed = next_fault.ends or next_fault.at > at
            assert passed == (name in fault.value.expected), (text, name, re.escape(sample))


YAML_SIGNS = (
    *"?:,[]{}#\"'|>-&*!%@`\t\\\n", ": ", "? ", "- ", " # c", "\n\n", "|\n   x\n\n", "{a: b, c}", "---\n", "\ufeff", "é",
    "\u2028", "😀", '"a\n  b"', "\r\n", "[a,\n b]",
)  # fmt: skip


def test_both_readers_of_yaml_say_the_same_of_a_schema() -> None:
    """The fast one reads what is plain: its events, and the places of these, are those of the exact one."""
    choose = random.Random(11)
    demo = (ROOT / "src" / "yurt" / "examples" / "huts.yaml").read_text("utf-8")
    texts = [demo, *(ROOT / "tests" / "domains.txt").read_text("utf-8").split("\n---\n")[1:]]
    for _ in range(400):
        lines = choose.choice(texts[:9]).splitlines(keepends=True)
        start = choose.randrange(len(lines))
        text = "".join(lines[start : start + 12])
        for _ in range(choose.randint(1, 2)):
            at = choose.randrange(len(text) + 1)
            text = text[:at] + choose.choice(YAML_SIGNS) + text[at + choose.randint(0, 2) :]
        texts.append(text)

    def told(events: Callable[[], Iterable[Any]]) -> Any:
        try:
            return [
                (type(each), each.start_mark.index, each.end_mark.index, getattr(each, "value", None))
                for each in events()
            ]
        except yaml.YAMLError as fault:
            return str(fault)

    fast = 0
    for text in texts:
        assert told(lambda: events_of(text)) == told(lambda: yaml.parse(text, Loader=yaml.SafeLoader)), text  # noqa: B023
        with contextlib.suppress(yaml.YAMLError):
            fast += isinstance(events_of(text), list)
    assert fast > 100
