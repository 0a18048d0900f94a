"""The application: from a path to the part of the service that answers."""

from __future__ import annotations

import asyncio
import contextlib
import json
import time
import traceback
from collections.abc import AsyncIterator
from http import HTTPStatus
from pathlib import Path
from urllib.parse import unquote_to_bytes

from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Router
from starlette.types import ASGIApp, Receive, Scope, Send

from yurt.core.base.errors import UsageFault, YurtError
from yurt.core.collections.library import Library
from yurt.service.accept import HTML, JSON, chosen
from yurt.service.answers import allow
from yurt.service.behaviour import Behaviour, Effect
from yurt.service.callers import Callers
from yurt.service.case_answers import CaseAnswers
from yurt.service.log import Write, now
from yurt.service.openapi import document
from yurt.service.page import page
from yurt.service.problem import Problem
from yurt.service.query import Query, query_of, text_of
from yurt.service.record_answers import RecordAnswers
from yurt.service.runs import Runs
from yurt.service.settings import Settings

METHODS = ["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"]
# What is not a record type is below this step: no record type has such a name.
OWN = "-"


class Service:
    """Answers every request, and logs it."""

    def __init__(
        self, library: Library, behaviour: Behaviour, settings: Settings, log: Write | None,
        words: tuple[str, ...] = (),
    ) -> None:  # fmt: skip
        """`words` are the options of the command line that runs repeat: variants and locale."""
        self.library, self.behaviour, self.settings, self.log = library, behaviour, settings, log
        self.records = RecordAnswers(library, settings)
        self.cases = CaseAnswers(library)
        self.runs = Runs(library.of_files, library.options, words, settings)
        self.callers = Callers(settings.host, settings.hosts, settings.origins)
        self.document = json.dumps(document(library, settings), ensure_ascii=False, indent=1).encode()

    def app(self) -> ASGIApp:
        """Return the application for a server."""

        @contextlib.asynccontextmanager
        async def lifespan(app: object) -> AsyncIterator[None]:
            # Keys are made before anybody asks for one.
            asyncio.get_running_loop().run_in_executor(None, self._warm)
            yield
            self.close()

        # Every path is ours, also one that no pattern of a route would match.
        return Router(default=_Endpoint(self), redirect_slashes=False, lifespan=lifespan)

    def _warm(self) -> None:
        for each in self.library.collections.values():
            if each.state.count <= 200_000:
                each.keys.row("")

    def close(self) -> None:
        """End runs, and close files."""
        self.runs.close()
        # Whoever holds the lock for longer is ended with the process; every write is on the disk.
        if self.library.lock.acquire(timeout=1):
            self.library.close()
            self.library.lock.release()

    async def __call__(self, request: Request) -> tuple[Response, Effect, str]:
        """Return the answer to a request, what happens to it, and an error of the program, if there is one."""
        path = request.scope["path"]
        effect = Effect()
        raw = _raw_path(request)
        # As it is read, not as it is written: `/%2D/runs` is the same path.
        own = unquote_to_bytes(raw.split(b"/")[1] if b"/" in raw else raw) == OWN.encode()
        try:
            response, effect = await self._allowed(request, path, raw, own)
        except Problem as problem:
            response = problem.response(path)
        except YurtError as fault:
            response = Problem(500, str(fault)).response(path)
        except Exception as fault:
            place = traceback.extract_tb(fault.__traceback__)[-1]
            error = f"{type(fault).__name__} in {Path(place.filename).name}:{place.lineno}: {fault}"
            return Problem(500, "an error of the program; the log tells where").response(path), effect, error[:500]
        for name, value in self.callers.headers(request, own=own).items():
            response.headers.setdefault(name, value)
        response.headers["vary"] = ", ".join(filter(None, [response.headers.get("vary"), "origin"]))
        return response, effect, ""

    async def _allowed(self, request: Request, path: str, raw: bytes, own: bool) -> tuple[Response, Effect]:
        self.callers.check(request, own=own)
        if raw == b"*":
            return Response(None, 204, {"allow": ", ".join(METHODS)}), Effect()
        effect = Effect()
        try:
            steps = [text_of(each) for each in raw.split(b"/")[1:]]
            query = query_of(request.scope.get("query_string", b""), self.settings)
            client = request.client.host if request.client else ""
            try:
                effect = self.behaviour.effect(request.method, path, client, query.bad_day)
            except UsageFault as fault:
                raise Problem(400, str(fault)) from None
            if effect.delay:
                await asyncio.sleep(effect.delay)
            if effect.retry_after is not None:
                raise Problem(429, "the rate limit is reached", headers={"retry-after": str(effect.retry_after)})
            if effect.status is not None:
                return _forced(effect.status, path), effect
            if effect.case is not None and steps[0] in self.library.collections and request.method in ("GET", "HEAD"):
                return await self.cases.one(steps[0], effect.case, inside=len(steps) != 2), effect
            async with asyncio.timeout(self.settings.answer_time):
                if request.method == "OPTIONS":
                    return await self._options(request, steps, query, own), effect
                return await self._answer(request, steps, query), effect
        except TimeoutError:
            late = f"the answer was not there after {self.settings.answer_time:g} seconds"
            return Problem(503, late, headers={"retry-after": "10"}).response(path), effect
        except Problem as problem:
            return problem.response(path), effect
        except YurtError as fault:
            return Problem(500, str(fault)).response(path), effect

    async def _options(self, request: Request, steps: list[str], query: Query, own: bool) -> Response:
        """Return the methods of a path, which refuses OPTIONS itself."""
        try:
            found = await self._answer(request, steps, query)
        except Problem as problem:
            if problem.status != 405:
                if (told := self.callers.preflight(request, ", ".join(METHODS), own=own)) is not None:
                    # The answer to the request itself says what is wrong.
                    return told
                raise
            allowed = problem.headers["allow"]
            return self.callers.preflight(request, allowed, own=own) or Response(None, 204, {"allow": allowed})
        return found

    async def _answer(self, request: Request, steps: list[str], query: Query) -> Response:
        if steps == [""]:
            return self._front(request)
        if steps[-1] == "":
            raise Problem(404, "a path does not end with a slash")
        if steps[0] != OWN:
            return await self.records.answer(request, steps, query)
        match steps[1:]:
            case ["health"]:
                return self._own(request, json.dumps({"status": "pass", "seed": self.library.run.seed}).encode())
            case ["openapi.json"]:
                return self._own(request, self.document)
            case ["cases", *rest]:
                return await self.cases.answer(request, rest)
            case ["runs", *rest]:
                return await self.runs.answer(request, rest)
        raise Problem(404, "there is health, openapi.json, cases, and runs below /-/")

    def _own(self, request: Request, body: bytes) -> Response:
        allow(request, ("GET", "HEAD"))
        return Response(body, 200, {"cache-control": "no-cache"}, "application/json")

    def _front(self, request: Request) -> Response:
        """Return the page for people, or the list of collections for programs."""
        allow(request, ("GET", "HEAD"))
        totals = {name: each.state.total for name, each in self.library.collections.items()}
        if chosen(request.headers.get("accept"), (JSON, HTML)) is HTML:
            return Response(page(self.library, totals), 200, {"vary": "accept"}, HTML.content_type)
        found = [{"name": name, "total": total, "location": f"/{name}"} for name, total in totals.items()]
        return Response(json.dumps(found, ensure_ascii=False), 200, {"vary": "accept"}, "application/json")


