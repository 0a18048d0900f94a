"""The structure of the code: layers without cycles, short files, one shape for each concept."""

from __future__ import annotations

import ast
import re
import subprocess
import sys
import tomllib
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import pytest

from yurt.core.columns.functions import KERNELS, SIGNATURES
from yurt.core.distributions.registry import all_distributions
from yurt.core.engine.makers import factories
from yurt.core.formats import FILE_FORMATS, FORMATS, by_suffix, index
from yurt.core.grammar.words import CLAUSES, HEADS, TERMINALS
from yurt.core.heads.registry import rules
from yurt.core.model.functions import FUNCTIONS, OF_SIBLINGS
from yurt.core.model.phrases import Head, Removed, Treatment

from .conftest import HUTS, schema_of

ROOT = Path(__file__).parent.parent
CODE = ROOT / "src" / "yurt"
FILES = sorted(CODE.rglob("*.py"))
LONGEST = 400
# The Python interface takes and returns values of any type.
MOST_ANY = 220
# The only internal import inside a function: it loads numerics into a command that rarely needs them.
# The rooms above the core.
ABOVE = ("yurt.cli", "yurt.api", "yurt.service", "yurt.testing")
WAITING = {
    # Pages of a kind show what the engine makes.
    "yurt.core.reports.kind_pages": {"yurt.core.reports.kind_examples"},
    # Jinja.
    "yurt.core.formats.template": {"yurt.core.formats.template.sandbox"},
    # Numerics, which reading a schema does not need.
    "yurt.core.distributions.truncated": {"yurt.core.base.normal"},
    "yurt.core.kinds.groups.prices": {"yurt.core.base.normal"},
    "yurt.core.kinds.own_lists": {"yurt.core.source.yaml_nodes"},
    "yurt.core.kinds.names": {"yurt.core.base.arrays", "yurt.core.base.compute"},
    "yurt.core.kinds.groups.households": {"yurt.core.base.compute"},
    # What most schemas do not ask for.
    "yurt.core.columns.evaluate": {"yurt.core.columns.functions"},
    "yurt.core.engine.kind_context": {
        "capitals", "lives.household", "lives.life", "localized", "notes", "numbers.accounts", "numbers.articles",
        "numbers.cards", "numbers.companies", "numbers.ibans", "numbers.persons", "passwords", "phones", "positions",
        "sentences",
    },
}  # fmt: skip


def name_of(path: Path) -> str:
    return ".".join(path.relative_to(CODE.parent).with_suffix("").parts).removesuffix(".__init__")


MODULES = {name_of(path): path for path in FILES}


def imports(module: str) -> Iterator[tuple[str, bool]]:
    """Yield the internal modules that a module imports, including for types, and whether the import is inside a
    function."""
    waiting: list[tuple[ast.AST, bool]] = [(ast.parse(MODULES[module].read_text("utf-8")), False)]
    while waiting:
        node, inside = waiting.pop()
        if isinstance(node, ast.ImportFrom) and node.module:
            for each in node.names:
                full = f"{node.module}.{each.name}"
                found = full if full in MODULES else node.module
                if found in MODULES and found != module:
                    yield found, inside
        inside = inside or isinstance(node, ast.FunctionDef)
        waiting += [(each, inside) for each in ast.iter_child_nodes(node)]


GRAPH = {module: list(imports(module)) for module in MODULES}


@cache
def rooms() -> list[set[str]]:
    """Return the rooms from bottom to top, as the import rules order them."""
    config = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["tool"]["importlinter"]
    layers = next(each for each in config["contracts"] if each["type"] == "layers")["layers"]
    return [set(each.split(" | ")) for each in reversed(layers)]


@cache
def room_of(module: str) -> int:
    return next(
        at for at, names in enumerate(rooms()) if any(module == name or module.startswith(name + ".") for name in names)
    )


def test_every_module_is_in_a_room_and_imports_only_rooms_below() -> None:
    inside = [each for each in MODULES if each.startswith(("yurt.core.", *ABOVE))]
    assert len(inside) > 200
    upwards = [
        (each, other)
        for each in inside
        for other, _ in GRAPH[each]
        if other in inside and room_of(other) > room_of(each)
    ]
    assert upwards == []
    folders = {each.name for each in (CODE / "core").iterdir() if each.is_dir() and each.name != "__pycache__"}
    named = {name.rpartition(".")[2] for names in rooms() for name in names} - {"cli", "api", "service", "testing"}
    assert folders == named
    assert [each.name for each in (CODE / "core").glob("*.py")] == ["__init__.py"]


