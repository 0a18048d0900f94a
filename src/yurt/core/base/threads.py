"""Work on several threads with results in order. It pays because NumPy and Arrow release the interpreter lock."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

Part = TypeVar("Part")
Result = TypeVar("Result")


def in_order(make: Callable[[Part], Result], parts: Iterable[Part], workers: int) -> Iterator[tuple[Part, Result]]:
    """Yield each part with its result, in order, with at most `workers + 2` parts in progress."""
    if workers == 1:
        for part in parts:
            yield part, make(part)
        return
    waiting: deque[tuple[Part, Future[Result]]] = deque()
    pool = ThreadPoolExecutor(workers, thread_name_prefix="yurt")
    try:
        for part in parts:
            waiting.append((part, pool.submit(make, part)))
            if len(waiting) > workers + 1:
                first, future = waiting.popleft()
                yield first, future.result()
        for first, future in waiting:
            yield first, future.result()
    finally:
        pool.shutdown(wait=True, cancel_futures=True)
