"""The program from outside: output of the commands, files they leave, and exit status."""

from __future__ import annotations

import hashlib
import os
import re
import resource
import shlex
import signal
import subprocess
import time
from pathlib import Path
from typing import Any

import pytest

from yurt.core.model.functions import FUNCTIONS

from .conftest import ENVIRONMENT, HUTS, PROGRAM, read_csv, schema_of

README = str(Path(__file__).parent.parent / "README.md")
BULK = Path(__file__).parent.parent / "bench" / "guests.yaml"
# Schema, seed, and date determine the bytes. If one of these digests changes, the changelog must say so.
DIGESTS = {
    ("hut", "csv"): "6951530ee8b9c938",
    ("hiker", "csv"): "cbe6265dc584f3e7",
    ("stay", "csv"): "8a4c0f95177a44f8",
    ("stay", "json"): "38169c8deac92e6e",
    ("stay", "xml"): "815b847a7c59c9fb",
}


def digest(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()[:16]


def files_in(folder: Path) -> list[str]:
    return sorted(str(each.relative_to(folder)) for each in folder.rglob("*"))


@pytest.mark.parametrize(("record", "form"), DIGESTS)
def test_the_bytes_are_what_they_were(record: str, form: str, yurt: Any) -> None:
    assert digest(yurt("generate", HUTS, record, "--format", form).stdout) == DIGESTS[record, form]


def test_workers_and_slices_do_not_change_the_bytes(yurt: Any, tmp_path: Path) -> None:
    one, four = (yurt("generate", BULK, "--count", 300_000, "--workers", n).stdout for n in (1, 4))
    assert digest(one) == digest(four)
    part = yurt("generate", BULK, "--count", 300_000, "--rows", "200000..200010").stdout
    lines = one.split(b"\r\n")
    assert part.split(b"\r\n")[1:-1] == lines[200_000:200_011]
    more = yurt("generate", BULK, "--count", 400_000, "--rows", "200000..200010").stdout
    assert part == more
    children = [yurt("generate", HUTS, "stay", "--scale", 20, "--workers", n).stdout for n in (1, 3)]
    assert children[0] == children[1]
    some = yurt("generate", HUTS, "stay", "--scale", 20, "--rows", "100001..100007").stdout
    assert some.split(b"\r\n")[1:-1] == children[0].split(b"\r\n")[100_001:100_008]


def test_another_seed_makes_other_bytes_and_a_drawn_one_can_be_repeated(yurt: Any, tmp_path: Path) -> None:
    assert yurt("generate", HUTS, "hut", "--seed", 1).stdout != yurt("generate", HUTS, "hut").stdout
    (tmp_path / "s.yaml").write_text(schema_of("a: integer 1..1000000"))
    first = yurt("generate", "s.yaml")
    seed = re.search(rb"seed (\d+) \(drawn", first.stderr)
    assert seed
    assert yurt("generate", "s.yaml", "--seed", seed[1].decode()).stdout == first.stdout
    assert yurt("generate", "s.yaml").stdout != first.stdout


def test_a_field_is_replaced_for_one_run(yurt: Any) -> None:
    usual = read_csv(yurt("generate", HUTS, "stay").stdout)
    large = read_csv(
        yurt("generate", HUTS, "stay", "--set", "stay.party=integer 7..8", "--set", "hut.beds = integer 30..30").stdout
    )
    assert {row["party"] for row in large} == {"7", "8"}
    assert all(float(row["due"]) > 100 for row in large)
    assert [row["hiker"] for row in usual] == [row["hiker"] for row in large]
    told = yurt("generate", HUTS, "stay", "--set", "stay.party=integer 7.8", code=1).stderr.decode()
    assert told.startswith("--set stay.party:1:")
    told = yurt("generate", HUTS, "stay", "--set", "stay.party=integer 1..hut.bed", code=1).stderr.decode()
    assert "there is no field `bed` in `hut`" in told


def test_fields_need_no_schema(yurt: Any) -> None:
    data = yurt(
        "generate", "--field", "age: integer 18..90", "--field", "id: sequence", "--count", 100, "--seed", 1
    ).stdout
    assert [int(row["id"]) for row in read_csv(data)] == list(range(1, 101))
    assert all(18 <= int(row["age"]) <= 90 for row in read_csv(data))
    assert len(read_csv(yurt("preview", "--field", "a: uuid").stdout)) == 10


def test_counts(yurt: Any) -> None:
    def rows(*arguments: object) -> int:
        return len(read_csv(yurt("generate", HUTS, *arguments).stdout))

    assert rows("hiker", "--count", 17) == 17
    assert rows("hut", "--scale", 0.5) == 12
    assert rows("hut", "--rows", "20..24") == 5
    stays = rows("stay", "--scale", 2)
    assert abs(stays - 15_000) < 900


WRONG = [
    # Arguments, exit status, and a part of the message.
    (["generate", "none.yaml"], 2, "there is no file none.yaml"),
    (["generate", "."], 2, "is a folder"),
    (["generate", "bin.yaml"], 1, "bin.yaml:2: not UTF-8"),
    (["check", "empty.yaml"], 1, "this is not a schema"),
    (["check", README], 1, "this is not a schema"),
    (["generate", "huts.yaml"], 2, "several record types need a folder: --out FOLDER"),
    (["generate", "huts.yaml", "hikr", "--out", "x.csv"], 2, "did you mean `hiker`?"),
    (["generate", "huts.yaml", "hiker", "--count", "-1"], 2, "`-1` is not a whole number from 0"),
    (["generate", "huts.yaml", "hiker", "--count", "many"], 2, "`many` is not a whole number"),
    (["generate", "huts.yaml", "stay", "--count", "5"], 2, "ask for a count of `hiker`, or scale"),
    (["generate", "huts.yaml", "hiker", "--rows", "9..3"], 2, "`9..3` is not a range of rows; write 1..20"),
    (["generate", "huts.yaml", "hiker", "--rows", "5000"], 2, "`hiker` has 3,000 rows"),
    (["generate", "huts.yaml", "--rows", "1..2", "--out", "o"], 2, "--rows needs a record type: hut, hiker, stay"),
    (["generate", "huts.yaml", "hiker", "--format", "cvs"], 2, "'cvs' is not one of 'arrow', 'csharp', 'csv'"),
    (["generate", "huts.yaml", "hiker", "--sed", "1"], 2, "--seed"),
    (["generate", "huts.yaml", "hiker", "--today", "1.6.2026"], 2, "write it like 2026-06-01"),
    (["generate", "huts.yaml", "hiker", "--out", "huts.yaml", "--format", "csv"], 2,
        "huts.yaml exists already; --force"),
    (["generate", "huts.yaml", "--out", "huts.yaml/"], 2, "huts.yaml is a file, not a folder"),
    (["generate", "huts.yaml", "hiker", "--out", "none/x.csv"], 3, "none/x.csv: no such file or directory"),
    (["generate", "huts.yaml", "hiker", "--out", "/proc/x.csv"], 3, "/proc/x.csv"),
    (["generate", "huts.yaml", "hut", "--count", "700000"], 1, "hint: `--count 676000` makes all there are"),
    (["generate", "zero.yaml", "--out", "x.csv"], 1,
        "row.b, row 3: division by zero; guard it: if x == 0 then … else …; the dividend is 1"),
    (
        ["generate", "late.yaml", "--out", "x.csv"],
        1,
        "row.a, row 99999: its range is empty: the minimum is above the maximum; the minimum is 99999; the maximum is 99998",
    ),
    (["generate", "far.yaml"], 1, "row.a: its distribution has practically no values within its range"),
    (["generate", "far.yaml", "--count", "1000000000000000"], 1, "row.b would go beyond 18 digits"),
    (["generate", "flat.yaml"], 1, "row.a, row 4: an argument of `normal` must be above 0"),
    (["generate", "none.ref.yaml", "a"], 1, "`b` refers to `b`, which has no rows"),
    (["preview", "huts.yaml", "--rows", "1..5"], 2, "--rows needs a record type"),
    (["preview", "huts.yaml", "stay", "--rows", "1..5000"], 2, "at most 1,000 rows"),
    (["demo", "."], 2, "huts.yaml exists already"),
    (["functions", "qqqq"], 2, "no function has `qqqq` in it"),
    (["check"], 2, "a schema is missing"),
    (
        ["generate", "--field", "a: = 2026-01-01 + row * 2000000d"],
        1,
        "record.a, row 2: a date outside the years 1 to 9999; guard it: keep what is added small, as in clamp(n, 0, 100); the left side is 2026-01-01; the right side is P4000000D",
    ),
    (["generate", "--field", "a: = mod(7, row - 3)"], 1,
        "record.a, row 3: the remainder of a division by zero; guard it: if x == 0 then … else …; the dividend is 7"),
    (
        ["generate", "rare.yaml"],
        1,
        "row: 0.30% of the draws meet all conditions of `always`, and at least 2% must; the rarest is `a == 7` (line 9)",
    ),
    (["generate", "huts.yaml", "hut", "--variant", "peek"], 2, "there is no variant `peek`; did you mean `peak`?"),
    (["generate", "--field", "a: list 1000 of (list 1000 of uuid)"], 1, "a list is not possible inside a list"),
    (["generate", "--field", "a: list 1000 of text 10000", "--field", "b: list 1000 of text 10000"], 1,
        "one row of `record` could take"),
    (["generate", "pairs.yaml"], 1, "row: `b` has only 3 different values for up to 5 rows of one parent"),
    (["kinds", "qqqq"], 2, "no kind has `qqqq` in it"),
    (["genrate"], 2, "did you mean `generate`?"),
    (["generate"], 2, "a schema is missing; or give fields: --field 'age: integer 18..90'"),
    (["generate", "huts.yaml", "--field", "a: uuid"], 2, "either a schema or --field, not both"),
    (["generate", "huts.yaml", "hut", "--set", "hut.bed=uuid"], 2,
        "there is no field `hut.bed`; did you mean `hut.beds`?"),
    (["generate", "huts.yaml", "hut", "--set", "beds"], 2, "--set `beds` is not a field and its line"),
    (["generate", "--field", "a: uuid", "--set", "record.a=uuid"], 2,
        "--set and --variant replace fields of a schema"),
    (["generate", "--field", "a"], 1, "--field `a` is not a field"),
    (["generate", "--field", "a: integr 1..5"], 1, "did you mean `integer`?"),
]  # fmt: skip


@pytest.mark.parametrize(("arguments", "code", "message"), WRONG)
def test_what_is_wrong_gets_one_message_and_leaves_nothing(
    arguments: list[str], code: int, message: str, yurt: Any, tmp_path: Path
) -> None:
    (tmp_path / "huts.yaml").write_bytes(HUTS.read_bytes())
    (tmp_path / "bin.yaml").write_bytes(b"yurt: 1\n\xff\xfe")
    (tmp_path / "empty.yaml").write_bytes(b"")
    (tmp_path / "zero.yaml").write_text(schema_of("a: = row - 3\nb: = 1 / a"))
    (tmp_path / "late.yaml").write_text(schema_of("a: integer row..99998", 100_000))
    (tmp_path / "far.yaml").write_text(schema_of("a: integer 1..9, usually normal(1000000, 1)\nb: sequence step 1000"))
    (tmp_path / "rare.yaml").write_text(
        "seed: 1\n" + schema_of("a: integer 1..300\nb: uuid", 1000, tail="    always: a == 7\n")
    )
    (tmp_path / "pairs.yaml").write_text(
        schema_of("p: ref p\nb: ref b, distinct", "0..5 per p")
        + "  p: {count: 9, fields: {k: 'sequence'}}\n  b: {count: 3, fields: {k: 'sequence'}}\n"
    )
    (tmp_path / "flat.yaml").write_text(schema_of("a: integer 1..9, usually normal(5, 4 - row)"))
    (tmp_path / "none.ref.yaml").write_text(
        "yurt: 1\nrecords: {a: {count: 1, fields: {b: 'ref b'}}, b: {count: 0, fields: {k: 'uuid'}}}"
    )
    before = files_in(tmp_path)
    done = yurt(*arguments, code=code)
    told = done.stderr.decode()
    assert message in told
    assert files_in(tmp_path) == before
    assert len(told.strip().splitlines()) <= 8


def test_force_overwrites_and_a_failed_run_keeps_what_was_there(yurt: Any, tmp_path: Path) -> None:
    out = tmp_path / "x.csv"
    out.write_text("mine")
    (tmp_path / "zero.yaml").write_text(schema_of("a: = 1 / (row - 2)"))
    yurt("generate", "zero.yaml", "--out", out, "--force", code=1)
    assert out.read_text() == "mine"
    yurt("generate", HUTS, "hut", "--out", out, "--force")
    assert len(read_csv(out.read_bytes())) == 24
    # If one of several files exists, none is written.
    yurt("generate", HUTS, "--out", "all")
    (tmp_path / "all/hut.csv").unlink()
    yurt("generate", HUTS, "--out", "all", "--seed", 1, code=2)
    assert files_in(tmp_path / "all") == ["hiker.csv", "stay.csv"]


def test_a_full_disk_leaves_nothing(yurt: Any, tmp_path: Path) -> None:
    def small_files() -> None:
        signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
        resource.setrlimit(resource.RLIMIT_FSIZE, (400_000, 400_000))

    done = yurt("generate", HUTS, "--out", "new/deep", code=3, preexec_fn=small_files)
    assert b"stay.csv: file too large" in done.stderr
    assert files_in(tmp_path) == []
    with open("/dev/full", "wb") as full:
        done = yurt("generate", HUTS, "hut", code=3, stdout=full, capture_output=False, stderr=subprocess.PIPE)
    assert b"no space left on device" in done.stderr


@pytest.mark.skipif(os.geteuid() == 0, reason="the administrator may write everywhere")
def test_a_folder_that_may_not_be_written(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "locked").mkdir(mode=0o500)
    assert b"permission denied" in yurt("generate", HUTS, "hut", "--out", "locked/x.csv", code=3).stderr


def heeding() -> None:
    """Handle interrupts even where the tests run in the background, which ignores them."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)


@pytest.mark.parametrize(("signalled", "code"), [(signal.SIGINT, 130), (signal.SIGTERM, 143), (signal.SIGHUP, 129)])
def test_an_interrupted_run_leaves_nothing(signalled: signal.Signals, code: int, tmp_path: Path) -> None:
    arguments = [PROGRAM, "generate", BULK, "--count", "500000000", "--out", "big.csv"]
    process = subprocess.Popen(arguments, cwd=tmp_path, stderr=subprocess.PIPE, preexec_fn=heeding)
    waited = time.monotonic()
    while not any(each.stat().st_size > 1_000_000 for each in tmp_path.iterdir()):
        assert time.monotonic() - waited < 60
        time.sleep(0.05)
    process.send_signal(signalled)
    told = process.communicate(timeout=30)[1].decode()
    assert process.returncode == code
    assert "Traceback" not in told
    assert files_in(tmp_path) == []


@pytest.mark.parametrize("out", ["sqlite:///big.sqlite", "duckdb:///big.duckdb"])
def test_an_interrupt_while_a_table_is_filled_leaves_nothing(out: str, tmp_path: Path) -> None:
    arguments = [PROGRAM, "generate", BULK, "--count", "5000000", "--out", out]
    process = subprocess.Popen(arguments, cwd=tmp_path, stderr=subprocess.PIPE, preexec_fn=heeding)
    waited = time.monotonic()
    while not any(each.stat().st_size > 300_000 for each in tmp_path.iterdir()):
        assert time.monotonic() - waited < 60
        time.sleep(0.05)
    time.sleep(0.5)
    process.send_signal(signal.SIGINT)
    told = process.communicate(timeout=30)[1].decode()
    assert process.returncode == 130, told
    assert "interrupted; no partial files were left" in told
    assert files_in(tmp_path) == []


def test_a_closed_pipe_ends_quietly() -> None:
    process = subprocess.Popen(
        [PROGRAM, "generate", BULK, "--seed", "1"], stdout=subprocess.PIPE, stderr=subprocess.PIPE
    )
    assert process.stdout is not None
    assert process.stderr is not None
    assert process.stdout.readline().startswith(b"id,given")
    process.stdout.close()
    assert process.wait(timeout=60) == 0
    assert process.stderr.read() == b""


@pytest.mark.parametrize(("code", "form"), [("AB-123", []), ("AB-123", ["--json"]), ("", []), ("", ["--json"])])
def test_a_closed_pipe_leaves_the_verdict_as_it_is(code: str, form: list[str], tmp_path: Path) -> None:
    """A reader that stops after one line still gets an exit status that reports violations."""
    rows = f"code\n{code}\n" if code else "code,altitude,beds,price,opens,supper\n"
    (tmp_path / "hut.csv").write_text(rows)
    reader, writer = os.pipe()
    os.close(reader)
    done = subprocess.run(
        [PROGRAM, "verify", HUTS, tmp_path / "hut.csv", "--partial", *form],
        stdout=writer,
        stderr=subprocess.PIPE,
        check=False,
    )
    os.close(writer)
    assert (done.returncode, done.stderr) == (1 if code else 0, b"")


def test_a_preview_shows_the_records_that_generate_makes(yurt: Any) -> None:
    piped = yurt("preview", HUTS, "stay", "--rows", "500..505").stdout
    assert piped == yurt("generate", HUTS, "stay", "--rows", "500..505").stdout
    # `script` provides a terminal; records too wide for it are shown one field per line.
    for record, shown in (("hut", r"code\s+altitude\s+beds\s+price\s+opens\s+supper"), ("stay", r"arrival\s+2026")):
        command = f"stty cols 90; {PROGRAM} preview {HUTS} {record} --rows 1..5"
        screen = subprocess.run(
            ["script", "-qec", command, "/dev/null"], capture_output=True, text=True, check=True
        ).stdout
        plain = re.sub(r"\x1b\[[0-9;?]*[a-zA-Z]", "", screen)
        assert re.search(shown, plain)
        assert max(len(line) for line in plain.splitlines()) <= 90


def test_a_preview_takes_no_value_or_name_for_an_instruction(tmp_path: Path) -> None:
    text = schema_of('a: \'one of "\\u{1B}[2J[bold]x[/]\\n"\\, named "[/red]"\''.replace("\\,", ","), 2)
    (tmp_path / "s.yaml").write_text(text)
    for columns in (90, 20):
        command = f"stty cols {columns}; {PROGRAM} preview s.yaml --seed 1"
        done = subprocess.run(
            ["script", "-qec", command, "/dev/null"], cwd=tmp_path, capture_output=True, text=True, check=True
        )
        assert "[/red]" in done.stdout
        assert "␛[2J[bold]x"[: columns // 2] in done.stdout
        assert "\x1b[2J" not in done.stdout


COMMANDS = [
    "cases",
    "check",
    "coverage",
    "demo",
    "describe",
    "disguise",
    "draft",
    "extend",
    "formats",
    "functions",
    "generate",
    "kinds",
    "preview",
    "reproduce",
    "runs",
    "serve",
    "verify",
]


@pytest.mark.parametrize("command", COMMANDS)
def test_every_example_of_the_help_runs_on_the_demo(command: str, yurt: Any, demo: Path) -> None:
    (demo / "huts.yaml").write_bytes(HUTS.read_bytes())
    listed = re.findall(r"^ +([a-z]+)  ", yurt("--help").stdout.decode().split("Commands:")[1], re.MULTILINE)
    assert sorted(listed) == COMMANDS
    examples = re.findall(r"^ +yurt (.+)$", yurt(command, "--help").stdout.decode().split("Examples:")[1], re.MULTILINE)
    assert examples
    if command == "reproduce":
        yurt("generate", "huts.yaml", "--parts", 4, "--out", "big")
    (demo / "bad-day.yaml").write_text("behaviour:\n  - for: GET /hut/*\n    status: 503\n")
    for example in examples:
        if command == "serve":
            assert served(demo, *shlex.split(example)[1:]) == 0
        else:
            yurt(*shlex.split(example), *(["--force"] if example == "demo" else []))


def served(folder: Path, *arguments: str) -> int:
    """Return the exit status of a service that is stopped as soon as it has told its address."""
    command = [PROGRAM, "serve", *arguments, *([] if "--port" in arguments else ["--port", "0"])]
    with subprocess.Popen(command, cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, env=ENVIRONMENT) as done:
        assert done.stdout
        assert re.fullmatch(rb"http://127\.0\.0\.1:\d+/\n", done.stdout.readline())
        done.terminate()
        assert done.wait(20) == 0
    return done.returncode


def test_requested_and_generated_shares_stand_side_by_side(yurt: Any) -> None:
    told = yurt("preview", HUTS, "--compare").stdout.decode()
    rows = re.findall(r"(\w+) +requested +([\d.]+)% +generated +([\d.]+)%", told)
    asked = {name: float(share) for name, share, _ in rows}
    assert asked == {"missing": 12, "true": 35, "booked": 55, "arrived": 30, "left": 10, "cancelled": 5}
    assert all(abs(float(drawn) - float(share)) < 3 for _, share, drawn in rows)
    assert re.search(r"altitude +generated  [ ▁▂▃▄▅▆▇█]{24}  900 … 3200\n +requested  ▁", told)


def test_every_function_shows_what_its_example_gives(yurt: Any) -> None:
    told = yurt("functions").stdout.decode()
    assert told.count("→") == sum(bool(each.example) for each in FUNCTIONS.values()) > 60
    assert "→  nothing" not in told
    assert "month_end(2026-02-15)  →  2026-02-28" in yurt("functions", "month").stdout.decode()
