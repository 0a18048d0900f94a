"""Runs: generations that the service does in the background, with their progress, results, and command lines."""

from __future__ import annotations

import asyncio
import contextlib
import os
import shlex
import shutil
import tempfile
import zipfile
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

from starlette.requests import Request
from starlette.responses import FileResponse, Response

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.errors import SurroundingsFault, YurtError
from yurt.core.base.history import History
from yurt.core.base.json_object import JsonObject
from yurt.core.base.nearest import did_you_mean
from yurt.core.engine.run import Run, RunOptions
from yurt.core.formats import FILE_FORMATS
from yurt.core.model import Schema
from yurt.core.writing.output import Output
from yurt.core.writing.runs import parents_first, write, write_into
from yurt.service.answers import allow, json_answer
from yurt.service.body import record_of
from yurt.service.problem import Problem
from yurt.service.settings import Settings

WAITING, RUNNING, DONE, FAILED, CANCELLED = "waiting", "running", "done", "failed", "cancelled"
WORDS = ("record", "count", "rows", "seed", "format", "scale")


class Cancelled(Exception):
    """Somebody has cancelled the run."""


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

    def as_data(self) -> JsonObject:
        """Return the run as plain data."""
        place = f"/-/runs/{self.id}"
        return {
            "id": self.id, "state": self.state, "records": self.names, "format": self.format, "seed": self.seed,
            "rows": self.rows, "total": self.total, "created": self.created, "finished": self.finished,
            "bytes": self.size, "error": self.error, "command": self.command,
            "location": place, "result": f"{place}/result" if self.state == DONE else None,
        }  # fmt: skip


