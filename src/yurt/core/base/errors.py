"""What can go wrong, as exceptions that carry the exit code of the program."""

from __future__ import annotations


class YurtError(Exception):
    """A fault that is told to the user in one message; the data or the schema is at fault."""

    exit_code = 1


class UsageFault(YurtError):
    """The call itself is wrong: an option, a count, a record name."""

    exit_code = 2


class SurroundingsFault(YurtError):
    """Disk, permission or connection: nothing the schema could help."""

    exit_code = 3
