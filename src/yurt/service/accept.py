"""Chooses the format of an answer by the header `Accept` (RFC 9110, 12.5.1)."""

from __future__ import annotations

import re

from yurt.core.base.data_classes import dataclass
from yurt.core.formats import text_format
from yurt.core.formats.common.format import TextFormat
from yurt.service.problem import Problem


@dataclass(frozen=True)
class Offer:
    """A format that is offered, with its media type."""

    media_type: str
    name: str
    charset: str = ""

    @property
    def form(self) -> TextFormat:
        """The format."""
        return text_format(self.name)

    @property
    def content_type(self) -> str:
        """The value of `Content-Type`."""
        return f"{self.media_type}; charset={self.charset}" if self.charset else self.media_type


JSON = Offer("application/json", "json")
OFFERS = (
    JSON, Offer("application/jsonl", "jsonl"), Offer("application/x-ndjson", "jsonl"),
    Offer("text/csv", "csv", "utf-8"), Offer("application/xml", "xml"), Offer("text/xml", "xml", "utf-8"),
)  # fmt: skip
HTML = Offer("text/html", "html", "utf-8")
RANGE = re.compile(r"\s*([!#$%&'*+.^_`|~\w-]+)/([!#$%&'*+.^_`|~\w-]+)\s*(?:;(.*))?")
MOST_RANGES = 40


def chosen(accept: str | None, offers: tuple[Offer, ...] = OFFERS) -> Offer:
    """Return the offer that a client likes best, the first one of equal ones. Raises Problem (406)."""
    if accept is None or accept in ("", "*/*"):
        return offers[0]
    ranges = [found for each in accept.split(",")[:MOST_RANGES] if (found := _range(each)) is not None]
    best, liked = offers[0], 0.0
    for offer in offers:
        weight = _weight(offer.media_type, ranges)
        if weight > liked:
            best, liked = offer, weight
    if not liked:
        listed = ", ".join(each.media_type for each in offers)
        raise Problem(406, f"none of the accepted media types is there; offered are {listed}")
    return best


def _range(text: str) -> tuple[str, str, float] | None:
    found = RANGE.fullmatch(text)
    if found is None:
        return None
    weight = 1.0
    for each in (found[3] or "").split(";"):
        name, _, value = each.partition("=")
        if name.strip().lower() == "q":
            weight = float(value) if re.fullmatch(r"\s*(0(\.\d{0,3})?|1(\.0{0,3})?)\s*", value) else 0.0
    return found[1].lower(), found[2].lower(), weight


def _weight(media_type: str, ranges: list[tuple[str, str, float]]) -> float:
    """Return the weight of the most specific range that matches."""
    kind, _, subtype = media_type.partition("/")
    best, weight = -1, 0.0
    for own, sub, told in ranges:
        if own not in ("*", kind) or sub not in ("*", subtype):
            continue
        specific = (own != "*") + (sub != "*")
        if specific > best:
            best, weight = specific, told
    return weight
