"""The tools that look for weaknesses: a few hundred inputs of the fuzz, and some mutants of the validator."""

from __future__ import annotations

import ast
import os
import random
import re
import subprocess
import sys
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


@pytest.mark.parametrize("sort", ["schema", "pattern", "expression", "data", "round"])
def test_mutated_inputs_end_with_a_message_in_time(sort: str) -> None:
    done = run("fuzz", "--only", sort, "--count", 30, "--seed", 11, "--workers", 1)
    assert done.returncode == 0, done.stdout + done.stderr
    assert done.stdout == "30 inputs, seed 11: 0 findings\n"


def test_the_fuzz_finds_what_it_looks_for(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A program that hangs, fails, or prints too much is a finding."""
    fuzz = tool("fuzz")
    import yurt.cli.main as program

    monkeypatch.setattr(fuzz, "SECONDS", 1)
    monkeypatch.setattr(fuzz, "LONGEST_WAIT", 4)
    given = fuzz.Input({"s.yaml": b"yurt: 1"}, ["check", "s.yaml"])
    ends = {
        "a traceback: ZeroDivisionError": lambda: 1 // 0,
        "exit status 7": lambda: sys.exit(7),
        "a hang of more than 4 s": lambda: __import__("time").sleep(9),
        "more than 1 s of processor time": lambda: sum(1 for _ in iter(int, 1)),
        "40001 characters": lambda: sys.exit(sys.stderr.write("x" * 40_000 + "\n") and 1),
        "": lambda: sys.exit(2),
    }
    for words, end in ends.items():
        monkeypatch.setattr(program, "main", end)
        found = fuzz.run(given, tmp_path)
        assert found.startswith(words)
        assert bool(found) == bool(words)


def test_the_same_seed_makes_the_same_inputs() -> None:
    fuzz = tool("fuzz")
    corpus = fuzz.corpus()
    assert len(corpus) > 5
    for make in fuzz.MAKE.values():
        assert make(random.Random(5), corpus) == make(random.Random(5), corpus)
        assert make(random.Random(5), corpus) != make(random.Random(6), corpus)
    changed = {fuzz.mutated("i: integer 1..9", random.Random(at)) for at in range(200)}
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
