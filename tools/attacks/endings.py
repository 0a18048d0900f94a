"""Runs that are killed, and runs whose files cannot grow: what was there stays, or the whole result is there."""

from __future__ import annotations

import random
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from attacks.data import SCHEMA, samples
from attacks.process import Input, leftovers, program, write

BEFORE = b"what was there before\n"
ROWS = 3000
TOGETHER = (
    SCHEMA.replace("count: 20", f"count: {ROWS}")
    + "  more:\n    count: 3000\n    fields:\n      n: sequence\n      x: text 9\n"
)
FORMATS = ("csv", "json", "xml", "jsonl", "xlsx", "parquet", "arrow", "yaml", "html", "sql")
# Inputs of one megabyte, by what was asked for: they are made once.
_WHOLE: dict[str, dict[str, bytes]] = {}


@dataclass(frozen=True)
class Cut(Input):
    """A run that ends early: after some seconds, or when a file has some bytes."""

    seconds: float = 0.0
    largest: int = 0
    # What may be the result: a file, or a folder of files.
    target: str = ""

    @property
    def words(self) -> str:
        """Return what a finding is told of."""
        how = f"files end at {self.largest} bytes" if self.largest else f"killed after {self.seconds:.3f} s"
        return f"{' '.join(self.arguments)} ({how})"

    def run(self, folder: Path) -> str:
        """Run it early to an end, look at the folder, and run it again."""
        write(self.files, folder)
        whole = _whole(self, folder)
        if self.largest:
            ended = program(self.arguments, folder, largest=self.largest)
        else:
            ended = program(self.arguments, folder, self.seconds)
        if ended.wrong:
            return ended.wrong
        found = _results(self, folder)
        if ended.code == 0 and found != whole:
            return f"exit status 0, but other files: {_compared(found, whole)}"
        if ended.code and self.largest and found != _before(self):
            return f"exit status {ended.code}, but {_compared(found, _before(self))}"
        # A process that was killed between the files of a set may leave whole ones of both.
        if any(data not in (whole.get(name), _before(self).get(name)) for name, data in found.items()):
            return f"torn: {_compared(found, whole)}"
        if self.largest and (left := leftovers(folder, None)):
            return f"left: {left}"
        again = program(self.arguments, folder)
        if again.wrong or again.code:
            return f"the next run: {again.wrong or again.told}"
        if (found := _results(self, folder)) != whole:
            return f"the next run has made other files: {_compared(found, whole)}"
        left = leftovers(folder, None)
        return f"left by the next run: {left}" if left else ""


def _before(cut: Cut) -> dict[str, bytes]:
    return {name: data for name, data in cut.files.items() if name.partition("/")[0] == cut.target}


def _results(cut: Cut, folder: Path) -> dict[str, bytes]:
    target = folder / cut.target
    files = [target] if target.is_file() else target.rglob("*") if target.is_dir() else []
    return {
        str(each.relative_to(folder)): each.read_bytes()
        for each in files
        if each.is_file() and not each.name.startswith(".")
    }


def _whole(cut: Cut, folder: Path) -> dict[str, bytes]:
    """Return the files of a run that nobody ends, made once for each command; the folder is as before."""
    key = " ".join(cut.arguments)
    if key not in _WHOLE:
        apart = folder.parent / f"{folder.name}-whole"
        apart.mkdir()
        write(cut.files, apart)
        ended = program(cut.arguments, apart)
        assert ended.code == 0, (key, ended)
        _WHOLE[key] = _results(cut, apart)
    return _WHOLE[key]


def _compared(found: dict[str, bytes], wanted: dict[str, bytes]) -> str:
    names = sorted({*found, *wanted})
    return ", ".join(
        f"{each} has {len(found.get(each, b''))} bytes, not {len(wanted.get(each, b''))}"
        for each in names
        if found.get(each) != wanted.get(each)
    )


@cache
def _guests() -> bytes:
    """Return a table of some thousand rows, a repeated sample."""
    head, *rows = samples()["csv"].decode().splitlines(keepends=True)
    return (head + "".join(rows) * 150).encode()


def cut_input(chance: random.Random) -> Cut:
    """Return a run over files that are there, which ends early."""
    form = chance.choice(FORMATS)
    files = {"s.yaml": TOGETHER.encode()}
    match chance.randint(0, 3):
        case 0:
            target = f"out.{form}"
            command = ["generate", "s.yaml", "row", "--out", target, "--workers", chance.choice("12")]
            files[target] = BEFORE
        case 1:
            target = "out"
            command = ["generate", "s.yaml", "--out", "out", "--format", form]
            files |= {f"out/row.{form}": BEFORE, f"out/more.{form}": BEFORE}
        case 2:
            target = "out.csv"
            command = ["extend", "guests.csv", "--field", "n: = row", "--field", "t: = upper(t)", "--out", target]
            files |= {"guests.csv": _guests(), target: BEFORE}
        case _:
            target = "out.csv"
            command = [
                "disguise",
                "guests.csv",
                "--field",
                "t: scrub",
                "--secret",
                "key",
                "--out",
                target,
                "--field",
                "card: shuffle",
            ]
            files |= {"guests.csv": _guests(), target: BEFORE, "key": b"a secret of more than sixteen letters"}
    command.append("--force")
    if chance.random() < 0.5:
        return Cut(files, command, target=target, seconds=chance.uniform(0.02, 0.9))
    return Cut(files, command, target=target, largest=int(4096 * 400 ** chance.random()))
