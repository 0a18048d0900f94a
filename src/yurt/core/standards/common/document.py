"""Defines a document: what it is called, how it is written, and what it leaves out."""

from __future__ import annotations

from collections.abc import Callable

from yurt.core.base.data_classes import dataclass
from yurt.core.model import Schema
from yurt.core.standards.common.facts import Unsaid
from yurt.core.writing.output import Output


@dataclass(frozen=True)
class Asked:
    """What a document is about: some record types of a schema, as an output has them."""

    schema: Schema
    output: Output
    names: tuple[str, ...]


@dataclass(frozen=True)
class Written:
    """A document, and the rules that it does not state."""

    text: str
    unsaid: tuple[Unsaid, ...]


@dataclass(frozen=True)
class Document:
    """A kind of document.

    `form` is the format of the data that it describes, whose settings it follows; empty for none. One that is `apart`
    describes a single record type.
    """

    name: str
    suffix: str
    meaning: str
    write: Callable[[Asked], Written]
    form: str = ""
    apart: bool = False
