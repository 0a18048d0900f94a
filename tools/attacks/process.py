"""One input in a process of its own: files in a folder, a command, and what must never happen."""

from __future__ import annotations

import os
import resource
import shutil
import signal
import sys
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

SECONDS = 10
# A process that sleeps uses no processor time, so wall time has a limit too.
LONGEST_WAIT = 60
KILOBYTES = 1_000_000
MOST_TEXT = 20_000
PROMISED = {0, 1, 2, 3, 130}
# No file is larger than this, also where nothing limits it on purpose.
LARGEST_FILE = 1 << 30


@dataclass(frozen=True)
class Ended:
    """How a process ended: the finding, or an empty text, its exit status, and what it wrote to standard error."""

    wrong: str
    code: int
    told: str


@dataclass(frozen=True)
class Input:
    """Files, and the arguments of the program."""

    files: dict[str, bytes]
    arguments: list[str]
    # Arguments of a second run; it must exit with status 0 if the first run does.
    then: tuple[str, ...] = ()
    # The file that the command makes; it is there if the exit status is 0, and not otherwise.
    made: str = ""

    @property
    def words(self) -> str:
        """Return what a finding is told of."""
        return " ".join(self.arguments)

    def run(self, folder: Path) -> str:
        """Run the input in an empty folder; return the finding, or an empty text."""
        write(self.files, folder)
        ended = program(self.arguments, folder)
        if ended.wrong:
            return ended.wrong
        if left := leftovers(folder, {*self.files, self.made} if self.made else None):
            return f"exit status {ended.code}, and left: {left}"
        if self.made and not ended.code and not (folder / self.made).exists():
            return f"exit status 0 without {self.made}"
        if not ended.code and self.then:
            second = program(list(self.then), folder)
            return second.wrong or (f"`{self.then[0]}` ends with {second.code}: {second.told}" if second.code else "")
        return ""


def write(files: dict[str, bytes], folder: Path) -> None:
    """Write the files of an input."""
    for name, data in files.items():
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).write_bytes(data)


def leftovers(folder: Path, known: set[str] | None) -> str:
    """Return the names of files that nobody asked for: hidden ones, and those that are not known."""
    found = (each.relative_to(folder) for each in folder.rglob("*") if not each.is_dir())
    left = [
        str(each)
        for each in found
        if any(part.startswith(".") for part in each.parts)
        or (known is not None and str(each) not in known and str(each.parts[0]) not in known)
    ]
    return ", ".join(sorted(left))


def program(
    arguments: list[str], folder: Path, kill_after: float | None = None, largest: int = LARGEST_FILE
) -> Ended:  # fmt: skip
    """Run the program in its own process; `largest` is the size at which writing a file fails, in bytes."""

    def main() -> None:
        sys.argv = ["yurt", *arguments]
        from yurt.cli.main import main

        main()

    return process(main, folder, kill_after, largest)


def process(
    main: Callable[[], None], folder: Path, kill_after: float | None = None, largest: int = LARGEST_FILE
) -> Ended:
    """Call a function in a process of its own, with the folder as its working folder."""
    own = Path(tempfile.mkdtemp(prefix="told-"))
    try:
        told_in = own / "told"
        child = os.fork()
        if not child:
            _become(main, folder, told_in, largest)
        begun = time.monotonic()
        while True:
            ended, status, used = os.wait4(child, os.WNOHANG)
            if ended:
                break
            if time.monotonic() - begun > (kill_after or LONGEST_WAIT):
                # With its workers: they are of its process group.
                os.killpg(child, signal.SIGKILL)
                _, status, _ = os.wait4(child, 0)
                if kill_after:
                    return Ended("", -signal.SIGKILL, "")
                return Ended(f"a hang of more than {LONGEST_WAIT} s", -1, "")
            time.sleep(0.002)
        told = told_in.read_bytes().decode(errors="replace")
        code = os.waitstatus_to_exitcode(status)
        return Ended(_wrong(code, told, used.ru_maxrss) or _kept(own), code, told.strip()[-300:])
    finally:
        shutil.rmtree(own, ignore_errors=True)


def _wrong(code: int, told: str, kilobytes: int) -> str:
    if code == -signal.SIGXCPU:
        return f"more than {SECONDS} s of processor time"
    if "Traceback" in told or "an error of the program itself" in told:
        return f"a traceback: {told.strip().splitlines()[-1][:300]}"
    if code not in PROMISED:
        return f"exit status {code}: {told.strip()[-200:]}"
    if kilobytes > KILOBYTES:
        return f"{kilobytes // 1000} MB"
    return f"{len(told)} characters of messages" if len(told) > MOST_TEXT else ""


def _kept(own: Path) -> str:
    """Return what the process has left among its temporary files."""
    left = sorted(each.name for each in own.iterdir() if each.name != "told")
    return f"left among the temporary files: {', '.join(left)}" if left else ""


def _become(main: Callable[[], None], folder: Path, told: Path, largest: int) -> None:
    code = 99
    try:
        os.setpgid(0, 0)
        resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS + 1))
        resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
        out = os.open(told, os.O_WRONLY | os.O_CREAT | os.O_TRUNC)
        resource.setrlimit(resource.RLIMIT_FSIZE, (largest, largest))
        os.chdir(folder)
        os.environ["TMPDIR"] = tempfile.tempdir = str(told.parent)
        os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
        os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
        os.dup2(out, 2)
        sys.stderr = os.fdopen(2, "w", errors="backslashreplace", closefd=False)
        main()
        code = 0
    except SystemExit as end:
        code = end.code if isinstance(end.code, int) else int(end.code is not None)
    except BaseException:
        sys.excepthook(*sys.exc_info())
    finally:
        sys.stderr.flush()
        os._exit(code)
