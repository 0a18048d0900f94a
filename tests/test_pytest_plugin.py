"""The plugin for pytest, in a project of its own: a process for each run, as a tester starts it."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path
from textwrap import dedent
from xml.etree import ElementTree

import pytest

import yurt as library

from .conftest import HUTS

# A program that takes huts, with an error: it forgets the upper end of `beds`.
PROGRAM = """
    def takes(hut):
        beds = hut.get("beds")
        return isinstance(beds, int) and not isinstance(beds, bool) and beds >= 8
"""
TESTS = """
    import pytest
    import yurt
    from program import takes

    @pytest.mark.yurt_cases("huts.yaml", "hut", target="beds", technique=["boundary", "partition"])
    def test_beds(case):
        assert takes(case.values) == case.valid, case.reason

    @pytest.mark.yurt_rows("huts.yaml", "hut", rows=(3, 5))
    def test_rows(row):
        assert 8 <= row["beds"] <= 140

    @pytest.mark.yurt_rows("huts.yaml", "hut", argument="hut")
    @pytest.mark.yurt_rows("huts.yaml", "hiker", rows=(1, 2), argument="hiker")
    def test_two(hut, hiker):
        assert takes(hut) and hiker["pass"]

    @pytest.mark.yurt_combinations("huts.yaml", "hut", strength=2)
    def test_combinations(case):
        assert case.valid

    @pytest.mark.yurt_schema("huts.yaml", variants=["peak"])
    def test_of_a_variant(yurt_schema, yurt_seed):
        assert yurt_schema.seed == yurt_seed
        yurt.assert_valid(yurt.record(yurt_schema, "stay"), yurt_schema, "stay")
"""


FIXTURE = """
    import yurt

    def test_of_the_setting(yurt_schema):
        print("made", yurt.record(yurt_schema, "hiker")["pass"])
        assert False
"""
FEW = """
    import pytest

    @pytest.mark.yurt_cases("huts.yaml", "hut", target="beds", technique="boundary", limit=4)
    def test_few(case):
        assert isinstance(case.values["beds"], int) and case.values["beds"] < 100
"""


class Project:
    """A folder with tests, and the outcomes of running them."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        (folder / "pytest.ini").write_text("[pytest]\nyurt_schema = huts.yaml\n")
        (folder / "huts.yaml").write_bytes(HUTS.read_bytes())
        self.write("program.py", PROGRAM)

    def write(self, name: str, text: str) -> None:
        (self.folder / name).write_text(dedent(text))

    def run(self, *arguments: str) -> tuple[dict[str, str], str]:
        """Return the outcome of each test by its name, and what was printed."""
        command = [sys.executable, "-m", "pytest", "-p", "no:cacheprovider", "--junitxml", "out.xml", *arguments]
        done = subprocess.run(command, cwd=self.folder, capture_output=True, text=True)
        tree = ElementTree.parse(self.folder / "out.xml")
        found = {
            each.attrib["name"]: next(
                (part.tag for part in each if part.tag in ("failure", "error", "skipped")), "passed"
            )
            for each in tree.iter("testcase")
        }
        return found, done.stdout + done.stderr


@pytest.fixture(scope="module")
def project(tmp_path_factory: pytest.TempPathFactory) -> Project:
    found = Project(tmp_path_factory.mktemp("project"))
    found.write("test_huts.py", TESTS)
    found.write("test_fixture.py", FIXTURE)
    found.write("test_few.py", FEW)
    return found


@pytest.fixture(scope="module")
def first(project: Project) -> tuple[dict[str, str], str]:
    return project.run("test_huts.py", "test_fixture.py")


def test_each_case_is_a_test_with_its_id(first: tuple[dict[str, str], str]) -> None:
    outcomes, printed = first
    wanted = library.cases(library.read(HUTS), "hut", target="beds", technique=["boundary", "partition"])
    assert [name for name in outcomes if name.startswith("test_beds")] == [f"test_beds[{each.id}]" for each in wanted]
    assert [name for name, outcome in outcomes.items() if outcome != "passed"] == [
        "test_beds[beds/boundary/high-outside]",
        "test_beds[beds/partition/above]",
        "test_of_the_setting",
    ]
    assert "one step above the maximum" in printed or "141" in printed
    assert [name for name in outcomes if name.startswith("test_rows")] == [f"test_rows[hut-{at}]" for at in (3, 4, 5)]
    assert {name for name in outcomes if name.startswith("test_two")} == {
        f"test_two[hiker-{hiker}-hut-{hut}]" for hiker in (1, 2) for hut in range(1, 6)
    }
    pairs = library.cases(library.read(HUTS), "hut", technique="combinatorial", strength=2)
    assert sum(name.startswith("test_combinations") for name in outcomes) == len(pairs) > 10


