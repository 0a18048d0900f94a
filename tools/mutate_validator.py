"""Break each check of the validator on purpose, and see whether a test notices: `python tools/mutate_validator.py`.

A mutant is one change to one place of `src/yurt/core/verify`: a check that never finds anything, a comparison, a
connective or a negation turned round (R. DeMillo, R. Lipton and F. Sayward, "Hints on Test Data Selection", 1978). Each
runs the tables of the validator in a process of its own, in which the module is compiled from the changed tree. What
survives is listed with its place: a missing line of a table. Changes that make no difference, as a slower way gives the
same result or a case cannot occur, stand in `equal_mutants.txt` with the reason; they are not run and not counted.

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
import sys
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from importlib.machinery import ModuleSpec
from pathlib import Path
from types import ModuleType

# What the tests need is loaded once for all mutants, but for our own code.
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
ROOM = ROOT / "src" / "yurt" / "core" / "verify"
FILES = (
    "shapes", "fields", "lists", "clocks", "check_digits", "national_numbers",
    "cross_row", "validator", "written", "typed", "plain",
    "agreement", "keys", "siblings", "per_parent", "rows_before",
)  # fmt: skip
# The tests that look at each module in this process, those first that notice most.
DIGITS = ("check_digits", "validator_records", "contracts")
ORDER = ("rows_before", "relations", "validator")
TABLES = ("validator_records", "relations", "validator", "written_forms")
TESTS = {
    **dict.fromkeys(FILES, TABLES),
    **dict.fromkeys(("shapes", "fields", "validator", "cross_row", "clocks"), (*TABLES, "rows_before")),
    **dict.fromkeys(("check_digits", "national_numbers"), DIGITS),
    **dict.fromkeys(("keys", "siblings", "per_parent", "rows_before"), ORDER),
}
# These measure time, or look at programs of their own, in which nothing is changed.
WITHOUT = "not microsecond and not kind and not safe and not fixes"
EQUAL = Path(__file__).parent / "equal_mutants.txt"
# Seconds that the tables may take with a mutant; one that hangs has been noticed.
LIMIT = 120
SWAPS: dict[type[ast.AST], type[ast.AST]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq,
    ast.BitAnd: ast.BitOr, ast.BitOr: ast.BitAnd, ast.And: ast.Or, ast.Or: ast.And,
}  # fmt: skip


def mutants(tree: ast.Module) -> Iterator[tuple[ast.Module, int, str]]:
    """Yield changed copies of a tree, each with the line of the change and what it is."""
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
    """Return what can be changed at a node, or nothing."""
    match node:
        case ast.Call(func=ast.Name(id="violation"), args=[_, _, *_]):
            return "check"
        case ast.Compare(ops=[op]) if type(op) in SWAPS:
            return SWAPS[type(op)].__name__
        case ast.BinOp(op=op) if type(op) in SWAPS:
            # `int | str` in an annotation is not a mask.
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
    """Change a node in its tree; return the expressions that are new."""
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
    """Gives one module from a tree instead of its file."""

    def __init__(self, name: str, tree: ast.Module, path: Path) -> None:
        self.name, self.tree, self.path = name, tree, path

    def find_spec(self, name: str, path: Sequence[str] | None, target: ModuleType | None = None) -> ModuleSpec | None:
        """Return this loader for the one module."""
        return importlib.util.spec_from_loader(name, self) if name == self.name else None

    def exec_module(self, module: ModuleType) -> None:
        """Run the changed tree as the module."""
        exec(compile(self.tree, str(self.path), "exec"), module.__dict__)  # noqa: S102 - our own code


def survives(stem: str, tree: ast.Module, tests: Sequence[str]) -> bool:
    """Return whether the tests pass with a mutant, in a process of its own."""
    child = os.fork()
    if child:
        return os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 0
    status = 1
    with contextlib.suppress(BaseException), contextlib.redirect_stdout(io.StringIO()):
        signal.alarm(LIMIT)
        os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
        sys.meta_path.insert(0, Changed(f"yurt.core.verify.{stem}", tree, ROOM / f"{stem}.py"))
        options = ["-x", "-q", "-n", "0", "--no-header", "-p", "no:cacheprovider", "-p", "no:randomly", "-k", WITHOUT]
        status = int(pytest.main([*options, *(tests or [f"tests/test_{each}.py" for each in TESTS[stem]])]))
    os._exit(status)


def equal() -> set[tuple[str, str]]:
    """Return the changes that make no difference: module, and what is changed."""
    lines = (
        each
        for each in EQUAL.read_text("utf-8").splitlines()
        if each.count(" | ") > 1 and not each.startswith("Changes")
    )
    # A change may have the sign in it.
    parts = ((each.partition(" | ")[0], each.partition(" | ")[2].rpartition(" | ")[0]) for each in lines)
    return set(parts)


def main() -> None:
    """Run the mutants and print those that survive, and the share that did not."""
    parser = argparse.ArgumentParser(description=__doc__.partition("\n")[0] if __doc__ else "")
    parser.add_argument("--only", default=",".join(FILES), help="names of modules, with commas")
    parser.add_argument("--every", type=int, default=1, help="only each n-th mutant")
    parser.add_argument("--workers", type=int, default=os.cpu_count() or 2)
    parser.add_argument("--tests", nargs="*", default=(), help="files instead of those that look at the module")
    given = parser.parse_args()
    os.chdir(ROOT)
    sys.path.insert(0, str(ROOT))
    without = equal()
    every = [
        (stem, *each)
        for stem in str(given.only).split(",")
        for each in mutants(ast.parse((ROOM / f"{stem}.py").read_text("utf-8")))
    ]
    found = [each for each in every if (each[0], each[3]) not in without]
    if gone := without - {(each[0], each[3]) for each in every if each[0] in str(given.only)}:
        stale = [f"{stem}: {what}" for stem, what in sorted(gone) if stem in str(given.only).split(",")]
        if stale:
            sys.exit("no longer there, though equal_mutants.txt names them:\n" + "\n".join(stale))
    equals = len(every) - len(found)
    found = found[:: given.every]
    for stem in {tuple(TESTS[each[0]]): each[0] for each in found}.values():
        if not survives(stem, ast.parse((ROOM / f"{stem}.py").read_text("utf-8")), given.tests):
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
