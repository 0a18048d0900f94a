"""The folder of a run in parts, while it is not finished: a journal marks it, with the run and every finished part.

The journal comes first and goes last, when the receipt is there. Each line of it is on the disk before the part that
it is about gets its name. So a run that is ended at any moment leaves parts that are whole, and a folder that says of
itself that it is not complete.
"""

from __future__ import annotations

import json
from collections.abc import Iterable

from yurt.core.base.data_classes import dataclass, replace
from yurt.core.base.errors import UsageFault
from yurt.core.base.files import fault_of
from yurt.core.base.json_object import JsonObject
from yurt.core.base.threads import in_order
from yurt.core.base.unfinished_sets import IN_FOLDER, JOURNAL
from yurt.core.writing.places import Place
from yurt.core.writing.receipt import Made, Receipt, receipt_in
from yurt.core.writing.request import Request

# The files that a message names.
TOLD = 5


@dataclass(frozen=True)
class Begun:
    """What the first line of a journal says: the digest of the schema, the options, and what the clock and chance
    decided.
    """

    schema: str
    request: Request
    force: bool
    versions: dict[str, str]

    def as_data(self) -> JsonObject:
        """Return it as plain data."""
        return {
            "yurt-unfinished": 1, "schema": self.schema, "options": self.request.as_data(), "force": self.force,
            "versions": self.versions,
        }  # fmt: skip


class Journal:
    """The journal of a place: the run that began there, and its finished parts by their names."""

    def __init__(self, place: Place, begun: Begun, done: dict[str, Made], whole: int | None = 0) -> None:
        """`whole` is the number of bytes in whole lines: what is behind them was cut off."""
        self.place, self.begun, self.done, self._whole = place, begun, done, whole

    @classmethod
    def begin(cls, place: Place, begun: Begun) -> Journal:
        """Mark a place, which is made if it is not there."""
        place.prepare()
        journal = cls(place, begun, {})
        journal._append(begun.as_data())
        return journal

    @classmethod
    def found(cls, place: Place) -> Journal | None:
        """Return the journal of a place; None if it has none. Raises UsageFault for a file of another kind."""
        content = place.journal()
        if content is None:
            return None
        # The last line may be cut off where the process was ended.
        whole = [each for each in content.splitlines(keepends=True) if each.endswith(b"\n")]
        try:
            first, *rest = map(json.loads, whole)
            begun = Begun(
                str(first["schema"]), Request.of_data(first["options"]), bool(first["force"]), dict(first["versions"])
            )
            done = {made.name: made for made in map(Made.of_data, rest)}
        except (ValueError, TypeError, KeyError, AttributeError):
            if not whole:
                # Nothing was made before its first line.
                return None
            told = f"{place.name}/{JOURNAL} is not the journal of a run"
            raise UsageFault(f"{told}; remove it to begin anew") from None
        return cls(place, begun, done, sum(map(len, whole)))

    def note(self, *made: Made) -> None:
        """Add parts whose bytes are on the disk."""
        self._append(*(each.as_data() for each in made))
        self.done |= {each.name: each for each in made}

    def end(self) -> None:
        """Remove the mark. Another process may have finished the same run."""
        self.place.unmark()

    def _append(self, *lines: JsonObject) -> None:
        content = b"".join(json.dumps(each, ensure_ascii=False).encode() + b"\n" for each in lines)
        try:
            self.place.append(content, self._whole)
        except OSError as error:
            raise fault_of(error, f"{self.place.name}/{JOURNAL}") from None
        # What others add from now on stays.
        self._whole = None


def missing_and_changed(place: Place, files: Iterable[Made], workers: int) -> tuple[list[str], list[str]]:
    """Return the names of files that are not in a place any more, and of those that have other bytes."""

    missing, changed = [], []
    for made, found in in_order(lambda each: place.digest(each.name), files, workers):
        if found is None:
            missing.append(made.name)
        elif found != made.sha256:
            changed.append(made.name)
    return missing, changed


def finished(place: Place) -> Receipt | None:
    """Return the receipt of a finished run in parts; None if there is none."""
    content = place.read(IN_FOLDER)
    return None if content is None else receipt_in(content, f"{place.name}/{IN_FOLDER}")


def continued(place: Place, request: Request) -> Request:
    """Return a request with the seed and the day of the run in a place, if there is one, as far as it has none."""
    if (receipt := finished(place)) is not None:
        before = receipt.request
    elif (journal := Journal.found(place)) is not None:
        before = journal.begun.request
    else:
        return request
    seed = before.seed if request.seed is None else request.seed
    return replace(request, seed=seed, today=request.today or before.today)


def remove(place: Place, files: Iterable[Made]) -> None:
    """Remove the files of an earlier run, and at last its receipt or its journal."""
    for each in files:
        place.remove(each.name)
    place.remove(IN_FOLDER)
    place.unmark()


def named(names: list[str]) -> str:
    """Return some names for a message."""
    more = f", and {len(names) - TOLD:,} more" if len(names) > TOLD else ""
    return ", ".join(names[:TOLD]) + more