class _Endpoint:
    """The one endpoint: it sends answers, whole or cut off, and logs them."""

    def __init__(self, service: Service) -> None:
        self.service = service

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        started = time.perf_counter()
        request = Request(scope, receive, send)
        response, effect, error = await self.service(request)
        body = getattr(response, "body", None)
        cut = effect.cut is not None and body is not None and request.method != "HEAD"
        if cut and effect.cut is not None:
            await send({"type": "http.response.start", "status": response.status_code, "headers": response.raw_headers})
            part = bytes(body or b"")[: int(len(body or b"") * effect.cut)]
            # Less than the header promises: the server closes the connection.
            await send({"type": "http.response.body", "body": part, "more_body": True})
        else:
            if request.method == "HEAD" and body is not None:
                response.body = b""
            await response(scope, receive, send)
        if self.service.log is not None:
            self.service.log({
                "time": now(), "method": request.method, "path": scope["path"],
                "query": scope.get("query_string", b"").decode("latin-1"), "status": response.status_code,
                "ms": round((time.perf_counter() - started) * 1000, 3), "bytes": len(body or b""),
                "client": request.client.host if request.client else "", "behaviour": _words(effect),
                **({"error": error} if error else {}),
            })  # fmt: skip


def _raw_path(request: Request) -> bytes:
    """Return the path as it was sent, without what follows the question mark."""
    raw: bytes | None = request.scope.get("raw_path")
    path = raw if raw is not None else request.scope["path"].encode()
    return path.partition(b"?")[0] or b"/"


def _forced(status: int, path: str) -> Response:
    """Return an answer with a chosen status code."""
    if status < 400:
        return Response(None, status, {"location": "/"} if 300 <= status < 400 and status != 304 else None)
    headers = {"retry-after": "1"} if status in (429, 503) else None
    return Problem(status, f"{HTTPStatus(status).phrase}, as asked for", headers=headers).response(path)


def _words(effect: Effect) -> str:
    """Return what happened to a request in words."""
    parts = [f"status {effect.status}" if effect.status is not None else ""]
    parts += [
        f"delay {effect.delay * 1000:.0f}ms" if effect.delay else "",
        f"case {effect.case}" if effect.case else "",
    ]
    parts += [f"cut {effect.cut:.0%}" if effect.cut is not None else ""]
    return ", ".join(filter(None, [*parts, "limit" if effect.retry_after is not None else ""]))
