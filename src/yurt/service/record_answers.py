"""Collections over HTTP: pages, single records, children, and writes."""

from __future__ import annotations

import asyncio
import contextlib
from collections.abc import Callable, Sequence
from typing import Any, TypeVar
from urllib.parse import quote

import numpy as np
from starlette.requests import Request
from starlette.responses import Response

from yurt.core.base.errors import UsageFault
from yurt.core.collections.collection import Collection, TooLarge, text_of_key, value_at
from yurt.core.collections.filters import Filter
from yurt.core.collections.library import Conflict, Library, Refused
from yurt.core.formats import text_format
from yurt.core.formats.common.format import TextFormat, Unwritable
from yurt.core.formats.common.raw import NOTHING
from yurt.service.accept import chosen
from yurt.service.answers import allow
from yurt.service.body import record_of
from yurt.service.conditions import check_match, tag_of, unchanged
from yurt.service.problem import Problem
from yurt.service.query import Query
from yurt.service.repeated import Answers
from yurt.service.settings import Settings

Result = TypeVar("Result")
READS, COLLECTION, RECORD = ("GET", "HEAD"), ("GET", "HEAD", "POST"), ("GET", "HEAD", "PUT", "PATCH", "DELETE")
LINE = text_format("jsonl")


class RecordAnswers:
    """Answers requests for records."""

    def __init__(self, library: Library, settings: Settings) -> None:
        self.library, self.settings = library, settings
        self.answers = Answers(settings.kept_answers)

    async def answer(self, request: Request, steps: Sequence[str], query: Query) -> Response:
        """Answer a request for a collection, a record, or the children of one."""
        name, *rest = steps
        if name not in self.library.collections:
            known = ", ".join(f"/{each}" for each in self.library.collections)
            raise Problem(404, f"there is no collection `{name}`; there are {known}")
        match rest:
            case []:
                return await self._collection(request, name, query)
            case [key]:
                return await self._record(request, name, key, query)
            case [key, child]:
                return await self._children(request, name, key, child, query)
        raise Problem(404, "a path has a collection, a key, and a collection of children at most")

    async def _run(self, work: Callable[[], Result], *, quick: bool = False) -> Result:
        """Do work under the lock of the library: at once if it is quick and nobody writes, else on a thread."""
        lock = self.library.lock
        if quick and lock.acquire(blocking=False):
            try:
                return work()
            finally:
                lock.release()

        def locked() -> Result:
            with lock:
                return work()

        return await asyncio.get_running_loop().run_in_executor(None, locked)

    # ---- reading --------------------------------------------------------------------------------------------------

    async def _collection(self, request: Request, name: str, query: Query) -> Response:
        if request.method == "POST":
            return await self._post(request, name, {})
        allow(request, COLLECTION)
        return await self._page(request, self.library.collections[name], query, f"/{quote(name)}")

    async def _children(self, request: Request, name: str, key: str, child: str, query: Query) -> Response:
        field = self.library.children_of(name).get(child)
        if field is None:
            known = ", ".join(self.library.children_of(name)) or "none"
            raise Problem(404, f"`{child}` has no reference to `{name}`; its children are {known}")
        if await self._run(lambda: self.library.collections[name].number(key)) is None:
            raise Problem(404, f"there is no {name} with the key {key}")
        title = ".".join(self.library.collections[child].record.titles(field.name))
        if request.method == "POST":
            return await self._post(request, child, {title: key} if "." not in title else {})
        allow(request, COLLECTION)
        path = f"/{quote(name)}/{quote(key, safe='')}/{quote(child)}"
        parent = Filter(title, (key,), exact=True)
        return await self._page(request, self.library.collections[child], query, path, parent)

    async def _page(
        self, request: Request, collection: Collection, query: Query, path: str, parent: Filter | None = None
    ) -> Response:  # fmt: skip
        offer = chosen(request.headers.get("accept"))
        form = offer.form
        start = (query.page - 1) * query.size

        def page() -> tuple[list[bytes], int, list[str]]:
            fields = _fields(collection, query, form)
            numbers, total = self._selected(collection, query, start, parent)
            line = LINE if offer.name == "json" else form
            names = list(fields) or collection.titles(form)
            return collection.texts(line, numbers.tolist(), fields), total, names

        plain = not query.filters and not query.sort and parent is None and not query.fields
        line = LINE if offer.name == "json" else form
        quick = plain and collection.ready(line, start, start + query.size)
        if not plain:
            await self._prepare(collection, query, parent)
        texts, total, names = await self._asked(page, quick=quick)
        body = _document(form, collection.name, texts, names)
        tag = tag_of(body, offer.name)
        headers = {"etag": tag, "vary": "accept", "total-count": str(total), "link": _links(query, path, total)}
        if unchanged(request.headers, tag):
            return Response(None, 304, headers)
        return Response(body, 200, headers, offer.content_type)

    async def _prepare(self, collection: Collection, query: Query, parent: Filter | None) -> None:
        """Generate the columns that a search needs. Nobody else has to wait for that."""
        filters = (*query.filters, parent) if parent is not None else query.filters
        loop = asyncio.get_running_loop()
        with contextlib.suppress(UsageFault):
            await loop.run_in_executor(None, lambda: collection.prepare(filters, query.sort))

    def _selected(self, collection: Collection, query: Query, start: int, parent: Filter | None) -> tuple[Any, int]:
        """Return the numbers of the records on a page, and of all that match."""
        stop = start + query.size
        if parent is None:
            return collection.select(query.filters, query.sort, start, stop)
        field = collection.field(parent.field)
        own = collection.children(field, parent.told[0])
        if own is None:
            return collection.select((*query.filters, parent), query.sort, start, stop)
        if query.filters or query.sort:
            found, _ = collection.select(query.filters, query.sort, 0, collection.state.total)
            own = found[np.isin(found, own)]
        return own[start:stop], len(own)

    async def _asked(self, work: Callable[[], Result], *, quick: bool = False) -> Result:
        """Do what a query asks; what it cannot ask is a problem of the client."""
        try:
            return await self._run(work, quick=quick)
        except TooLarge as fault:
            raise Problem(422, str(fault)) from None
        except UsageFault as fault:
            raise Problem(400, str(fault)) from None
        except Unwritable as fault:
            raise Problem(406, f"this format cannot express the records: {fault}") from None

    async def _record(self, request: Request, name: str, key: str, query: Query) -> Response:
        if request.method not in READS:
            return await self._change(request, name, key)
        collection = self.library.collections[name]
        if query.filters or query.sort:
            raise Problem(400, "filters and sorting are for collections, not for a single record")
        offer = chosen(request.headers.get("accept"))
        form = offer.form

        def found() -> tuple[bytes, bytes, list[str]] | None:
            number = collection.number(key)
            if number is None:
                return None
            fields = _fields(collection, query, form)
            own = collection.texts(LINE, [number])[0]
            json_like = form.name in ("json", "jsonl")
            text = (
                own if json_like and not fields else collection.texts(LINE if json_like else form, [number], fields)[0]
            )
            return own, text, list(fields) or collection.titles(form)

        made = await self._asked(found, quick=collection.has_key(key, LINE))
        if made is None:
            raise Problem(404, f"there is no {name} with the key {key}")
        own, text, names = made
        tag = tag_of(own, offer.name)
        headers = {"etag": tag, "vary": "accept"}
        if unchanged(request.headers, tag):
            return Response(None, 304, headers)
        body = text + b"\n" if form.name in ("json", "jsonl") else _document(form, name, [text], names)
        return Response(body, 200, headers, offer.content_type)

    # ---- writing --------------------------------------------------------------------------------------------------

    async def _post(self, request: Request, name: str, given: dict[str, Any]) -> Response:
        body, raw = await record_of(request, self.settings)
        for title, value in given.items():
            told = value_at(body, [title])
            if told is not NOTHING and text_of_key(told) != value:
                raise Problem(422, f"`{title}` is {text_of_key(told)} in the body, and {value} in the path")
            body[title] = value
        key = request.headers.get("idempotency-key")
        if key is None:
            return await self._created(request, name, body, None)
        earlier = self.answers.earlier(key, request.url.path.encode() + b"\0" + raw)
        if earlier is not None:
            return earlier
        response: Response | None = None
        try:
            response = await self._created(request, name, body, None)
        except Problem as problem:
            if problem.status < 500:
                response = problem.response(request.url.path)
                return response
            raise
        finally:
            self.answers.keep(key, response)
        return response

    async def _created(self, request: Request, name: str, body: dict[str, Any], key: str | None) -> Response:
        collection = self.library.collections[name]

        def create() -> tuple[int, str]:
            number = self.library.create(name, body, key)
            return number, collection.key(number)

        number, own = await self._write(create)
        location = f"/{quote(name)}/{quote(own, safe='')}"
        return await self._written(request, collection, number, 201, {"location": location})

    async def _change(self, request: Request, name: str, key: str) -> Response:
        allow(request, RECORD)
        collection = self.library.collections[name]
        number = await self._run(lambda: collection.number(key))
        tag = None if number is None else tag_of(await self._run(lambda: collection.texts(LINE, [number])[0]))
        check_match(request.headers, tag)
        if request.method == "PUT":
            body, _ = await record_of(request, self.settings)
            if number is None:
                return await self._created(request, name, body, key)
        elif number is None:
            raise Problem(404, f"there is no {name} with the key {key}")
        elif request.method == "DELETE":
            await self._write(lambda: self._same(collection, number, tag, lambda: self.library.delete(name, number)))
            return Response(None, 204)
        else:
            patch, _ = await record_of(request, self.settings, patch=True)
            body = await self._run(lambda: self.library.merged(name, number, patch))
        await self._write(lambda: self._same(collection, number, tag, lambda: self.library.replace(name, number, body)))
        return await self._written(request, collection, number, 200, {})

    def _same(self, collection: Collection, number: int, tag: str | None, work: Callable[[], Result]) -> Result:
        """Do a write if the record is still the one that was looked at."""
        if not collection.state.there(number) or tag_of(collection.texts(LINE, [number])[0]) != tag:
            raise Problem(409, "the record was changed by another request meanwhile")
        return work()

    async def _write(self, work: Callable[[], Result]) -> Result:
        try:
            return await self._run(work)
        except Refused as fault:
            raise Problem(422, str(fault), violations=fault.objections) from None
        except Conflict as fault:
            raise Problem(409, str(fault)) from None
        except TooLarge as fault:
            raise Problem(422, str(fault)) from None
        except UsageFault as fault:
            raise Problem(507, str(fault)) from None

    async def _written(
        self, request: Request, collection: Collection, number: int, status: int, headers: dict[str, str]
    ) -> Response:  # fmt: skip
        try:
            offer = chosen(request.headers.get("accept"))
        except Problem:
            # The write is done; the answer is the usual one.
            offer = chosen(None)
        form = offer.form
        own = await self._run(lambda: collection.texts(LINE, [number])[0])
        headers |= {"etag": tag_of(own, offer.name), "vary": "accept"}
        if form.name in ("json", "jsonl"):
            return Response(own + b"\n", status, headers, offer.content_type)
        text = await self._run(lambda: collection.texts(form, [number])[0])
        body = _document(form, collection.name, [text], collection.titles(form))
        return Response(body, status, headers, offer.content_type)


