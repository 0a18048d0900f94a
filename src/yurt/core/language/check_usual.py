"""Checks usual values: whether a distribution fits its head, and the arguments fit the distribution."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from yurt.core import model
from yurt.core.base.types import NULL
from yurt.core.distributions.distribution import ANY, CHANCE
from yurt.core.distributions.registry import all_distributions
from yurt.core.heads.from_list import column_of
from yurt.core.model import Phrase, Schema
from yurt.core.model.constants import fold
from yurt.core.model.expressions import Duration, literal_type
from yurt.core.planning.bounds import family_of
from yurt.core.planning.typing import Typer, article
from yurt.core.source.diagnostics import Findings


class UsualChecks:
    """Checks the clause `usually` of one phrase."""

    def __init__(self, findings: Findings, schema: Schema, today: date) -> None:
        self.findings = findings
        self.schema = schema
        self.today = today

    def check(self, phrase: Phrase, typer: Typer) -> None:
        """Note what is wrong with the clause."""
        usual, head = phrase.usually, phrase.head
        if usual is None:
            return
        if isinstance(head, model.OneOf) and head.weighted:
            self.findings.error("a list has either weights or a distribution", usual.span)
        if isinstance(usual, model.Profile):
            self._profile(usual, head)
        elif isinstance(usual, model.NamedDistribution):
            self._named(usual, head, typer)
        elif not isinstance(head, model.Ranged):
            message = f"`usually` with {usual.name} does not apply to this type"
            self.findings.error(message, usual.span, "a range of numbers, dates or times")
        elif isinstance(usual, model.Mixture):
            for part, _ in usual.parts:
                self._histogram(part, head, typer) if isinstance(part, model.Histogram) else self._named(
                    part, head, typer
                )
        elif isinstance(usual, model.Histogram):
            self._histogram(usual, head, typer)
        else:
            self._empirical(usual, head)

    def _profile(self, usual: model.Profile, head: model.Head) -> None:
        hourly = len(set(usual.hours)) > 1
        daily = bool(usual.weekdays or usual.months or len(set(usual.favoured)) > 1)
        if not isinstance(head, model.Date | model.DateTime | model.Time):
            self.findings.error("hours, weekdays and months are those of a date or time", usual.span)
        elif isinstance(head, model.Date) and hourly:
            self.findings.error("a date has no hours", usual.span, "a datetime, or weekdays and months")
        elif isinstance(head, model.Time) and daily:
            self.findings.error("a time of day has no weekday and no month", usual.span, "`hours(…)`")

    def _histogram(self, usual: model.Histogram, head: model.Ranged, typer: Typer) -> None:
        wanted = family_of(head)
        allowed = fold(head.range.low, self.today), fold(head.range.high, self.today)
        for bucket, _ in usual.buckets:
            for end in (bucket.low, bucket.high):
                found = typer.type_of(end)
                if found is not None and found != NULL and found.family != wanted:
                    self.findings.error(f"this end is {article(found)}, not {article(wanted)}", end.span)
            low, high = fold(bucket.low, self.today), fold(bucket.high, self.today)
            if low is not None and high is not None and type(low) is type(high) and _above(low, high):
                self.findings.error("this interval is empty: its minimum is above its maximum", bucket.low.span)
            if any(_alike(*ends) and _above(*ends) for ends in ((allowed[0], high), (low, allowed[1]))):
                message = "this interval is outside the range, and its share would be lost"
                self.findings.error(message, bucket.low.span, "an interval that has values of the range")

    def _empirical(self, usual: model.Empirical, head: model.Ranged) -> None:
        values = column_of(self.schema, usual.list, usual.column, self.findings, usual.span)
        if not values:
            return
        kinds = {literal_type(each).family for each in values}
        if kinds != {family_of(head)}:
            what = " and ".join(sorted(kinds))
            self.findings.error(f"the column holds {what}, not {article(family_of(head))}", usual.span)

    def _named(self, usual: model.NamedDistribution, head: model.Head, typer: Typer) -> None:
        listed = isinstance(head, model.OneOf | model.FromList | model.Reference)
        named = all_distributions().get(usual.name)
        if not isinstance(head, model.Ranged) and not (listed and named is not None and named.over_a_list):
            advice = "a list takes weights: one of a 60% | b 40%" if isinstance(head, model.OneOf) else None
            message = "`usually` does not apply to this type"
            self.findings.error(message, usual.span, "a range, a list or a reference", advice)
            return
        chosen = all_distributions()[usual.name]
        counting = chosen.fits == "counts" and not (isinstance(head, model.Integer) and head.step == 1)
        if counting or (chosen.fits == "numbers" and not isinstance(head, model.Integer | model.DecimalNumber)):
            expected = "an integer with step 1" if counting else "an integer or a decimal"
            self.findings.error(f"`{usual.name}` does not fit this type", usual.span, expected)
            return
        self._arguments(usual, head, typer)
        if (chosen.fixed or listed) and usual.arguments and fold(usual.arguments[0], self.today) is None:
            self.findings.error(f"this argument of `{usual.name}` is the same for all rows", usual.arguments[0].span)

    def _arguments(self, usual: model.NamedDistribution, head: model.Head, typer: Typer) -> None:
        types = [typer.type_of(each) for each in usual.arguments]
        family = family_of(head) if isinstance(head, model.Ranged) else "number"
        wanted: tuple[str, ...] = ("number",) * len(types)
        if family != "number":
            words = {"position": family, "distance": "duration", "number": "number"}
            wanted = tuple(words[each.unit] for each in all_distributions()[usual.name].arguments)
        for argument, found, each in zip(usual.arguments, types, wanted, strict=True):
            if found is not None and found != NULL and found.family != each:
                advice = "such as normal(2026-07-20, 14d)" if family == "date" else None
                self.findings.error(
                    f"this argument is {article(found)}, not {article(each)}", argument.span, hint=advice
                )
        rules = [each.rule for each in all_distributions()[usual.name].arguments]
        for argument, rule in zip(usual.arguments, rules, strict=True):
            value = fold(argument, self.today)
            number = value.microseconds if isinstance(value, Duration) else value
            wrong = isinstance(number, int | Decimal) and (number <= 0 or (rule == CHANCE and number > 1))
            if rule != ANY and wrong:
                self.findings.error(f"this argument of `{usual.name}` must be {rule}", argument.span)


def _alike(one: object, other: object) -> bool:
    numbers = all(isinstance(each, int | Decimal) for each in (one, other))
    return one is not None and (numbers or type(one) is type(other))


def _above(low: object, high: object) -> bool:
    if isinstance(low, Duration) and isinstance(high, Duration):
        return low.microseconds > high.microseconds
    return bool(low > high)  # type: ignore[operator]
