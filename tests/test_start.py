"""What commands import, by name, and how long they take to start."""

from __future__ import annotations

import os
import re
import shlex
import subprocess
import sys
from pathlib import Path

import pytest

from .conftest import HUTS

ROOT = Path(__file__).parent.parent
GUESTS = ROOT / "bench" / "guests.yaml"
PAGE = (ROOT / "docs" / "architecture.md").read_text("utf-8")
ROWS = re.findall(r"^\| `(yurt[^`]*)` \| ([a-z, ]+) \|$", PAGE, re.MULTILINE)
# Parts of the standard library that are slow to import, and what needs each of them here.
SLOW = {"asyncio", "email", "http", "importlib.resources", "logging", "numpy.f2py", "numpy.ma", "numpy.testing", "pyarrow.compute", "sqlite3",
        "ssl", "subprocess", "unittest", "urllib.request", "xml.dom"}  # fmt: skip
ALLOWED = {"xlsx": {"email", "http", "ssl", "urllib.request"}, "parquet": {"ssl"}, "verify": {"numpy.ma"}}
# Names that stand in `sys.modules` without a package of their own.
NAMELESS = {"cloudpickle", "cython_runtime", "org", "sitecustomize"}


LISTED = "import atexit, sys\natexit.register(lambda: open('modules', 'w').write('\\n'.join(sys.modules)))\n"
PROGRAM = "import runpy\nsys.argv = ['yurt', *{!r}]\nrunpy.run_module('yurt', run_name='__main__')"


def imported(code: str, folder: Path) -> set[str]:
    """Return the names of all modules that a process imports."""
    environment = {**os.environ, "XDG_STATE_HOME": str(folder / "state")}
    done = subprocess.run(
        [sys.executable, "-c", LISTED + code], cwd=folder, env=environment, capture_output=True, check=False,
        encoding="utf-8",
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    return set((folder / "modules").read_text().splitlines())


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Return a folder with the schemas, and records of the demo."""
    made = tmp_path_factory.mktemp("start")
    (made / "huts.yaml").write_bytes(HUTS.read_bytes())
    (made / "guests.yaml").write_bytes(GUESTS.read_bytes())
    run = [sys.executable, "-m", "yurt", "generate", "huts.yaml", "--count", "4", "--out", "huts"]
    subprocess.run(run, cwd=made, check=True, capture_output=True)
    (made / "hut.csv").write_bytes((made / "huts" / "hut.csv").read_bytes())
    return made


@pytest.mark.parametrize(("line", "packages"), ROWS, ids=lambda each: each[:40])
def test_each_command_imports_what_the_table_says(line: str, packages: str, folder: Path) -> None:
    if line.startswith("yurt.record"):
        code = f"import yurt; schema = yurt.read('huts.yaml'); {line}"
    else:
        code = PROGRAM.format([*shlex.split(line)[1:], *(["--force"] if "--out" in line else [])])
    found = imported(code, folder)
    tops = {each.partition(".")[0] for each in found}
    others = {each for each in tops if each not in sys.stdlib_module_names and each[0] != "_"} - NAMELESS - {"yurt"}
    assert others == set(packages.split(", "))
    # Arrow takes a pickler with it where one is installed, which a cluster needs.
    found -= imported("import pyarrow", folder) if "pyarrow" in packages else set()
    slow = {each for each in SLOW if any(f"{name}.".startswith(f"{each}.") for name in found)}
    assert slow == next((names for part, names in ALLOWED.items() if part in line), set())


def test_the_table_is_read() -> None:
    assert len(ROWS) >= 15


def test_the_neighbours_of_a_format_and_of_a_head_stay_away(folder: Path) -> None:
    code = PROGRAM.format(["generate", "guests.yaml", "--count", "1", "--out", "one.csv", "--force"])
    found = imported(code, folder)
    formats = {each.split(".")[3] for each in found if each.startswith("yurt.core.formats.")}
    assert formats == {"common", "csv"}
    heads = {each.split(".")[4] for each in found if each.startswith("yurt.core.engine.heads.")}
    assert heads == {"boolean", "kind", "matching", "one_of", "ranged", "sequence"}
    assert not {each for each in found if each.startswith(("yurt.core.dirt", "yurt.core.keyed", "yurt.core.verify"))}


def test_every_command_starts_within_its_limit(tmp_path: Path) -> None:
    """The limits of `bench/start.py`, with three times what is allowed: the machine is busy with other tests."""
    run = [sys.executable, str(ROOT / "bench" / "start.py"), "--times", "1", "--allow", "3"]
    done = subprocess.run(run, cwd=tmp_path, capture_output=True, check=False, encoding="utf-8")
    assert done.returncode == 0, done.stdout
    assert done.stdout.count(" within ") >= 13
