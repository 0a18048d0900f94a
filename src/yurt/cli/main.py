"""The program `yurt`: its commands and its exit status."""

from __future__ import annotations

import gc
import os
import signal
import sys
from importlib import import_module
from types import FrameType
from typing import NoReturn

import click

from yurt import __version__

# The number of new objects after which Python looks for garbage.
OBJECTS = 250_000
# Ctrl-C, once it was pressed.
INTERRUPTED: list[int] = []
# The seconds after which an interrupt that Python has ignored comes again.
SOON = 0.01
# The commands in the order in which they are used, each with its line in the help. Each is imported only when it is
# asked for: `yurt.cli.NAME` holds the command NAME.
COMMANDS = {
    "demo": "Write an example schema and its records.",
    "draft": "Write a schema to start from: of files, databases, pages, or other schemas.",
    "check": "Check a schema and describe what it generates.",
    "preview": "Show a few records on screen.",
    "generate": "Generate records as files or on standard output.",
    "reproduce": "Make a run again by its receipt, and compare every byte.",
    "cases": "Derive test cases with expected outcomes.",
    "verify": "Validate existing files against a schema.",
    "coverage": "Measure what existing records cover.",
    "describe": "Write what a schema allows in an open standard.",
    "extend": "Write an existing file again, with new and with cleaned columns.",
    "disguise": "Write existing files again, with substitutes for real values.",
    "serve": "Serve the records over HTTP, as a stand-in for a program.",
    "runs": "List past runs, with the command lines that repeat them.",
    "kinds": "Search the kinds of values, or show one.",
    "functions": "Search the functions of expressions.",
    "formats": "List the formats and their settings.",
}


class Commands(click.Group):
    """A group that imports only the command that is asked for, and suggests the nearest one for an unknown one."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        """Keep the order in which the commands are used: check, look, generate."""
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        """Import the module of a command."""
        if cmd_name not in COMMANDS:
            return None
        found: click.Command = getattr(import_module(f"yurt.cli.{cmd_name}"), cmd_name)
        return found

    def format_commands(self, ctx: click.Context, formatter: click.HelpFormatter) -> None:
        """Write the list of the commands without importing them."""
        with formatter.section("Commands"):
            formatter.write_dl(list(COMMANDS.items()))

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            from yurt.core.base.nearest import did_you_mean

            hint = did_you_mean(args[0], COMMANDS)
            listed = ", ".join(COMMANDS)
            raise click.UsageError(f"there is no command `{args[0]}`" + (f"; {hint}" if hint else f": {listed}"), ctx)
        return super().resolve_command(ctx, args)


@click.group(cls=Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="yurt", message="%(prog)s %(version)s")
def cli() -> None:
    """Generate realistic synthetic records from a schema, for software tests.

    Start with `yurt demo`: it writes a schema with its records and shows what to try next.
    """


def main() -> NoReturn:
    """Run the program. Exit status: 0 success, 1 invalid data or schema, 2 usage, 3 environment, 70 an error of the
    program itself, 130 interrupted, 129 and 143 ended by a signal.
    """
    # Imports and schemas make tens of thousands of objects that stay: to look for garbage among them takes longer than
    # to read the schema.
    gc.set_threshold(OBJECTS, 10, 10)
    for ending in ("SIGTERM", "SIGHUP"):
        if hasattr(signal, ending):
            signal.signal(getattr(signal, ending), _terminated)
    if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
        signal.signal(signal.SIGINT, _interrupted)
        sys.unraisablehook = _ignored
    if any("://" in each for each in sys.argv):
        from yurt.cli.hiding import hide_secrets

        hide_secrets(sys.argv[1:])
    status = run()
    if signal.getsignal(signal.SIGINT) is _interrupted:
        # What was to be done is done, and its status stays.
        signal.signal(signal.SIGINT, signal.SIG_IGN)
        if hasattr(signal, "setitimer"):
            signal.setitimer(signal.ITIMER_REAL, 0)
    sys.exit(status)


def run() -> int:
    """Run the program with the arguments of the process, and return its exit status."""
    try:
        if "_YURT_COMPLETE" in os.environ:
            cli.main(prog_name="yurt")
        # Not `cli.main()`: it ends a closed pipe with exit status 1.
        with cli.make_context("yurt", sys.argv[1:]) as context:
            cli.invoke(context)
        sys.stdout.flush()
        if (files := sys.modules.get("yurt.core.base.files")) is not None and files.REMOVED:
            listed = ", ".join(map(str, files.REMOVED))
            click.echo(f"removed what a run that was ended by force had left: {listed}", err=True)
        return 0
    except click.exceptions.Exit as ended:
        return ended.exit_code
    except click.ClickException as fault:
        fault.show()
        return fault.exit_code
    except (KeyboardInterrupt, click.Abort):
        return _say_interrupted()
    except BrokenPipeError:
        from yurt.cli.talk import stop_talking

        stop_talking()
        return 0
    except Exception as fault:
        # A library of a database may raise something of its own in place of the interrupt.
        return _say_interrupted() if INTERRUPTED else _told(fault)


def _told(fault: Exception) -> int:
    """Report a fault; anything else is an error of the program, with a report in a file."""
    from yurt.core.base.errors import SurroundingsFault, YurtError

    if isinstance(fault, OSError):
        if fault.filename is None:
            from yurt.cli.talk import stop_talking

            # What is left in the buffer cannot be written either, and must not be tried again at the end.
            stop_talking()
        fault = SurroundingsFault(f"{fault.filename or 'output'}: {(fault.strerror or str(fault)).lower()}")
    if isinstance(fault, RecursionError):
        fault = SurroundingsFault(
            "something in the input is nested too deeply, or follows from itself over too many steps"
        )
    if isinstance(fault, MemoryError):
        fault = SurroundingsFault("not enough memory; --workers 1 takes less")
    if not isinstance(fault, YurtError):
        from yurt.cli.hiding import reported

        return reported(fault)
    from yurt.cli.talk import say_fault

    say_fault(fault)
    return fault.exit_code


def _say_interrupted() -> int:
    click.echo("interrupted; no partial files were left", err=True)
    return 130


def _interrupted(number: int, frame: FrameType | None) -> NoReturn:
    INTERRUPTED.append(number)
    raise KeyboardInterrupt


def _ignored(told: sys.UnraisableHookArgs) -> None:
    """Interrupt once more, soon: Python ignores what is raised where an object ends."""
    if told.exc_type is KeyboardInterrupt and hasattr(signal, "setitimer"):
        signal.signal(signal.SIGALRM, _interrupted)
        signal.setitimer(signal.ITIMER_REAL, SOON)
    else:
        sys.__unraisablehook__(told)


def _terminated(number: int, frame: FrameType | None) -> NoReturn:
    raise SystemExit(128 + number)