def test_no_modules_import_each_other_in_a_ring() -> None:
    """All modules can be removed one by one, each after its imports (A. Kahn, 1962)."""
    left = {module: {other for other, _ in found} for module, found in GRAPH.items()}
    while free := {module for module, needs in left.items() if not needs & left.keys()}:
        left = {module: needs for module, needs in left.items() if module not in free}
    assert sorted(left) == []


def test_imports_stand_at_the_top_apart_from_heavy_packages() -> None:
    core = [each for each in MODULES if each.startswith("yurt.core.")]
    waiting = {each: {other for other, inside in GRAPH[each] if inside} for each in core}
    short = {each: {other.removeprefix("yurt.core.kinds.") for other in found} for each, found in waiting.items()}
    assert {each: found for each, found in short.items() if found} == WAITING


@pytest.mark.parametrize("path", FILES, ids=name_of)
def test_a_file_is_short_and_says_what_it_is_about(path: Path) -> None:
    text = path.read_text("utf-8")
    assert text.count("\n") <= LONGEST
    assert ast.get_docstring(ast.parse(text)) or not text.strip()


def test_an_installation_has_every_file_of_data() -> None:
    """A non-editable installation as well."""
    told = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["tool"]["setuptools"]["package-data"]["yurt"]
    shipped = {found for pattern in told for found in CODE.glob(pattern)}
    data = {each for each in CODE.rglob("*") if each.is_file() and each.suffix not in (".py", ".pyc")}
    assert data - shipped == set()


def test_no_exception_is_swallowed_and_any_is_rare() -> None:
    swallowed, lines = [], 0
    for path in FILES:
        text = path.read_text("utf-8")
        lines += len([each for each in text.splitlines() if re.search(r"\bAny\b", each) and "import" not in each])
        for node in ast.walk(ast.parse(text)):
            if isinstance(node, ast.ExceptHandler) and all(isinstance(each, ast.Pass) for each in node.body):
                swallowed.append(f"{name_of(path)}:{node.lineno}")
    assert swallowed == []
    assert lines < MOST_ANY


def test_functions_of_arrow_are_called_in_one_way() -> None:
    """`pyarrow.compute` takes long to import, and every path through it would do so: see `base/compute.py`."""
    written = re.compile(r"(import|from) pyarrow\.compute|pyarrow import compute|\bpa\.compute\b")
    methods = re.compile(
        r"(?<!pc)\.(cast\(pa\.|take\(arrow\(|filter\((arrow\(|pc\.)|dictionary_encode\(\)|drop_null\(\))"
    )
    found = [
        f"{name_of(path)}: {line.strip()}" for path in FILES for line in path.read_text("utf-8").splitlines()
        if written.search(line) or methods.search(line)
    ]  # fmt: skip
    assert found == []


def test_checking_loads_no_numerics() -> None:
    """Neither do the help, the catalogue, and the Python interface before records are made."""
    code = (
        "import sys; sys.argv = ['yurt', 'kinds', 'mail']\n"
        "import yurt; schema = yurt.read(sys.argv[0] if False else PATH)\n"
        "from yurt.cli.main import cli\n"
        "cli.main(['kinds', 'mail'], standalone_mode=False); cli.main(['check', '--json-schema'], standalone_mode=False)\n"
        "heavy = {'numpy', 'pyarrow', 'scipy', 'pandas', 'babel'} & set(sys.modules)\n"
        "sys.exit(str(heavy) if heavy else 0)\n"
    ).replace("PATH", repr(str(HUTS)))
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, check=False)
    assert done.returncode == 0, done.stderr.decode()


@pytest.mark.parametrize(
    "arguments",
    [
        ["generate", "s.yaml", "--out", "out"],
        ["verify", "s.yaml", "out"],
        ["cases", "s.yaml", "--out", "cases"],
        ["preview", "s.yaml"],
        ["generate", "s.yaml", "--out", "dirty", "--errors", "10%"],
    ],
    ids=lambda each: "-".join(each[:1] + each[4:]),
)
def test_no_command_imports_pandas(arguments: list[str], tmp_path: Path) -> None:
    """Arrow imports pandas, if installed, at the first Python value it receives, which costs half a second."""
    lines = 'a: integer 1..9\nb: text 1..5\nc: given-name\nd: "/[a-z]{3}/, unique"\ne: list 1..2 of date 2026-01-01..2026-02-01\nf: iban'
    (tmp_path / "s.yaml").write_text(schema_of(lines, 20, head="seed: 1\ntoday: 2026-06-01\n"))
    code = (
        "import sys; from yurt.cli.main import cli\n"
        "cli.main(['generate', 's.yaml', '--out', 'out', '--format', 'json'], standalone_mode=False)\n"
        f"cli.main({[*arguments, '--force'] if arguments[0] in ('generate', 'cases') else arguments!r}, standalone_mode=False)\n"
        "sys.exit('pandas is imported' if 'pandas' in sys.modules else 0)\n"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, check=False, cwd=tmp_path)
    assert done.returncode == 0, done.stderr.decode()


