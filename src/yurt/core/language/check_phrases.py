"""Checks one phrase: its head, and whether each clause applies to it."""

from __future__ import annotations

from datetime import date

from yurt.core import model
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import TEXT
from yurt.core.heads.from_list import column_of
from yurt.core.heads.registry import rule_of
from yurt.core.kinds.catalogue import KINDS
from yurt.core.kinds.lists import entries
from yurt.core.kinds.locales import every_locale
from yurt.core.language.check_names import NameChecks
from yurt.core.language.check_usual import UsualChecks
from yurt.core.language.field_types import FieldTypes
from yurt.core.model import Field, Phrase, Record, Schema, expressions_in
from yurt.core.model.constants import fold
from yurt.core.model.expressions import drawn_in
from yurt.core.model.restriction import fits, left_of_list, left_of_pattern
from yurt.core.planning.bounds import bounds
from yurt.core.planning.entities import fixed_by, in_play, sexes_in_play
from yurt.core.planning.restrictions import needs_condition
from yurt.core.planning.typing import Typer
from yurt.core.source.diagnostics import Findings


class PhraseScope:
    """The place where a phrase is checked: the record type, the field, and the typer of its expressions."""

    def __init__(self, checks: PhraseChecks, record: Record, field: Field, typer: Typer) -> None:
        self.checks = checks
        self.schema, self.findings, self.today = checks.schema, checks.findings, checks.today
        self.record = record
        self.field = field
        self.typer = typer

    def inside(self, phrase: Phrase) -> None:
        """Check a phrase that is part of this one."""
        self.checks.names.phrase(self.record, self.field, phrase, inside=True)
        self.checks.check(self.record, self.field, phrase, self.typer)


