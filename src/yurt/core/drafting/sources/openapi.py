"""OpenAPI 3 (https://spec.openapis.org): the components of an interface are record types."""

from __future__ import annotations

import re

from yurt.core.base.errors import YurtError
from yurt.core.drafting.draft import Draft
from yurt.core.drafting.sources.json_schema import SchemaReader, with_missing
from yurt.core.drafting.sources.json_values import document
from yurt.core.drafting.sources.names import record_name
from yurt.core.drafting.sources.source import Asked, Source


def _read(data: bytes, asked: Asked) -> Draft:
    whole = document(data, asked.name)
    version = str(whole.get("openapi", "")) if isinstance(whole, dict) else ""
    if not version.startswith("3."):
        raise YurtError(f"{asked.name}: `openapi: {version or 'nothing'}` is no version 3 of OpenAPI")
    schemas = (whole.get("components") or {}).get("schemas") or {}
    if not isinstance(schemas, dict) or not schemas:
        raise YurtError(f"{asked.name}: it has no `components: schemas:`, so there is no record type")
    reader = SchemaReader(whole, asked)
    reader.old = version.startswith("3.0")
    draft = Draft()
    info = whole.get("info")
    if isinstance(info, dict) and isinstance(info.get("title"), str):
        draft.title = " ".join(info["title"].split())
    for name, schema in schemas.items():
        if asked.tables and name not in asked.tables and record_name(name) not in asked.tables:
            continue
        rules, _ = reader.rules(schema, f"#/components/schemas/{name}")
        # A component of single values is only part of others.
        if rules.get("type") == "object" or "properties" in rules:
            draft.records.append(reader.record(record_name(name), schema, f"#/components/schemas/{name}"))
    if not draft.records:
        raise YurtError(f"{asked.name}: none of its components is an object")
    return asked.finish(with_missing(reader, draft))


def _matches(suffix: str, head: bytes) -> bool:
    return bool(re.search(rb"(^|[{\s,])[\"']?openapi[\"']?\s*:\s*[\"']?\d", head))


SOURCE = Source("OpenAPI", "components of OpenAPI 3", _matches, _read)
