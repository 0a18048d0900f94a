"""`yurt runs`: what was made when, and the command lines that make it again."""

from __future__ import annotations

import click

from yurt.cli.options import Whole


@click.command(
    epilog="""\b
Examples:
  yurt runs --keep
  yurt runs
  yurt runs --limit 3 --json
  yurt runs --forget
""",
)
@click.option("--keep", is_flag=True, help="Begin to keep the list of runs. Without it, nothing is noted.")
@click.option("--forget", is_flag=True, help="Delete the list, and note no further runs.")
@click.option("--limit", type=Whole(1, 10_000), default=20, help="The number of runs, the last one first. Default: 20.")
@click.option("--json", "as_json", is_flag=True, help="Write the list as JSON.")
def runs(keep: bool, forget: bool, limit: int, as_json: bool) -> None:
    """List what `generate`, `cases`, and the runs of `serve` have made: when, from which schema and seed.

    The list is a small file in your state folder, and exists only after `yurt runs --keep`. It has no records, only
    command lines; the passwords of databases are left out.
    """
    from yurt.cli.talk import plural, tinted
    from yurt.core.base.errors import UsageFault
    from yurt.core.base.history import History

    history = History()
    if keep and forget:
        raise UsageFault("--keep and --forget exclude one another")
    if forget:
        history.end()
        click.echo("the list of runs is deleted; no further runs are noted", err=True)
        return
    if keep:
        history.begin()
        click.echo(f"runs are noted in {history.path}", err=True)
        return
    found = history.runs(limit)
    if as_json:
        import json

        from yurt.core.base.data_classes import asdict

        click.echo(json.dumps([asdict(each) for each in found], indent=2, ensure_ascii=False))
        return
    if not history.kept:
        click.echo("no runs are noted; `yurt runs --keep` begins a list", err=True)
    elif not found:
        click.echo("no runs yet", err=True)
    for each in found:
        when = each.made[:16].replace("T", " ")
        words = f"{each.schema}, seed {each.seed}, {plural(each.rows, 'row')}, {each.output}"
        click.echo(tinted(f"{each.number:>4}  {when}", bold=True) + f"  {words}")
        click.echo(f"      {each.command}")
