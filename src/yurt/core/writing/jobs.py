"""What `yurt generate` makes: a run for each variant, the rows of each record type, and their formats."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from yurt.core.base.data_classes import dataclass, replace
from yurt.core.base.errors import UsageFault
from yurt.core.engine.blocks import slice_of
from yurt.core.engine.family import Ends
from yurt.core.engine.run import Run, RunOptions, prepared
from yurt.core.formats.common.format import Format
from yurt.core.model import Schema
from yurt.core.writing.nested import below
from yurt.core.writing.output import Given, Output
from yurt.core.writing.request import Request

# Reads the schema with some variants.
Read = Callable[[tuple[str, ...]], Schema]


@dataclass(frozen=True)
class Job:
    """The rows of one run to write. `label` is added to the names of its files."""

    run: Run
    slices: dict[str, tuple[int, int]]
    forms: dict[str, Format]
    label: str = ""

    @property
    def rows(self) -> int:
        """The number of rows."""
        return sum(stop - start for start, stop in self.slices.values())


def jobs_of(request: Request, read: Read) -> list[Job]:
    """Return the runs of a request: of the schema with its variants, and if that is asked of each variant by itself."""
    whole = read(request.variants)
    found = [job_of(request, whole)]
    if request.each_variant:
        found += [job_of(request, read((name,)), name) for name in whole.variants]
    return found


def job_of(request: Request, schema: Schema, label: str = "", sums: Mapping[str, Ends] | None = None) -> Job:
    """Return one run; `sums` are those over parents, if they are known. Raises YurtError for what the schema does not
    have.
    """
    record, form = request.record, request.format
    names = [record] if record else list(schema.records)
    output = Output(schema, tuple(Given(*each) for each in request.settings))
    forms = {name: output.format(form, name) for name in names}
    inside = below(schema, [name for name in names if forms[name].inside])
    dressed = output.dressed(dict.fromkeys([*names, *inside], form))
    run = prepared(dressed, record, RunOptions(request.seed, request.today, request.count, request.scale), inside, sums)
    names = [name for name in names if record or name not in inside]
    if len(names) > 1 and request.rows is not None:
        raise UsageFault(f"--rows needs a record type: {', '.join(names)}")
    slices = {name: slice_of(request.rows, run.table(name).count, name) for name in names}
    return Job(run, slices, {name: forms[name] for name in names}, label)


def request_of(schema: Schema, record: str | None, options: RunOptions, form: str) -> Request:
    """Return the request for the rows of a schema that has been read already."""
    return Request(
        record, replaced=schema.replaced, variants=schema.chosen, locale=schema.asked_locale, seed=options.seed,
        today=options.today, count=options.count, scale=options.scale, format=form,
    )  # fmt: skip


def pinned(request: Request, schema: Schema) -> Request:
    """Return a request with the seed and the day that its run would have, so that it can be repeated."""
    seed = request.seed if request.seed is not None else schema.seed
    return replace(
        request,
        seed=schema.drawn_seed if seed is None else seed,
        today=request.today or schema.today or schema.clock.date(),
    )
