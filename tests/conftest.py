"""Runs the program as a process, in a temporary folder."""

from __future__ import annotations

import csv
import io
import json
import os
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path
from textwrap import dedent
from typing import Any

import pytest

from .launcher import Launcher

PROGRAM = Path(sys.executable).with_name("yurt")
# All programs share the modules compiled by the first, even where byte code is not kept.
ENVIRONMENT = {
    **{name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"},
    "PYTHONPYCACHEPREFIX": str(Path(tempfile.gettempdir()) / "yurt-test-bytecode"),
    "COLUMNS": "100",
    # The list of runs is not that of whoever runs the tests.
    "XDG_STATE_HOME": tempfile.mkdtemp(prefix="yurt-test-state-"),
}
# `make test-full` covers more: random schemas, and values of each locale.
FULL = os.environ.get("YURT_TESTS") == "full"
HUTS = Path(__file__).parent.parent / "src" / "yurt" / "examples" / "huts.yaml"
Result = subprocess.CompletedProcess[bytes]


@pytest.fixture(scope="session")
def launcher() -> Iterator[Launcher]:
    """Return a launcher that starts the program fast."""
    started = Launcher(ENVIRONMENT)
    yield started
    started.close()


@pytest.fixture(scope="session")
def demo_folder(tmp_path_factory: pytest.TempPathFactory, launcher: Launcher) -> Path:
    """Return a folder with the demo, made once per run."""
    folder = tmp_path_factory.mktemp("demo")
    done = launcher.run(["demo"], folder, ENVIRONMENT)
    assert done.returncode == 0, done.stderr
    return folder


@pytest.fixture
def demo(tmp_path: Path, demo_folder: Path) -> Path:
    """Return the test's own folder, with a copy of the demo."""
    shutil.copytree(demo_folder, tmp_path, copy_function=os.link, dirs_exist_ok=True)
    return tmp_path


@pytest.fixture
def yurt(tmp_path: Path, launcher: Launcher) -> Callable[..., Result]:
    """Return a function that runs `yurt` with the given arguments in the test's folder."""

    def run(*arguments: object, code: int | None = 0, **more: Any) -> Result:
        if {*more} <= {"cwd", "env", "input"}:
            folder, environment = more.get("cwd", tmp_path), {**ENVIRONMENT, **more.get("env", {})}
            done = launcher.run([*map(str, arguments)], folder, environment, more.get("input", b""))
        else:
            more = {"cwd": tmp_path, "capture_output": True, "env": ENVIRONMENT} | more
            done = subprocess.run([PROGRAM, *map(str, arguments)], check=False, timeout=300, **more)
        told = (done.stderr or b"").decode()
        assert code is None or done.returncode == code, told
        assert "Traceback" not in told and "an error of the program itself" not in told, told
        assert "Warning" not in told, told
        return done

    return run


@pytest.fixture
def fields(tmp_path: Path, yurt: Callable[..., Result]) -> Callable[..., list[dict[str, Any]]]:
    """Return a function that makes records from field lines and returns them as JSON."""

    def make(lines: str, count: int = 300, head: str = "", tail: str = "", seed: int = 1) -> list[dict[str, Any]]:
        path = tmp_path / "fields.yaml"
        path.write_text(schema_of(lines, count, head, tail), encoding="utf-8")
        done = yurt("generate", path, "row", "--format", "json", "--seed", seed, "--today", "2026-06-01")
        found: list[dict[str, Any]] = json.loads(done.stdout)
        assert len(found) == count
        return found

    return make


def schema_of(lines: str, count: int = 300, head: str | None = "", tail: str = "", name: str = "row") -> str:
    """Return a schema with one record type of these field lines; without `header`, only the record type."""
    indented = "\n".join("      " + line for line in dedent(lines).strip("\n").splitlines())
    record = f"  {name}:\n    count: {count}\n    fields:\n{indented}\n{tail}"
    return record if head is None else f"yurt: 1\n{head}records:\n{record}"


def read_csv(data: bytes) -> list[dict[str, str]]:
    """Read CSV with Python's own reader."""
    return list(csv.DictReader(io.StringIO(data.decode(), newline="")))
