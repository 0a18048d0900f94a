"""Run the program on mutated schemas, patterns, expressions, and data files: `python tools/fuzz.py --count 10000`.

Every input runs in its own process, limited to ten seconds of processor time and one gigabyte of memory. A finding is a
traceback, a timeout, too much memory, a message of more than 20,000 characters, an undocumented exit status, or a file
from `generate` that `verify` rejects. The tool keeps the inputs of findings as files and exits with status 1 if there
are any. The same seed makes the same inputs.

    python tools/fuzz.py [--count N] [--seed N] [--only schema,pattern,expression,data,round] [--workers N]
                         [--keep FOLDER]
"""

from __future__ import annotations

import argparse
import csv
import importlib
import io
import json
import os
import random
import re
import resource
import shutil
import signal
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

ROOT = Path(__file__).parent.parent
SECONDS = 10
# A process that sleeps uses no processor time, so wall time has a limit too.
LONGEST_WAIT = 60
KILOBYTES = 1_000_000
MOST_TEXT = 20_000
PROMISED = {0, 1, 2, 3, 130}
SORTS = ("schema", "pattern", "expression", "data", "round")

PATTERNS = [
    "[A-Z]{2}-[0-9]{4}", "(a|b)*c", r"\d{3}-\d{2}", "[^x-z]+", "(ab?){2,5}", r"\p{Greek}{3}", "a{2,}",
    "[[:alpha:]]+x", "(?:x|y)z",
]  # fmt: skip
EXPRESSIONS = [
    "i + 1", "round(d * 1.5, 2)", "if i > 3 then t else upper(t)", "day + 3d", "day - day", "t & \"x\" & text(i)",
    "i in [1, 2, 3]", "coalesce(null, i)", "t matches /a+/", "b and not b or i == 2", "min(i, 3) + max(i, 2)",
    "length(t) * 2", "year(day)", "draw(integer 1..9)", "mod(i, 7)", "previous(i)", "running(i)",
    "substring(t, 1, 2)", "now - 2h", "-i / d", "(i)",
]  # fmt: skip
# What a person might type by mistake, and hostile input.
TOKENS = [
    "integer", "1..9", "..", ",", "unique", "missing 10%", "usually normal(3, 1)", "one of a | b", "(", ")", "[", "]",
    "{", "}", "|", "\"", "'", "/", "\\", ":", "#", "-", "999999999999999999", "0", "-1", "1e400", "NaN", "null", "\t",
    "\n", "\r", "\x00", "\ufeff", "é", "😀", "\u202e", "&a", "*a", "!!python/object", "%", "locale: xx-YY",
    "matching /(a*)*b/", "{0,9999}", "list 1..3 of", "= 1 / 0", "today", "2026-02-30", "ref hut", "by row:",
    "sequence", "1d", "<", ">", "]]>", "<!DOCTYPE x>", "&lt;", "\u2028", "step 0", "and ", "not ", "if ", "  ",
]  # fmt: skip
FIELDS = """yurt: 1
seed: 1
today: 2026-06-01
records:
  row:
    count: 40
    fields:
      i: integer 1..9
      d: decimal 0.50..2.00
      t: text 1..8
      b: boolean
      day: date 2026-01-01..2026-12-31
"""


def mutated(text: str, chance: random.Random) -> str:
    """Return the text after one to four changes: spans are deleted, moved, or repeated, and tokens are inserted."""
    for _ in range(chance.randint(1, 4)):
        at = chance.randint(0, len(text))
        end = min(len(text), at + chance.choice((1, 1, 2, 5, 20, 80)))
        match chance.randint(0, 6):
            case 0:
                text = text[:at] + text[end:]
            case 1:
                text = text[:end] + text[at:end] + text[end:]
            case 2:
                text = text[:at] + chance.choice(TOKENS) + text[at:]
            case 3:
                text = text[:at] + chance.choice(TOKENS) + text[end:]
            case 4:
                text = text[:at] + text[at:end] * chance.choice((3, 50, 400)) + text[end:]
            case 5:
                other = chance.randint(0, len(text))
                text = text[:at] + text[other : other + end - at] + text[end:]
            case 6:
                lines = text.split("\n")
                one, two = chance.randrange(len(lines)), chance.randrange(len(lines))
                lines[one], lines[two] = lines[two], lines[one]
                text = "\n".join(lines)
    return text


