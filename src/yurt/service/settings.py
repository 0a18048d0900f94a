"""The limits and choices of the service."""

from __future__ import annotations

from yurt.core.base.data_classes import dataclass


@dataclass(frozen=True)
class Settings:
    """Sizes are in bytes and characters, times in seconds."""

    page_size: int = 50
    largest_page: int = 1000
    largest_body: int = 1 << 20
    # The time in which a client must have sent its headers, and then its body.
    header_time: float = 10.0
    body_time: float = 10.0
    # The time in which an answer is there, or a problem in its place.
    answer_time: float = 30.0
    largest_query: int = 8192
    most_parameters: int = 100
    # Where the service listens, and further names by which it may be called.
    host: str = "127.0.0.1"
    hosts: tuple[str, ...] = ()
    # The origins that a browser may call from; `*` is every one, for records only.
    origins: tuple[str, ...] = ("*",)
    # The answers that are kept for repeated requests with the same idempotency key.
    kept_answers: int = 10_000
    # The rows and the time of a run, the runs that wait, and the runs that are kept with their files.
    largest_run: int = 10_000_000
    run_time: float = 600.0
    waiting_runs: int = 8
    kept_runs: int = 100
    kept_bytes: int = 1 << 31
    connections: int = 1000
