"""Blocks of records with errors.

Which values are wrong, and how, depends only on seed, record, field, and row number, like the values themselves: the
same errors come again, on any number of threads.
"""

from __future__ import annotations

from collections.abc import Callable
from random import Random

import numpy as np
import pyarrow as pa
from numpy.typing import NDArray

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow
from yurt.core.base.data_classes import dataclass, replace
from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.threads import in_order
from yurt.core.base.types import Type
from yurt.core.dirt.lists import wrong_list
from yurt.core.dirt.sorts import DUPLICATE, NEAR, NUMBER, SORTS, SWAPPED, SWAPS, wrong
from yurt.core.engine.blocks import block, ranges
from yurt.core.engine.resolved import Resolved
from yurt.core.engine.run import Run
from yurt.core.engine.structs import titles
from yurt.core.formats import text_format
from yurt.core.formats.common.format import Out, TextFormat
from yurt.core.formats.common.raw import Number
from yurt.core.formats.json.reading import DECODER
from yurt.core.model import Field, ListOf, Nested, Record
from yurt.core.sampling.streams import Rows, stream
from yurt.core.text import forms
from yurt.core.writing.replaced import ReplacedLayout
from yurt.core.writing.runs import rows_a_block
from yurt.core.writing.tables import table_of

# `clean row` is the row of the clean file; repeated rows move the others down.
TITLES = ["row", "clean row", "field", "clean", "dirty", "error"]


@dataclass(frozen=True)
class Rates:
    """The share of wrong values, by field, and of repeated rows."""

    fields: dict[str, float]
    rows: float = 0.0


@dataclass(frozen=True)
class Answer:
    """One error: the row (counted from 0 within its block), the field, and the value before and after.

    A repeated row has no field and no values.
    """

    row: int
    field: str | None
    clean: str | None
    dirty: str | None
    sort: str
    # The number of the generated row, from 0.
    made: int = 0


def rates_of(records: list[Record], told: dict[str, float]) -> dict[str, Rates]:
    """Return the rates of record types; the keys are fields or `record.field`, and "" for all fields.

    Raises UsageFault for an unknown field.
    """
    every = told.get("", 0.0)
    found = {record.name: Rates({each.name: every for each in _leaves(record)}, every) for record in records}
    for name, rate in told.items():
        places = [
            (rates, field)
            for record, rates in found.items()
            for field in (name, name.removeprefix(f"{record}."))
            if field in rates.fields
        ]
        if name and not places:
            known = [field for rates in found.values() for field in rates.fields]
            hint = did_you_mean(name.rpartition(".")[2], known) or f"there are {', '.join(known)}"
            raise UsageFault(f"`{name}` is not a field that can have errors; {hint}")
        for rates, field in places:
            rates.fields[field] = rate
    return found


def _leaves(record: Record) -> list[Field]:
    """Return the fields that hold values themselves, not records."""
    return [
        each for each in record.shown
        if not isinstance(each.head, Nested) and not (isinstance(each.head, ListOf) and each.head.of_records)
        and record.list_around(each.name) is None
    ]  # fmt: skip


