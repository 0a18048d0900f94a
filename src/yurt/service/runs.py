"""Runs: generations that the service does in the background, with their progress, results, and command lines."""

from __future__ import annotations

import asyncio
import contextlib
import os
import shlex
import shutil
import tempfile
from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from decimal import Decimal
from io import BytesIO
from pathlib import Path
from threading import Timer
from typing import Any

from starlette.requests import Request
from starlette.responses import FileResponse, Response

from yurt.core.base.data_classes import dataclass, field, replace
from yurt.core.base.errors import SurroundingsFault, YurtError
from yurt.core.base.history import History
from yurt.core.base.json_object import JsonObject
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.processes import is_alive
from yurt.core.engine.run import Run, RunOptions
from yurt.core.formats import FILE_FORMATS
from yurt.core.formats.common.format import Format
from yurt.core.model import Schema
from yurt.core.writing.jobs import request_of
from yurt.core.writing.output import Output
from yurt.core.writing.runs import write
from yurt.service.answers import allow, json_answer
from yurt.service.body import record_of
from yurt.service.problem import Problem
from yurt.service.run_process import RECEIPT, Failed, Job, Process
from yurt.service.settings import Settings

WAITING, RUNNING, DONE, FAILED, CANCELLED = "waiting", "running", "done", "failed", "cancelled"
WORDS = ("record", "count", "rows", "seed", "format", "scale")
PREFIX = "yurt-runs-"
# The rows whose size tells about how large a file will be.
SAMPLED = 200
# The bytes that stay free on the disk.
RESERVE = 1 << 26


@dataclass
class OneRun:
    """A run: what was asked, how far it is, and the file that it has made."""

    id: str
    command: str
    names: list[str]
    format: str
    seed: int
    total: int
    rows: int = 0
    state: str = WAITING
    error: str = ""
    created: str = field(default_factory=lambda: datetime.now(UTC).isoformat(timespec="seconds"))
    finished: str | None = None
    path: Path | None = None
    size: int = 0
    cancel: bool = False
    # The process that makes the file, while it does.
    process: Process | None = None

    def as_data(self) -> JsonObject:
        """Return the run as plain data."""
        place = f"/-/runs/{self.id}"
        return {
            "id": self.id, "state": self.state, "records": self.names, "format": self.format, "seed": self.seed,
            "rows": self.rows, "total": self.total, "created": self.created, "finished": self.finished,
            "bytes": self.size, "error": self.error, "command": self.command,
            "location": place, "result": f"{place}/result" if self.state == DONE else None,
            "receipt": f"{place}/receipt" if self.state == DONE else None,
        }  # fmt: skip


