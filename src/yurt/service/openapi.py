"""The OpenAPI 3.1 document of the service (https://spec.openapis.org/oas/v3.1.0)."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Any

from yurt.core.base.json_object import JsonObject
from yurt.core.collections.library import Library
from yurt.core.model import Derived, Field, ListOf, Nested, Record, Sequence, Uuid
from yurt.core.standards.common.document import Asked
from yurt.core.standards.json_schema import DRAFT, definitions
from yurt.core.writing.output import Output
from yurt.service.accept import OFFERS
from yurt.service.problem import TYPE
from yurt.service.query import OWN, PREFIX
from yurt.service.settings import Settings

NAME = re.compile(r"[A-Za-z0-9._-]+")
TEXT: JsonObject = {"schema": {"type": "string"}}
HEADERS: dict[str, str] = {
    "etag": "the version of the answer, for If-None-Match and If-Match", "link": "other pages, as in RFC 8288",
    "total-count": "the number of records that match", "location": "the path of the record",
}  # fmt: skip
PROBLEM: JsonObject = {
    "type": "object",
    "required": ["type", "title", "status", "detail", "instance"],
    "properties": {
        "type": {"type": "string"}, "title": {"type": "string"}, "status": {"type": "integer"},
        "detail": {"type": "string"}, "instance": {"type": "string"},
        "violations": {"type": "array", "items": {
            "type": "object",
            "required": ["pointer", "field", "rule", "value", "expected", "reason"],
            "properties": {
                each: {"type": "string"} for each in ("pointer", "field", "rule", "value", "expected", "reason")
            },
        }},
    },
}  # fmt: skip


def document(library: Library, settings: Settings) -> JsonObject:
    """Return the document of a service."""
    return _Writer(library, settings).document()


class _Writer:
    def __init__(self, library: Library, settings: Settings) -> None:
        self.library, self.settings, self.schema = library, settings, library.schema
        self.keys = {
            name: name if NAME.fullmatch(name) else f"record-{at}" for at, name in enumerate(self.schema.records, 1)
        }

    def document(self) -> JsonObject:
        names = tuple(self.schema.records)
        found, unsaid = definitions(Asked(self.schema, Output(self.schema, ()), names), names)
        text = json.dumps(found, ensure_ascii=False)
        for name, key in self.keys.items():
            text = text.replace(f'"#/$defs/{name}"', f'"#/components/schemas/{key}"')
        plain = json.loads(text)
        schemas: JsonObject = {self.keys[name]: plain[name] for name in names}
        schemas |= {f"{self.keys[name]}-new": self._new(self.schema.records[name], plain[name]) for name in names}
        paths: JsonObject = {}
        for name in names:
            paths |= self._paths(name)
        return {
            "openapi": "3.1.0", "jsonSchemaDialect": DRAFT,
            "info": {
                "title": self.schema.title or self.schema.source.name, "version": "1",
                "description": self._description([str(each) for each in unsaid]),
            },
            "paths": paths | self._own_paths(),
            "components": {"schemas": schemas | {"problem": PROBLEM, "run": RUN, "case": CASE}},
        }  # fmt: skip

    def _description(self, unsaid: list[str]) -> str:
        lines = ["Records that a schema generates. Writes are validated, and kept on top of them."]
        if unsaid:
            lines += ["", "Rules that this document cannot state, and that writes must follow:"]
            lines += [f"- {each}" for each in unsaid]
        known = [self.library.judge.not_checked(name) for name in self.schema.records]
        unchecked = [f"- {what}: {why}" for each in known for what, why in each.items()]
        if unchecked:
            lines += ["", "Rules that are not checked when a record is written:", *unchecked]
        return "\n".join(lines)

    def _new(self, record: Record, whole: JsonObject) -> JsonObject:
        """Return what a client has to send: not what the schema makes itself."""
        made = {
            each.title for each in record.shown
            if not each.parent and isinstance(each.head, Sequence | Uuid | Derived)
        }  # fmt: skip
        return {**whole, "required": [each for each in whole.get("required", ()) if each not in made]}

    def _paths(self, name: str) -> JsonObject:
        record = self.schema.records[name]
        own = f"/{name}"
        found: JsonObject = {
            own: {
                "get": self._list(f"list_{name}", f"Pages of {name} records", name),
                "post": self._post(f"create_{name}", f"Add a {name}", name, (400, 406, 409, 413, 415, 422)),
            },
            f"{own}/{{key}}": {
                "parameters": [self._key(record)],
                "get": self._operation(
                    f"read_{name}", f"One {name}", {"200": self._records(name, one=True), "304": _empty("not changed")},
                    (400, 404, 406),
                    parameters=[_query("fields", "the fields to return, with commas")],
                ),
                "put": self._write(f"replace_{name}", f"Replace a {name}, or add it", name, created=True),
                "patch": self._write(f"change_{name}", f"Change a {name} by a merge patch", name, patch=True),
                "delete": self._operation(
                    f"delete_{name}", f"Delete a {name}", {"204": _empty("deleted")}, (400, 404, 409, 412)
                ),
            },
        }  # fmt: skip
        for child, field in self.library.children_of(name).items():
            inside = f"{own}/{{key}}/{child}"
            found[inside] = {
                "parameters": [self._key(record)],
                "get": self._list(f"list_{child}_of_{name}", f"The {child} records of a {name}", child, (404, 422)),
                "post": self._post(
                    f"create_{child}_of_{name}", f"Add a {child} to a {name}", child,
                    (400, 404, 406, 409, 413, 415, 422), field,
                ),
            }  # fmt: skip
        return found

    def _key(self, record: Record) -> JsonObject:
        key = record.key.title if record.key is not None else "the number of the row"
        return {"name": "key", "in": "path", "required": True, "description": key, **TEXT}

    def _list(self, operation: str, summary: str, name: str, more: tuple[int, ...] = (422,)) -> JsonObject:
        return self._operation(
            operation, summary, {"200": self._records(name), "304": _empty("not changed")}, (400, 406, *more),
            parameters=list(self._parameters(self.schema.records[name])),
        )  # fmt: skip

    def _parameters(self, record: Record) -> Iterator[JsonObject]:
        whole: JsonObject = {"type": "integer", "minimum": 1}
        yield {**_query("page", "the number of the page"), "schema": {**whole, "default": 1}}
        size = {**whole, "maximum": self.settings.largest_page, "default": self.settings.page_size}
        yield {**_query("size", "the number of records on a page"), "schema": size}
        yield _query("sort", "fields with commas; a hyphen in front sorts descending")
        yield _query("fields", "the fields to return, with commas")
        yield _query("search", "a text that one of the fields contains, in any case of its letters")
        for field in record.shown:
            of_records = isinstance(field.head, Nested) or (isinstance(field.head, ListOf) and field.head.of_records)
            if of_records:
                continue
            title = record.column(field.name)
            told = "a value; low..high for numbers and dates, * for any text, empty for missing values; may be repeated"
            yield {
                **_query(PREFIX + title if title in OWN else title, told),
                "schema": {"type": "array", "items": {"type": "string"}},
            }  # fmt: skip

    def _records(self, name: str, *, one: bool = False) -> JsonObject:
        reference = {"$ref": f"#/components/schemas/{self.keys[name]}"}
        # With `fields`, a record has only some of its fields.
        some = {"anyOf": [reference, {"type": "object"}]}
        content: JsonObject = {}
        for offer in OFFERS:
            if offer.name == "json":
                content[offer.media_type] = {"schema": some if one else {"type": "array", "items": some}}
            else:
                content[offer.content_type if offer.charset else offer.media_type] = TEXT
        headers = ("etag",) if one else ("etag", "link", "total-count")
        return {"description": f"{name} records", "headers": _headers(*headers), "content": content}

    def _post(
        self, operation: str, summary: str, name: str, problems: tuple[int, ...], parent: Field | None = None
    ) -> JsonObject:  # fmt: skip
        whole = self._records(name, one=True)
        body: JsonObject = {"$ref": f"#/components/schemas/{self.keys[name]}-new"}
        if parent is not None:
            # The path says who the parent is.
            body = {"type": "object"}
        created = {**whole, "headers": _headers("etag", "location"), "description": f"the new {name}"}
        key = {
            "name": "idempotency-key", "in": "header", **TEXT,
            "description": "a text that names this request: repeated, it gets the same answer",
        }  # fmt: skip
        found = self._operation(operation, summary, {"201": created}, problems, parameters=[key])
        return found | {"requestBody": {"required": True, "content": {"application/json": {"schema": body}}}}

    def _write(
        self, operation: str, summary: str, name: str, *, created: bool = False, patch: bool = False
    ) -> JsonObject:
        whole = self._records(name, one=True)
        answers: JsonObject = {"200": {**whole, "description": f"the {name} as it is now"}}
        if created:
            answers["201"] = {**whole, "headers": _headers("etag", "location"), "description": f"the new {name}"}
        problems = (400, 404, 406, 409, 412, 413, 415, 422) if patch else (400, 406, 409, 412, 413, 415, 422)
        found = self._operation(operation, summary, answers, problems, parameters=[
            {"name": "if-match", "in": "header", **TEXT, "description": "the version that the client means"}
        ])  # fmt: skip
        body: JsonObject = {"type": "object"} if patch else {"$ref": f"#/components/schemas/{self.keys[name]}-new"}
        types = ("application/merge-patch+json", "application/json") if patch else ("application/json",)
        return found | {"requestBody": {"required": True, "content": {each: {"schema": body} for each in types}}}

    def _operation(
        self, operation: str, summary: str, answers: JsonObject, problems: tuple[int, ...],
        parameters: list[JsonObject] | None = None,
    ) -> JsonObject:  # fmt: skip
        responses = answers | {str(status): _problem() for status in problems}
        # Rules of a bad day may answer with any status code.
        found: JsonObject = {"operationId": operation, "summary": summary}
        return (
            found
            | ({"parameters": parameters} if parameters else {})
            | {"responses": responses | {"default": _problem()}}
        )

    def _own_paths(self) -> JsonObject:
        """Return the paths that are the same for every schema."""
        names = {"enum": list(self.schema.records)}
        record_type = {"name": "record_type", "in": "path", "required": True, "schema": names}
        own_id = {"name": "id", "in": "path", "required": True, **TEXT}
        collections = {**_json(_list({"type": "object"})), "text/html; charset=utf-8": TEXT}
        found: JsonObject = {
            "/": self._get("collections", "The collections", collections, 406),
            "/-/health": self._get("health", "Whether the service works", _json(OBJECT)),
            "/-/openapi.json": self._get("document", "This document", _json(OBJECT)),
            "/-/cases": self._get("case_lists", "The paths of the lists of cases", _json(OBJECT)),
            "/-/cases/{record_type}": self._get(
                "list_cases", "The cases of a record type", _json(_list(_ref("case"))), 404, 422
            ),
            "/-/cases/{record_type}/{id}": self._get(
                "read_case", "The record of a case, or of the next one", _json(OBJECT), 404, 422
            ),
            "/-/runs": self._get("list_runs", "All runs", _json(_list(_ref("run")))),
            "/-/runs/{id}": self._get("read_run", "How far a run is", _json(_ref("run")), 404),
            "/-/runs/{id}/result": self._get("read_result", "The file of a run", None, 404, 409),
            "/-/runs/{id}/receipt": self._get(
                "read_receipt", "What proves the bytes of a run", _json(OBJECT), 404, 409
            ),
        }
        found["/-/cases/{record_type}"]["parameters"] = [record_type]
        found["/-/cases/{record_type}/{id}"]["parameters"] = [record_type, own_id]
        for path in ("/-/runs/{id}", "/-/runs/{id}/result", "/-/runs/{id}/receipt"):
            found[path]["parameters"] = [own_id]
        run: JsonObject = {"description": "the run", "content": _json(_ref("run"))}
        found["/-/runs"]["post"] = self._operation(
            "create_run",
            "Begin to generate",
            {"202": {**run, "headers": _headers("location")}},
            (400, 413, 415, 422, 429),
        ) | {"requestBody": {"required": True, "content": _json(self._asked_run(names))}}
        found["/-/runs/{id}"]["delete"] = self._operation(
            "delete_run", "Cancel a run, or remove its result", {"202": run, "204": _empty("removed")}, (404,)
        )
        return found

    def _get(self, operation: str, summary: str, content: Any, *problems: int) -> JsonObject:
        answer = {"description": summary} | ({"content": content} if content is not None else {})
        return {"get": self._operation(operation, summary, {"200": answer}, problems)}

    @staticmethod
    def _asked_run(names: JsonObject) -> JsonObject:
        whole = {"type": "integer", "minimum": 0}
        words: JsonObject = {
            "record": names, "count": whole, "seed": whole, "format": {"type": "string"}, "scale": {"type": "number"},
            "rows": {"type": "array", "items": {"type": "integer"}, "minItems": 2, "maxItems": 2},
        }  # fmt: skip
        return {"type": "object", "properties": words, "additionalProperties": False}


OBJECT: JsonObject = {"type": "object"}
CASE: JsonObject = {
    "type": "object",
    "properties": {
        each: {"type": "string"}
        for each in ("id", "expected", "rule", "reason", "technique", "target", "location")
    },
    "required": ["id", "expected", "rule", "reason", "technique", "target", "location"],
}  # fmt: skip
RUN: JsonObject = {
    "type": "object",
    "properties": {
        "id": {"type": "string"}, "state": {"enum": ["waiting", "running", "done", "failed", "cancelled"]},
        "records": {"type": "array", "items": {"type": "string"}}, "format": {"type": "string"},
        "seed": {"type": "integer"}, "rows": {"type": "integer"}, "total": {"type": "integer"},
        "created": {"type": "string"}, "finished": {"type": ["string", "null"]}, "bytes": {"type": "integer"},
        "error": {"type": "string"}, "command": {"type": "string"}, "location": {"type": "string"},
        "result": {"type": ["string", "null"]}, "receipt": {"type": ["string", "null"]},
    },
    "required": ["id", "state", "rows", "total", "command", "location"],
}  # fmt: skip


def _ref(name: str) -> JsonObject:
    return {"$ref": f"#/components/schemas/{name}"}


def _query(name: str, description: str) -> JsonObject:
    return {"name": name, "in": "query", "description": description, **TEXT}


def _headers(*names: str) -> JsonObject:
    return {name: {"description": HEADERS[name], **TEXT} for name in names}


def _empty(description: str) -> JsonObject:
    return {"description": description}


def _json(schema: JsonObject) -> JsonObject:
    return {"application/json": {"schema": schema}}


def _list(items: JsonObject) -> JsonObject:
    return {"type": "array", "items": items}


def _problem() -> JsonObject:
    return {"description": "a problem (RFC 9457)", "content": {TYPE: {"schema": _ref("problem")}}}
