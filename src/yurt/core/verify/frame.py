"""The rows of a block during validation: the values of their fields for expressions, and which of them are faulty."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from datetime import date, datetime, time
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import replace
from yurt.core.base.types import INTEGER, TEXT
from yurt.core.columns.column import Column, Mask, Places, constant
from yurt.core.columns.faults import where_possible
from yurt.core.formats.common.raw import Raw
from yurt.core.model.expressions import Call, Draw, Expression, Member, Name, walk
from yurt.core.model.functions import OF_SIBLINGS
from yurt.core.verify.keys import Keys
from yurt.core.verify.rows_before import RowsBefore, with_second
from yurt.core.verify.siblings import Siblings
from yurt.core.verify.typed import Typed


class Parents:
    """The rows of a record type that others refer to: their keys, and the fields that are read through references."""

    def __init__(self, keys: Column, size: int, members: dict[str, tuple[Column, Mask]]) -> None:
        self.size = size
        self.keys = Keys(keys.text(size))
        self.members = members

    def places(self, keys: Column, rows: int) -> NDArray[np.int64]:
        """Return the position of the row with each key; -1 for none."""
        return self.keys.places(keys.text(rows))


class Frame:
    """Some rows.

    `parents` are the targets of their references, by field; `around` is the frame that contains the rows of a list of
    records, with the position of each.
    """

    def __init__(
        self, rows: NDArray[np.uint64], raw: dict[str, Raw], parents: Mapping[str, Parents], today: date,
        around: tuple[Frame, Places] | None = None,
    ) -> None:  # fmt: skip
        self.rows = rows
        self.raw = raw
        self.parents = parents
        self.today = today
        self.around = around
        self.fields: dict[str, Column] = {}
        self.faulty: dict[str, Mask] = {}
        # Results of conditions so far.
        self.held: dict[int, tuple[Mask, Mask]] = {}
        # The values of lists of records, with the row of each, until they are checked.
        self.flat: dict[str, tuple[list[Any], Places, Mask]] = {}
        # The values of fields that are checked twice.
        self.typed: dict[str, tuple[Raw, Typed]] = {}
        self._found: dict[str, NDArray[np.int64]] = {}
        # What the rows say of earlier rows, once the block has its place in the file; and whether these are some of the
        # rows around.
        self.siblings_of: Siblings | None = None
        self.before: RowsBefore | None = None
        self.part = False
        # What could not be computed, with the reason, and in which rows of the outermost frame.
        self.undone: dict[tuple[str, str], Mask] = around[0].undone if around is not None else {}

    @property
    def size(self) -> int:
        return len(self.rows)

    @property
    def in_order(self) -> bool:
        """Whether the rows before the block are known."""
        return self.before is not None

    # ---- as a scope of expressions -----------------------------------------------------------------------------

    def named(self, name: str) -> Column:
        if name in self.fields:
            return self.fields[name]
        if self.around is not None and self.around[0].knows(name):
            self.fields[name] = self.around[0].named(name).take(self.around[1])
            return self.fields[name]
        if name == "row":
            return Column(INTEGER, self._of_block(lambda before: before.numbers()))
        assert name in ("today", "now"), f"`{name}` is read before it is checked"
        return constant(self.today if name == "today" else datetime.combine(self.today, time()))

    def member(self, reference: str, name: str) -> Column:
        if reference not in self.fields and self.around is not None:
            return self.around[0].member(reference, name).take(self.around[1])
        at = self.found(reference)
        column, _ = self.parent(reference).members[name]
        nowhere = at < 0
        if not self.parent(reference).size:
            if column.type == TEXT:
                return constant("").spread(self.size).with_nulls(np.ones(self.size, dtype=np.bool_))
            nothing = np.ones(self.size, dtype=np.bool_)
            return Column(column.type, np.zeros(self.size, column.values.dtype), nothing)
        return column.take(np.where(nowhere, 0, at)).with_nulls(nowhere)

    def select(self, places: Places) -> Frame:
        if len(places) == self.size:
            return self
        chosen = Frame(self.rows[places], {}, self.parents, self.today)
        chosen.around = (self, places)
        chosen.part = True
        chosen.undone = self.undone
        return chosen

    def siblings(self, call: Call) -> Column:
        if self.before is None:
            assert self.around is not None
            found = self.around[0].siblings(replace(call, arguments=call.arguments[:1])).take(self.around[1])
        else:
            found = self.before.value(call, self.fields)
        if len(call.arguments) < 2:
            return found
        return with_second(call, found, self._of_block(lambda before: before.ordinals()), self)

    def ordinals(self) -> NDArray[np.int64] | None:
        """Return how many rows of the same parent come before each; None if that is unknown."""
        frame = self
        while frame.part and frame.around is not None:
            frame = frame.around[0]
        return None if frame.before is None else self._of_block(lambda before: before.ordinals())

    def _of_block(self, ask: Callable[[RowsBefore], NDArray[np.int64]]) -> NDArray[np.int64]:
        """Return the results of the whole block for these rows."""
        if self.before is not None:
            return ask(self.before)
        assert self.around is not None
        return self.around[0]._of_block(ask)[self.around[1]]

    def _numbered(self) -> bool:
        """Return whether the numbers of the rows are known."""
        return self.in_order or (self.around is not None and self.around[0]._numbered())

    def _unknown_before(self, call: Call) -> Mask:
        if self.before is not None:
            return self.before.unknown(call, self.faulty)
        return self.around[0]._unknown_before(call)[self.around[1]] if self.around else np.ones(self.size, dtype=bool)

    def drawn(self, draw: Draw) -> Column:
        raise NotImplementedError("some")

    # ---- as the validator needs it ---------------------------------------------------------------------------------

    def knows(self, name: str) -> bool:
        """Return whether a field has values here or in the frame around."""
        return name in self.fields or (self.around is not None and self.around[0].knows(name))

    def parent(self, reference: str) -> Parents:
        """Return the rows that a reference points to."""
        return self.parents[reference]

    def found(self, reference: str) -> NDArray[np.int64]:
        """Return the position of the row that each row refers to; -1 for none."""
        if reference not in self._found:
            self._found[reference] = self.parent(reference).places(self.fields[reference], self.size)
        return self._found[reference]

    def at_fault(self, name: str) -> Mask:
        """Return where a field is faulty."""
        if name in self.faulty or self.around is None:
            return self.faulty.get(name, np.zeros(self.size, dtype=np.bool_))
        return self.around[0].at_fault(name)[self.around[1]]

    def sound(self, expressions: Iterable[Expression]) -> Mask:
        """Return where everything that the expressions read is sound."""
        good = np.ones(self.size, dtype=np.bool_)
        for expression in expressions:
            for node in walk(expression):
                if isinstance(node, Name) and self.knows(node.name):
                    good &= ~self.at_fault(node.name)
                elif isinstance(node, Name) and node.name == "row":
                    good &= self._numbered()
                elif isinstance(node, Member):
                    good &= self.sound_member(node.reference, node.name)
                elif isinstance(node, Call) and node.function in OF_SIBLINGS:
                    good &= ~self._unknown_before(node)
        return good

    def sound_member(self, reference: str, name: str) -> Mask:
        """Return where a field of the referenced row is known."""
        return ~self.at_fault(reference) & ~self._member_at_fault(reference, name)

    def _member_at_fault(self, reference: str, name: str) -> Mask:
        if reference not in self.fields and self.around is not None:
            return self.around[0]._member_at_fault(reference, name)[self.around[1]]
        at = self.found(reference)
        if not self.parent(reference).size:
            return ~self.missing(reference)
        faulty: Mask = self.parent(reference).members[name][1][np.where(at < 0, 0, at)]
        return faulty | ((at < 0) & ~self.missing(reference))

    def missing(self, name: str) -> Mask:
        """Return where a field has no value."""
        nulls = self.named(name).nulls
        return np.zeros(self.size, dtype=np.bool_) if nulls is None else np.broadcast_to(nulls, (self.size,))

    def computed(
        self, places: Places, compute: Callable[[Frame], list[Column]], what: str = ""
    ) -> tuple[Places, list[Column]]:
        """Return columns computed for rows, and the rows for which that is possible: without a division by zero.

        The other rows are entered in `undone` under `what`, if that is given.
        """

        def spread(part: Frame) -> list[Column]:
            return [each.spread(part.size) for each in compute(part)]

        places, found = where_possible(self, places, spread, partial(self._leave_out, what))
        if found is None:
            empty = self.select(places)
            empty.rows = empty.rows[:0]
            found = [each.spread(0) for each in compute(empty)]
        return places, found

    def _leave_out(self, what: str, places: Places, reason: str) -> None:
        frame, around = self, self.around
        while around is not None:
            frame, places = around[0], around[1][places]
            around = frame.around
        if what:
            self.undone.setdefault((what, reason), np.zeros(frame.size, dtype=np.bool_))[places] = True
