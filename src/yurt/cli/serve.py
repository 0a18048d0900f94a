"""`yurt serve`: the records of a schema over HTTP."""

from __future__ import annotations

from datetime import date
from pathlib import Path

import click

from yurt.cli.options import Bytes, Whole, run_options, variant_option

LOGS = ("auto", "json", "text", "none")


@click.command(
    epilog="""\b
Examples:
  yurt serve huts.yaml
  yurt serve huts.yaml --port 0 --log json
  yurt serve huts.yaml --behaviour bad-day.yaml --store written.sqlite
""",
)
@click.argument("schema", type=click.Path(path_type=Path))
@click.option("--port", type=Whole(0, 65535), default=8080, help="0 takes a free port. Default: 8080.")
@click.option("--host", default="127.0.0.1", help="The address to listen on. Default: 127.0.0.1, this machine only.")
@click.option("--behaviour", type=click.Path(path_type=Path),
              help="A file with rules of a bad day: failures, delays, limits.")  # fmt: skip
@click.option("--store", type=click.Path(path_type=Path),
              help="Keep written records in this SQLite file. Default: in memory.")  # fmt: skip
@click.option("--allow-origin", "origins", multiple=True, metavar="ORIGIN",
              help="A website whose scripts may call. May be repeated. Default: every one, for records.")  # fmt: skip
@click.option("--allow-host", "hosts", multiple=True, metavar="NAME",
              help="Another name by which the service may be called. May be repeated.")  # fmt: skip
@click.option(
    "--page-size", type=Whole(1, 10_000), default=50, help="The usual number of records on a page. Default: 50."
)
@click.option("--largest-page", type=Whole(1, 100_000), default=1000, help="The most on one page. Default: 1000.")
@click.option("--largest-body", type=Bytes(), default=1 << 20, help="The largest body of a request. Default: 1 MiB.")
@click.option("--patience", type=Whole(1, 3600), default=10, metavar="SECONDS",
              help="The time that a client has for its headers, and then for its body. Default: 10.")  # fmt: skip
@click.option("--log", "log", type=click.Choice(LOGS), default="auto",
              help="A line for each request. Default: text on a terminal, else json.")  # fmt: skip
@run_options
@variant_option
def serve(
    schema: Path, port: int, host: str, behaviour: Path | None, store: Path | None, origins: tuple[str, ...],
    hosts: tuple[str, ...], page_size: int, largest_page: int, largest_body: int, patience: int, log: str,
    seed: int | None, today: date | None, count: int | None, scale: float, locale: str | None,
    variants: tuple[str, ...],
) -> None:  # fmt: skip
    """Serve the records of SCHEMA: a collection for each record type, with pages, filters, and writes.

    Nothing is stored: a record is made when it is asked for, and is the same after a restart. Writes are validated
    against the schema, and kept on top. The address goes to standard output, the log to standard error. Ctrl-C ends the
    service.
    """
    from yurt.core.base.errors import SurroundingsFault

    try:
        from yurt.service.server import bound
        from yurt.service.server import serve as run_server
    except ImportError as fault:
        if (fault.name or "").partition(".")[0] not in ("starlette", "uvicorn", "httptools"):
            raise
        raise SurroundingsFault(f"`yurt serve` needs {fault.name}; install it with pip install 'yurt[serve]'") from None
    import sys

    from yurt.cli.options import open_schema
    from yurt.core.collections.library import Library
    from yurt.core.engine.run import RunOptions
    from yurt.service.app import Service
    from yurt.service.behaviour import Behaviour, read_rules
    from yurt.service.log import logger
    from yurt.service.settings import Settings

    read = open_schema(schema, variants=variants, count=count, locale=locale)
    listening = bound(host, port)
    library = Library(read, RunOptions(seed, today, count, scale), store)
    own = library.run.seed
    rules = read_rules(behaviour, own) if behaviour is not None else Behaviour([], own)
    settings = Settings(
        page_size=min(page_size, largest_page), largest_page=largest_page, largest_body=largest_body,
        host=host, hosts=hosts, origins=origins or ("*",), header_time=patience, body_time=patience,
    )  # fmt: skip
    form = ("text" if sys.stderr.isatty() else "json") if log == "auto" else log
    words = [word for each in variants for word in ("--variant", each)] + (["--locale", locale] if locale else [])
    service = Service(library, rules, settings, logger(form), tuple(words))
    address, number = listening.getsockname()[:2]
    shown = f"[{address}]" if ":" in address else address

    def ready() -> None:
        for each in library.notes:
            click.echo(f"warning: {each}", err=True)
        names = ", ".join(f"{name} {each.state.total:,}" for name, each in library.collections.items())
        click.echo(f"{read.source.name}: {names}; {library.run.words}; Ctrl-C ends the service", err=True)
        click.echo(f"http://{shown}:{number}/")
        sys.stdout.flush()

    run_server(service, listening, ready)
