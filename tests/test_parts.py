"""Runs in parts that go on where they were ended, receipts, and what a run would take."""

from __future__ import annotations

import csv
import hashlib
import json
import re
import shutil
import signal
import subprocess
import time
from collections.abc import Callable
from pathlib import Path
from random import Random
from typing import Any

import duckdb
import pytest
from click.testing import CliRunner
from lxml import etree

import yurt as library
from yurt.cli.main import cli

from .conftest import ENVIRONMENT, HUTS, PROGRAM, Result

RECEIPT, JOURNAL = "yurt-receipt.json", "yurt-unfinished.jsonl"
ROUTES = "name,km\n" + "".join(f"Route {number},{number}\n" for number in range(400))
NAMED = """
yurt: 1
include: common.yaml
list-folder: lists
value-lists: {routes: routes.csv}
records:
  trip:
    count: 300
    fields:
      id: sequence
      route: from routes.name
      price: money
      who: given-name
"""


def digests(folder: Path) -> dict[str, str]:
    """Return the digests of the parts in a folder."""
    return {each.name: hashlib.sha256(each.read_bytes()).hexdigest() for each in folder.glob("[a-z]*-*.csv")}


def read(path: Path) -> list[Any]:
    """Return the rows of a file, read by somebody else."""
    match path.suffix:
        case ".csv":
            return list(csv.reader(path.open(encoding="utf-8", newline="")))[1:]
        case ".json":
            return list(json.loads(path.read_text("utf-8")))
        case ".xml":
            return [etree.tostring(each).strip() for each in etree.parse(path).getroot()]
        case _:
            return duckdb.sql(f"from '{path}'").fetchall()


@pytest.mark.parametrize("form", ["csv", "json", "xml", "parquet"])
def test_parts_hold_the_rows_of_the_whole(form: str, yurt: Callable[..., Result], tmp_path: Path) -> None:
    yurt("generate", HUTS, "--format", form, "--out", "whole/")
    yurt("generate", HUTS, "--format", form, "--out", "p/", "--parts", 4)
    for name, count in (("hut", 1), ("hiker", 2), ("stay", 4)):
        parts = sorted(each for each in (tmp_path / "p").iterdir() if re.match(rf"{name}[-.]", each.name))
        assert len(parts) == count and parts[0].name in (f"{name}.{form}", f"{name}-1.{form}")
        assert [row for each in parts for row in read(each)] == read(tmp_path / "whole" / f"{name}.{form}")
    receipt = json.loads((tmp_path / "p" / RECEIPT).read_text())
    files = {each["name"]: (each["bytes"], each["sha256"]) for each in receipt["files"]}
    there = [each for each in (tmp_path / "p").iterdir() if each.name != RECEIPT]
    assert files == {each.name: (each.stat().st_size, hashlib.sha256(each.read_bytes()).hexdigest()) for each in there}
    assert sum(each["rows"] for each in receipt["files"]) == 24 + 3000 + len(read(tmp_path / "whole" / f"stay.{form}"))
    assert yurt("verify", HUTS, "p").stdout.decode().count("all valid") == 3
    if form == "csv":
        told = [yurt("coverage", HUTS, each).stdout.decode() for each in ("p", "whole")]
        assert told[0] == told[1].replace("whole/", "p/")
    assert "every byte is the same: 7 files" in yurt("reproduce", f"p/{RECEIPT}").stdout.decode()


def test_parts_of_a_size(yurt: Callable[..., Result], tmp_path: Path) -> None:
    yurt("generate", HUTS, "stay", "--scale", 5, "--out", "p", "--parts", "500kB")
    sizes = [each.stat().st_size for each in sorted((tmp_path / "p").glob("stay-*.csv"))]
    assert len(sizes) > 8 and all(abs(each / 500_000 - 1) < 0.05 for each in sizes[:-1]), sizes


