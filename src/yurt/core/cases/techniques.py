"""The techniques by their names; each yields the cases of a record type."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from yurt.core.cases.case import Case
from yurt.core.cases.partition import partitions
from yurt.core.cases.subject import Subject

BY_NAME: dict[str, Callable[[Subject], Iterator[Case]]] = {
    "partition": partitions,
}
