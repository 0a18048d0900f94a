"""Break each check of the validator on purpose, and report the breaks that no test notices.

A mutant is one change at one place in `src/yurt/core/verify`, or in the modules that compute its expressions: a check
that never finds anything, or an inverted comparison, connective, or negation (R. DeMillo, R. Lipton and F. Sayward,
"Hints on Test Data Selection", 1978). Each mutant runs the validator's tests in its own process, where the module is
compiled from the changed tree. A mutant that survives is listed with its place: a row is missing from a test table.
Changes that make no difference, because a slower path gives the same result or the case cannot occur, are listed in
`equal_mutants.txt` with the reason; they are neither run nor counted.

    python tools/mutate_validator.py [--only shapes,fields] [--every N] [--workers N] [--tests FILE…]
"""

from __future__ import annotations

import argparse
import ast
import contextlib
import copy
import importlib.abc
import importlib.util
import io
import os
import signal
import socket
import subprocess
import sys
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from importlib.machinery import ModuleSpec
from pathlib import Path
from types import ModuleType, SimpleNamespace

# The imports of the tests are loaded once for all mutants, except our own code.
import duckdb  # noqa: F401
import lxml.etree  # noqa: F401
import numpy as np  # noqa: F401
import pandas as pd  # noqa: F401
import pyarrow.compute as pc  # noqa: F401
import pytest
from scipy import stats  # noqa: F401

import yurt.core.engine.run
import yurt.core.language.reader  # noqa: F401

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT))
from tests import launcher as tests_of_programs  # noqa: E402

CORE = ROOT / "src" / "yurt" / "core"
FILES = (
    "shapes", "fields", "lists", "clocks", "check_digits", "national_numbers",
    "cross_row", "referred", "validator", "written", "typed", "plain",
    "agreement", "keys", "siblings", "per_parent", "rows_before",
    "frame", "equality", "shown_part", "own_units",
    "columns/evaluate", "columns/column", "columns/faults", "base/exact",
)  # fmt: skip
# The tests of each module that run in this process, the most sensitive first.
DIGITS = ("check_digits", "validator_records", "contracts")
ORDER = ("rows_before", "relations", "validator")
TABLES = ("validator_records", "relations", "validator", "written_forms")
NUMBERS = ("exact", "validator_records", "relations", "validator")
TESTS = {
    **dict.fromkeys(FILES, TABLES),
    **dict.fromkeys(("shapes", "fields", "validator", "cross_row", "clocks"), (*TABLES, "rows_before", "together")),
    **dict.fromkeys(("check_digits", "national_numbers"), DIGITS),
    **dict.fromkeys(("keys", "siblings", "per_parent", "referred", "rows_before"), ORDER),
    **dict.fromkeys(("frame", "equality"), (*TABLES, "rows_before", "exact", "together")),
    **dict.fromkeys(("shown_part", "own_units"), ("validator_records", "written_forms", "together", "exact")),
    "base/exact": ("language", *NUMBERS),
    **dict.fromkeys(
        ("columns/evaluate", "columns/column", "columns/faults"), ("language", *NUMBERS, "cleaning", "together")
    ),
}
# These tests measure time, or start the installed program, which does not contain the mutant.
WITHOUT = "not microsecond and not kind and not safe and not fixes"
EQUAL = Path(__file__).parent / "equal_mutants.txt"
# Time limit of the tests in seconds; a mutant that exceeds it counts as noticed.
LIMIT = 240
SWAPS: dict[type[ast.AST], type[ast.AST]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd, ast.And: ast.Or, ast.Or: ast.And,
}  # fmt: skip


def path(stem: str) -> Path:
    """Return the file of a module: of the validator, or of another room where a room is named."""
    return CORE / f"{stem if '/' in stem else f'verify/{stem}'}.py"


def module(stem: str) -> str:
    """Return the full name of a module."""
    return ".".join(path(stem).relative_to(ROOT / "src").with_suffix("").parts)