class Runs:
    """Does runs one after the other, and keeps their files until the service ends."""

    def __init__(self, schema: Schema, options: RunOptions, words: tuple[str, ...], settings: Settings) -> None:
        """`options` are those of the service, which a run may replace; `words` are the other options that it has."""
        self.schema, self.options, self.words, self.settings = schema, options, words, settings
        self.kept: dict[str, OneRun] = {}
        _remove_abandoned()
        self.folder = Path(tempfile.mkdtemp(prefix=f"{PREFIX}{os.getpid()}-"))
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="yurt-run")
        self._number = 0

    def close(self) -> None:
        """Cancel what is going on, and remove all files."""
        for each in [*self.kept.values()]:
            self._cancel(each)
        self._pool.shutdown(wait=True, cancel_futures=True)
        shutil.rmtree(self.folder, ignore_errors=True)

    async def answer(self, request: Request, steps: list[str]) -> Response:
        """Answer a request below `/-/runs`."""
        if not steps and request.method == "POST":
            return await self._post(request)
        if not steps:
            allow(request, ("GET", "HEAD", "POST"))
            return json_answer([each.as_data() for each in [*self.kept.values()]])
        one = self.kept.get(steps[0])
        if one is None or len(steps) > 2 or steps[1:] not in ([], ["result"], ["receipt"]):
            raise Problem(404, f"there is no run `{'/'.join(steps)}`; /-/runs lists them")
        if steps[1:]:
            allow(request, ("GET", "HEAD"))
            return self._result(one) if steps[1] == "result" else self._receipt(one)
        allow(request, ("GET", "HEAD", "DELETE"))
        if request.method == "DELETE":
            return self._delete(one)
        return json_answer(one.as_data())

    async def _post(self, request: Request) -> Response:
        body, _ = await record_of(request, self.settings)
        self._refuse_many()
        loop = asyncio.get_running_loop()
        one, job = await loop.run_in_executor(None, lambda: self._prepared(body))
        self._refuse_many()
        self._forget()
        self.kept[one.id] = one
        self._pool.submit(self._do, one, job)
        return json_answer(one.as_data(), 202, {"location": f"/-/runs/{one.id}"})

    def _refuse_many(self) -> None:
        waiting = sum(each.state in (WAITING, RUNNING) for each in [*self.kept.values()])
        if waiting >= self.settings.waiting_runs:
            raise Problem(429, f"{waiting} runs are waiting; end one, or try later", headers={"retry-after": "10"})

    def _prepared(self, body: JsonObject) -> tuple[OneRun, Job]:
        """Return a run with its job. Raises Problem (400, 422, 507) for what cannot be done."""
        for word in body:
            if word not in WORDS:
                word = _cut(word)
                hint = did_you_mean(word, WORDS) or f"the words are {', '.join(WORDS)}"
                raise Problem(422, f"`{word}` is no word of a run; {hint}")
        record, form = body.get("record"), body.get("format", "csv")
        if record is not None and (not isinstance(record, str) or record not in self.schema.records):
            told = f"there is no record type `{_cut(record)}`; there are {', '.join(self.schema.records)}"
            raise Problem(422, told)
        if not isinstance(form, str) or form not in FILE_FORMATS:
            raise Problem(400, f"there is no format `{_cut(form)}`; there are {', '.join(FILE_FORMATS)}")
        seed = _whole(body, "seed", 10**18 - 1)
        count = _whole(body, "count", self.settings.largest_run)
        rows = body.get("rows")
        if rows is not None and (not isinstance(rows, list) or len(rows) != 2 or record is None):
            raise Problem(422, "`rows` is a list of the first and the last row, and needs a `record`")
        count = self.options.count if count is None else count
        scale = _scale(body) if "scale" in body else self.options.scale
        seed = self.options.seed if seed is None else seed
        options = RunOptions(seed, self.options.today, count, scale, self.settings.largest_run)
        names = [str(record)] if record is not None else list(self.schema.records)
        output = Output(self.schema, ())
        try:
            dressed = output.dressed(dict.fromkeys(names, form))
            forms = {name: output.format(form, name) for name in names}
        except YurtError as fault:
            raise Problem(400, str(fault)) from None
        try:
            run = Run(dressed, options, only=names[0] if record else None)
        except YurtError as fault:
            raise Problem(422, str(fault)) from None
        slices = {name: (0, run.table(name).count) for name in names}
        if rows is not None:
            slices = {names[0]: _slice(rows, run.table(names[0]).count)}
        total = sum(stop - start for start, stop in slices.values())
        if total > self.settings.largest_run:
            raise Problem(422, f"{total:,} rows are more than the {self.settings.largest_run:,} of a run")
        self._refuse_large(_size(run, slices, forms))
        self._number += 1
        one = OneRun(str(self._number), self._command(names, record, count, rows, scale, str(form), run), names,
                     str(form), run.seed, total)  # fmt: skip
        options = RunOptions(run.seed, run.today, count, scale, self.settings.largest_run)
        only = names[0] if record else None
        request = replace(request_of(self.schema, only, options, str(form)), rows=tuple(rows) if rows else None)
        folder = self.folder / one.id
        return one, Job(self.schema, options, only, slices, request, form, folder, self.settings.kept_bytes)

    def _refuse_large(self, size: int) -> None:
        if size > self.settings.kept_bytes:
            told = f"about {size:,} bytes are more than the {self.settings.kept_bytes:,} of a run"
            raise Problem(422, f"{told}; ask for fewer rows")
        if size + RESERVE > (free := shutil.disk_usage(self.folder).free):
            raise Problem(507, f"about {size:,} bytes do not fit: the disk has {free:,} left")

    def _command(
        self, names: list[str], record: object, count: int | None, rows: Any, scale: float, form: str, run: Run
    ) -> str:  # fmt: skip
        """Return the command line that makes the same records again."""
        words = ["yurt", "generate", self.schema.source.name, *([str(record)] if record is not None else [])]
        words += [*self.words]
        words += ["--count", str(count)] if count is not None else []
        words += ["--scale", f"{Decimal(repr(scale)):f}".removesuffix(".0")] if scale != 1 else []
        words += ["--rows", f"{rows[0]}..{rows[1]}"] if rows is not None else []
        suffix = Output(self.schema, ()).format(form, names[0]).suffix
        out = f"{names[0]}{suffix}" if record is not None else "records/"
        words += ["--seed", str(run.seed), "--today", str(run.today), "--format", form, "--out", out]
        return shlex.join(words)

    def _do(self, one: OneRun, job: Job) -> None:
        if one.cancel:
            one.state = CANCELLED
            return
        one.state = RUNNING
        late: list[str] = []

        def end() -> None:
            late.append(f"it was not done after {self.settings.run_time:g} seconds")
            if one.process is not None:
                one.process.end()

        try:
            job.folder.mkdir()
            one.process = Process(job)
            timer = Timer(self.settings.run_time, end)
            timer.start()
            try:
                self._wait(one, one.process, job)
            finally:
                timer.cancel()
            one.state = DONE
        except (Failed, OSError) as fault:
            shutil.rmtree(job.folder, ignore_errors=True)
            one.state, one.error = (CANCELLED, "") if one.cancel else (FAILED, (*late, str(fault))[0])
        one.process = None
        one.finished = datetime.now(UTC).isoformat(timespec="seconds")
        if one.state == DONE:
            self._forget_large()
            self._note(one)

    def _wait(self, one: OneRun, process: Process, job: Job) -> None:
        if one.cancel:
            process.end()

        def progress(rows: int) -> None:
            one.rows += rows

        one.path = job.folder / process.wait(progress)
        one.size = one.path.stat().st_size

    def _note(self, one: OneRun) -> None:
        """Note a run in the user's list, if there is one."""
        with contextlib.suppress(SurroundingsFault):
            made = datetime.now().astimezone().isoformat(timespec="seconds")
            source, output = self.schema.source.name, f"run {one.id} of the service"
            History().note(made, one.command, os.getcwd(), source, one.seed, one.total, output)

    def _result(self, one: OneRun) -> Response:
        if one.path is None or one.state != DONE:
            raise Problem(409, f"the run is {one.state}; it has no result" + (f": {one.error}" if one.error else ""))
        return FileResponse(one.path, filename=one.path.name)

    def _receipt(self, one: OneRun) -> Response:
        if one.path is None or one.state != DONE:
            raise Problem(409, f"the run is {one.state}; it has no receipt" + (f": {one.error}" if one.error else ""))
        return FileResponse(one.path.with_name(RECEIPT), media_type="application/json")

    def _cancel(self, one: OneRun) -> None:
        one.cancel = True
        if (process := one.process) is not None:
            process.end()

    def _delete(self, one: OneRun) -> Response:
        self._cancel(one)
        if one.state in (WAITING, RUNNING):
            return json_answer(one.as_data(), 202)
        self._remove(one)
        return Response(None, 204)

    def _remove(self, one: OneRun) -> None:
        del self.kept[one.id]
        shutil.rmtree(self.folder / one.id, ignore_errors=True)

    def _forget(self) -> None:
        """Remove the oldest finished runs."""
        finished = [each for each in [*self.kept.values()] if each.state not in (WAITING, RUNNING)]
        for each in finished[: max(0, len(self.kept) + 1 - self.settings.kept_runs)]:
            self._remove(each)

    def _forget_large(self) -> None:
        """Remove the oldest files while all together take more room than they may."""
        kept = [each for each in [*self.kept.values()] if each.state == DONE]
        while len(kept) > 1 and sum(each.size for each in kept) > self.settings.kept_bytes:
            self._remove(kept.pop(0))