class Runs:
    """Does runs one after the other, and keeps their files until the service ends."""

    def __init__(self, schema: Schema, options: RunOptions, words: tuple[str, ...], settings: Settings) -> None:
        """`options` are those of the service, which a run may replace; `words` are the other options that it has."""
        self.schema, self.options, self.words, self.settings = schema, options, words, settings
        self.kept: dict[str, OneRun] = {}
        self.folder = Path(tempfile.mkdtemp(prefix="yurt-runs-"))
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="yurt-run")
        self._number = 0

    def close(self) -> None:
        """Cancel what is going on, and remove all files."""
        for each in self.kept.values():
            each.cancel = True
        self._pool.shutdown(wait=True, cancel_futures=True)
        shutil.rmtree(self.folder, ignore_errors=True)

    async def answer(self, request: Request, steps: list[str]) -> Response:
        """Answer a request below `/-/runs`."""
        if not steps and request.method == "POST":
            return await self._post(request)
        if not steps:
            allow(request, ("GET", "HEAD", "POST"))
            return json_answer([each.as_data() for each in self.kept.values()])
        one = self.kept.get(steps[0])
        if one is None or len(steps) > 2 or steps[1:] not in ([], ["result"]):
            raise Problem(404, f"there is no run `{'/'.join(steps)}`; /-/runs lists them")
        if steps[1:]:
            allow(request, ("GET", "HEAD"))
            return self._result(one)
        allow(request, ("GET", "HEAD", "DELETE"))
        if request.method == "DELETE":
            return self._delete(one)
        return json_answer(one.as_data())

    async def _post(self, request: Request) -> Response:
        body, _ = await record_of(request, self.settings)
        if sum(each.state in (WAITING, RUNNING) for each in self.kept.values()) >= self.settings.kept_runs:
            raise Problem(429, "too many runs are waiting", headers={"retry-after": "10"})
        loop = asyncio.get_running_loop()
        one, work = await loop.run_in_executor(None, lambda: self._prepared(body))
        self._forget()
        self.kept[one.id] = one
        self._pool.submit(self._do, one, work)
        return json_answer(one.as_data(), 202, {"location": f"/-/runs/{one.id}"})

    def _prepared(self, body: JsonObject) -> tuple[OneRun, Callable[[OneRun], None]]:
        """Return a run with its work. Raises Problem (422) for what cannot be done."""
        for word in body:
            if word not in WORDS:
                hint = did_you_mean(word, WORDS) or f"the words are {', '.join(WORDS)}"
                raise Problem(422, f"`{word}` is no word of a run; {hint}")
        record, form = body.get("record"), body.get("format", "csv")
        if record is not None and record not in self.schema.records:
            raise Problem(422, f"there is no record type `{record}`; there are {', '.join(self.schema.records)}")
        if form not in FILE_FORMATS:
            raise Problem(422, f"there is no format `{form}`; there are {', '.join(FILE_FORMATS)}")
        seed = _whole(body, "seed", 10**18 - 1)
        count = _whole(body, "count", self.settings.largest_run)
        rows = body.get("rows")
        if rows is not None and (not isinstance(rows, list) or len(rows) != 2 or record is None):
            raise Problem(422, "`rows` is a list of the first and the last row, and needs a `record`")
        count = self.options.count if count is None else count
        scale = _scale(body) if "scale" in body else self.options.scale
        options = RunOptions(self.options.seed if seed is None else seed, self.options.today, count, scale)
        try:
            names = [str(record)] if record is not None else list(self.schema.records)
            output = Output(self.schema, ())
            run = Run(output.dressed(dict.fromkeys(names, str(form))), options, only=names[0] if record else None)
        except YurtError as fault:
            raise Problem(422, str(fault)) from None
        slices = {name: (0, run.table(name).count) for name in names}
        if rows is not None:
            slices = {names[0]: _slice(rows, run.table(names[0]).count)}
        total = sum(stop - start for start, stop in slices.values())
        if total > self.settings.largest_run:
            raise Problem(422, f"{total:,} rows are more than the {self.settings.largest_run:,} of a run")
        self._number += 1
        one = OneRun(str(self._number), self._command(names, record, count, rows, scale, str(form), run), names,
                     str(form), run.seed, total)  # fmt: skip
        return one, lambda one: self._write(one, run, slices, output)

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

    def _do(self, one: OneRun, work: Callable[[OneRun], None]) -> None:
        if one.cancel:
            one.state = CANCELLED
            return
        one.state = RUNNING
        try:
            work(one)
            one.state = DONE
        except Cancelled:
            one.state = CANCELLED
        except Exception as fault:
            one.state, one.error = FAILED, str(fault)
        one.finished = datetime.now(UTC).isoformat(timespec="seconds")
        if one.state == DONE:
            self._note(one)

    def _note(self, one: OneRun) -> None:
        """Note a run in the user's list, if there is one."""
        with contextlib.suppress(SurroundingsFault):
            made = datetime.now().astimezone().isoformat(timespec="seconds")
            source, output = self.schema.source.name, f"run {one.id} of the service"
            History().note(made, one.command, os.getcwd(), source, one.seed, one.total, output)

    def _write(self, one: OneRun, run: Run, slices: dict[str, tuple[int, int]], output: Output) -> None:
        def progress(rows: int) -> None:
            one.rows += rows
            if one.cancel:
                raise Cancelled

        forms = {name: output.format(one.format, name) for name in slices}
        folder = self.folder / one.id
        folder.mkdir()
        try:
            if len(slices) > 1 and next(iter(forms.values())).together:
                path = folder / f"records{next(iter(forms.values())).suffix}"
                with path.open("wb") as out:
                    book = next(iter(forms.values())).several(out)
                    for name in parents_first(run.schema, list(slices)):
                        write_into(book, run, name, slices[name], forms[name], 1, progress)
                    book.close()
            else:
                paths = []
                for name, rows in slices.items():
                    paths.append(folder / f"{name}{forms[name].suffix}")
                    with paths[-1].open("wb") as out:
                        write(run, name, rows, forms[name], out, 1, progress)
                path = paths[0] if len(paths) == 1 else _zipped(folder / "records.zip", paths)
        except BaseException:
            shutil.rmtree(folder, ignore_errors=True)
            raise
        one.path, one.size = path, path.stat().st_size

    def _result(self, one: OneRun) -> Response:
        if one.path is None or one.state != DONE:
            raise Problem(409, f"the run is {one.state}; it has no result" + (f": {one.error}" if one.error else ""))
        return FileResponse(one.path, filename=one.path.name)

    def _delete(self, one: OneRun) -> Response:
        one.cancel = True
        if one.state in (WAITING, RUNNING):
            return json_answer(one.as_data(), 202)
        self._remove(one)
        return Response(None, 204)

    def _remove(self, one: OneRun) -> None:
        del self.kept[one.id]
        shutil.rmtree(self.folder / one.id, ignore_errors=True)

    def _forget(self) -> None:
        """Remove the oldest finished runs."""
        finished = [each for each in self.kept.values() if each.state not in (WAITING, RUNNING)]
        for each in finished[: max(0, len(self.kept) + 1 - self.settings.kept_runs)]:
            self._remove(each)


def _zipped(path: Path, files: list[Path]) -> Path:
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for each in files:
            archive.write(each, each.name)
            each.unlink()
    return path


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