class Dirt:
    """Makes blocks of one record type, with errors, in one format."""

    def __init__(self, run: Run, name: str, rates: Rates, form: TextFormat) -> None:
        self.run, self.name, self.rates, self.form = run, name, rates, form
        self.table = run.table(name)
        self.fields = _leaves(self.table.record)

    def _unit(self, rows: Rows, *purpose: str) -> NDArray[np.float64]:
        return stream(self.run.seed, self.name, "dirt", *purpose).unit(rows)

    def block(self, start: int, stop: int) -> tuple[pa.Buffer, list[Answer], int, int]:
        """Return the bytes of some rows, their errors, the number of rows with the repeated ones, and of the errors
        that are left out because the format cannot hold them.
        """
        rows = np.arange(start, stop, dtype=np.uint64)
        again = self._unit(rows, "rows") < self.rates.rows
        index = np.repeat(np.arange(len(rows)), 1 + again)
        copies = np.concatenate(([False], index[1:] == index[:-1])) if len(index) else index.astype(bool)
        rows = rows[index]
        resolved = Resolved(self.table, rows)
        layout = ReplacedLayout(resolved, self.table.record.shown, len(rows), self.form)
        clean = {each.name: forms.text_of(layout.plain(each)) for each in self.fields}
        changed, answers, unfit = self._errors(rows, clean)
        unfit += self._repeats(rows, copies, clean, changed, answers)
        for name, cells in changed.items():
            layout.tokens[name] = {at: self._token(text, self._type(name)) for at, text in cells.items()}
        found = [replace(each, made=int(rows[each.row])) for each in sorted(answers, key=lambda each: each.row)]
        return self.form.block(self.name, layout.batch(), start), found, len(rows), unfit

    def _type(self, name: str) -> Type:
        return self.run.plan.types[self.name, name]

    def _fits(self, name: str, text: str) -> bool:
        """Return whether the format can hold a text in a field."""
        room = self.form.room(self.table.record.column(name))
        wide = room is not None and len(self._token(text, self._type(name)) or "") > room
        return not wide and not self.form.cannot(text) and self.form.encoding.can(text)

    def _errors(self, rows: Rows, clean: dict[str, pa.Array]) -> tuple[dict[str, dict[int, str]], list[Answer], int]:
        changed: dict[str, dict[int, str]] = {name: {} for name in clean}
        answers: list[Answer] = []
        unfit = 0
        names = list(clean)
        for name in names:
            chosen = np.flatnonzero(self._unit(rows, name) < self.rates.fields.get(name, 0.0))
            if not len(chosen):
                continue
            bits = stream(self.run.seed, self.name, "dirt", name, "which").bits(rows[chosen])
            texts = pc.take(clean[name], arrow(chosen)).to_pylist()
            kind = self._type(name)
            partner = self._beside(name, names)
            other = pc.take(clean[partner], arrow(chosen)).to_pylist() if partner is not None else [None] * len(chosen)
            for at, bit, text, across in zip(chosen.tolist(), bits.tolist(), texts, other, strict=True):
                if text is None or at in changed[name]:
                    continue
                dice = Random(bit)  # noqa: S311
                free = partner is not None and across is not None and across != text and at not in changed[partner]
                if free and dice.random() < SWAPS / (SWAPS + sum(weight for _, weight in SORTS.values())):
                    assert partner is not None
                    if not (self._fits(name, across) and self._fits(partner, text)):
                        unfit += 1
                        continue
                    changed[name][at], changed[partner][at] = across, text
                    answers += [Answer(at, name, text, across, SWAPPED), Answer(at, partner, across, text, SWAPPED)]
                elif (found := _wrong(text, dice, kind)) is not None:
                    if not self._fits(name, found[0]):
                        unfit += 1
                        continue
                    changed[name][at] = found[0]
                    answers.append(Answer(at, name, text, *found))
        return changed, answers, unfit

    def _beside(self, name: str, names: list[str]) -> str | None:
        """Return the next field of the same type, else the one before: these are swapped most easily."""
        if self._type(name).name == "list":
            return None
        similar = [each for each in names if self._type(each).name == self._type(name).name]
        at = similar.index(name)
        return similar[at + 1] if at + 1 < len(similar) else similar[at - 1] if at else None

    def _repeats(
        self, rows: Rows, copies: NDArray[np.bool_], clean: dict[str, pa.Array], changed: dict[str, dict[int, str]],
        answers: list[Answer],
    ) -> int:  # fmt: skip
        """Note repeated rows; change one value in half of them. Return how many changes the format cannot hold."""
        unfit = 0
        texts = [each.name for each in self.fields if self._type(each.name).name == "text"]
        chosen = np.flatnonzero(copies)
        bits = stream(self.run.seed, self.name, "dirt", "again").bits(rows[chosen])
        for at, bit in zip(chosen.tolist(), bits.tolist(), strict=True):
            dice = Random(bit)  # noqa: S311
            answers.append(Answer(at, None, None, None, DUPLICATE))
            # A value has one error at most, so that the answer gives the value in the file.
            sound = [name for name in texts if at not in changed[name]]
            if not sound or dice.random() < 0.5:
                continue
            name = dice.choice(sound)
            before = clean[name][at].as_py()
            found = wrong(before, dice, self._type(name)) if before is not None else None
            if found is not None and not self._fits(name, found[0]):
                unfit += 1
            elif found is not None:
                changed[name][at] = found[0]
                answers[-1] = Answer(at, name, str(before), found[0], NEAR)
        return unfit

    def _token(self, text: str, kind: Type) -> str | None:
        """Return a value as it is written in the file."""
        if kind.name == "list":
            return self.form.token(DECODER.decode(text))
        number = self.form.typed and kind.numeric and NUMBER.fullmatch(text) and text == _canonical(text)
        return self.form.token(Number(text) if number else text)


def _wrong(text: str, dice: Random, kind: Type) -> tuple[str, str] | None:
    return wrong(text, dice, kind) if kind.of is None else wrong_list(text, dice, kind.of)


def _canonical(text: str) -> str:
    """JSON has no leading zeros."""
    return text if not text.lstrip("-").startswith("0") or text.lstrip("-")[:2] in ("0", "0.") else ""


def write_dirty(
    run: Run, name: str, rows: tuple[int, int], form: TextFormat, rates: Rates, out: Out,
    answers: Out, workers: int, progress: Callable[[int], None] = lambda rows: None,
) -> tuple[int, int, int, int]:  # fmt: skip
    """Write rows with errors, and the answers as CSV; return the number of rows, bytes, errors, and errors that the
    format cannot hold.
    """
    dirt = Dirt(run, name, rates, form)
    writer = form.writer(out, run.schema.records[name], titles(run.schema.records[name], nests=form.nests))
    table = text_format("csv")
    answers.write(table.opening("answer", TITLES).encode())
    total = errors = unfit = 0
    spans = ranges(*rows, rows_a_block(run.widths[name]))
    for _, (data, found, count, left_out) in in_order(lambda span: dirt.block(*span), spans, workers):
        writer.put(data)
        lines: list[dict[str, str | int | None]] = [
            {"row": each.row + total + 1, "clean row": each.made - rows[0] + 1, "field": each.field,
             "clean": each.clean, "dirty": each.dirty, "error": each.sort} for each in found
        ]  # fmt: skip
        if lines:
            told = table.block("answer", table_of(lines, TITLES, blank=""), 0)
            answers.write(bytes(told) + table.separator.encode())
        total += count
        errors += len(found)
        unfit += left_out
        progress(count)
    writer.finish(lambda: block(run, name, rows[0], rows[0], typed=form.typed, nests=form.nests))
    return total, writer.size, errors, unfit