def _fields(collection: Collection, query: Query, form: TextFormat) -> tuple[str, ...]:
    """Return the columns of a format that a query asks for. Raises UsageFault for an unknown field."""
    if not query.fields:
        return ()
    known = collection.titles(form)
    found: list[str] = []
    for each in query.fields:
        inside = [title for title in known if title == each or title.startswith(each + ".")]
        # In a format with records inside records, `home.city` is part of `home`.
        found += inside or [title for title in known if each.startswith(title + ".")]
        if not inside:
            collection.field(each)
    return tuple(dict.fromkeys(found))


def _document(form: TextFormat, name: str, texts: list[bytes], names: list[str]) -> bytes:
    """Return records as a document of a format."""
    if form.name == "json":
        return b"[" + b",\n ".join(texts) + b"]\n"
    opening = form.opening(name, names).encode()
    return opening + form.separator.encode().join(texts) + form.ending(len(texts)).encode()


def _links(query: Query, path: str, total: int) -> str:
    """Return the links to other pages (RFC 8288)."""
    last = max(1, -(-total // query.size))
    pages = {"first": 1, "last": last}
    if query.page > 1:
        pages["prev"] = min(query.page - 1, last)
    if query.page < last:
        pages["next"] = query.page + 1
    return ", ".join(f'<{query.link(path, page)}>; rel="{name}"' for name, page in pages.items())