def mutants(tree: ast.Module) -> Iterator[tuple[ast.Module, int, str]]:
    """Yield changed copies of a tree, each with the line and a description of the change."""
    for at, node in enumerate(ast.walk(tree)):
        if change := _change(node):
            changed = copy.deepcopy(tree)
            twin = next(each for number, each in enumerate(ast.walk(changed)) if number == at)
            before = ast.unparse(node)
            for target in _apply(changed, twin, change):
                ast.copy_location(target, node)
            after = "removed" if change in ("check", "negation") else change
            yield ast.fix_missing_locations(changed), getattr(node, "lineno", 0), f"{after}: {before}"


def _change(node: ast.AST) -> str:
    """Return the possible changes at a node."""
    match node:
        case ast.Call(func=ast.Name(id="violation"), args=[_, _, *_]):
            return "check"
        case ast.Compare(ops=[op]) if type(op) in SWAPS:
            return SWAPS[type(op)].__name__
        case ast.BinOp(op=op) if type(op) in SWAPS:
            # The `|` of `int | str` in an annotation is not a bit mask.
            return "" if _is_type(node) else SWAPS[type(op)].__name__
        case ast.BoolOp(op=op):
            return SWAPS[type(op)].__name__
        case ast.UnaryOp(op=ast.Invert() | ast.Not()):
            return "negation"
    return ""


def _is_type(node: ast.BinOp) -> bool:
    names = [each for each in ast.walk(node) if isinstance(each, ast.Attribute | ast.Name)]
    words = [each.attr if isinstance(each, ast.Attribute) else each.id for each in names]
    return any(each in ("str", "int", "bool", "float", "date", "Decimal") or each[:1].isupper() for each in words)


def _apply(tree: ast.Module, twin: ast.AST, change: str) -> list[ast.expr]:
    """Change a node in its tree; return the new expressions."""
    match twin:
        case ast.Call() if change == "check":
            twin.args[1] = ast.BinOp(twin.args[1], ast.BitAnd(), ast.Constant(value=False))
            return [twin.args[1]]
        case ast.Compare():
            twin.ops = [SWAPS[type(twin.ops[0])]()]  # type: ignore[list-item]
        case ast.BinOp() | ast.BoolOp():
            twin.op = SWAPS[type(twin.op)]()  # type: ignore[assignment]
        case ast.UnaryOp():
            _replace(tree, twin, twin.operand)
    return []


def _replace(tree: ast.Module, old: ast.AST, new: ast.AST) -> None:
    for parent in ast.walk(tree):
        for name, value in ast.iter_fields(parent):
            if value is old:
                setattr(parent, name, new)
            elif isinstance(value, list) and any(each is old for each in value):
                value[next(at for at, each in enumerate(value) if each is old)] = new


class Changed(importlib.abc.MetaPathFinder, importlib.abc.Loader):
    """Loads one module from a syntax tree instead of its file, as a plug-in of pytest."""

    def __init__(self, name: str, tree: ast.Module, path: Path) -> None:
        self.name, self.tree, self.path = name, tree, path

    def pytest_sessionstart(self) -> None:
        """Take part in imports before pytest's own loader, which has the files of its plug-ins, as ours is one."""
        if self.name in sys.modules:
            for name in [each for each in sys.modules if each.partition(".")[0] == "yurt"]:
                del sys.modules[name]
        sys.meta_path.insert(0, self)

    def find_spec(self, name: str, path: Sequence[str] | None, target: ModuleType | None = None) -> ModuleSpec | None:
        """Return this loader for the changed module only."""
        return importlib.util.spec_from_loader(name, self) if name == self.name else None

    def exec_module(self, module: ModuleType) -> None:
        """Run the changed tree as the module."""
        exec(compile(self.tree, str(self.path), "exec"), module.__dict__)  # noqa: S102 - our own code


