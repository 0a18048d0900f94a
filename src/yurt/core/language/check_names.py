"""Checks of names: record types, kinds, locales, and the counts that depend on others."""

from __future__ import annotations

from datetime import date

from yurt.core import model
from yurt.core.base.nearest import did_you_mean, nearest
from yurt.core.grammar.habits import written_here
from yurt.core.grammar.words import HEADS
from yurt.core.kinds.catalogue import KINDS, suggested
from yurt.core.kinds.locales import every_locale
from yurt.core.kinds.synonyms import kinds_by_word
from yurt.core.language.check_kinds import check_kind
from yurt.core.language.check_usual import UsualChecks
from yurt.core.model import Field, Phrase, Record, Schema, Table
from yurt.core.model.expressions import Literal
from yurt.core.planning.typing import Typer
from yurt.core.source.diagnostics import Findings, Span

# The maximum depth of record types counted per parent.
MAX_COUNTED = 100


class NameChecks:
    """The checks of names and counts."""

    def __init__(self, schema: Schema, findings: Findings, today: date) -> None:
        self.schema = schema
        self.findings = findings
        self.today = today
        # Record types whose counts have no cycle.
        self.counted: set[str] = set()

    def locales(self) -> None:
        """Check every locale that the schema or a record type names."""
        known = every_locale(self.schema.catalogue)
        for name, _ in (*self.schema.locales, *(each for one in self.schema.records.values() for each in one.locales)):
            if name not in known:
                hint = did_you_mean(name, known)
                spot = max(self.findings.source.text.find(name), 0)
                span = Span(spot, spot + len(name))
                self.findings.error(f"unknown locale `{name}`", span, "one of " + ", ".join(known), hint)

    def count(self, record: Record, typer: Typer) -> None:
        """Check what a count depends on, and its distribution."""
        count = record.count
        if count.per is not None and count.per not in self.schema.records:
            message = f"`{record.name}` is counted per `{count.per}`, which is not a record type"
            hint = did_you_mean(count.per, self.schema.records)
            self.findings.error(message, count.span, "one of " + ", ".join(self.schema.records), hint)
            return
        if (circle := self._circle(record, (record.name,))) is not None:
            shown = " → ".join(circle[:6]) + (" → …" if len(circle) > 6 else "")
            what = "form a cycle" if circle[-1] in circle[:-1] else "depend on too many others"
            self.findings.error(f"the counts {what}: {shown}", count.span)
        if count.usually is None:
            return
        if not isinstance(count.usually, model.NamedDistribution):
            self.findings.error(
                "a count takes a distribution by its name", count.usually.span, "0..5 per hiker, usually low"
            )
            return
        ends = model.Range(Literal(count.low, count.span), Literal(count.high, count.span))
        phrase = Phrase(model.Integer(ends), count.usually, span=count.span)
        UsualChecks(self.findings, self.schema, self.today).check(phrase, typer)
        for each in count.usually.arguments:
            if not isinstance(each, Literal):
                self.findings.error("this argument is not a number written out", each.span, "normal(3, 1)")

    def _circle(self, record: Record, path: tuple[str, ...]) -> tuple[str, ...] | None:
        """Return the cycle if a count depends on itself, through parents or combined records."""
        if record.name in self.counted:
            return None
        heads = [record.by_name[name].head for name in record.count.combinations if name in record.by_name]
        needed = [head.record for head in heads if isinstance(head, model.Reference)]
        for name in [*([record.count.per] if record.count.per is not None else []), *needed]:
            if name in path or len(path) > MAX_COUNTED:
                return (*path, name)
            if name in self.schema.records and (found := self._circle(self.schema.records[name], (*path, name))):
                return found
        self.counted.add(record.name)
        return None

    def phrase(self, record: Record, field: Field, phrase: Phrase, inside: bool = False) -> None:
        """Check the record types and kinds that a phrase names."""
        head = phrase.head
        if isinstance(head, model.Reference):
            target = self.schema.records.get(head.record)
            if target is None:
                hint = did_you_mean(head.record, self.schema.records)
                listed = ", ".join(self.schema.records)
                self.findings.error(f"there is no record type `{head.record}`", phrase.span, f"one of {listed}", hint)
            elif target.key is None and not any(each.span in self.findings.unreadable for each in target.fields):
                advice = f"make one of its fields `unique`, or add `id: sequence` to `{target.name}`"
                self.findings.error(f"`{target.name}` has no key to refer to", phrase.span, hint=advice)
            if isinstance(field.body, Table):
                self.findings.error("a reference is not possible in a `when` table", phrase.span)
            elif inside:
                advice = f"write `list:` and `nested:` with a field `{head.record}: ref {head.record}`"
                self.findings.error("a reference is not possible as a value of a list", phrase.span, hint=advice)
        if isinstance(head, model.KindOf) and head.name not in KINDS:
            expected = "a type (integer, date, one of, …) or a kind; `yurt kinds` lists them"
            hint = written_here(head.name) or _meant(head.name)
            self.findings.error(f"unknown kind `{head.name}`", phrase.span, expected, hint, unknown=True)
        elif isinstance(head, model.KindOf):
            check_kind(head, phrase, record, self.schema, self.findings, isinstance(field.body, Table))


def _meant(word: str) -> str | None:
    """Return the hint with the kind or type that a word means, or is most similar to."""
    if found := suggested(word):
        return f"did you mean `{found}`?"
    near = nearest(word, [*KINDS, *HEADS, *kinds_by_word()])
    return f"did you mean `{kinds_by_word().get(near, near)}`?" if near else None
