"""OpenAPI 3.1 (https://spec.openapis.org/oas/v3.1.0): the record types as components, whose schemas are JSON Schema."""

from __future__ import annotations

import json

from yurt.core.base.json_object import JsonObject
from yurt.core.standards.common.document import Asked, Document, Written
from yurt.core.standards.json_schema import DRAFT, definitions


def _write(asked: Asked) -> Written:
    found, unsaid = definitions(asked, asked.names)
    info: JsonObject = {"title": asked.schema.title or asked.schema.source.name, "version": "1"}
    if unsaid:
        info["description"] = "Not stated here:\n" + "\n".join(f"- {each}" for each in unsaid)
    text = json.dumps(found, ensure_ascii=False).replace("#/$defs/", "#/components/schemas/")
    whole: JsonObject = {
        "openapi": "3.1.0", "jsonSchemaDialect": DRAFT, "info": info, "paths": {},
        "components": {"schemas": json.loads(text)},
    }  # fmt: skip
    return Written(json.dumps(whole, indent=2, ensure_ascii=False) + "\n", tuple(unsaid))


DOCUMENT = Document(
    "openapi", ".openapi.json", "OpenAPI 3.1: a component for each record type, for interfaces", _write, form="json"
)
