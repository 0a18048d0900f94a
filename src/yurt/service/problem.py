"""Problem details (RFC 9457): every answer that is an error is one."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from http import HTTPStatus
from typing import Any

from starlette.responses import Response

from yurt.core.collections.judging import Objection

TYPE = "application/problem+json"
# The violations of a record that are listed; `further` is the number of the others.
MOST = 50


class Problem(Exception):
    """An answer that is an error."""

    def __init__(
        self, status: int, detail: str, *, headers: Mapping[str, str] | None = None,
        violations: Sequence[Objection] = (),
    ) -> None:  # fmt: skip
        self.status, self.detail, self.violations = status, detail, violations
        self.headers = dict(headers or {})
        super().__init__(detail)

    def response(self, instance: str) -> Response:
        """Return the answer to a request for a path."""
        body: dict[str, Any] = {
            "type": "about:blank", "title": HTTPStatus(self.status).phrase, "status": self.status,
            "detail": self.detail, "instance": instance,
        }  # fmt: skip
        if len(self.violations) > MOST:
            body["further"] = len(self.violations) - MOST
        if self.violations:
            body["violations"] = [
                {
                    "pointer": "#" + "".join(f"/{each.replace('~', '~0').replace('/', '~1')}" for each in one.path),
                    "field": ".".join(one.path), "rule": one.rule, "value": one.value, "expected": one.expected,
                    "reason": one.sentence,
                }
                for one in self.violations[:MOST]
            ]  # fmt: skip
        text = json.dumps(body, ensure_ascii=False).encode("utf-8", "backslashreplace")
        return Response(text, self.status, self.headers, TYPE)
