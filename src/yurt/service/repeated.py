"""Requests that are sent twice: the same idempotency key gets the same answer (draft-ietf-httpapi-idempotency-key)."""

from __future__ import annotations

from collections import OrderedDict
from hashlib import blake2b

from starlette.responses import Response

from yurt.core.base.data_classes import dataclass
from yurt.service.problem import Problem

LONGEST = 256


@dataclass
class _Answer:
    """The request that a key was used for, and the answer once it is there."""

    request: bytes
    response: Response | None = None


class Answers:
    """The answers by idempotency key; the oldest are forgotten."""

    def __init__(self, most: int) -> None:
        self.most = most
        self._kept: OrderedDict[str, _Answer] = OrderedDict()

    def earlier(self, key: str, request: bytes) -> Response | None:
        """Return the answer to an earlier request with the key, or note that one has begun.

        Raises Problem: 422 if the key was used for another request, 409 if that one is not finished.
        """
        if not 1 <= len(key) <= LONGEST:
            raise Problem(400, f"the idempotency key has more than {LONGEST} characters, or none")
        digest = blake2b(request, digest_size=16).digest()
        if (known := self._kept.get(key)) is not None:
            if known.request != digest:
                raise Problem(422, "this idempotency key was used for another request")
            if known.response is None:
                raise Problem(
                    409, "the first request with this idempotency key is not finished", headers={"retry-after": "1"}
                )
            return known.response
        self._kept[key] = _Answer(digest)
        while len(self._kept) > self.most:
            self._kept.popitem(last=False)
        return None

    def keep(self, key: str, response: Response | None) -> None:
        """Keep an answer; without one, the key may be used again."""
        if response is None:
            self._kept.pop(key, None)
        elif key in self._kept:
            self._kept[key].response = response
