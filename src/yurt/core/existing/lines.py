"""What the lines of a record type make of a file: which column each is about, and how many values had no result."""

from __future__ import annotations

from threading import Lock

from yurt.core.base.data_classes import dataclass, field
from yurt.core.existing.matching import Matching
from yurt.core.existing.values import Seen
from yurt.core.formats.common.format import Format
from yurt.core.model import FromColumn, Phrase, Record, Treatment
from yurt.core.model.expressions import Name


@dataclass
class Lines:
    """The fields of a record type over the columns of a file, the types of these columns, and the new format."""

    record: Record
    form: Format
    found: dict[str, Seen]
    matching: Matching
    # How many values of each treated column have no result, such as texts that are no numbers.
    lost: dict[str, int] = field(default_factory=dict)
    _lock: Lock = field(default_factory=Lock)

    def count_lost(self, name: str, count: int) -> None:
        """Add to the number of values without a result; several threads count."""
        with self._lock:
            self.lost[name] = self.lost.get(name, 0) + count

    def title_of(self, head: Treatment) -> str:
        """Return the title of the column that a treatment is about."""
        assert isinstance(head.original, Name)
        body = self.record.by_name[head.original.name].body
        assert isinstance(body, Phrase)
        assert isinstance(body.head, FromColumn)
        return body.head.title
