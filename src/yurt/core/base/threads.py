"""Work on several threads with results in order. It pays because NumPy and Arrow release the interpreter lock."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from itertools import chain, islice
from typing import TYPE_CHECKING, TypeVar

if TYPE_CHECKING:
    from concurrent.futures import Future

Part = TypeVar("Part")
Result = TypeVar("Result")


def in_order(make: Callable[[Part], Result], parts: Iterable[Part], workers: int) -> Iterator[tuple[Part, Result]]:
    """Yield each part with its result, in order, with at most `workers + 2` parts in progress."""
    parts = iter(parts)
    first_two = list(islice(parts, 2))
    if workers == 1 or len(first_two) < 2:
        for part in chain(first_two, parts):
            yield part, make(part)
        return
    from concurrent.futures import ThreadPoolExecutor

    waiting: deque[tuple[Part, Future[Result]]] = deque()
    pool = ThreadPoolExecutor(workers, thread_name_prefix="yurt")
    try:
        for part in chain(first_two, parts):
            waiting.append((part, pool.submit(make, part)))
            if len(waiting) > workers + 1:
                first, future = waiting.popleft()
                yield first, future.result()
        for first, future in waiting:
            yield first, future.result()
    finally:
        pool.shutdown(wait=True, cancel_futures=True)
