"""Answers that several parts of the service give."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence

from starlette.requests import Request
from starlette.responses import Response

from yurt.service.problem import Problem


def allow(request: Request, methods: Sequence[str]) -> None:
    """Refuse other methods (405), with the ones that are possible."""
    if request.method not in methods:
        listed = ", ".join((*methods, "OPTIONS"))
        raise Problem(405, f"{request.method} is not possible here; allowed are {listed}", headers={"allow": listed})


def json_answer(found: object, status: int = 200, headers: Mapping[str, str] | None = None) -> Response:
    """Return an answer with plain data."""
    text = json.dumps(found, ensure_ascii=False).encode("utf-8", "backslashreplace")
    return Response(text, status, dict(headers or {}), "application/json")