# ---- one place for each concept --------------------------------------------------------------------------------------


def subclasses(of: type) -> set[type]:
    found = {one for each in of.__subclasses__() for one in {each, *subclasses(each)}}
    # A dataclass with slots is a second class; the first one is nowhere any more.
    return {each for each in found if getattr(sys.modules[each.__module__], each.__name__) is each}


def test_every_head_has_a_rule_a_maker_and_a_place_in_the_grammar() -> None:
    rules()
    heads = subclasses(Head) - {Treatment}
    # A removed column is not made.
    assert set(rules()) == set(factories()) | {Removed} == heads
    assert heads > subclasses(Treatment) > {Removed}
    grammar = (CODE / "core" / "grammar" / "phrase.lark").read_text("utf-8")
    parts = [re.search(rf"^{rule}: ((?:.|\n +\|)*)", grammar, re.MULTILINE)[1] for rule in ("_head", "_of_file")]  # type: ignore[index]
    listed = re.findall(r"[a-z_]+", parts[0].replace("_of_file", parts[1]))
    built = {name for rule in rules().values() for name in rule.build}
    assert built == set(listed)
    assert {"integer", "one of", "uuid", "ref", "every"} <= set(HEADS)


def test_words_of_messages_are_those_of_the_grammar() -> None:
    assert len(set(CLAUSES)) == len(CLAUSES) > 15
    assert TERMINALS["ONE_OF"] == "one of"
    assert TERMINALS["SLASH"] == "/"
    assert TERMINALS["EVERY_COMBINATION"] == "every combination of"
    assert all((word and "(" not in word) or word in "()" for word in TERMINALS.values())


def test_a_format_is_known_by_its_module_alone() -> None:
    folder = CODE / "core" / "formats"
    modules = {
        each.stem for each in folder.iterdir() if each.name[0] not in "._" and each.stem not in ("common", "index")
    }
    assert set(index()) == set(FORMATS) == modules - {"__pycache__"} and len(FORMATS) >= 8
    assert set(by_suffix().values()) == set(FILE_FORMATS) - {"template"} == set(FORMATS) - {"database", "template"}
    assert by_suffix() == {suffix: name for name, form in FORMATS.items() for suffix in form.suffixes}
    told = [path for path in FILES if re.search(r"[\"'](jsonl|xml)[\"']", path.read_text("utf-8"))]
    assert {name_of(each) for each in told} <= {
        "yurt.core.formats.jsonl",
        "yurt.core.formats.xml",
        "yurt.core.standards.xml_schema",
        "yurt.core.cases.judging",
        "yurt.core.cases.suite",
        "yurt.cli.demo",
        "yurt.cli.cases",
        "yurt.core.collections.collection",
        # The canonical form of rows.
        "yurt.core.writing.rows_digest",
        # Documents of these formats are read there, or drafts set how records are written.
        "yurt.core.drafting.sources.csvw",
        "yurt.core.drafting.sources.json_schema_merge",
        "yurt.core.drafting.sources.xml_schema",
        # The formats of answers, and the lines that they are made of.
        "yurt.service.accept",
        "yurt.service.record_answers",
    }


def test_functions_and_distributions_are_known_by_their_entries() -> None:
    assert set(SIGNATURES) == set(FUNCTIONS) == {*KERNELS, *OF_SIBLINGS}
    for name, each in FUNCTIONS.items():
        assert each.takes == tuple(str(SIGNATURES[name]["takes"]).split())
    modules = {path.stem for path in (CODE / "core" / "distributions").glob("*.py")}
    assert set(all_distributions()) == modules - {"__init__", "distribution", "registry", "truncated"}


def test_each_room_is_described() -> None:
    text = (ROOT / "docs" / "architecture.md").read_text("utf-8")
    missing = [
        name.rpartition(".")[2] for names in rooms() for name in names if f"`{name.rpartition('.')[2]}`" not in text
    ]
    assert missing == []
