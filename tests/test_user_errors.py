"""Ten mistakes per command: one message with advice, the right exit status, and no files left behind."""

from __future__ import annotations

import re
import shlex
import sys
from collections import Counter
from pathlib import Path
from typing import Any

import pytest

from yurt.cli import main

from .conftest import HUTS, schema_of

LINES = Path(__file__).with_name("user_errors.txt").read_text("utf-8").splitlines()
ERRORS = [(line.partition(" => ")[0], *line.partition(" => ")[2].split(" | ", 1)) for line in LINES]
FIRST = {words for at, (words, _, _) in enumerate(ERRORS) if at % 10 == 0}


def test_there_are_ten_for_each_command() -> None:
    assert Counter(words.split()[0] for words, _, _ in ERRORS) == dict.fromkeys(main.COMMANDS, 10)


@pytest.fixture(scope="module")
def files(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a folder with a schema, data, and invalid files."""
    folder = tmp_path_factory.mktemp("errors")
    (folder / "huts.yaml").write_bytes(HUTS.read_bytes())
    (folder / "hut.csv").write_text("code,altitude,beds,price,opens,supper\n")
    (folder / "semi.csv").write_text("a;b\n1;2\n")
    (folder / "cut.json").write_text('{"code": ')
    (folder / "bad.yaml").write_text("yurt: 1\nrecords:\n  a:\n    count: 3\n    fields:\n      x: integr 1..5\n")
    (folder / "late.yaml").write_text(schema_of("low: integer 1..9\na: integer low..5"))
    (folder / "empty.yaml").touch()
    (folder / "folder").mkdir()
    return folder


@pytest.mark.parametrize(("words", "status", "message"), ERRORS)
def test_a_mistake_gets_one_message(
    words: str, status: str, message: str, yurt: Any, files: Path, monkeypatch: pytest.MonkeyPatch,
    capfd: pytest.CaptureFixture[str],
) -> None:  # fmt: skip
    """The first mistake of each command starts the installed program; the others run in this process."""
    before = sorted(files.rglob("*"))
    if words in FIRST:
        done = yurt(*shlex.split(words), cwd=files, code=int(status))
        shown, told = done.stdout.decode(), done.stderr.decode()
    else:
        monkeypatch.chdir(files)
        monkeypatch.setattr(sys, "argv", ["yurt", *shlex.split(words)])
        assert main.run() == int(status)
        shown, told = capfd.readouterr()
    assert message in told
    assert len(re.findall(r"^(Error: |yurt: |1 mistake in )", told, re.MULTILINE)) == 1
    assert not shown and sorted(files.rglob("*")) == before