class PhraseChecks:
    """The checks of phrases."""

    def __init__(self, schema: Schema, findings: Findings, today: date, names: NameChecks, types: FieldTypes) -> None:
        self.schema = schema
        self.findings = findings
        self.today = today
        self.names = names
        self.types = types

    def check(self, record: Record, field: Field, phrase: Phrase, typer: Typer) -> None:
        """Note what is wrong with a phrase and with those inside it."""
        rule = rule_of(phrase.head)
        rule.check(phrase.head, phrase, PhraseScope(self, record, field, typer))
        if phrase.missing_if is not None:
            typer.boolean(phrase.missing_if, "the condition of `missing`")
        if phrase.days is not None and not isinstance(phrase.head, model.Date | model.DateTime):
            self.findings.error("`on` and `in` choose the days of a date or datetime", phrase.span)
        elif phrase.days is not None and not (any(phrase.days.weekdays) and any(phrase.days.months)):
            self.findings.error("no day is left", phrase.span)
        if phrase.outliers and (phrase.usually is None or not isinstance(phrase.head, model.Ranged)):
            advice = "`integer 1..100, usually normal(20, 3), outliers 1%`"
            self.findings.error("`outliers` needs a range with `usually`", phrase.span, hint=advice)
        if phrase.in_turn and not isinstance(phrase.head, model.OneOf | model.FromList):
            self.findings.error(
                "`in turn` takes the values of a list one after the other", phrase.span, "one of a | b | c, in turn"
            )
        elif phrase.in_turn and (phrase.usually is not None or getattr(phrase.head, "weighted", False)):
            self.findings.error("values are taken in turn, or by weight", phrase.span)
        if phrase.in_turn and field.body is not phrase:
            self.findings.error(
                "`in turn` belongs to a field as a whole", phrase.span, "a field of its own, perhaps a helper"
            )
        if phrase.weighted_by is not None:
            self._weighted(phrase, phrase.weighted_by)
        if phrase.narrowed is not None:
            alone = field.body is phrase and record.list_around(field.name) is None
            self._narrowed(record, phrase, phrase.narrowed, not alone)
        if phrase.distinct and isinstance(phrase.head, model.Reference):
            self._distinct(record, phrase)
        for track in phrase.tracks:
            self._track(record, field, phrase, track)
        UsualChecks(self.findings, self.schema, self.today).check(phrase, typer)
        for expression in expressions_in(phrase):
            for each in drawn_in(expression):
                PhraseScope(self, record, field, typer).inside(each.phrase)

    def _weighted(self, phrase: Phrase, name: str) -> None:
        target = self.schema.records.get(phrase.head.record) if isinstance(phrase.head, model.Reference) else None
        if not isinstance(phrase.head, model.Reference) or phrase.usually is not None:
            self.findings.error(
                "`weighted by` belongs to a reference without `usually`", phrase.span, "ref hut, weighted by beds"
            )
        elif target is not None and name not in target.by_name:
            hint = did_you_mean(name, target.by_name)
            self.findings.error(f"there is no field `{name}` in `{target.name}`", phrase.span, hint=hint)
        elif target is not None:
            found = self.types.field_type(target, target.by_name[name])
            if found is not None and not found.numeric:
                self.findings.error(f"the weights in `{name}` are {found}, not numbers", phrase.span)

    def _narrowed(self, record: Record, phrase: Phrase, narrowed: model.Restriction, inside: bool) -> None:
        """Note a list or pattern of which no value is left."""
        head = phrase.head
        left: object = True
        if isinstance(head, model.OneOf):
            left = left_of_list(head, narrowed)
        elif isinstance(head, model.Matching):
            left = left_of_pattern(head.pattern, narrowed)
        elif isinstance(head, model.FromList):
            left = any(
                fits(narrowed, each)
                for each in column_of(self.schema, head.name, head.column, self.findings, phrase.span)
            )
        elif phrase.allowed is not None:
            # A usual kind of which no text is allowed gives way to what is.
            left = True
        elif isinstance(head, model.KindOf) and head.name in KINDS:
            left = self._left_of_kind(record, head, narrowed)
            if KINDS[head.name].type != TEXT:
                self.findings.error("`matching` and `without` narrow texts", narrowed.span)
        else:
            self.findings.error("`matching` and `without` narrow a text, a list or a kind", narrowed.span)
        if inside and needs_condition(phrase) and phrase.allowed is None:
            message = "the remaining values cannot be listed, and only a separate field can be drawn again"
            self.findings.error(message, narrowed.span, hint="give it a helper field of its own, and use that")
        if not left:
            self.findings.error(
                "nothing is left", narrowed.span, "a pattern that some of the values match from end to end"
            )

    def _left_of_kind(self, record: Record, head: model.KindOf, narrowed: model.Restriction) -> bool:
        """Return whether every locale (and sex) has a remaining value, for a kind that picks from a list."""
        name, known = head.name, every_locale(self.schema.catalogue)
        listed = KINDS[name].listed
        if listed is None:
            return True
        fixed = fixed_by(record).get(head.about, {})
        locales, sexes = in_play(self.schema, record, fixed), sexes_in_play(self.schema, record, fixed)
        for locale in (head.locale,) if head.locale in known else locales:
            if locale in known:
                found = entries(listed[0], (locale,), self.schema.catalogue).cells
                groups = found.get("sex", [""] * len(found[listed[1]]))
                left = {sex for sex, cell in zip(groups, found[listed[1]], strict=True) if fits(narrowed, cell)}
                wanted = {*groups} & {*sexes, ""}
                # A name for either sex fits both.
                if not wanted <= left and "" not in left - wanted:
                    missing = ", ".join(sorted(wanted - left))
                    what = f"`{name}` of {locale}" + (f" ({missing})" if missing else "")
                    self.findings.error(
                        f"no {what} is left", narrowed.span, "a pattern that some of the values match from end to end"
                    )
        return True

    def _distinct(self, record: Record, phrase: Phrase) -> None:
        if record.parent_field is None or record.parent_field.body is phrase:
            advice = "a count such as `1..5 per hiker`, and a reference to the hiker beside this one"
            self.findings.error(
                "`distinct` keeps the rows of one parent apart, and there is no parent", phrase.span, hint=advice
            )
        elif phrase.usually is not None or phrase.weighted_by is not None:
            self.findings.error("a distinct reference takes each row with the same probability", phrase.span)

    def _track(self, record: Record, field: Field, phrase: Phrase, track: model.Tracks) -> None:
        other = record.by_name.get(track.name)
        if other is None:
            hint = did_you_mean(track.name, record.by_name)
            self.findings.error(f"there is no field `{track.name}` in `{record.name}`", track.span, hint=hint)
            return
        for each in (field, other):
            head, usual = each.head, each.phrases[0].usually
            if not isinstance(head, model.Ranged) or each.unique:
                what = "numbers, dates and times of one range, not unique"
                self.findings.error(f"`{each.name}` cannot be correlated", track.span, what)
                return
            if each.phrases[0].days is not None and isinstance(
                usual, model.NamedDistribution | model.Mixture | model.Histogram
            ):
                message = f"`{each.name}` cannot be correlated: it has a distribution on chosen days"
                self.findings.error(message, track.span, "either `usually`, or `on` and `in`")
                return
            mixed = isinstance(usual, model.Mixture) or each.phrases[0].outliers
            if mixed and (isinstance(usual, model.Profile) or each.phrases[0].days is not None):
                message = f"`{each.name}` cannot be correlated: it has outliers beside chosen days or hours"
                self.findings.error(message, track.span)
                return
            shares = isinstance(usual, model.Profile) and (usual.weekdays or usual.months)
            if (mixed or shares) and not self._same_for_all_rows(head, usual):
                message = f"`{each.name}` cannot be correlated: its range or mixture differs from row to row"
                self.findings.error(message, track.span, "fixed bounds and arguments")

    def _same_for_all_rows(self, head: model.Ranged, usual: model.Usual | None) -> bool:
        """Return whether bounds and arguments are constants."""
        return bounds(head, self.today) is not None and all(
            fold(each, self.today) is not None for each in expressions_in(usual)
        )