class Forked:
    """Stands in for the process that starts programs for the tests: a copy of this one, which contains the mutant."""

    def __init__(self, command: Sequence[str], pass_fds: Sequence[int], env: dict[str, str]) -> None:
        self.child = os.fork()
        if not self.child:
            os.environ.update(env)
            # pytest's own streams are not those that the programs get.
            sys.stdin, sys.stdout, sys.stderr = (os.fdopen(at, mode, closefd=False) for at, mode in enumerate("rww"))
            with contextlib.suppress(BaseException):
                tests_of_programs._serve(socket.socket(fileno=int(command[-1])))
            os._exit(0)

    def wait(self, timeout: float) -> None:
        """End the process, which waits for more."""
        os.kill(self.child, signal.SIGKILL)
        os.waitpid(self.child, 0)


def survives(stem: str, tree: ast.Module, tests: Sequence[str]) -> bool:
    """Return whether the tests pass with a mutant; they run in their own process."""
    child = os.fork()
    if child:
        return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 0
    status = 1
    with contextlib.suppress(BaseException), contextlib.redirect_stdout(io.StringIO()):
        signal.alarm(LIMIT)
        os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
        with_forks = SimpleNamespace(Popen=Forked, CompletedProcess=subprocess.CompletedProcess)
        tests_of_programs.subprocess = with_forks  # type: ignore[assignment]
        options = ["-x", "-q", "-n", "0", "--no-header", "-p", "no:cacheprovider", "-p", "no:randomly", "-k", WITHOUT]
        files = tests or [f"tests/test_{each}.py" for each in TESTS[stem]]
        status = int(pytest.main([*options, *files], plugins=[Changed(module(stem), tree, path(stem))]))
    os._exit(status)


def equal() -> set[tuple[str, str]]:
    """Return the changes that make no difference, as pairs of module and change."""
    lines = (
        each
        for each in EQUAL.read_text("utf-8").splitlines()
        if each.count(" | ") > 1 and not each.startswith("Changes")
    )
    # The description of a change may contain the separator.
    parts = ((each.partition(" | ")[0], each.partition(" | ")[2].rpartition(" | ")[0]) for each in lines)
    return set(parts)


def main() -> None:
    """Run the mutants, and print the survivors and the share that the tests noticed."""
    parser = argparse.ArgumentParser(description=__doc__.partition("\n")[0] if __doc__ else "")
    parser.add_argument("--only", default=",".join(FILES), help="names of modules, with commas")
    parser.add_argument("--every", type=int, default=1, help="only each n-th mutant")
    parser.add_argument("--workers", type=int, default=os.cpu_count() or 2)
    parser.add_argument("--tests", nargs="*", default=(), help="files instead of those that look at the module")
    given = parser.parse_args()
    os.chdir(ROOT)
    without = equal()
    every = [
        (stem, *each)
        for stem in str(given.only).split(",")
        for each in mutants(ast.parse(path(stem).read_text("utf-8")))
    ]
    found = [each for each in every if (each[0], each[3]) not in without]
    if gone := without - {(each[0], each[3]) for each in every if each[0] in str(given.only)}:
        stale = [f"{stem}: {what}" for stem, what in sorted(gone) if stem in str(given.only).split(",")]
        if stale:
            sys.exit("no longer there, though equal_mutants.txt names them:\n" + "\n".join(stale))
    equals = len(every) - len(found)
    found = found[:: given.every]
    for stem in {tuple(TESTS[each[0]]): each[0] for each in found}.values():
        if not survives(stem, ast.parse(path(stem).read_text("utf-8")), given.tests):
            sys.exit(f"{stem}: the tests fail without any change")
    with ThreadPoolExecutor(given.workers) as pool:
        results = pool.map(lambda each: survives(each[0], each[1], given.tests), found)
        left = 0
        for (stem, _, line, what), alive in zip(found, results, strict=True):
            if alive:
                left += 1
                print(f"survived  {stem}.py:{line} | {what}", flush=True)
    print(f"{len(found)} mutants, {len(found) - left} noticed, {left} survived: score {1 - left / len(found):.1%}")
    print(f"{equals} more make no difference ({EQUAL.name})")


if __name__ == "__main__":
    main()