def test_what_is_ended_by_force_goes_on_with_the_same_bytes(yurt: Callable[..., Result], tmp_path: Path) -> None:
    """Nothing that looks finished is wrong at any moment."""
    words = ["generate", str(HUTS), "--scale", "6", "--parts", "9", "--progress", "none"]
    yurt(*words, "--out", "whole")
    whole = digests(tmp_path / "whole")
    dice, folder, kills = Random(5), tmp_path / "p", 0
    for _ in range(60):
        process = subprocess.Popen(
            [PROGRAM, *words, "--out", "p", "--resume"], cwd=tmp_path, env=ENVIRONMENT, stderr=subprocess.DEVNULL
        )
        # As soon as it has begun, or after some parts more.
        wanted = len(digests(folder)) + dice.randint(0, 3)
        end = time.monotonic() + 60
        while process.poll() is None and time.monotonic() < end:
            if (folder / JOURNAL).exists() and len(digests(folder)) >= wanted:
                time.sleep(dice.random() * 0.05)
                process.send_signal(signal.SIGKILL)
                break
            time.sleep(0.002)
        if process.wait() == 0:
            break
        kills += 1
        assert digests(folder).items() <= whole.items()
        assert (folder / JOURNAL).exists() or ((folder / RECEIPT).exists() and digests(folder) == whole)
        if kills == 2:
            assert "holds an unfinished run" in yurt("verify", HUTS, "p", code=2).stderr.decode()
            assert "--resume goes on with it" in yurt(*words, "--out", "p", code=2).stderr.decode()
    assert kills > 3 and digests(folder) == whole
    assert sorted(each.name for each in folder.iterdir()) == sorted([*whole, "hut.csv", RECEIPT])
    assert "every byte is the same" in yurt("reproduce", f"p/{RECEIPT}", "--compare-only").stdout.decode()


CHANGES: list[tuple[str, list[str], int, str]] = [
    # What happens to the folder of a finished run, the options of the next one, its status, and what it says.
    ("nothing", [], 2, "p holds a finished run of 7 parts; --force replaces it"),
    ("nothing", ["--resume"], 0, "p: finished before; all 7 parts are there"),
    ("nothing", ["--resume", "--count", "2000"], 2, "p holds another run; not the same: --count, --parts;"),
    ("nothing", ["--resume", "--seed", "5"], 2, "not the same: --seed"),
    ("nothing", ["--resume", "--with", "delimiter=semicolon"], 2, "not the same: --with"),
    ("nothing", ["--force"], 0, "7 parts, 1.4 MB"),
    ("changed", ["--resume"], 2, "p: changed since they were written: hiker-2.csv; --force makes them again"),
    ("changed", ["--resume", "--force"], 0, "missing or changed: hiker-2.csv"),
    ("missing", ["--resume"], 0, "missing or changed: stay-3.csv"),
    ("unfinished", [], 2, "p holds an unfinished run: 5 parts are there; --resume goes on with it"),
    ("unfinished", ["--resume"], 0, "7 parts, 5 of them from before"),
    ("unfinished", ["--resume", "--parts", "5"], 2, "p holds another run; not the same: --parts"),
    ("other versions", ["--resume"], 2, "p was begun with other versions: numpy 1.2 then, "),
    ("other versions", ["--resume", "--force"], 0, "7 parts, 5 of them from before"),
    ("cut off", ["--resume"], 0, "7 parts, 4 of them from before"),
    ("foreign", ["--resume"], 2, "p/stay-4.csv exists already"),
    ("ended in the last step", ["--resume"], 0, "p: finished before"),
    ("no journal", ["--resume"], 2, "is not the journal of a run"),
    ("no receipt", [], 2, "exist already; --force overwrites them"),
]


