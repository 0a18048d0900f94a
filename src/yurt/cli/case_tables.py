"""Cases on the screen: a summary of each field, values side by side, and one case in full."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from yurt.cli.talk import visible
from yurt.core.base.labels import ACCEPT, HANDLE, REJECT
from yurt.core.formats.common.raw import NOTHING, written

if TYPE_CHECKING:
    from rich.console import Console

    from yurt.core.cases.case import Case
    from yurt.core.cases.suite import Options, Suite

WIDEST = 22
# The colours of the outcomes.
TINTS = {ACCEPT: "green", HANDLE: "yellow", REJECT: "red"}
# The number of rejected values shown per field.
REJECTED_SHOWN = 4


def console_of() -> Console:
    """Return a console that is as wide as the terminal, or wide enough for a file."""
    import sys

    from yurt.cli.talk import console

    return console(None if sys.stdout.isatty() else 200)


def shown(value: Any) -> str:
    """Return a value as a table shows it; characters that cannot be seen are shown as codes."""
    if value is NOTHING:
        return "(absent)"
    if value is None:
        return "(null)"
    text = str(value) if isinstance(value, str) else written(value)
    if not text:
        return '""'
    return visible(text)


def cut(text: str, width: int = WIDEST) -> str:
    return text if len(text) <= width else text[: width - 1] + "…"


def summary(suite: Suite, options: Options) -> None:
    """Show the cases of a record type: one line per field, then the values side by side."""
    from rich import box
    from rich.table import Table
    from rich.text import Text

    console = console_of()
    words = f": {len(suite.cases):,} cases, {suite.outcomes}; as {options.text_format.name.upper()}"
    console.print(Text.assemble((suite.record.name, "bold"), words))
    techniques = [
        each for each in (*options.techniques, "combinatorial") if any(c.technique == each for c in suite.cases)
    ]
    techniques = list(dict.fromkeys(techniques))
    table = Table(box=box.SIMPLE_HEAD, padding=(0, 1), show_edge=False)
    table.add_column("target")
    for each in techniques:
        table.add_column(each, justify="right", header_style="bold")
    outcomes = [(each, tint) for each, tint in TINTS.items() if any(case.expected == each for case in suite.cases)]
    for each, tint in outcomes:
        table.add_column(each, justify="right", style=tint)
    table.add_column("coverage", justify="right")
    for target in dict.fromkeys(each.target for each in [*suite.cases, *(case for case, _ in suite.left_out)]):
        own = [each for each in suite.cases if each.target == target]
        missed = sum(case.target == target for case, _ in [*suite.left_out, *suite.unsaid])
        counts = [sum(each.technique == name for each in own) for name in techniques]
        ends = [sum(each.expected == outcome for each in own) for outcome, _ in outcomes]
        share = len(own) / (len(own) + missed) if own or missed else 1.0
        table.add_row(
            Text(cut(target, 34)), *(f"{count:,}" if count else "" for count in (*counts, *ends)), f"{share:.0%}"
        )
    console.print(table)
    console.print()
    _side_by_side(suite, console)
    _missed(suite, options, console)


def _missed(suite: Suite, options: Options, console: Console) -> None:
    from rich.text import Text

    for case, why in suite.left_out:
        console.print(Text(f"left out: {case.id}: {why}", style="yellow"))
    if suite.unsaid:
        reasons: dict[str, int] = {}
        for _, why in suite.unsaid:
            reasons[why] = reasons.get(why, 0) + 1
        for why, count in reasons.items():
            console.print(Text(f"not in {options.form}: {count:,} cases: {why}", style="dim"))
    for name, count in suite.roots.items():
        words = f"the cases refer to {count:,} {name} rows: generate {name} with --count {count}"
        console.print(Text(words, style="dim"))
    if suite.passed_over:
        console.print(Text(f"passed over: {suite.passed_over:,} cases: {suite.why_passed}", style="dim"))
    seed = suite.run.words if suite.run is not None else ""
    console.print(Text(f"{seed}; --explain ID shows one case, --out FILE writes all", style="dim"))


def _side_by_side(suite: Suite, console: Console) -> None:
    """Show for each field a value at the minimum, a nominal one, one at the maximum, and some rejected values."""
    from rich import box
    from rich.table import Table
    from rich.text import Text

    table = Table(box=box.SIMPLE_HEAD, padding=(0, 1), show_edge=False)
    for name, style in (
        ("field", ""),
        ("lowest", "green"),
        ("nominal", ""),
        ("highest", "green"),
        ("to reject", "red"),
    ):
        table.add_column(name, style=style, no_wrap=True, overflow="ellipsis")
    for field in suite.record.shown:
        own = [
            (case, shown(suite.rows.value(field.name, at)))
            for at, case in enumerate(suite.cases)
            if case.target == field.name
        ]
        if not own:
            continue
        low, high = _first(own, ("low", "shortest")), _first(own, ("high", "longest"))
        listed = [value for case, value in own if case.listed and case.valid]
        if low is None and listed:
            low, high = listed[0], listed[-1]
        bad = list(dict.fromkeys(cut(value, 14) for case, value in _varied(own) if not case.valid))
        more = f"  + {len(bad) - REJECTED_SHOWN}" if len(bad) > REJECTED_SHOWN else ""
        table.add_row(
            Text(field.name), Text(cut(low or "")), Text(cut(shown(suite.rows.value(field.name, 0)))),
            Text(cut(high or "")),
            Text("  ".join(bad[:REJECTED_SHOWN]) + more),
        )  # fmt: skip
    if table.row_count:
        console.print(table)
        console.print()


def _varied(own: list[tuple[Case, str]]) -> list[tuple[Case, str]]:
    """Put cases that break different rules first."""
    order = (
        "range",
        "list",
        "pattern",
        "length",
        "step",
        "check digit",
        "month",
        "weekday",
        "holiday",
        "reference",
        "unique",
    )
    ranked = {rule: at for at, rule in enumerate(order)}
    seen: dict[str, int] = {}
    keyed = []
    for case, value in own:
        seen[case.violates] = seen.get(case.violates, 0) + 1
        keyed.append((seen[case.violates], ranked.get(case.violates, 20), case, value))
    return [(case, value) for _, _, case, value in sorted(keyed, key=lambda each: each[:2])]


def _first(own: list[tuple[Case, str]], items: tuple[str, ...]) -> str | None:
    return next((value for case, value in own if case.valid and case.item in items), None)


def explained(suite: Suite, wanted: str) -> None:
    """Show one case in full."""
    from rich import box
    from rich.table import Table
    from rich.text import Text

    from yurt.core.base.errors import UsageFault
    from yurt.core.base.nearest import did_you_mean

    by_id = {case.id: at for at, case in enumerate(suite.cases)}
    missed = {case.id: why for case, why in [*suite.left_out, *suite.unsaid]}
    if wanted in missed:
        click.echo(f"{wanted}: left out: {missed[wanted]}")
        return
    if wanted not in by_id:
        begun = [each for each in by_id if each.startswith(wanted)]
        hint = f"there are {', '.join(begun[:4])}" if begun else did_you_mean(wanted, by_id)
        raise UsageFault(f"there is no case `{wanted}`; " + (hint or f"the first is {next(iter(by_id))}"))
    case = suite.cases[by_id[wanted]]
    console = console_of()
    console.print(Text(case.id, style="bold"))
    console.print()
    outcome = (
        Text(case.expected, style=TINTS[case.expected])
        if case.valid
        else Text(f"reject: {case.target} violates {case.violates}", style="red")
    )
    for name, value in (("technique", case.technique), ("target", case.target), ("item", case.coverage_item),
                        ("expected", outcome), ("reason", case.sentence)):  # fmt: skip
        console.print(Text.assemble((f"{name:<11}", "dim"), value))
    console.print()
    table = Table(box=box.SIMPLE_HEAD, padding=(0, 1), show_edge=False)
    table.add_column("field")
    table.add_column("value")
    fields = [each for each in case.target.split(", ") if each in suite.record.by_name]
    targets = [suite.record.column(each) for each in fields]
    for name, value in suite.rows.leaves(by_id[wanted]):
        here = name in targets or any(name.startswith(each + ".") for each in targets)
        style = ("green" if case.valid else "red") if here else ""
        mark = "  ← the target" if here else ""
        table.add_row(Text(name, style=style), Text(cut(shown(value), 90) + mark, style=style))
    console.print(table)
