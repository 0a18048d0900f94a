"""Opens what a source refers to, if that is allowed, and fetches pages."""

from __future__ import annotations

from pathlib import Path
from urllib.parse import unquote, urljoin, urlsplit

from yurt.core.base.errors import SurroundingsFault, UsageFault, YurtError
from yurt.core.base.files import fault_of
from yurt.core.base.urls import is_url
from yurt.core.drafting.sources.source import MOST_BYTES, Opener

SCHEMES = ("http", "https")
# Seconds until a server must have answered.
PATIENCE = 20


def opener(source: str, follow: bool) -> Opener:
    """Return how the references of a source are opened: files beside it and below, and URLs, if `follow` is set."""

    def opened(reference: str) -> bytes:
        if not follow:
            raise YurtError(f"{source}: it refers to `{reference}`; --follow also reads what a source refers to")
        if is_url(source) or is_url(reference):
            return fetched(urljoin(source, reference) if is_url(source) else reference)
        folder = Path(source).resolve().parent
        path = (folder / unquote(reference)).resolve()
        if folder not in path.parents:
            raise YurtError(f"{source}: it refers to `{reference}`, which is outside of its folder")
        return file_bytes(path)

    return opened


def file_bytes(path: Path) -> bytes:
    """Return the bytes of a file. Raises SurroundingsFault, and YurtError for one that is too large."""
    try:
        with path.open("rb") as stream:
            data = stream.read(MOST_BYTES + 1)
    except OSError as fault:
        raise fault_of(fault, path) from None
    if len(data) > MOST_BYTES:
        raise YurtError(f"{path}: more than {MOST_BYTES // 1_000_000} MB are not read")
    return data


def fetched(url: str) -> bytes:
    """Return what is at a URL. Raises UsageFault for a URL of another scheme, SurroundingsFault if nothing answers."""
    from urllib.error import HTTPError, URLError
    from urllib.request import HTTPRedirectHandler, Request, build_opener

    if urlsplit(url).scheme.lower() not in SCHEMES:
        raise UsageFault(f"{url}: only http and https are read, and databases")

    class Redirects(HTTPRedirectHandler):
        """Follows redirections to the web, not to files."""

        def redirect_request(self, *arguments: object, **more: object) -> Request | None:
            found: Request | None = super().redirect_request(*arguments, **more)  # type: ignore[arg-type]
            if found is not None and urlsplit(found.full_url).scheme.lower() not in SCHEMES:
                raise UsageFault(f"{url}: it is redirected to {found.full_url}, which is not read")
            return found

    request = Request(url, headers={"User-Agent": "yurt", "Accept": "text/html, application/json, */*"})  # noqa: S310
    try:
        with build_opener(Redirects).open(request, timeout=PATIENCE) as answer:
            data: bytes = answer.read(MOST_BYTES + 1)
    except HTTPError as fault:
        raise SurroundingsFault(f"{url}: the server answers {fault.code} {fault.reason}") from None
    except (URLError, TimeoutError, ValueError, OSError) as fault:
        reason = getattr(fault, "reason", fault)
        raise SurroundingsFault(f"{url}: {str(reason).lower() or 'no answer'}") from None
    if len(data) > MOST_BYTES:
        raise YurtError(f"{url}: more than {MOST_BYTES // 1_000_000} MB are not read")
    return data