@pytest.fixture(scope="module")
def finished(launcher: Any, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("finished")
    done = launcher.run(["generate", str(HUTS), "--parts", "4", "--out", "p"], folder, ENVIRONMENT)
    assert done.returncode == 0, done.stderr
    return Path(folder)


@pytest.mark.parametrize(
    ("change", "options", "code", "told"), CHANGES, ids=[f"{a}-{' '.join(b)}" for a, b, *_ in CHANGES]
)
def test_what_is_there_already(
    change: str, options: list[str], code: int, told: str, finished: Path, yurt: Callable[..., Result], tmp_path: Path
) -> None:
    shutil.copytree(finished, tmp_path, dirs_exist_ok=True)
    folder = tmp_path / "p"
    before, receipt = digests(folder), json.loads((folder / RECEIPT).read_text())
    begun = {"yurt-unfinished": 1, "schema": _schema_digest(receipt), "options": receipt["options"], "force": False,
             "versions": receipt["versions"] | ({"numpy": "1.2"} if change == "other versions" else {})}  # fmt: skip
    lines = [json.dumps(each) + "\n" for each in (begun, *receipt["files"][:5])]
    match change:
        case "changed":
            (folder / "hiker-2.csv").write_bytes((folder / "hiker-1.csv").read_bytes())
        case "missing":
            (folder / "stay-3.csv").unlink()
        case "unfinished" | "cut off" | "foreign" | "other versions":
            (folder / RECEIPT).unlink()
            (folder / JOURNAL).write_text("".join(lines)[: -10 if change == "cut off" else None])
            for each in receipt["files"][4 if change == "cut off" else 5 :]:
                (folder / each["name"]).unlink()
            if change == "foreign":
                (folder / "stay-4.csv").write_text("mine\n")
        case "ended in the last step":
            (folder / JOURNAL).write_text("".join(lines))
        case "no journal" | "no receipt":
            (folder / RECEIPT).unlink()
            if change == "no journal":
                (folder / JOURNAL).write_text("[1]\n")
    done = yurt(
        "generate", HUTS, "--out", "p", *([] if "--parts" in options else ["--parts", "4"]), *options, code=code
    )
    assert told in done.stderr.decode()
    if code == 0:
        assert digests(folder) == before and not (folder / JOURNAL).exists()
        assert json.loads((folder / RECEIPT).read_text())["files"] == receipt["files"]
    if change == "foreign":
        assert (folder / "stay-4.csv").read_text() == "mine\n"


def _schema_digest(receipt: dict[str, Any]) -> str:
    texts = [receipt["schema"]["text"], *(f"{each['name']} {each['sha256']}" for each in receipt["named-files"])]
    return hashlib.sha256("\0".join(texts).encode()).hexdigest()


def test_a_smaller_run_leaves_no_parts_of_a_larger_one(
    finished: Path, yurt: Callable[..., Result], tmp_path: Path
) -> None:
    shutil.copytree(finished, tmp_path, dirs_exist_ok=True)
    (tmp_path / "p" / "notes.txt").write_text("mine")
    yurt("generate", HUTS, "--out", "p", "--parts", 2, "--force")
    there = sorted(each.name for each in (tmp_path / "p").iterdir())
    assert there == ["hiker.csv", "hut.csv", "notes.txt", "stay-1.csv", "stay-2.csv", RECEIPT]


def test_a_full_disk_stops_a_run_that_can_go_on(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Before the run, by a sample, and in its course."""
    free = [10**12]
    usage = shutil.disk_usage(tmp_path)
    monkeypatch.setattr("yurt.core.writing.folder_place.shutil.disk_usage", lambda path: usage._replace(free=free[0]))
    monkeypatch.setattr("yurt.core.writing.parts_run.AGAIN", 0.0)
    monkeypatch.chdir(tmp_path)
    words = ["generate", str(HUTS), "hiker", "--parts", "3", "--out", "p", "--progress", "none"]

    def told(*more: str) -> str:
        fault = CliRunner().invoke(cli, [*words, *more]).exception
        return "" if isinstance(fault, SystemExit) or fault is None else str(fault)

    free[0] = 10**8
    assert "about 363." in (first := told("--scale", "1000")) and "make room" in first and not digests(tmp_path / "p")
    free[0] = 10
    assert "less than 64 MB are free" in told("--force")
    free[0] = 10**12
    assert told("--resume") == "" and len(digests(tmp_path / "p")) == 3


RECEIPTS: list[tuple[list[str], int]] = [
    (["--out", "d/"], 3),
    (["stay", "--out", "s.csv.gz", "--errors", "1%"], 2),
    (["--out", "b.xlsx", "--scale", "0.1"], 1),
    (["stay", "--file-per", "status", "--out", "st.json"], 4),
    (["--each-variant", "--rows-per-file", "4000", "--out", "e/"], 14),
    (["hut", "--size-per-file", "300B", "--out", "x.csv"], 4),
    (["hiker", "--rows", "500..600", "--seed", "3", "--locale", "fi-FI", "--out", "h.parquet"], 1),
    (["--variant", "peak", "--set", "hut.beds=integer 9..12", "--out", "sqlite:///h.db"], 3),
    (["--with", "delimiter=semicolon", "--scale", "0.1", "--out", "d2/"], 3),
]  # fmt: skip


@pytest.mark.parametrize(("words", "files"), RECEIPTS, ids=[" ".join(words) for words, _ in RECEIPTS])
def test_a_receipt_proves_every_byte(words: list[str], files: int, yurt: Callable[..., Result], tmp_path: Path) -> None:
    yurt("generate", HUTS, *words, "--receipt", "r.json")
    receipt = json.loads((tmp_path / "r.json").read_text())
    base = tmp_path / words[words.index("--out") + 1] if receipt["target"] == "folder" else tmp_path
    assert len(receipt["files"]) == files and receipt["options"]["seed"] in (2407, 3)
    for each in receipt["files"] if receipt["target"] != "database" else ():
        assert hashlib.sha256((base / each["name"]).read_bytes()).hexdigest() == each["sha256"]
    (tmp_path / "elsewhere").mkdir()
    shutil.move(tmp_path / "r.json", tmp_path / "elsewhere")
    assert "every byte is the same" in yurt("reproduce", "elsewhere/r.json").stdout.decode()
    if len(receipt["files"]) > 1:
        (tmp_path / "r.json").write_text(json.dumps(receipt | {"files": receipt["files"][1:]}))
        assert (
            f"{receipt['files'][0]['name']}: not in the receipt" in yurt("reproduce", "r.json", code=1).stdout.decode()
        )
    receipt["files"][-1]["sha256"] = "0" * 64
    (tmp_path / "r.json").write_text(json.dumps(receipt))
    assert "1 difference" in yurt("reproduce", "r.json", code=1).stdout.decode()


def test_a_receipt_holds_what_the_schema_names(yurt: Callable[..., Result], tmp_path: Path) -> None:
    """Small files travel in it; large ones, and folders of lists, are needed as they were."""
    own = tmp_path / "own"
    (own / "lists").mkdir(parents=True)
    (own / "s.yaml").write_text(NAMED)
    (own / "common.yaml").write_text("kinds: {money: decimal 1.00..9.00 step 0.50}\n")
    (own / "routes.csv").write_text(ROUTES)
    (own / "lists" / "given-names.csv").write_text("name,sex\nAnka,female\nBor,male\n")
    told = yurt("generate", "own/s.yaml", "--out", "t.csv", "--receipt", "r.json")
    receipt = json.loads((tmp_path / "r.json").read_text())
    assert [each["name"] for each in receipt["named-files"]] == ["common.yaml", "routes.csv", "lists/given-names.csv"]
    assert receipt["schema"]["text"] == NAMED and "t.csv: 300 rows" in told.stderr.decode()
    needed = yurt("reproduce", "r.json", code=2).stderr.decode()
    assert "lists/given-names.csv is needed" in needed and "--files FOLDER" in needed
    (own / "routes.csv").unlink()
    (own / "common.yaml").unlink()
    assert "every byte is the same" in yurt("reproduce", "r.json", "--files", "own").stdout.decode()
    (own / "lists" / "given-names.csv").write_text("name,sex\nAnka,female\nBora,female\n")
    assert "is not the file of the run" in yurt("reproduce", "r.json", "--files", "own", code=2).stderr.decode()


def test_what_no_receipt_is_written_of_and_none_is_read_from(yurt: Callable[..., Result], tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(
        'yurt: 1\ntitle: "from postgresql://me:canary7@db/x"\nrecords: {a: {count: 3, fields: {n: "sequence"}}}\n'
    )
    told = yurt("generate", "s.yaml", "--out", "a.csv", "--receipt", "r.json", code=2).stderr.decode()
    assert "the schema holds a password" in told and "canary7" not in told
    assert not list(tmp_path.glob("a*")) and not (tmp_path / "r.json").exists()
    (tmp_path / "t.txt").write_text(
        "{% block records %}{% for row in records %}{{ row.pass }}{% endfor %}{% endblock %}"
    )
    words = ("generate", HUTS, "hiker", "--format", "template", "--receipt", "t.json", "--out")
    told = yurt(*words, "h.txt", "--with", "template=t.txt", code=2).stderr.decode()
    assert "a receipt does not hold the template t.txt" in told and not (tmp_path / "h.txt").exists()
    yurt(*words, "l.txt", "--with", "template=labels")
    assert "every byte is the same" in yurt("reproduce", "t.json").stdout.decode()
    yurt("generate", HUTS, "hut", "--out", "h.csv", "--receipt", "r.json")
    good = json.loads((tmp_path / "r.json").read_text())
    for wrong in (
        "[]", "{}", "x", '{"yurt-receipt": 1}', json.dumps(good | {"yurt-receipt": 2}),
        json.dumps(good | {"options": {"nosuch": 1}}), json.dumps(good | {"options": {"seed": "x"}}),
        json.dumps(good | {"schema": good["schema"] | {"text": "yurt: 1"}}), json.dumps(good | {"out": "../x.csv"}),
        json.dumps(good | {"files": [good["files"][0] | {"name": "../../x"}]}), "[" * 100_000,
        json.dumps(good | {"files": []}), json.dumps(good | {"options": {"format": "nosuch"}}), json.dumps(good | {"options": {"count": -1}}),
        json.dumps(good | {"options": {"part_rows": [["hut", 0]]}}), json.dumps(good | {"out": "\ud800"}),
        json.dumps(good | {"options": {"scale": 1e400}}), json.dumps(good | {"out": "a\0"}),
    ):  # fmt: skip
        (tmp_path / "w.json").write_text(wrong)
        assert yurt("reproduce", "w.json", code=2).stderr
    (tmp_path / "w.json").write_text(json.dumps(good | {"versions": good["versions"] | {"numpy": "1.2"}}))
    assert "another version: numpy 1.2 then, " in yurt("reproduce", "w.json").stderr.decode()


@pytest.mark.parametrize("words", [["--out", "d/"], ["--out", "d/", "--parts", "3"], ["stay", "--out", "s.json"]])
def test_a_dry_run_writes_nothing_and_is_right_about_the_size(
    words: list[str], yurt: Callable[..., Result], tmp_path: Path
) -> None:
    words = [*words, "--scale", "9"]
    told = yurt("generate", HUTS, *words, "--dry-run").stdout.decode()
    assert not list(tmp_path.iterdir()) and "nothing would be refused" in told
    assert re.search(r"time on this machine: (about \d+|less than 1) ", told)
    rows, size, unit = re.findall(r"total: ([\d,]+) rows, about ([\d.]+) (kB|MB)", told)[0]
    yurt("generate", HUTS, *words)
    files = [each for each in tmp_path.rglob("*") if each.is_file() and each.name != RECEIPT]
    whole = sum(each.stat().st_size for each in files)
    assert abs(float(size) * (10**6 if unit == "MB" else 1000) / whole - 1) < 0.02
    assert int(rows.replace(",", "")) == sum(len(read(each)) for each in files)
    refused = yurt("generate", HUTS, *words, "--dry-run", code=2)
    assert "time on this machine" in refused.stdout.decode() and "--force" in refused.stderr.decode()


def test_progress_for_a_log_and_for_a_program(
    yurt: Callable[..., Result], tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    done = yurt("generate", HUTS, "--parts", 3, "--out", "p", "--progress", "json")
    lines = [json.loads(each) for each in done.stderr.decode().splitlines() if each.startswith("{")]
    assert lines[-1]["rows"] == lines[-1]["of"] == 10_458 and lines[-1]["part"] == lines[-1]["parts"] == 6
    assert set(lines[-1]) == {"rows", "of", "part", "parts", "bytes", "rows_per_second", "seconds_left"}
    assert lines[-1]["bytes"] > 1_000_000
    monkeypatch.setattr("yurt.cli.progress.A_LINE", 0.0)
    monkeypatch.chdir(tmp_path)
    told = CliRunner().invoke(cli, ["generate", str(HUTS), "--parts", "3", "--out", "q", "--progress", "lines"]).stderr
    assert re.search(r"3,024 of 10,458 rows, part 3 of 6, \d+\.\d kB, [\d,]+ rows/s, less than 1 s left", told), told


def test_parts_and_receipts_in_python(finished: Path, tmp_path: Path) -> None:
    """The same files and the same receipt as those of the program."""
    schema = library.read(HUTS)
    done = library.generate(schema, tmp_path / "p", parts=4)
    assert [each.name for each in done.files] == [
        "hut.csv", "hiker-1.csv", "hiker-2.csv", *(f"stay-{each}.csv" for each in range(1, 5))
    ]  # fmt: skip
    receipts = [json.loads((each / "p" / RECEIPT).read_text()) for each in (tmp_path, finished)]
    for each in receipts:
        del each["made"]
    assert receipts[0] == receipts[1] and done.seed == 2407
    done.files[2].unlink()
    with pytest.raises(library.UsageFault, match="holds a finished run of 7 parts"):
        library.generate(schema, tmp_path / "p", parts=4)
    library.generate(schema, tmp_path / "p", parts=4, resume=True)
    assert digests(tmp_path / "p") == digests(finished / "p")
    varied = library.read(HUTS, variants=["peak"], lines={"hut.beds": "integer 9..12"})
    for out in ("x.jsonl", "sqlite:///" + str(tmp_path / "x.db")):
        name = f"{len(out)}.json"
        library.generate(varied, tmp_path / out if ":" not in out else out, "hut", receipt=tmp_path / name, seed=8)
        told = CliRunner().invoke(cli, ["reproduce", str(tmp_path / name)])
        assert "every byte is the same" in told.output, told.output
    wrong: list[tuple[dict[str, Any], str]] = [
        ({"parts": "4 MiB"}, "`parts` is '4 MiB'"), ({"parts": True}, "`parts` is True"), ({"resume": True}, "needs `parts`"),
        ({"cluster": "local"}, "needs `parts`"), ({"receipt": tmp_path / "x.jsonl"}, "exists already"),
    ]  # fmt: skip
    for options, told in wrong:
        with pytest.raises(library.UsageFault, match=told):
            library.generate(schema, tmp_path / "y", **options)


WRONG: list[tuple[list[str], str]] = [
    (["--parts", "4"], "several files need --out"),
    (["--parts", "0", "--out", "p"], "`0` is not a number of parts"),
    (["--parts", "4 MiB", "--out", "p"], "`4 MiB` is not a number of parts or their size"),
    (["--parts", "4", "--rows-per-file", "5", "--out", "p"], "exclude one another"),
    (["--parts", "4", "--errors", "1%", "--out", "p"], "no --errors"),
    (["--parts", "4", "--each-variant", "--out", "p"], "one variant at a time"),
    (["hut", "--parts", "4", "--out", "x.csv"], "x.csv names one file; parts need a folder: x/"),
    (["--parts", "4", "--out", "sqlite:///x.db"], "parts go to a folder, or to s3://"),
    (["--resume", "--out", "p"], "--resume goes on with a run in --parts"),
    (["hut", "--receipt", "r.json"], "--receipt is for files"),
    (["--dry-run", "hut"], "--dry-run is for files"),
]


@pytest.mark.parametrize(("words", "told"), WRONG, ids=[" ".join(words) for words, _ in WRONG])
def test_what_does_not_go_together(words: list[str], told: str, yurt: Callable[..., Result]) -> None:
    assert told in yurt("generate", HUTS, *words, code=2).stderr.decode()


def test_a_part_that_is_missing_or_wrong_is_seen(finished: Path, yurt: Callable[..., Result], tmp_path: Path) -> None:
    shutil.copytree(finished, tmp_path, dirs_exist_ok=True)
    folder = tmp_path / "p"
    text = (folder / "stay-2.csv").read_text().splitlines()
    (folder / "stay-2.csv").write_text("\n".join([*text[:9], text[9] + ",x", *text[10:]]) + "\n")
    told = yurt("verify", HUTS, "p", code=1).stdout.decode()
    assert "p/stay-1.csv and 3 more parts" in told and "p/stay-2.csv, line 10" in told
    (folder / "stay-3.csv").unlink()
    assert f"stay-3.csv is missing, which {RECEIPT} lists" in yurt("verify", HUTS, "p", code=2).stderr.decode()
    (folder / RECEIPT).unlink()
    shutil.copy(folder / "stay-4.csv", folder / "stay-999999999.csv")
    assert "part 3 of `stay` is missing" in yurt("verify", HUTS, "p", code=2).stderr.decode()
    (folder / "stay-1.csv").unlink()
    assert "part 1 of `stay` is missing" in yurt("verify", HUTS, "p", code=2).stderr.decode()
