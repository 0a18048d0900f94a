"""The cases of a schema, one by one: so that a client meets each invalid record."""

from __future__ import annotations

import asyncio
from threading import Lock
from typing import Any

from starlette.requests import Request
from starlette.responses import Response

from yurt.api.cases import Case, Cases, cases
from yurt.core.base.errors import YurtError
from yurt.core.collections.library import Library
from yurt.core.formats.common.raw import written
from yurt.core.given.values import tree_of
from yurt.service.answers import allow, json_answer
from yurt.service.problem import Problem

NEXT = "next"


class CaseAnswers:
    """Answers requests for cases."""

    def __init__(self, library: Library) -> None:
        self.library = library
        self._suites: dict[str, Cases] = {}
        self._next: dict[str, int] = {}
        self._lock = Lock()

    async def answer(self, request: Request, steps: list[str]) -> Response:
        """Answer a request below `/-/cases`."""
        allow(request, ("GET", "HEAD"))
        if not steps:
            known = {name: f"/-/cases/{name}" for name in self.library.collections}
            return json_answer(known)
        if len(steps) == 1:
            suite = await self.suite(steps[0])
            return json_answer([_summary(each) for each in suite])
        return await self.one(steps[0], "/".join(steps[1:]))

    async def suite(self, name: str) -> Cases:
        """Return the cases of a record type, which are made once."""
        if name not in self.library.collections:
            raise Problem(404, f"there is no collection `{name}`")

        def made() -> Cases:
            with self._lock:
                if name not in self._suites:
                    self._suites[name] = cases(self.library.schema, name, seed=self.library.run.seed)
                return self._suites[name]

        try:
            return await asyncio.get_running_loop().run_in_executor(None, made)
        except YurtError as fault:
            raise Problem(422, f"no cases of {name}: {fault}") from None

    async def one(self, name: str, told: str, *, inside: bool = False) -> Response:
        """Return a case by its id, or the next one; its outcome is in the headers.

        With `inside`, it is the only record of a list.
        """
        suite = await self.suite(name)
        if told == NEXT:
            at = self._next.get(name, 0) % len(suite)
            self._next[name] = at + 1
            found = suite[at]
        else:
            by_id = {each.id: each for each in suite}
            if told not in by_id:
                raise Problem(404, f"there is no case `{told}` of {name}; /-/cases/{name} lists them")
            found = by_id[told]
        headers = {"case-id": found.id, "case-expected": found.expected, "cache-control": "no-store"}
        headers |= {"case-rule": found.rule} if found.rule else {}
        text = written(tree_of(found.values)).encode("utf-8", "surrogatepass")
        text = b"[" + text + b"]" if inside else text
        return Response(
            text + b"\n", 200, {name: _header(value) for name, value in headers.items()}, "application/json"
        )


def _header(text: str) -> str:
    return text.encode("ascii", "backslashreplace").decode()


def _summary(case: Case) -> dict[str, Any]:
    return {
        "id": case.id, "expected": case.expected, "rule": case.rule, "reason": case.reason,
        "technique": case.technique, "target": case.target,
        "location": f"/-/cases/{case.record_type}/{case.id}",
    }  # fmt: skip