@dataclass(frozen=True)
class Input:
    """Files, and the arguments of the program."""

    files: dict[str, bytes]
    arguments: list[str]
    # Arguments of a second run; it must exit with status 0 if the first run does.
    then: tuple[str, ...] = ()


def schema_input(chance: random.Random, corpus: list[str]) -> Input:
    """Return a mutated schema and a command that reads it."""
    text = mutated(chance.choice(corpus), chance)
    # A count of a thousand million rows is allowed to take long.
    text = re.sub(r"(count: *)\d{5,}", r"\g<1>4321", text)
    command = chance.choice(
        (
            ["check", "s.yaml"],
            ["check", "s.yaml", "--json"],
            ["preview", "s.yaml"],
            ["cases", "s.yaml", "--out", "cases"],
        )
    )
    return Input({"s.yaml": text.encode("utf-8", "surrogatepass")}, command)


def pattern_input(chance: random.Random, corpus: list[str]) -> Input:
    """Return a schema with a mutated pattern."""
    pattern = mutated(chance.choice(PATTERNS), chance)
    clause = chance.choice(("", ", unique", ", matching /[a-z0-9]*/", ', without "a"'))
    line = json.dumps(f"/{pattern}/{clause}", ensure_ascii=False)
    return Input({"s.yaml": f"{FIELDS}      x: {line}\n".encode()}, _on_fields(chance))


def expression_input(chance: random.Random, corpus: list[str]) -> Input:
    """Return a schema with a mutated expression."""
    line = json.dumps("= " + mutated(chance.choice(EXPRESSIONS), chance), ensure_ascii=False)
    return Input({"s.yaml": f"{FIELDS}      x: {line}\n".encode()}, _on_fields(chance))


def _on_fields(chance: random.Random) -> list[str]:
    return chance.choice(
        (["preview", "s.yaml"], ["check", "s.yaml"], ["cases", "s.yaml", "--out", "cases", "--target", "x"])
    )


def data_input(chance: random.Random, corpus: list[str]) -> Input:
    """Return a mutated data file, with a `verify` command for the schema of the unmutated file."""
    rows = [
        {"i": at % 9 + 1, "d": 1.25, "t": "abc"[: at % 3 + 1], "b": at % 2 == 0, "day": f"2026-03-{at + 1:02}"}
        for at in range(20)
    ]
    form = chance.choice(("csv", "json", "jsonl", "xml"))
    if form == "csv":
        out = io.StringIO()
        writer = csv.DictWriter(out, rows[0])
        writer.writeheader()
        writer.writerows({**row, "b": str(row["b"]).lower()} for row in rows)
        text = out.getvalue()
    elif form == "xml":
        inside = "".join(
            "<row>" + "".join(f"<{k}>{str(v).lower()}</{k}>" for k, v in row.items()) + "</row>" for row in rows
        )
        text = f'<?xml version="1.0" encoding="UTF-8"?>\n<rows>{inside}</rows>'
    else:
        text = json.dumps(rows) if form == "json" else "\n".join(map(json.dumps, rows))
    data = bytearray(mutated(text, chance).encode())
    if data and chance.random() < 0.3:
        data[chance.randrange(len(data))] = chance.randrange(256)
    return Input({"s.yaml": FIELDS.encode(), f"row.{form}": bytes(data)}, ["verify", "s.yaml", f"row.{form}"])


