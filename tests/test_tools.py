"""The tools that look for weaknesses: a few hundred hostile inputs, and some mutants of the validator."""

from __future__ import annotations

import ast
import contextlib
import os
import random
import re
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from types import ModuleType

import pytest

ROOT = Path(__file__).parent.parent


def tool(name: str) -> ModuleType:
    sys.path.insert(0, str(ROOT / "tools"))
    try:
        return __import__(name)
    finally:
        sys.path.pop(0)


def run(name: str, *arguments: object) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, str(ROOT / "tools" / f"{name}.py"), *map(str, arguments)]
    return subprocess.run(command, capture_output=True, text=True, check=False, env=dict(os.environ))


# Each half of the series is a process, which is loaded once; a run that is killed is three runs.
HALVES = {"schema,pattern,expression,round,structure": 140, "data,template,request,receipt,ending": 100}


@pytest.mark.parametrize("series", HALVES)
def test_hostile_inputs_end_with_a_message_in_time(series: str) -> None:
    count = HALVES[series]
    done = run("attack", "--only", series, "--count", count, "--seed", 11, "--workers", 1)
    assert done.returncode == 0, done.stdout + done.stderr
    assert done.stdout == f"{count} inputs of {series.count(',') + 1} series, seed 11: 0 findings\n"


def test_every_series_is_run() -> None:
    assert set(",".join(HALVES).split(",")) == set(tool("attack").SERIES)


def _leaves(name: str) -> None:
    Path(name).write_text("x")


def test_the_attack_finds_what_it_looks_for(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A program that hangs, fails, prints too much, leaves files, or makes none is a finding."""
    tool("attack")
    process = sys.modules["attacks.process"]
    import yurt.cli.main as program

    monkeypatch.setattr(process, "SECONDS", 1)
    monkeypatch.setattr(process, "LONGEST_WAIT", 4)
    given = process.Input({"s.yaml": b"yurt: 1"}, ["check", "s.yaml"], made="out.csv")
    ends = {
        "a traceback: ZeroDivisionError": lambda: 1 // 0,
        "exit status 7": lambda: sys.exit(7),
        "a hang of more than 4 s": lambda: __import__("time").sleep(9),
        "more than 1 s of processor time": lambda: sum(1 for _ in iter(int, 1)),
        "40001 characters": lambda: sys.exit(sys.stderr.write("x" * 40_000 + "\n") and 1),
        "exit status 0, and left: .part": lambda: _leaves(".part"),
        "exit status 0, and left: other.csv": lambda: _leaves("other.csv"),
        "exit status 0 without out.csv": lambda: sys.exit(0),
        "left among the temporary files": lambda: tempfile.mkdtemp() and sys.exit(2),
        "": lambda: sys.exit(2),
    }
    for number, (words, end) in enumerate(ends.items()):
        monkeypatch.setattr(program, "main", end)
        (folder := tmp_path / str(number)).mkdir()
        found = given.run(folder)
        assert found.startswith(words), found
        assert bool(found) == bool(words), found


def _writes_half() -> None:
    """Write what is larger than its place: a program that does not look after its files."""
    with contextlib.suppress(OSError), open("out.csv", "wb") as out:
        for _ in range(100):
            out.write(b"x" * 1000)
            out.flush()
            time.sleep(0.01)


def test_a_torn_file_is_found(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    tool("attack")
    endings = sys.modules["attacks.endings"]
    import yurt.cli.main as program

    monkeypatch.setattr(program, "main", _writes_half)
    own = {"files": {"out.csv": b"before"}, "arguments": ["generate"], "target": "out.csv"}
    for number, early in enumerate([{"seconds": 0.3}, {"largest": 5000}]):
        (folder := tmp_path / str(number)).mkdir()
        found = endings.Cut(**own, **early).run(folder)
        assert found.startswith(("torn: out.csv has", "exit status 0, but other files: out.csv has")), found


def test_the_same_seed_makes_the_same_inputs() -> None:
    attack = tool("attack")
    # The others begin with files that the program makes first.
    for series in ("schema", "pattern", "expression", "round", "template", "request"):
        assert attack.made(series, 5, 1) == attack.made(series, 5, 1)
        assert attack.made(series, 5, 1) != attack.made(series, 5, 2)
    mutation = sys.modules["attacks.mutation"]
    assert len(mutation.corpus()) > 5
    changed = {mutation.mutated("i: integer 1..9", random.Random(at)) for at in range(200)}
    assert len(changed) > 150


def test_mutants_are_one_change_each() -> None:
    mutate = tool("mutate_validator")
    source = "def f(a: int | None, b):\n    return violation('range', a < b, 'x') if not a & b and b else None\n"
    found = {ast.unparse(tree).splitlines()[1].strip(): what for tree, _, what in mutate.mutants(ast.parse(source))}
    assert sorted(found) == sorted(
        [
            "return violation('range', (a < b) & False, 'x') if not a & b and b else None",
            "return violation('range', a <= b, 'x') if not a & b and b else None",
            "return violation('range', a < b, 'x') if a & b and b else None",
            "return violation('range', a < b, 'x') if not a & b or b else None",
            "return violation('range', a < b, 'x') if not a | b and b else None",
        ]
    )


def test_a_test_notices_when_a_check_is_broken() -> None:
    """A few mutants of one module; `tools/mutate_validator.py` runs all of them."""
    tests = ["tests/test_relations.py"]
    done = run("mutate_validator", "--only", "cross_row", "--every", 20, "--workers", 2, "--tests", *tests)
    assert done.returncode == 0, done.stderr
    score = re.search(r"(\d+) mutants, (\d+) noticed", done.stdout)
    assert score, done.stdout
    assert int(score[1]) > 1 and int(score[2]) >= int(score[1]) - 1, done.stdout


def test_the_picture_of_the_rooms_has_all_of_them(tmp_path: Path) -> None:
    rooms = tool("rooms")
    drawn = rooms.drawn()
    for layer in rooms.layers():
        for name in layer:
            assert f">{name}</text>" in drawn
    assert drawn.count("<rect") == sum(map(len, rooms.layers())) + 1
