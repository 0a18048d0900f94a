"""Which process something temporary belongs to, written into its name: the machine, and the process on it.

Several machines may share a folder. Only a process of this machine can be known to be dead.
"""

from __future__ import annotations

import os
import re
from functools import cache


@cache
def machine() -> str:
    """Return the name of this machine, in characters that any file name may have."""
    name = os.uname().nodename if hasattr(os, "uname") else os.environ.get("COMPUTERNAME", "")
    return re.sub(r"[^A-Za-z0-9-]", "-", name)[:60] or "localhost"


def mark(process: int | None = None) -> str:
    """Return what stands for a process of this machine in a file name; by default, for this one."""
    return f"{machine()}-{os.getpid() if process is None else process}"


def is_dead(written: str) -> bool:
    """Return whether a mark stands for a process of this machine that is gone; False where that is unknown."""
    owner, _, process = written.rpartition("-")
    return owner == machine() and process.isdecimal() and not is_alive(int(process))


def is_alive(process: int) -> bool:
    """Return whether a process of this machine is there; True where that is unknown."""
    if os.name != "posix":
        return True
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except (OSError, OverflowError):
        return True
    return True
