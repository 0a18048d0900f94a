"""Who may call: the names that the service answers to, and the websites whose scripts may read its answers.

A page from elsewhere reaches a service on this machine in two ways: by a name of its own that suddenly means this
machine (DNS rebinding), which the header `Host` gives away, and by asking across origins (CORS, Fetch standard 3.2).
"""

from __future__ import annotations

import ipaddress
from collections.abc import Sequence

from starlette.requests import Request
from starlette.responses import Response

from yurt.service.problem import Problem

LOOPBACK = ("localhost", "127.0.0.1", "::1")
EVERYWHERE = ("0.0.0.0", "::", "")  # noqa: S104 - compared, not bound
# The headers that a script in a browser may read.
EXPOSED = (
    "etag", "link", "location", "total-count", "retry-after", "case-id", "case-expected", "case-rule", "allow",
)  # fmt: skip
# The seconds for which a browser remembers what it may do.
REMEMBERED = 600


class Callers:
    """Tells who may call. `host` is where the service listens, `hosts` are further names of it; `origins` are the
    websites that may call, where `*` is every one, but for records only.
    """

    def __init__(self, host: str, hosts: Sequence[str], origins: Sequence[str]) -> None:
        self.everywhere = host in EVERYWHERE
        self.names = {each.lower() for each in (*LOOPBACK, host, *hosts) if each}
        self.origins = frozenset(origins)

    def check(self, request: Request, *, own: bool) -> None:
        """Refuse a name that is not the service's (421), and a website that may not do what it asks (403).

        `own` paths are those that are no records.
        """
        told = request.headers.get("host", "")
        if not self._is_ours(told, request):
            advice = "start the service with --allow-host NAME if that is its name"
            raise Problem(421, f"this service is not called `{told[:100]}`; {advice}")
        origin = request.headers.get("origin")
        if own and origin is not None and request.method not in ("GET", "HEAD") and not self._may(origin, request, own):
            raise Problem(403, f"scripts of {origin[:100]} may not do this; --allow-origin allows it")

    def headers(self, request: Request, *, own: bool) -> dict[str, str]:
        """Return what tells a browser that a script may read the answer."""
        origin = request.headers.get("origin")
        if origin is None or not self._may(origin, request, own):
            return {}
        shown = "*" if not own and "*" in self.origins else origin
        return {"access-control-allow-origin": shown, "access-control-expose-headers": ", ".join(EXPOSED)}

    def preflight(self, request: Request, allowed: str, *, own: bool) -> Response | None:
        """Return the answer to the question of a browser whether a script may ask; None if it is not such a question.

        `allowed` are the methods of the path. Raises Problem (403).
        """
        origin, method = request.headers.get("origin"), request.headers.get("access-control-request-method")
        if request.method != "OPTIONS" or origin is None or method is None:
            return None
        if not self._may(origin, request, own):
            raise Problem(403, f"scripts of {origin[:100]} may not call this; --allow-origin allows it")
        found = {"allow": allowed, "access-control-allow-methods": allowed, "access-control-max-age": str(REMEMBERED)}
        if asked := request.headers.get("access-control-request-headers"):
            found["access-control-allow-headers"] = asked
        return Response(None, 204, found)

    def _may(self, origin: str, request: Request, own: bool) -> bool:
        if origin in self.origins or origin.lower() == f"http://{request.headers.get('host', '').lower()}":
            return True
        return not own and "*" in self.origins

    def _is_ours(self, told: str, request: Request) -> bool:
        name = _name(told)
        if name in self.names:
            return True
        server = request.scope.get("server")
        if self.everywhere and server is not None and name == str(server[0]).lower():
            return True
        try:
            return ipaddress.ip_address(name).is_loopback
        except ValueError:
            return False


def _name(host: str) -> str:
    """Return the name in a `Host` header, without its port."""
    if host.startswith("["):
        return host[1:].partition("]")[0].lower()
    return host.partition(":")[0].removesuffix(".").lower()
