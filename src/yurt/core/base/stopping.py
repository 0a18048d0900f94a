"""Why the work is to stop, for loops to look at: what a signal raises may get lost in somebody's callback."""

from __future__ import annotations

_why: list[BaseException] = []


def stop(why: BaseException) -> None:
    """Ask all work to stop; `why` is what the loops raise."""
    _why.append(why)


def stop_if_asked() -> None:
    """Raise what was asked for, if anything was."""
    if _why:
        raise _why[0]