def test_a_failed_test_says_how_to_make_its_records_again(project: Project, first: tuple[dict[str, str], str]) -> None:
    _, printed = first
    seed = re.search(r"pytest test_fixture.py::test_of_the_setting --yurt-seed (\d+)", printed)
    assert seed and f"yurt generate huts.yaml --seed {seed[1]} --out records/" in printed
    made = re.search(r"made (\S+)", printed)
    again = library.table(library.read(HUTS), "hiker", rows=(1, 1), seed=int(seed[1])).to_pylist()
    assert made and made[1] == again[0]["pass"]
    # The seed follows from the id alone, and an option sets it for all.
    _, alone = project.run("test_fixture.py::test_of_the_setting")
    assert f"--yurt-seed {seed[1]}" in alone and made[0] in alone
    outcomes, other = project.run("test_fixture.py::test_of_the_setting", "--yurt-seed", "12")
    assert "--yurt-seed 12" in other and made[0] not in other and outcomes == {"test_of_the_setting": "failure"}


def test_the_ids_are_the_same_on_several_workers_and_one_can_be_run_again(project: Project) -> None:
    outcomes = project.run("test_few.py")[0]
    assert len(outcomes) == 4 and {*outcomes.values()} == {"failure", "passed"}
    assert project.run("test_few.py", "-n", "2")[0] == outcomes
    one = next(name for name, outcome in outcomes.items() if outcome == "failure")
    assert project.run(f"test_few.py::{one}")[0] == {one: "failure"}


def test_records_do_not_depend_on_the_tests_before(project: Project) -> None:
    project.write(
        "test_order.py",
        """
        from dataclasses import dataclass
        import yurt

        SCHEMA = yurt.read("huts.yaml")

        @dataclass
        class Guest:
            name: str

        def test_a():
            print("a", yurt.record(SCHEMA, "hut")["code"], yurt.instance(Guest).name)
            assert False

        def test_b():
            print("b", yurt.record(SCHEMA, "hut")["code"], yurt.instance(Guest).name)
            assert False
        """,
    )
    printed = project.run("test_order.py")[1] + project.run("test_order.py::test_b")[1]
    told = re.findall(r"^[ab] (.+)$", printed, re.MULTILINE)
    assert len(told) == 3 and len({*told}) == 1


WRONG = [
    ("@pytest.mark.yurt_cases('huts.yaml', 'hutt')\ndef test(case): ...", "did you mean `hut`?"),
    ("@pytest.mark.yurt_cases('nosuch.yaml', 'hut')\ndef test(case): ...", "there is no file"),
    ("@pytest.mark.yurt_cases('huts.yaml')\ndef test(case): ...", "write yurt_cases(schema, record_type, argument='case'"),
    ("@pytest.mark.yurt_cases('huts.yaml', 'hut', onyl='reject')\ndef test(case): ...", "onyl"),
    ("@pytest.mark.yurt_cases('huts.yaml', 'hut', only='rejects')\ndef test(case): ...", "did you mean `reject`?"),
    ("@pytest.mark.yurt_cases('huts.yaml', 'hut', limit=2)\ndef test(): ...", "gives `case`, and the test does not take it"),
    ("@pytest.mark.yurt_rows('huts.yaml', 'hut', rows=(1, 99))\ndef test(row): ...", "row 25 is not there"),
    ("@pytest.mark.yurt_schema('bad.yaml')\ndef test(yurt_schema): ...", "did you mean `integer`?"),
]  # fmt: skip


def test_a_wrong_mark_is_one_message(tmp_path: Path) -> None:
    project = Project(tmp_path)
    project.write("bad.yaml", "yurt: 1\nrecords:\n  a:\n    count: 3\n    fields:\n      x: integr 1..5\n")
    for number, (text, _) in enumerate(WRONG):
        project.write(f"test_{number}.py", f"import pytest\n\n{text}")
    printed = project.run("--continue-on-collection-errors")[1]
    for number, (_, told) in enumerate(WRONG):
        assert told in printed and f"test_{number}.py" in printed, (told, printed)
    assert "Traceback" not in printed and "INTERNALERROR" not in printed


def test_a_fixture_without_a_schema_and_a_wrong_option_say_what_to_do(tmp_path: Path) -> None:
    project = Project(tmp_path)
    (tmp_path / "pytest.ini").write_text("[pytest]\n")
    project.write("test_it.py", "def test(yurt_schema): ...\n")
    assert "@pytest.mark.yurt_schema('huts.yaml')" in project.run()[1]
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "--yurt-seed", "x"], cwd=tmp_path, capture_output=True, text=True
    )
    assert done.returncode == 4 and "--yurt-seed" in done.stderr
    done = subprocess.run([sys.executable, "-m", "pytest", "--markers"], cwd=tmp_path, capture_output=True, text=True)
    assert all(f"@pytest.mark.yurt_{name}(" in done.stdout for name in ("cases", "rows", "combinations", "schema"))


def test_the_plugin_loads_nothing_heavy(tmp_path: Path) -> None:
    (tmp_path / "test_it.py").write_text(
        "import sys\n\ndef test():\n    assert not {'numpy', 'pyarrow', 'lark', 'click', 'yurt.core.model'} & {*sys.modules}\n"
    )
    done = subprocess.run(
        [sys.executable, "-m", "pytest", "-p", "no:hypothesispytest"], cwd=tmp_path, capture_output=True, text=True
    )
    assert done.returncode == 0, done.stdout
