"""Every example in the documents is run: schemas are checked and generated, and commands print what is shown."""

from __future__ import annotations

import re
import shlex
import textwrap
import tomllib
from collections.abc import Callable
from importlib import import_module
from pathlib import Path

import pytest

import yurt as library
from yurt.core.language.reader import read
from yurt.core.source.diagnostics import Source

from .conftest import Result, schema_of

ROOT = Path(__file__).parent.parent
PAGES = sorted([ROOT / "README.md", ROOT / "CONTRIBUTING.md", *(ROOT / "docs").glob("*.md")])
BLOCK = re.compile(r"^```(\w+)( fields)?\n(.*?)^```$", re.MULTILINE | re.DOTALL)
# A template, with the name of its file.
TEMPLATE = re.compile(r"^```(?:jinja|yaml|csv|text) (\S+\.\w+)\n(.*?)^```$", re.MULTILINE | re.DOTALL)


def blocks(language: str) -> list[tuple[str, str, bool]]:
    found = []
    for page in PAGES:
        for number, block in enumerate(BLOCK.finditer(page.read_text("utf-8"))):
            if block[1] == language:
                found.append((f"{page.stem}-{number}", block[3], bool(block[2])))
    return found


@pytest.mark.parametrize(("name", "text", "fragment"), blocks("yaml"))
def test_a_schema_of_the_documentation_makes_records(name: str, text: str, fragment: bool) -> None:
    schema, warnings = read(Source(name, schema_of(text, 50) if fragment else text))
    assert not warnings
    for record in schema.records:
        assert library.table(schema, record, seed=1).num_rows or not fragment


@pytest.mark.parametrize(("name", "text", "fragment"), blocks("console"))
def test_a_command_of_the_documentation_prints_what_is_shown(
    name: str, text: str, fragment: bool, demo: Path, yurt: Callable[..., Result]
) -> None:
    for page in PAGES:
        for template in TEMPLATE.finditer(page.read_text("utf-8")):
            (demo / template[1]).write_text(template[2], "utf-8")
    for command in re.split(r"^\$ ", text, flags=re.MULTILINE)[1:]:
        line, _, shown = command.partition("\n")
        arguments = shlex.split(line)[1:] + (["--force"] if line == "yurt demo" else [])
        done = yurt(*arguments)
        printed = (done.stdout + done.stderr).decode().replace("\r", "")
        kept = shown.removesuffix("…\n")
        assert printed.startswith(kept)
        assert kept != shown or printed == shown


def test_links_and_pictures_are_there() -> None:
    for page in PAGES:
        for target in re.findall(r"\]\(([^)#]+)\)", page.read_text("utf-8")):
            assert (page.parent / target).exists(), f"{page.name}: {target}"
    shown = set(re.findall(r"docs/screenshots/([\w-]+\.png)", (ROOT / "README.md").read_text("utf-8")))
    assert shown == {each.name for each in (ROOT / "docs/screenshots").iterdir()}


def test_the_language_page_knows_every_word() -> None:
    from yurt.core.distributions.registry import all_distributions
    from yurt.core.grammar.words import CLAUSES, HEADS
    from yurt.core.kinds.catalogue import locales
    from yurt.core.model.functions import FUNCTIONS
    from yurt.core.model.words import RECORD_KEYS, SCHEMA_KEYS

    page = (ROOT / "docs/language.md").read_text("utf-8")
    for word in (*HEADS, *CLAUSES, *RECORD_KEYS, *SCHEMA_KEYS, *locales(), *(f"{name}(" for name in FUNCTIONS)):
        assert f"`{word}" in page or f" {word}" in page, word
    for name, shape in ((each.name, each.shape) for each in all_distributions().values()):
        assert f"`{shape.partition('(')[0]}" in page, name


def test_the_module_example_runs(tmp_path: Path) -> None:
    from .conftest import HUTS

    assert library.__doc__
    code = textwrap.dedent(library.__doc__.split("\n\n")[1]).replace('"huts.yaml"', repr(str(HUTS)))
    names: dict[str, object] = {}
    exec(code, names)
    assert names["table"].num_rows == 100  # type: ignore[attr-defined]


def test_the_limits_and_packages_of_the_security_page_are_true() -> None:
    text = (ROOT / "docs" / "security.md").read_text("utf-8")
    limits = re.findall(r"^\| [^|]+ \| ([\d,]+) \| `([\w/]+)\.(\w+)` \|$", text, re.MULTILINE)
    assert len(limits) > 12
    for number, module, name in limits:
        own = getattr(import_module("yurt.core." + module.replace("/", ".")), name)
        assert own == int(number.replace(",", "")), (module, name)
    project = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["project"]
    told = {
        each
        for cell in re.findall(r"^\| ([\w, -]+) \| (?:MIT|Apache|BSD)", text, re.MULTILINE)
        for each in cell.split(", ")
    }
    assert told == {re.split(r"[<>=~]", each)[0] for each in project["dependencies"]}
