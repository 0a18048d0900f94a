"""The plugin for pytest: tests for each case or row of a schema, and schemas with a seed for each test.

Nothing heavy is imported before a test asks for it: pytest loads the plugin in every project.
"""

from __future__ import annotations

import shlex
from collections.abc import Callable, Generator, Sequence
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

from yurt.core.base.data_classes import dataclass, field, replace
from yurt.testing.seeds import seed_of

if TYPE_CHECKING:
    from yurt.core.model import Schema

MARKS = {
    "yurt_cases": (
        "yurt_cases(schema, record_type, argument='case', **options): run the test for each case; "
        "options are those of yurt.cases: only, target, technique, limit, boundary"
    ),
    "yurt_combinations": (
        "yurt_combinations(schema, record_type, argument='case', strength=2, **options): run the test for each record "
        "of an array of combinations"
    ),
    "yurt_rows": "yurt_rows(schema, record_type, rows=(1, 5), argument='row'): run the test for each of some rows",
    "yurt_schema": "yurt_schema(path, variants=()): the schema of the fixture `yurt_schema`",
}
# The rows of `yurt_rows` without any.
FIRST_ROWS = (1, 5)


def pytest_addoption(parser: pytest.Parser) -> None:
    """Add the option and the setting of the plugin."""
    group = parser.getgroup("yurt", "Yurt: records from a schema")
    group.addoption(
        "--yurt-seed", type=_seed, metavar="N",
        help="The seed of all schemas in tests. By default, each test has its own, which is printed when it fails.",
    )  # fmt: skip
    parser.addini("yurt_schema", "The schema file of the fixture `yurt_schema`, relative to the root folder.")


def _seed(text: str) -> int:
    if not text.isdecimal() or len(text) > 18:
        raise ValueError(f"`{text}` is not a seed: a whole number of at most 18 digits")
    return int(text)


def pytest_configure(config: pytest.Config) -> None:
    """Declare the marks."""
    for each in MARKS.values():
        config.addinivalue_line("markers", each)


@dataclass
class _Used:
    """The schemas that a test has used, with the seed of its records."""

    seed: int
    paths: list[str] = field(default_factory=list)


_USED: pytest.StashKey[_Used] = pytest.StashKey()


def pytest_runtest_setup(item: pytest.Item) -> None:
    """Begin each test with the first records again, whichever tests ran before it."""
    import sys

    if (records := sys.modules.get("yurt.api.records")) is not None:
        records.restart()


@pytest.fixture
def yurt_seed(request: pytest.FixtureRequest) -> int:
    """The seed of this test: derived from its id, or that of `--yurt-seed`."""
    return _used(request.node).seed


@pytest.fixture
def yurt_schema(request: pytest.FixtureRequest) -> Schema:
    """The schema of the mark or setting `yurt_schema`, with the seed of this test."""
    mark = request.node.get_closest_marker("yurt_schema")
    told = request.config.getini("yurt_schema")
    if mark is None and not told:
        pytest.fail(
            "the fixture `yurt_schema` needs a schema: @pytest.mark.yurt_schema('huts.yaml'), "
            "or `yurt_schema = huts.yaml` in the settings of pytest", pytrace=False,
        )  # fmt: skip
    path, variants = _schema_of_mark(mark) if mark is not None else (request.config.rootpath / told, ())
    with _told(f"the fixture `yurt_schema` of {request.node.nodeid}"):
        found = _read(path if mark is None else _path(request.node.path, path), variants)
    used = _used(request.node)
    used.paths.append(_shown(_path(request.node.path, path), request.config))
    return replace(found, seed=used.seed)


def _schema_of_mark(mark: pytest.Mark) -> tuple[Any, tuple[str, ...]]:
    def arguments(path: Any, variants: Sequence[str] = ()) -> tuple[Any, tuple[str, ...]]:
        return path, tuple(variants)

    return _bound(mark, arguments)  # type: ignore[no-any-return]


def _used(node: Any) -> _Used:
    if _USED not in node.stash:
        fixed = node.config.getoption("--yurt-seed")
        node.stash[_USED] = _Used(seed_of(node.nodeid) if fixed is None else fixed)
    return node.stash[_USED]  # type: ignore[no-any-return]


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item: pytest.Item, call: pytest.CallInfo[None]) -> Generator[None, Any, Any]:
    """Add to the report of a failed test how to make its records again."""
    report = yield
    used = item.stash.get(_USED, None)
    if report.when == "call" and report.failed and used is not None:
        lines = [f"pytest {shlex.quote(item.nodeid)} --yurt-seed {used.seed}"]
        lines += [f"yurt generate {shlex.quote(path)} --seed {used.seed} --out records/" for path in used.paths]
        report.sections.append((f"records of seed {used.seed}", "The same records again:\n" + "\n".join(lines)))
    return report


