"""The program `yurt`: its commands and its exit status."""

from __future__ import annotations

import os
import signal
import sys
from types import FrameType
from typing import NoReturn

import click

from yurt import __version__
from yurt.cli import (
    cases,
    check,
    coverage,
    demo,
    describe,
    disguise,
    draft,
    extend,
    formats,
    functions,
    generate,
    kinds,
    preview,
    runs,
    serve,
    verify,
)


class Commands(click.Group):
    """A group that suggests the nearest command for an unknown one."""

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in self.commands and not args[0].startswith("-"):
            from yurt.core.base.nearest import did_you_mean

            hint = did_you_mean(args[0], self.commands)
            listed = ", ".join(self.commands)
            raise click.UsageError(f"there is no command `{args[0]}`" + (f"; {hint}" if hint else f": {listed}"), ctx)
        return super().resolve_command(ctx, args)

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Keep the order in which the commands are used: check, look, generate."""
        return list(self.commands)


@click.group(cls=Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="yurt", message="%(prog)s %(version)s")
def cli() -> None:
    """Generate realistic synthetic records from a schema, for software tests.

    Start with `yurt demo`: it writes a schema with its records and shows what to try next.
    """


for command in (
    demo.demo,
    draft.draft,
    check.check,
    preview.preview,
    generate.generate,
    cases.cases,
    verify.verify,
    coverage.coverage,
    describe.describe,
    extend.extend,
    disguise.disguise,
    serve.serve,
    runs.runs,
    kinds.kinds,
    functions.functions,
    formats.formats,
):
    cli.add_command(command)


def main() -> NoReturn:
    """Run the program. Exit status: 0 success, 1 invalid data or schema, 2 usage, 3 environment, 130 interrupted."""
    for ending in ("SIGTERM", "SIGHUP"):
        if hasattr(signal, ending):
            signal.signal(getattr(signal, ending), _terminated)
    sys.exit(run())


def run() -> int:
    """Run the program with the arguments of the process, and return its exit status."""
    try:
        if "_YURT_COMPLETE" in os.environ:
            cli.main(prog_name="yurt")
        # Not `cli.main()`: it ends a closed pipe with exit status 1.
        with cli.make_context("yurt", sys.argv[1:]) as context:
            cli.invoke(context)
        sys.stdout.flush()
        return 0
    except click.exceptions.Exit as ended:
        return ended.exit_code
    except click.ClickException as fault:
        fault.show()
        return fault.exit_code
    except (KeyboardInterrupt, click.Abort):
        click.echo("interrupted; no partial files were left", err=True)
        return 130
    except BrokenPipeError:
        from yurt.cli.talk import stop_talking

        stop_talking()
        return 0
    except Exception as fault:
        return _told(fault)


def _told(fault: Exception) -> int:
    """Report a fault; anything else is a bug and keeps its traceback."""
    from yurt.core.base.errors import SurroundingsFault, YurtError

    if isinstance(fault, OSError):
        if fault.filename is None:
            from yurt.cli.talk import stop_talking

            # What is left in the buffer cannot be written either, and must not be tried again at the end.
            stop_talking()
        fault = SurroundingsFault(f"{fault.filename or 'output'}: {(fault.strerror or str(fault)).lower()}")
    if isinstance(fault, MemoryError):
        fault = SurroundingsFault("not enough memory; --workers 1 takes less")
    if not isinstance(fault, YurtError):
        raise fault
    from yurt.cli.talk import say_fault

    say_fault(fault)
    return fault.exit_code


def _terminated(number: int, frame: FrameType | None) -> NoReturn:
    raise SystemExit(128 + number)
