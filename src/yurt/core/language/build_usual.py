"""From the parse trees of `usually`, `on`, and `in` to usual values and allowed days."""

from __future__ import annotations

from yurt.core.base.data_classes import replace
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.public_holidays import is_known, working_week
from yurt.core.base.shares import faulty_sum
from yurt.core.distributions.registry import all_distributions
from yurt.core.grammar.builder import Builder
from yurt.core.grammar.tree import Token, Tree
from yurt.core.model import Days, Empirical, Group, Histogram, Mixture, NamedDistribution, Profile, Range, Usual
from yurt.core.model.words import DAYS, MONTHS
from yurt.core.source.diagnostics import Span

# How many times as frequent as the others the days of `usually on` are.
FAVOUR = 4.0
# The names of the parts of a profile, in their order; an hour is a number.
CYCLES: dict[str, tuple[str, ...]] = {"hours": tuple(map(str, range(24))), "weekdays": DAYS, "months": MONTHS}


class Usuals:
    """Builds the usual values of a phrase."""

    def __init__(self, builder: Builder) -> None:
        self.builder = builder
        self.findings = builder.findings

    def usual(self, clause: Tree) -> Usual:
        """Return the contents of a `usually` clause."""
        span = self.builder.span(clause)
        if clause.data == "usually_on":
            favoured = self.chosen(clause, DAYS, "a weekday")
            return Profile(favoured=tuple(FAVOUR if each else 1.0 for each in favoured), span=span)
        if clause.data == "usually_profile":
            return self._profile(clause, span)
        if clause.data == "usually_as_in":
            return Empirical(*self.builder.list_and_column(clause.children[2], clause.children[3]), span)
        children = clause.children[1:]
        shapes = [self._shape(each) for each in children[::2]]
        if len(shapes) == 1:
            if children[1] is not None:
                self.findings.error("one distribution alone has no weight", self.builder.span(children[1]))
            return shapes[0]
        weights, _ = self.builder.weights(children[1::2], span)
        return Mixture(tuple(zip(shapes, weights, strict=True)), span)

    def _shape(self, tree: Tree) -> NamedDistribution | Histogram:
        span = self.builder.span(tree)
        word, *given = tree.children
        given = [each for each in given if each is not None]
        name = str(word)
        if name == "histogram":
            return self._histogram(given, span)
        for bucket in (each for each in given if each.data == "bucket"):
            at = self.builder.span(bucket)
            self.findings.error(
                "an interval with a share is only possible in `histogram`", at, "histogram(0..9 60%, 10..99 40%)"
            )
            return NamedDistribution("uniform", span=span)
        arguments = tuple(self.builder.build(each) for each in given)
        if name not in all_distributions():
            at = self.builder.place(word)
            known = (*all_distributions(), "histogram", "on", *CYCLES, "as in")
            self.findings.error(f"unknown distribution `{name}`", at, ", ".join(known), did_you_mean(name, known))
            return NamedDistribution("uniform", span=span)
        chosen = all_distributions()[name]
        wanted = len(chosen.arguments)
        if len(arguments) != wanted:
            message = f"`{name}` takes {wanted} argument{'s' * (wanted != 1)}, not {len(arguments)}"
            self.findings.error(message, span, chosen.shape)
            return NamedDistribution("uniform", span=span)
        return NamedDistribution(name, arguments, span)

    def _histogram(self, given: list[Tree], span: Span) -> NamedDistribution | Histogram:
        example = "histogram(0..9 60%, 10..99 40%)"
        if not given or any(each.data != "bucket" for each in given):
            self.findings.error("`histogram` takes intervals with their shares", span, example)
            return NamedDistribution("uniform", span=span)
        ranges = [Range(self.builder.build(each.children[0]), self.builder.build(each.children[1])) for each in given]
        shares = [self.builder.percentage(each.children[2], self.builder.span(each)) for each in given]
        if wrong := faulty_sum([str(each.children[2]) for each in given]):
            self.findings.error(f"the shares add up to {wrong}", span, "100%")
        total = sum(shares) or 1.0
        return Histogram(tuple((each, share / total) for each, share in zip(ranges, shares, strict=True)), span)

    # ---- days, months, hours -----------------------------------------------------------------------------------

    def days(self, clause: Tree, before: Days | None) -> Days:
        """Return the days that `on` and `in` allow."""
        before = before or Days()
        if clause.data == "on_workdays":
            countries = self._countries(clause)
            weeks = [working_week(each) for each in countries]
            return Days(tuple(map(all, zip(*weeks, strict=True))) or before.weekdays, before.months, countries)
        if clause.data == "on":
            return replace(before, weekdays=self.chosen(clause, DAYS, "a weekday"))
        return replace(before, months=self.chosen(clause, MONTHS, "a month"))

    def _countries(self, clause: Tree) -> tuple[str, ...]:
        """Return the countries that `on workdays of` names, or those of the record type."""
        span, example = self.builder.span(clause), "`on workdays of AT`"
        named = {
            str(each): self.builder.place(each)
            for each in clause.children if isinstance(each, Token) and each.type == "WORD"
        }  # fmt: skip
        if not named and not self.builder.known.countries:
            self.findings.error("whose workdays? Each row has a locale of its own", span, example)
        for country, at in (named or dict.fromkeys(self.builder.known.countries, span)).items():
            if not is_known(country):
                self.findings.error(f"the public holidays of `{country}` are not known", at, f"a country: {example}")
        return tuple(each for each in named or self.builder.known.countries if is_known(each))

    def chosen(self, clause: Tree, names: tuple[str, ...], what: str) -> tuple[bool, ...]:
        """Return the names that a clause lists; `fri..mon` continues after the end of the week."""
        found: set[int] = set()
        for stretch in (each for each in clause.children if isinstance(each, Tree)):
            ends = [self._place(each, names, what) for each in stretch.children if each is not None]
            if None in ends:
                return (True,) * len(names)
            found |= set(_round(ends[0] or 0, ends[-1] or 0, len(names)))
        return tuple(each in found for each in range(len(names)))

    def _place(self, word: Token, names: tuple[str, ...], what: str) -> int | None:
        name = str(word)
        if name not in names:
            at = self.builder.place(word)
            expected = ", ".join(names) if len(names) < 24 else "an hour from 0 to 23"
            self.findings.error(f"`{word}` is not {what}", at, expected, did_you_mean(name, names))
            return None
        return names.index(name)

    def _profile(self, clause: Tree, span: Span) -> Profile:
        found: dict[str, tuple[Group, ...]] = {}
        for tree in (each for each in clause.children if isinstance(each, Tree)):
            sort = str(tree.children[0])
            if sort in found:
                self.findings.error(f"`{sort}` occurs twice", self.builder.span(tree))
            found[sort] = self._cycle(tree, CYCLES[sort], sort)
        hours = [1.0] * 24
        for members, share in found.get("hours", ()):
            for hour in (at for at, each in enumerate(members) if each):
                hours[hour] = share / sum(members)
        return Profile(tuple(hours), found.get("weekdays", ()), found.get("months", ()), span=span)

    def _cycle(self, tree: Tree, names: tuple[str, ...], sort: str) -> tuple[Group, ...]:
        """Return groups of hours, weekdays, or months with their shares; unnamed ones share the rest."""
        groups: list[Group] = []
        free = set(range(len(names)))
        span = self.builder.span(tree)
        for part in tree.children[1:]:
            first, last, share = part.children
            ends = [self._place(each, names, f"one of the {sort}") for each in (first, last) if each is not None]
            if None in ends:
                return ()
            places = _round(ends[0] or 0, ends[-1] or 0, len(names))
            amount = self.builder.percentage(share, self.builder.span(part))
            for place in (each for each in places if each not in free):
                self.findings.error(f"`{names[place]}` is in two of the {sort}", self.builder.span(part))
            groups.append((tuple(each in places for each in range(len(names))), amount))
            free -= {*places}
        if wrong := faulty_sum([str(each.children[2]) for each in tree.children[1:]], rest=bool(free)):
            advice = f"100%; {sort} that are not named share the rest"
            self.findings.error(f"the shares add up to {wrong}", span, advice)
        rest = max(1 - sum(share for _, share in groups), 0)
        return (*groups, (tuple(each in free for each in range(len(names))), rest)) if free else tuple(groups)


def _round(first: int, last: int, size: int) -> list[int]:
    """Return the positions from the first to the last, across the end of the cycle if the last comes first."""
    return [each % size for each in range(first, last + 1 if last >= first else last + size + 1)]