def _size(run: Run, slices: dict[str, tuple[int, int]], forms: Mapping[str, Format]) -> int:
    """Return about how many bytes a run writes, by its first rows. Raises Problem (400) if it cannot write them."""
    found = 0
    for name, (start, stop) in slices.items():
        out, rows = BytesIO(), min(stop - start, SAMPLED)
        try:
            write(run, name, (start, start + rows), forms[name], out, 1)
        except YurtError as fault:
            raise Problem(400, str(fault)) from None
        found += len(out.getvalue()) * (stop - start) // max(rows, 1)
    return found


def _remove_abandoned() -> None:
    """Remove what services have left that were ended by force."""
    if os.name != "posix":
        return
    for each in Path(tempfile.gettempdir()).glob(f"{PREFIX}*-*"):
        number = each.name.removeprefix(PREFIX).partition("-")[0]
        if number.isdecimal() and each.is_dir() and not each.is_symlink() and not is_alive(int(number)):
            shutil.rmtree(each, ignore_errors=True)


def _cut(told: object) -> str:
    return str(told)[:40]


def _whole(body: JsonObject, word: str, most: int) -> int | None:
    told = body.get(word)
    if told is None:
        return None
    text = str(told)
    if isinstance(told, bool | dict | list) or not text.isdecimal() or len(text) > 18 or int(text) > most:
        raise Problem(422, f"`{word}` is {text[:40]}, not a whole number from 0 to {most:,}")
    return int(text)


def _scale(body: JsonObject) -> float:
    told = body.get("scale", "1")
    try:
        found = float(str(told))
    except ValueError:
        found = -1.0
    if not 0 <= found <= 1e6 or isinstance(told, bool):
        raise Problem(422, f"`scale` is {str(told)[:40]}, not a factor from 0 to 1,000,000")
    return found


def _slice(rows: Any, count: int) -> tuple[int, int]:
    first, last = (_whole({"rows": each}, "rows", 10**15) or 0 for each in rows)
    if not 1 <= first <= last <= count:
        raise Problem(422, f"`rows` is {first}..{last}; there are rows 1..{count:,}")
    return first - 1, last
