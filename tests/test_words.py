"""Words and shapes that confuse readers stay out of help texts, messages, and documents."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import click
import pytest

from yurt.cli.main import COMMANDS, cli

ROOT = Path(__file__).parent.parent
# Banned words, and the words to use instead.
BANNED = {
    r"truth values?": "Boolean", r"blanks?": "space", r"moments?": "date-time", r"judg(e|es|ed|ing)": "validate, check",
    r"(held|hold|holds) \w+ against|held against": "check against", r"unasked": "without `--force`",
    r"stands? in the place of": "replaces", r"reach(es)? nobody": "never reaches real people", r"as the schema says": "valid",
    r"at fault": "invalid", r"surroundings": "environment", r"sorts? of": "kind of", r"speaks? of": "describes, refers to",
    r"told of": "reported", r"a (field|line) a (field|line)|one a line|a line a field": "one per line", r"(is|are) said": "is reported",
    r"asked against drawn": "requested and generated", r"no way round": "no cycles", r"stands? (here )?twice|comes? twice": "repeats",
    r"that there are data of": "that has data", r"wish(es)?": "request", r"exit codes?": "exit status",
    r"besides": "also", r"as it is written so": "in this form",
}  # fmt: skip
WORDS = re.compile("|".join(rf"\b({each})\b" for each in BANNED), re.IGNORECASE)
# Names of the language and of standards, and words of sample data.
ALLOWED = {"blank"}
DOCUMENTS = [
    ROOT / "README.md",
    *(ROOT / "docs" / f"{name}.md" for name in ("cases", "formats", "kinds", "language", "python", "serve", "verify")),
]


def found_in(text: str) -> list[str]:
    return [each.group() for each in WORDS.finditer(text)]


def helps() -> Iterator[tuple[str, str]]:
    yield "yurt", cli.get_help(click.Context(cli, info_name="yurt"))
    for name in COMMANDS:
        command = cli.get_command(click.Context(cli), name)
        assert command is not None
        yield name, command.get_help(click.Context(command, info_name=name))


@pytest.mark.parametrize(("name", "text"), list(helps()))
def test_help_has_plain_words(name: str, text: str) -> None:
    assert found_in(text) == []


@pytest.mark.parametrize("page", DOCUMENTS, ids=lambda page: page.name)
def test_documents_have_plain_words(page: Path) -> None:
    prose = re.sub(r"^```.*?^```$|`[^`\n]*`", "", page.read_text("utf-8"), flags=re.MULTILINE | re.DOTALL)
    if page.name == "kinds.md":
        # The tables show sample data.
        prose = "\n".join(line for line in prose.splitlines() if not line.startswith("|"))
    assert found_in(prose) == []


def literals(path: Path) -> Iterator[str]:
    """Yield the texts of a module, such as messages, without its docstrings."""
    tree = ast.parse(path.read_text("utf-8"))
    documents = {
        id(node.body[0].value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Module | ast.ClassDef | ast.FunctionDef)
        and node.body
        and isinstance(node.body[0], ast.Expr)
    }
    for node in ast.walk(tree):
        if (
            isinstance(node, ast.Constant)
            and isinstance(node.value, str)
            and id(node) not in documents
            and " " in node.value
        ):
            yield node.value


def test_messages_have_plain_words() -> None:
    texts = [(path.name, text) for path in sorted((ROOT / "src/yurt").rglob("*.py")) for text in literals(path)]
    assert len(texts) > 2000
    assert [(name, text, found) for name, text in texts if (found := found_in(text))] == []


def test_the_words_are_found() -> None:
    assert found_in("a truth value, which is at fault") == ["truth value", "at fault"]
    assert found_in("a Boolean that is invalid") == []