CLAUSES = (
    ", missing 30%", ", optional", ", present if row > 2", ", unique", ", helper", ", missing 50% if row > 3",
    ", distinct", ", in turn",
)  # fmt: skip
NEW_FIELDS = (
    "= {0}", 'text "a {{{0}}}"', "= if row > 3 then {0} else null", "= previous({0})", "= {0} is null",
    "= coalesce({0}, {0})", "= ordinal()", "= row * 2", "list 1..2 of integer 1..9", "one of a | b", "given-name",
    "decimal 0.00..9.99", "date 2026-01-01..2026-12-31", "boolean", "email", "iban",
)  # fmt: skip
AROUND = ("", "missing: 40%", "present if: row > 2", "list: 1..3")
FIELD = re.compile(r"^( {4,})(?!count:|key:|unique:|locale:)([\w ]+): (.+)$")


def grown(text: str, chance: random.Random) -> str:
    """Return a schema in which one to three fields get clauses, move, or become a table or a nested record."""
    for _ in range(chance.randint(1, 3)):
        lines = text.split("\n")
        found = [(at, match) for at, line in enumerate(lines) if (match := FIELD.match(line))]
        if not found:
            break
        (at, field), (other, swapped) = chance.choice(found), chance.choice(found)
        indent, name, phrase = field.groups()
        match chance.randint(0, 4):
            case 0:
                lines[at] += chance.choice(CLAUSES)
            case 1:
                lines[at] = f"{indent}{name}: {swapped[3]}"
                lines[other] = f"{swapped[1]}{swapped[2]}: {phrase if other != at else swapped[3]}"
            case 2:
                new = chance.choice(NEW_FIELDS).format(name.split()[-1])
                lines.insert(at + 1, f"{indent}new{chance.randint(1, 99)}: {new}")
            case 3:
                around = chance.choice(AROUND)
                lines[at + 1 : at + 1] = [
                    f"{indent}inner{chance.randint(1, 99)}:", *([f"{indent}  {around}"] if around else []),
                    f"{indent}  nested:", f"{indent}    {name}: {phrase}", f"{indent}    more: integer 1..9, optional",
                ]  # fmt: skip
            case 4:
                rest = chance.choice((phrase, "= null"))
                lines[at] = f"{indent}{name}:\n{indent}  when:\n{indent}    row > 4: {phrase}\n{indent}    else: {rest}"
        text = "\n".join(lines)
    return text


def round_input(chance: random.Random, corpus: list[str]) -> Input:
    """Return a grown schema: `verify` must accept the records that `generate` makes from it."""
    text = re.sub(r"(count: *)\d{3,}", r"\g<1>60", grown(chance.choice(corpus), chance))
    form = chance.choice(("csv", "json", "xml"))
    made = ["generate", "s.yaml", "--out", "made/", "--format", form]
    return Input({"s.yaml": text.encode()}, made, ("verify", "s.yaml", "made/"))


MAKE: dict[str, Callable[[random.Random, list[str]], Input]] = {
    "schema": schema_input, "pattern": pattern_input, "expression": expression_input, "data": data_input,
    "round": round_input,
}  # fmt: skip


def corpus() -> list[str]:
    """Return the project's own schemas: the demo, the benchmark, and the documents."""
    found = [path.read_text("utf-8") for folder in ("src", "bench") for path in sorted((ROOT / folder).rglob("*.yaml"))]
    domains = (ROOT / "tests" / "domains.txt").read_text("utf-8").split("\n---\n")[1:]
    found += ["yurt: 1\nseed: 3\ntoday: 2026-06-01\n" + each.partition("\n")[2] + "\n" for each in domains]
    for page in sorted((ROOT / "docs").glob("*.md")):
        found += re.findall(r"```yaml\n(.*?)```", page.read_text("utf-8"), re.DOTALL)
    return found


def run(given: Input, folder: Path) -> str:
    """Run an input; return the finding, or an empty text."""
    for name, data in given.files.items():
        (folder / name).write_bytes(data)
    wrong, code = _ended(given.arguments, folder)
    if not wrong and not code and given.then:
        wrong, code = _ended(list(given.then), folder)
        wrong = wrong or (f"`{given.then[0]}` ends with {code}" if code else "")
    return wrong


