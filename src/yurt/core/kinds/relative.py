"""Somebody who lives with the person of a record."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from yurt.core.kinds.picks import Codes


class Relative(NamedTuple):
    """A relative of the person of each row: sex (0 is female), birthday in days since 1970."""

    name: str
    sex: Codes
    born: Codes

    def year(self) -> Codes:
        """Return the years of birth."""
        return self.born.astype("datetime64[D]").astype("datetime64[Y]").astype("int64") + 1970
