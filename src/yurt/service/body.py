"""Reads the body of a request, within limits of size and time."""

from __future__ import annotations

import asyncio
import json
from typing import Any

from starlette.requests import ClientDisconnect, Request

from yurt.core.base.json_object import JsonObject
from yurt.core.formats.common.raw import Number, written
from yurt.core.formats.json.reading import _Doubled, _pairs
from yurt.service.problem import Problem
from yurt.service.settings import Settings

PLAIN, PATCH = "application/json", "application/merge-patch+json"


def _constant(word: str) -> Any:
    raise ValueError(f"{word} is not a number of JSON")


def _number(text: str) -> Number:
    if len(text) > LONGEST_NUMBER:
        raise ValueError(f"a number has more than {LONGEST_NUMBER:,} characters")
    return Number(text)


DECODER = json.JSONDecoder(parse_int=_number, parse_float=_number, parse_constant=_constant, object_pairs_hook=_pairs)
# Larger numbers and bodies are no records, and reading them costs more than others should wait for.
LONGEST_NUMBER, MOST_VALUES = 1000, 10_000


async def bytes_of(request: Request, settings: Settings) -> bytes:
    """Return the body of a request. Raises Problem (400, 408, 413)."""
    told = request.headers.get("content-length", "")
    too_large = Problem(413, f"the body has more than {settings.largest_body:,} bytes", headers={"connection": "close"})
    if told.isdecimal() and (len(told) > MOST_DIGITS or int(told) > settings.largest_body):
        raise too_large
    found = bytearray()
    try:
        async with asyncio.timeout(settings.body_time):
            async for piece in request.stream():
                found += piece
                if len(found) > settings.largest_body:
                    raise too_large
    except TimeoutError:
        late = f"the body was not there after {settings.body_time:g} seconds"
        raise Problem(408, late, headers={"connection": "close"}) from None
    except ClientDisconnect:
        raise Problem(400, "the body ended too early", headers={"connection": "close"}) from None
    return bytes(found)


MOST_DIGITS = 18


async def record_of(request: Request, settings: Settings, *, patch: bool = False) -> tuple[JsonObject, bytes]:
    """Return the JSON object in the body, and its bytes. Raises Problem (400, 415)."""
    media_type = request.headers.get("content-type", "").partition(";")[0].strip().lower()
    allowed = (PATCH, PLAIN) if patch else (PLAIN,)
    if media_type not in allowed:
        header = {"accept-patch" if patch else "accept-post": ", ".join(allowed)}
        told = f"`{media_type}`" if media_type else "no media type"
        raise Problem(415, f"the body has {told}; expected {' or '.join(allowed)}", headers=header)
    raw = await bytes_of(request, settings)
    return object_of(raw), raw


def object_of(raw: bytes) -> JsonObject:
    """Return the object of some JSON, with numbers as they are written. Raises Problem (400)."""
    try:
        found = DECODER.decode(raw.decode("utf-8-sig"))
        # Half a surrogate pair is no text.
        written(found).encode()
    except UnicodeDecodeError:
        raise Problem(400, "the body is not UTF-8") from None
    except UnicodeEncodeError:
        raise Problem(400, "the body has half a surrogate pair, which is no character") from None
    except _Doubled as fault:
        raise Problem(400, str(fault)) from None
    except json.JSONDecodeError as fault:
        raise Problem(400, f"the body is not JSON: {fault.msg}, line {fault.lineno}, column {fault.colno}") from None
    except ValueError as fault:
        raise Problem(400, f"the body is not JSON: {fault}") from None
    except RecursionError:
        raise Problem(400, "the body is nested too deeply") from None
    if not isinstance(found, dict):
        raise Problem(400, "the body is not a JSON object")
    if _has_many(found):
        raise Problem(413, f"the body has more than {MOST_VALUES:,} values")
    return found


def _has_many(found: JsonObject) -> bool:
    """Return whether a body has more values than a record should."""
    waiting: list[JsonObject | list[object]] = [found]
    count = 0
    while waiting and count <= MOST_VALUES:
        inside = waiting.pop()
        count += len(inside)
        values = inside.values() if isinstance(inside, dict) else inside
        waiting += [each for each in values if isinstance(each, dict | list)]
    return count > MOST_VALUES
