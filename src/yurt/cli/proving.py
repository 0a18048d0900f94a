"""Writes disguised files, and proves afterwards that no original is in them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import click

from yurt.cli.rewriting import Job, Options, Result, Rewriter
from yurt.cli.talk import busy
from yurt.core.base.errors import UsageFault
from yurt.core.base.urls import is_url
from yurt.core.base.working_folder import working_folder

if TYPE_CHECKING:
    from yurt.core.existing.columns import Existing
    from yurt.core.existing.proof import Finding, Proof, Prover
    from yurt.core.model import Schema


class Disguiser(Rewriter):
    """Writes the files of a call with substitutes."""

    # A substitute depends on its value, not on the person of the row.
    new_persons = False

    def __init__(
        self, options: Options, secret: Path | None, report: Path | None, group_by: list[str], proving: bool
    ) -> None:  # fmt: skip
        super().__init__(options)
        self.path, self.report, self.group_by, self.proving = secret, report, group_by, proving
        self.proofs: list[Proof] = []
        self.provers: list[Prover] = []

    def prepare(self) -> None:
        """Get the secret."""
        from yurt.core.existing.proof_report import FORMS
        from yurt.core.keyed.secret import secret_of

        if self.report is not None and self.report.suffix not in FORMS:
            raise UsageFault(f"{self.report}: a proof is a page (.html) or JSON (.json)")
        # A look at the first rows writes no secret either.
        known = self.path if self.path is None or not self.looking or self.path.exists() else None
        self.secret = secret_of(known)

    def run(self) -> list[Result]:
        """Write the new files, and return what became of each."""
        with working_folder(self.beside) as self.folder:
            results = super().run()
        assert self.secret is not None
        drawn = "; other runs have other substitutes, --secret FILE keeps them" if self.secret.drawn else ""
        self.words = f"secret: {self.secret.origin}{drawn}"
        return results

    def checked(self, schema: Schema, jobs: list[Job]) -> None:
        """Refuse columns to group by that a file has not."""
        for each in self.group_by:
            for job in jobs:
                if len(jobs) == 1:
                    self.known_column(each, schema, job, "--group-by")
        if self.proving and any(getattr(each.form, "by_table", False) for each in jobs):
            told = "`transaction=table` fills a table before the proof"
            raise UsageFault(f"{told}; leave it out, or leave out the proof: --no-proof")

    def refusal(self, schema: Schema, jobs: list[Job], rows: list[int], new: Callable[[Job], Existing]) -> str:
        """Prove the new files or tables: with an original in one of them, none is written."""
        if not self.proving:
            return ""
        from yurt.core.existing.proof import Proof

        for job, count in zip(jobs, rows, strict=True):
            if count or is_url(str(self.options.out)):
                self._prove(schema, job, new(job))
            else:
                # A file without rows may not even tell its columns.
                self.proofs.append(Proof(str(job.target)))
        self._look_in_other_files()
        passed = all(each.passed for each in self.proofs)
        return "" if passed else "originals are left in it. Change the lines; `--no-proof` writes without a proof"

    def _prove(self, schema: Schema, job: Job, after: Existing) -> None:
        from yurt.core.existing.proof import Prover
        from yurt.core.existing.treated_columns import calculated_columns, scrubbed_columns, treated_columns

        source = job.source
        record = schema.records[source.file.record]
        folder = self.folder / str(len(self.provers))
        folder.mkdir()
        treated = treated_columns(record, source.file)
        calculated = calculated_columns(record, source.file)
        prover = Prover(source.file, after, treated, scrubbed_columns(record, source.file), calculated, folder)
        known = tuple(each for each in self.group_by if each in after.titles)
        with busy("looking for originals"):
            self.proofs.append(prover.prove(known))
        self.provers.append(prover)

    def _look_in_other_files(self) -> None:
        """Look for the originals of each file in the other new ones."""
        if len(self.provers) > 1:
            from yurt.core.existing.other_files import look_in_other_files

            with busy("looking for originals in the other files"):
                look_in_other_files(self.provers, self.folder)

    def told(self) -> bool:
        """Print the proof, write the report, and return whether no original was found."""
        from yurt.cli.talk import plural, tinted
        from yurt.core.base.files import NewFiles
        from yurt.core.existing.proof_report import FORMS

        if not self.proofs:
            why = "the new rows are on standard output; --out FILE has a proof"
            why = why if self.proving else "as --no-proof asks"
            click.echo(f"not proved: {why}", err=True)
        for proof in self.proofs:
            count = len(proof.treated)
            if (not count and not proof.scrubbed) or not proof.rows:
                told = "there are no rows" if not proof.rows else "no column is treated"
                click.echo(f"proof of {proof.name}: {told}, so there is nothing to prove", err=True)
                continue
            verdict = (
                tinted("no original is left", fg="green") if proof.passed else tinted("originals are left", fg="red")
            )
            click.echo(f"proof of {proof.name}: {verdict} ({plural(count, 'treated column')})", err=True)
            for each in proof.leaks:
                click.echo(f"  leak: {_finding(each)}", err=True)
            for title in proof.not_unique:
                click.echo(f"  `{title}` was unique, and is not any more", err=True)
            for title in proof.repeated:
                click.echo(
                    f"  `{title}`: no value was there twice, and some are now; `encrypt` keeps values different",
                    err=True,
                )
            for title in proof.inconsistent:
                click.echo(f"  `{title}`: equal values have become different", err=True)
            explained = [each for each in proof.findings if each.explanation]
            for each in explained[:SHOWN]:
                click.echo(f"  explained: {_finding(each)}: {each.explanation}", err=True)
            if len(explained) > SHOWN:
                click.echo(f"  … {len(explained) - SHOWN} more; --report lists them", err=True)
            if proof.short:
                told = ", ".join(f"{title} ({count:,})" for title, count in proof.short.items())
                click.echo(f"  values too short to be looked for in other columns: {told}", err=True)
            for title, (there, same) in proof.unchanged.items():
                click.echo(f"  scrubbed: {title}, {same:,} of {plural(there, 'value')} unchanged", err=True)
            if proof.calculated:
                click.echo(f"  calculated, not treated: {', '.join(proof.calculated)}", err=True)
            if proof.partly:
                told = "of other rows, only several words and long numbers were looked for in"
                click.echo(f"  {told}: {', '.join(proof.partly)}", err=True)
            if proof.untouched:
                click.echo(f"  without a line, as before: {', '.join(proof.untouched)}", err=True)
            if proof.grouped:
                told = f"{', '.join(proof.grouped)}: the smallest group has {plural(proof.smallest, 'row')}"
                click.echo(f"  {told}; {plural(proof.alone, 'row')} alone", err=True)
        if self.report is not None:
            with NewFiles(self.options.force) as files:
                files.open(self.report).write(FORMS[self.report.suffix](self.proofs).encode())
            click.echo(f"{self.report}: the proof", err=True)
        return all(each.passed for each in self.proofs)


SHOWN = 6


def _finding(found: Finding) -> str:
    from yurt.cli.talk import plural

    return f"originals of `{found.column}` in {found.where}: {plural(found.rows, 'row')}, the first is {found.first:,}"
