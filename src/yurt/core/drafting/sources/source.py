"""Defines a source: how it is recognised, and how its text becomes a draft."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.errors import YurtError
from yurt.core.drafting.draft import Draft
from yurt.core.drafting.long_lists import with_value_lists
from yurt.core.drafting.samples.reading import Sample
from yurt.core.text.words import plural

# A structure of more bytes is no document that a person keeps.
MOST_BYTES = 50_000_000
# The places that a message lists.
LISTED = 6


@dataclass(frozen=True)
class Unsaid:
    """What a draft cannot say: the keyword of the source, where it stands, and why."""

    keyword: str
    place: str
    reason: str

    def __str__(self) -> str:
        return f"{self.place}: `{self.keyword}`: {self.reason}"


class NotSaid(YurtError):
    """A source with rules that no schema can say."""

    def __init__(self, name: str, unsaid: list[Unsaid]) -> None:
        self.unsaid = unsaid
        shown = "".join(f"\n  {each}" for each in unsaid[:LISTED])
        more = f"\n  … and {len(unsaid) - LISTED:,} more" if len(unsaid) > LISTED else ""
        count = plural(len(unsaid), "rule")
        hint = "--partly drafts the rest and lists them"
        super().__init__(f"{name}: a schema cannot say {count}; {hint}{shown}{more}")


class Opener(Protocol):
    """Opens what a source refers to, if that is allowed."""

    def __call__(self, reference: str) -> bytes:
        """Return the bytes behind a reference. Raises YurtError if it is not allowed or cannot be read."""


@dataclass
class Asked:
    """What a source is read with: its name for messages, the name of its record type if it has none of its own.

    With `partly`, what cannot be said is listed instead of refused. `tables` are the names of those that are wanted;
    all if there are none.
    """

    name: str
    record: str
    opener: Opener
    partly: bool = False
    tables: tuple[str, ...] = ()
    # The rows of a sample, and the tables of a page as samples.
    rows: int = 100_000
    samples: list[Sample] = field(default_factory=list)
    unsaid: list[Unsaid] = field(default_factory=list)

    def leave_out(self, keyword: str, place: str, reason: str) -> None:
        """Note what cannot be said."""
        found = Unsaid(keyword, place, reason)
        if found not in self.unsaid:
            self.unsaid.append(found)

    def finish(self, draft: Draft) -> Draft:
        """Return the draft with what it leaves out. Raises NotSaid unless that is wanted."""
        if self.unsaid and not self.partly:
            raise NotSaid(self.name, self.unsaid)
        draft.left_out += [str(each) for each in self.unsaid]
        return with_value_lists(draft)


@dataclass(frozen=True)
class Source:
    """A source by its name in messages; `matches` gets the suffix of a file, and its first bytes."""

    name: str
    meaning: str
    matches: Callable[[str, bytes], bool]
    read: Callable[[bytes, Asked], Draft]
