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
    # The origins that a browser may call from; `*` is every one.
    origins: tuple[str, ...] = ("*",)
    # The answers that are kept for repeated requests with the same idempotency key.
    kept_answers: int = 10_000
    # The rows of a run, and the runs that are kept.
    largest_run: int = 10_000_000
    kept_runs: int = 100
    connections: int = 1000
