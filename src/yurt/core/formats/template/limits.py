"""What a template may use: steps of its loops, seconds, and the length of a text."""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator

from jinja2.exceptions import TemplateRuntimeError

LONGEST = 1 << 20
# Of one batch of rows; each row allows a little more.
MOST_SECONDS, SECONDS_OF_A_ROW = 5.0, 0.001
LARGEST = 1 << 28


def too_long() -> TemplateRuntimeError:
    """Return the error for a text that grows beyond bounds."""
    return TemplateRuntimeError(f"a text has at most {LONGEST:,} characters")


class Budget:
    """The time that the rendering of a batch of some rows has left, and the room for texts that are gathered."""

    def __init__(self, rows: int) -> None:
        self.seconds = MOST_SECONDS + rows * SECONDS_OF_A_ROW
        self.until = time.monotonic() + self.seconds
        self.kept = 0

    def check(self) -> None:
        """Raise an error if there is none left."""
        if time.monotonic() > self.until:
            raise TemplateRuntimeError(f"a batch of rows takes longer than {self.seconds:.0f} seconds")

    def keep(self, size: int) -> None:
        """Raise an error if there is no room for so many characters more."""
        self.kept += size
        if self.kept > LARGEST:
            raise too_long()

    def watched(self, values: Iterable[object]) -> Iterator[object]:
        """Yield the values of a loop, as long as there is time."""
        for at, each in enumerate(values):
            if at % 64 == 0:
                self.check()
            yield each
