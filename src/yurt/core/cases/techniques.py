"""The techniques by their names; each yields the cases of a record type."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from yurt.core.cases.boundary import boundaries
from yurt.core.cases.case import Case
from yurt.core.cases.combinatorial import combinations_of
from yurt.core.cases.decision import decisions
from yurt.core.cases.hostile import hostile
from yurt.core.cases.partition import partitions
from yurt.core.cases.subject import Subject
from yurt.core.cases.syntax import syntax

BY_NAME: dict[str, Callable[[Subject], Iterator[Case]]] = {
    "partition": partitions,
    "boundary": boundaries,
    "syntax": syntax,
    "hostile": hostile,
    "combinatorial": combinations_of,
    "decision": decisions,
}