def _ended(arguments: list[str], folder: Path) -> tuple[str, int]:
    """Run the program in its own process; return the finding, or an empty text, and the exit status."""
    child = os.fork()
    if not child:
        _become(arguments, folder)
    begun = time.monotonic()
    while True:
        ended, status, used = os.wait4(child, os.WNOHANG)
        if ended:
            break
        if time.monotonic() - begun > LONGEST_WAIT:
            os.kill(child, signal.SIGKILL)
            os.wait4(child, 0)
            return f"a hang of more than {LONGEST_WAIT} s", -1
        time.sleep(0.005)
    told = (folder / "told").read_bytes()
    code = os.waitstatus_to_exitcode(status)
    if code == -signal.SIGXCPU:
        return f"more than {SECONDS} s of processor time", code
    if b"Traceback" in told or b"an error of the program itself" in told:
        return f"a traceback: {told.decode(errors='replace').strip().splitlines()[-1][:200]}", code
    if code not in PROMISED:
        return f"exit status {code}", code
    if used.ru_maxrss > KILOBYTES:
        return f"{used.ru_maxrss // 1000} MB", code
    return f"{len(told)} characters of messages" if len(told) > MOST_TEXT else "", code


def _become(arguments: list[str], folder: Path) -> None:
    code = 99
    try:
        resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS + 1))
        os.chdir(folder)
        out = os.open("told", os.O_WRONLY | os.O_CREAT | os.O_TRUNC)
        os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        os.dup2(out, 2)
        sys.stderr = os.fdopen(2, "w", errors="backslashreplace", closefd=False)
        sys.argv = ["yurt", *arguments]
        from yurt.cli.main import main

        main()
    except SystemExit as end:
        code = end.code if isinstance(end.code, int) else int(end.code is not None)
    except BaseException:
        sys.excepthook(*sys.exc_info())
    finally:
        sys.stderr.flush()
        os._exit(code)


def _load() -> None:
    """Import everything the program may need once, before the forks; nothing imported here starts a thread."""
    for path in sorted((ROOT / "src" / "yurt").rglob("*.py")):
        name = ".".join(path.relative_to(ROOT / "src").with_suffix("").parts).removesuffix(".__init__")
        if not name.endswith("__main__"):
            importlib.import_module(name)
    from yurt.core.language.reader import read
    from yurt.core.source.diagnostics import Source

    read(Source("s.yaml", FIELDS))


def main() -> None:
    """Run the inputs, and print the findings and the number of exits by input type and status."""
    parser = argparse.ArgumentParser(description=__doc__.partition("\n")[0] if __doc__ else "")
    parser.add_argument("--count", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--only", default=",".join(SORTS))
    parser.add_argument("--workers", type=int, default=os.cpu_count() or 2)
    parser.add_argument("--keep", type=Path, help="a folder for the inputs of findings")
    given = parser.parse_args()
    _load()
    schemas, sorts = corpus(), str(given.only).split(",")

    def one(number: int) -> tuple[int, str]:
        chance = random.Random(f"{given.seed} {number}")  # noqa: S311 - the same inputs each time
        made = MAKE[sorts[number % len(sorts)]](chance, schemas)
        folder = Path(tempfile.mkdtemp(prefix="fuzz-"))
        try:
            wrong = run(made, folder)
            if wrong and given.keep:
                shutil.copytree(folder, given.keep / str(number), dirs_exist_ok=True)
            return number, f"{' '.join(made.arguments)}: {wrong}" if wrong else ""
        finally:
            shutil.rmtree(folder, ignore_errors=True)

    findings = 0
    with ThreadPoolExecutor(given.workers) as pool:
        for number, wrong in pool.map(one, range(given.count)):
            if wrong:
                findings += 1
                print(f"{sorts[number % len(sorts)]} {number}: {wrong}", flush=True)
    print(f"{given.count} inputs, seed {given.seed}: {findings} findings")
    sys.exit(int(findings > 0))


if __name__ == "__main__":
    main()
