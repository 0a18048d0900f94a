"""A run in parts on a Dask cluster: workers write the parts into a shared folder, and the client keeps the list.

Each part is a pure function of the schema, the options, and its rows. So it does not matter which worker makes it, how
often it is tried, or whether two make it at the same time: each writes a file of its own name, and the client gives the
first one that is complete the name of the part.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator, Mapping
from typing import IO, TYPE_CHECKING
from uuid import uuid4

from yurt.core.base.data_classes import dataclass
from yurt.core.base.errors import SurroundingsFault, UsageFault, YurtError
from yurt.core.base.versions import versions
from yurt.core.engine.family import Ends
from yurt.core.model import Schema
from yurt.core.writing.jobs import Job, job_of
from yurt.core.writing.parts import Part, made_of
from yurt.core.writing.parts_run import PartsRun, Watcher
from yurt.core.writing.places import Place
from yurt.core.writing.receipt import Made
from yurt.core.writing.request import Request
from yurt.core.writing.runs import write
from yurt.core.writing.unfinished import Journal

if TYPE_CHECKING:
    from distributed import Client, Future

# The parts that are given to each thread of the cluster at a time: one to work on, and one to go on with.
AHEAD = 2
# `--cluster local` starts workers on this machine.
LOCAL = "local"
# How often a part is tried on a worker that fails.
TRIES = 3
# The time that a cluster has to answer, and to have a first worker.
SECONDS = 10


@dataclass(frozen=True)
class Work:
    """What all parts of a run have in common. It is sent to each worker once."""

    key: str
    schema: Schema
    request: Request
    place: Place
    sums: Mapping[str, Ends]
    versions: dict[str, str]


# The works and the jobs that a worker has, by the keys of the works.
WORKS: dict[str, Work] = {}
JOBS: dict[str, Job] = {}


def take(work: Work) -> None:
    """Keep what parts have in common, on a worker."""
    WORKS[work.key] = work


def make(key: str, part: Part, owner: str) -> tuple[str, Made]:
    """Write a part, on a worker; return who wrote it, and what is in it. Raises UsageFault for other versions."""
    work, made = WORKS[key], list[Made]()
    _refuse_others({"this worker": versions()}, work.versions)
    if key not in JOBS:
        JOBS.clear()
        JOBS[key] = job_of(work.request, work.schema, sums=work.sums)
    job = JOBS[key]

    def fill(out: IO[bytes]) -> None:
        write(job.run, part.record, part.rows, job.forms[part.record], out, 1)

    work.place.stage(part.path.name, owner, fill, lambda path: made.append(made_of(part, path)))
    return owner, made[0]


def write_on_cluster(
    run: PartsRun, schema: Schema, journal: Journal, watcher: Watcher, address: str, workers: int
) -> None:  # fmt: skip
    """Write the parts that are not there on a cluster: on the one at an address, or on `workers` processes here.

    Raises SurroundingsFault if the cluster cannot be reached or loses too many workers, and UsageFault if a worker has
    another version of something that matters for the bytes.
    """
    waiting = [(number, part) for number, part in enumerate(run.parts, 1) if part.path.name not in journal.done]
    key = uuid4().hex
    with connected(address, min(workers, max(len(waiting), 1))) as client:
        _refuse_others(client.run(versions), versions())
        work = Work(key, schema, run.request, run.place.everywhere(), run.job.run.sums, versions())
        client.register_plugin(_plugin(work))
        try:
            _write(run, waiting, journal, watcher, client, key)
        finally:
            # Workers that were lost, or that came second, leave parts without a name.
            run.place.discard(key)


def _write(
    run: PartsRun, waiting: list[tuple[int, Part]], journal: Journal, watcher: Watcher, client: Client, key: str
) -> None:  # fmt: skip
    from distributed import as_completed

    left = iter(waiting)
    told: dict[Future, tuple[int, Part]] = {}
    finished = as_completed()

    def begin() -> None:
        for number, part in left:
            if run.place.has(part.path.name) and not run.may_replace(part.path.name, journal):
                raise UsageFault(f"{run.place.name}/{part.path.name} exists already; --force overwrites it")
            # Each try has a name of its own: nobody writes into the file of a worker that is only thought to be lost.
            future = client.submit(_tried, key, part, pure=False, retries=TRIES)
            told[future] = number, part
            finished.add(future)
            return

    for _ in range(AHEAD * max(sum(client.nthreads().values()), 1)):
        begin()
    for future in finished:
        number, part = told.pop(future)
        watcher.begin(number)
        try:
            owner, made = future.result()
        except YurtError:
            raise
        except Exception as fault:
            raise SurroundingsFault(f"the cluster gave up {part.path.name}: {_words(fault)}") from None
        journal.note(made)
        run.place.publish(part.path.name, owner)
        watcher(part.rows[1] - part.rows[0])
        watcher.finish(made.size)
        run.check_free()
        begin()


def _tried(key: str, part: Part) -> tuple[str, Made]:
    return make(key, part, f"{key}-{uuid4().hex}")


def _plugin(work: Work) -> object:
    from distributed import WorkerPlugin

    class Taking(WorkerPlugin):  # type: ignore[misc]
        """Gives the work to each worker, also to those that come later."""

        name = f"yurt-{work.key}"

        def __init__(self, work: Work) -> None:
            self.work = work

        def setup(self, worker: object) -> None:
            take(self.work)

        def teardown(self, worker: object) -> None:
            WORKS.pop(self.work.key, None)
            JOBS.pop(self.work.key, None)

    return Taking(work)


@contextlib.contextmanager
def connected(address: str, workers: int) -> Iterator[Client]:
    """Yield a client of a cluster; `local` starts one of so many processes on this machine, and ends it."""
    try:
        from distributed import Client, LocalCluster
    except ImportError as fault:
        if (fault.name or "").partition(".")[0] not in ("distributed", "dask"):
            raise
        raise SurroundingsFault("--cluster needs Dask; install it with pip install 'yurt[cluster]'") from None
    import logging

    if address == LOCAL:
        cluster = LocalCluster(
            n_workers=workers, threads_per_worker=1, processes=True, dashboard_address="127.0.0.1:0",
            silence_logs=logging.CRITICAL,
        )  # fmt: skip
        with cluster, Client(cluster) as client:
            yield client
        return
    try:
        client = Client(address, timeout=SECONDS)
    except (OSError, ValueError) as fault:
        raise SurroundingsFault(f"there is no cluster at {address}: {_words(fault)}") from None
    with client:
        try:
            client.wait_for_workers(1, timeout=SECONDS)
        except OSError:
            raise SurroundingsFault(f"the cluster at {address} has no workers") from None
        yield client


def _refuse_others(theirs: Mapping[str, dict[str, str]], own: dict[str, str]) -> None:
    """Raise UsageFault for workers whose bytes could be others."""
    for worker, found in theirs.items():
        differing = [
            f"{name} {found.get(name, 'not installed')} instead of {own.get(name, 'not installed')}"
            for name in sorted({*own, *found}) if found.get(name) != own.get(name)
        ]  # fmt: skip
        if differing:
            raise UsageFault(f"{worker} has other versions: {', '.join(differing)}")


def _words(fault: BaseException) -> str:
    return " ".join(str(fault).split())[:300] or type(fault).__name__
