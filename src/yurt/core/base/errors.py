"""Faults as exceptions that carry the exit status of the program."""

from __future__ import annotations


class YurtError(Exception):
    """A fault that is reported to the user in one message; the data or the schema is wrong."""

    exit_code = 1


class UsageFault(YurtError):
    """A usage error: an option, a count, or a record name is wrong."""

    exit_code = 2


class SurroundingsFault(YurtError):
    """An environment error: disk, permission, or connection."""

    exit_code = 3