def pytest_generate_tests(metafunc: pytest.Metafunc) -> None:
    """Run a test once for each case, combination, or row of its marks."""
    for mark in metafunc.definition.iter_markers():
        if mark.name in SOURCES:
            with _told(f"{metafunc.definition.nodeid}, mark `{mark.name}`"):
                argument, found = _bound(mark, SOURCES[mark.name](metafunc))
            if argument not in metafunc.fixturenames:
                pytest.fail(
                    f"{metafunc.definition.nodeid}: the mark `{mark.name}` gives `{argument}`, and the test does not "
                    f"take it; write def {metafunc.function.__name__}({argument}), or argument='…' in the mark",
                    pytrace=False,
                )  # fmt: skip
            metafunc.parametrize(argument, [pytest.param(value, id=name) for name, value in found])


Found = tuple[str, list[tuple[str, Any]]]


def _of_cases(metafunc: pytest.Metafunc) -> Callable[..., Found]:
    def cases(schema: Any, record_type: str, argument: str = "case", **options: Any) -> Found:
        import yurt

        found = yurt.cases(_seeded(metafunc, schema), record_type, **options)
        return argument, [(each.id, each) for each in found]

    return cases


def _of_combinations(metafunc: pytest.Metafunc) -> Callable[..., Found]:
    def combinations(
        schema: Any, record_type: str, argument: str = "case", strength: int | str = 2, **options: Any
    ) -> Found:
        import yurt

        own = _seeded(metafunc, schema)
        found = yurt.cases(own, record_type, technique="combinatorial", strength=strength, **options)
        return argument, [(each.id, each) for each in found]

    return combinations


def _of_rows(metafunc: pytest.Metafunc) -> Callable[..., Found]:
    def rows(schema: Any, record_type: str, rows: tuple[int, int] = FIRST_ROWS, argument: str = "row") -> Found:
        import yurt

        found = yurt.records(_seeded(metafunc, schema), record_type, rows=rows)
        return argument, [(f"{record_type}-{number}", each) for number, each in enumerate(found, rows[0])]

    return rows


SOURCES: dict[str, Callable[[pytest.Metafunc], Callable[..., Found]]] = {
    "yurt_cases": _of_cases, "yurt_combinations": _of_combinations, "yurt_rows": _of_rows,
}  # fmt: skip


def _seeded(metafunc: pytest.Metafunc, schema: Any) -> Schema:
    """Return a schema with a seed: its own, that of the option, or one of the test's id.

    Every worker collects the tests again, so a seed must not be drawn.
    """
    from yurt.core.model import Schema

    found = schema if isinstance(schema, Schema) else _read(_path(metafunc.definition.path, schema), ())
    fixed = metafunc.config.getoption("--yurt-seed")
    if fixed is None and found.seed is not None:
        return found
    return replace(found, seed=fixed if fixed is not None else seed_of(metafunc.definition.nodeid))


def _read(schema: Any, variants: Sequence[str]) -> Schema:
    """Return a schema; one that several tests name is read once, unless it has changed."""
    changed = schema.stat().st_mtime_ns if isinstance(schema, Path) and schema.is_file() else 0
    return _read_once(schema, tuple(variants), changed)


@lru_cache(maxsize=32)
def _read_once(schema: Any, variants: tuple[str, ...], changed: int) -> Schema:
    import yurt

    return yurt.read(schema, variants)


def _path(test: Path, schema: Any) -> Any:
    """Return the path of a schema, which is relative to the folder of the test."""
    return test.parent / schema if isinstance(schema, str | Path) else schema


def _shown(path: Path, config: pytest.Config) -> str:
    try:
        return str(path.resolve().relative_to(config.invocation_params.dir))
    except ValueError:
        return str(path)


def _bound(mark: pytest.Mark, function: Callable[..., Any]) -> Any:
    """Call a function with the arguments of a mark. Raises UsageFault for those that it does not take."""
    import inspect

    from yurt.core.base.errors import UsageFault

    try:
        inspect.signature(function).bind(*mark.args, **mark.kwargs)
    except TypeError as fault:
        raise UsageFault(f"{fault}; write {MARKS[mark.name].partition(':')[0]}") from None
    return function(*mark.args, **mark.kwargs)


class _told:  # noqa: N801
    """Fails with the message of a fault, and where it comes from, without a traceback through the plugin."""

    def __init__(self, where: str) -> None:
        self.where = where

    def __enter__(self) -> None:
        """Nothing is prepared."""

    def __exit__(self, kind: Any, fault: BaseException | None, trace: Any) -> None:
        from yurt.core.base.errors import YurtError

        if isinstance(fault, YurtError | TypeError):
            pytest.fail(f"{self.where}: {fault}", pytrace=False)
