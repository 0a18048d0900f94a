"""From the parse tree of a phrase to its model: the head and the clauses."""

from __future__ import annotations

from itertools import islice

from yurt.core.base.data_classes import dataclass, replace
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import TEXT
from yurt.core.grammar import parser
from yurt.core.grammar.builder import Builder, Known, number
from yurt.core.grammar.tree import Tree
from yurt.core.heads.kind import arguments
from yurt.core.heads.registry import built
from yurt.core.heads.substitute import Substitute
from yurt.core.kinds.catalogue import KINDS, Kind, suggested
from yurt.core.kinds.contract import lengths
from yurt.core.language.build_usual import Usuals
from yurt.core.language.open_ranges import usual_of_open
from yurt.core.model import (
    Count,
    Derived,
    Head,
    KindOf,
    ListOf,
    Matching,
    Phrase,
    Reference,
    Restriction,
    Shown,
    TimeSeries,
    Tracks,
    Treatment,
)
from yurt.core.model.expressions import Expression, Literal, walk
from yurt.core.patterns.tree import expression_of
from yurt.core.source.diagnostics import Findings, Span
from yurt.core.source.nodes import Text

OPTIONAL_SHARE = 0.1
# The size of kinds that use other kinds twice each would grow without limit.
MAX_EXPANDED = 5_000
# The number of nodes in an argument that is free.
SMALL = 10
REPEATABLE = ("tracks", "without")
# Clauses about the field as a whole, which are not possible inside a list or `draw(…)`.
OF_THE_FIELD = ("unique", "helper", "optional", "present if", "named", "as", "tracks")


@dataclass
class Draft:
    """The contents of one phrase: the phrase itself and the clauses about the field as a whole."""

    phrase: Phrase
    unique: bool = False
    helper: bool = False
    optional: bool = False
    present_if: Expression | None = None
    named: str | None = None
    shown: Shown | None = None
    # The kind of the catalogue that this line belongs to, and its arguments.
    kind: tuple[Kind, dict[str, tuple[Expression, ...]]] | None = None


class Phrases:
    """Builds the phrase of one text."""

    def __init__(self, text: Text, findings: Findings, known: Known | None = None) -> None:
        self.text = text
        self.findings = findings
        self.known = known or Known()
        self.builder = Builder(text, findings, self.known, self._inner)
        self.usuals = Usuals(self.builder)

    def draft(self, tree: Tree, name: str = "") -> Draft:
        """Return the contents of a phrase; `name` is that of its field, which determines a kind if there is no head."""
        clauses = list(tree.children)
        span = self.builder.span(tree)
        if tree.data == "bare":
            draft = self.kind_by_name(name, span)
        elif (own := self._own_kind(clauses[0])) is not None:
            draft = own
            clauses = clauses[1:]
        else:
            draft = Draft(Phrase(self._head(clauses[0]), span=span))
            clauses = clauses[1:]
        seen: set[str] = set()
        for clause in clauses:
            word = word_of(clause)
            if word in seen and word not in REPEATABLE:
                self.findings.error(f"`{word}` occurs twice", self.builder.span(clause))
            seen.add(word)
            self._clause(draft, clause, word)
        if draft.optional and "missing" not in seen and not draft.phrase.missing:
            draft.phrase = replace(draft.phrase, missing=OPTIONAL_SHARE)
        if draft.unique and draft.phrase.allowed is not None:
            # Which texts of a kind are allowed is not counted.
            self.findings.warn("a unique text is of its pattern, not of the kind that is usual", span)
            draft.phrase = replace(draft.phrase, head=Matching(draft.phrase.allowed), allowed=None, narrowed=None)
        draft.phrase = replace(draft.phrase, span=span)
        if draft.phrase.usually is None and not draft.unique:
            draft.phrase = replace(draft.phrase, usually=usual_of_open(draft.phrase.head, span))
        return draft

    def _clause(self, draft: Draft, clause: Tree, word: str) -> None:
        """Add the contents of a clause."""
        phrase, span = draft.phrase, self.builder.span(clause)
        last = clause.children[-1]
        match word:
            case "usually" if clause.data == "usually_as_kind":
                draft.phrase = self._usually_as(phrase, clause.children[2], span)
            case "usually":
                draft.phrase = replace(phrase, usually=self.usuals.usual(clause))
            case "missing":
                condition = self.builder.build(last) if isinstance(last, Tree) else None
                share = self.builder.percentage(clause.children[1], span)
                draft.phrase = replace(phrase, missing=share, missing_if=condition)
            case "present if":
                draft.present_if = self.builder.build(last)
            case "named":
                draft.named = self.builder.quoted(last)
            case "as":
                always = clause.children[1] is not None
                draft.shown = Shown(self.builder.quoted(last), always, span)
            case "on" | "in":
                draft.phrase = replace(phrase, days=self.usuals.days(clause, phrase.days))
            case "outliers":
                draft.phrase = replace(phrase, outliers=self.builder.percentage(last, span))
            case "in turn":
                draft.phrase = replace(phrase, in_turn=True)
            case "tracks":
                draft.phrase = replace(phrase, tracks=(*phrase.tracks, self._tracks(clause, span)))
            case "matching" | "without":
                draft.phrase = replace(phrase, narrowed=self._narrowed(clause, word, phrase.narrowed, span))
            case "live":
                self._live(draft, span)
            case "locale":
                if isinstance(phrase.head, KindOf):
                    draft.phrase = replace(phrase, head=replace(phrase.head, locale=str(last)))
                else:
                    self.findings.error("`locale` is for kinds that describe a person or a place", span)
            case "weighted by":
                draft.phrase = replace(phrase, weighted_by=str(last))
            case "jitter":
                draft.phrase = replace(phrase, head=self._jittered(phrase.head, clause, span))
            case "domain":
                draft.phrase = replace(phrase, head=self._in_domain(phrase.head, str(last), span))
            case "evenly":
                draft.phrase = replace(phrase, head=self._evenly(phrase.head, span))
            case "distinct":
                draft.phrase = replace(phrase, head=self._distinct(phrase.head, span), distinct=True)
            case _:
                setattr(draft, word, True)

    # ---- clauses -----------------------------------------------------------------------------------------------

    def _usually_as(self, phrase: Phrase, tree: Tree, span: Span) -> Phrase:
        """Return a phrase that draws from a kind, and allows every text of its own pattern."""
        kind, head = self._head(tree), phrase.head
        known = KINDS[kind.name] if isinstance(kind, KindOf) and kind.name in KINDS else None
        own = known is not None and known.type == TEXT and not known.phrase
        if not isinstance(kind, KindOf) or not own or not isinstance(head, Matching):
            example = "such as `text 1..50 of any, usually as email`"
            hint = did_you_mean(kind.name, KINDS) if isinstance(kind, KindOf) and known is None else None
            self.findings.error(
                "`usually as` is for a text or a pattern, and takes a kind that draws texts", span, example, hint
            )
            return phrase
        narrowed = (
            Restriction(expression_of(head.pattern), span=span)
            if lengths([head.pattern]) != (0, None)
            else phrase.narrowed
        )
        return replace(phrase, head=kind, allowed=head.pattern, narrowed=narrowed)

    def _in_domain(self, head: Head, name: str, span: Span) -> Head:
        if isinstance(head, Treatment):
            return replace(head, domain=name)
        self.findings.error("`domain` is for treatments", span, "such as `encrypt, domain guest`")
        return head

    def _evenly(self, head: Head, span: Span) -> Head:
        if isinstance(head, Substitute):
            return replace(head, evenly=True)
        self.findings.error("`evenly` is for substitutes", span, "such as `substitute given-name, evenly`")
        return head

    def _live(self, draft: Draft, span: Span) -> None:
        """Lift the safe ranges of a kind."""
        head = draft.phrase.head
        if draft.kind is not None and draft.kind[0].live:
            draft.phrase = replace(draft.phrase, head=self._of_catalogue(*draft.kind, span, live=True).phrase.head)
            self._warn_of_live(draft.kind[0], span)
        elif isinstance(head, KindOf) and head.name in KINDS and KINDS[head.name].live:
            draft.phrase = replace(draft.phrase, head=replace(head, live=True))
            self._warn_of_live(KINDS[head.name], span)
        else:
            self.findings.error("`live` lifts the safe range of a kind, and there is none here", span)

    def _warn_of_live(self, kind: Kind, span: Span) -> None:
        self.findings.warn(f"`{kind.name}, live` may meet real ones", span, f"without `live`: {kind.safe}")

    def _tracks(self, clause: Tree, span: Span) -> Tracks:
        rank = float(self.builder.number(clause.children[3]))
        if not -1 < rank < 1:
            self.findings.error("a rank correlation lies between -1 and 1", span, "such as `tracks altitude by 0.6`")
            rank = 0.0
        return Tracks(str(clause.children[1]), rank, span)

    def _narrowed(self, clause: Tree, word: str, before: Restriction | None, span: Span) -> Restriction:
        before = before or Restriction()
        if word == "matching":
            source = self.builder.pattern(clause.children[-1])
            return Restriction(source or "", before.without, span)
        without = self.builder.quoted(clause.children[-1])
        if not without:
            self.findings.error("`without` nothing", span, 'the characters to leave out: without "#&"')
        return Restriction(before.matching, before.without + without, span)

    def _jittered(self, head: Head, clause: Tree, span: Span) -> Head:
        jitter = self.builder.duration(clause.children[-1])
        if not isinstance(head, TimeSeries) or not jitter.microseconds:
            advice = "`every 15min from 2026-06-15T00:00, jitter 2min`"
            self.findings.error("`jitter` is a length in d, h, min, s or ms beside `every`", span, advice)
            return head
        return replace(head, jitter=jitter.microseconds)

    def _distinct(self, head: Head, span: Span) -> Head:
        if isinstance(head, ListOf):
            return replace(head, distinct=True)
        if not isinstance(head, Reference):
            self.findings.error("`distinct` belongs to a list or to a reference", span, "a single field is `unique`")
        return head

    # ---- phrases inside phrases --------------------------------------------------------------------------------

    def _inner(self, tree: Tree, where: str) -> Phrase:
        """Return the phrase of a value that is part of another one."""
        if (own := self._own_kind(tree)) is not None:
            return own.phrase
        if tree.data not in ("phrase", "bare"):
            return Phrase(self._head(tree), span=self.builder.span(tree))
        for clause in tree.children[1:]:
            if (word := word_of(clause)) in OF_THE_FIELD:
                span = self.builder.span(clause)
                self.findings.error(f"`{word}` is not possible inside {where}", span)
        draft = self.draft(tree)
        if isinstance(draft.phrase.head, Reference | ListOf | TimeSeries):
            what = {Reference: "a reference", ListOf: "a list", TimeSeries: "a series"}[type(draft.phrase.head)]
            self.findings.error(f"{what} is not possible inside {where}", draft.phrase.span)
            return Phrase(Derived(Literal(None, draft.phrase.span)), span=draft.phrase.span)
        return draft.phrase

    # ---- kinds -------------------------------------------------------------------------------------------------

    def _head(self, tree: Tree) -> Head:
        """Return the head of a tree, without its safe range if the schema lifts it."""
        head = built(tree, self.builder)
        return replace(head, live=True) if isinstance(head, KindOf) and head.name in self.known.live else head

    def kind_by_name(self, name: str, span: Span) -> Draft:
        """Return the kind that the name of a field suggests."""
        kind = name.replace("_", "-")
        if kind in self.known.kinds:
            return self._expanded(kind, (), span)
        found = suggested(name)
        if found is None:
            message = f"`{name}` has no phrase" if name else "the type is missing"
            expected = "a type such as `integer 1..12`, or a kind; the name alone suggests none"
            self.findings.error(message, span, expected, did_you_mean(kind, self.known.kinds))
        if found is not None and KINDS[found].phrase:
            return self._of_catalogue(KINDS[found], {}, span)
        head = KindOf(found, guessed=True) if found is not None else Derived(Literal(None, span))
        return Draft(Phrase(head, span=span))

    def _own_kind(self, tree: Tree) -> Draft | None:
        """Return the draft of a kind that the schema defines itself; None for any other head."""
        if tree.data != "kind":
            return None
        name, *given, _, of = tree.children
        span = self.builder.span(tree)
        shipped = str(name) not in self.known.kinds
        if shipped and (str(name) not in KINDS or not KINDS[str(name)].phrase):
            return None
        if of is not None:
            self.findings.error("`of` is for kinds that describe a person or a place", span)
        given = [each for each in given if each is not None]
        if shipped:
            return self._of_catalogue(KINDS[str(name)], dict(arguments(self.builder, str(name), tree, given)), span)
        for each in given:
            if each.children[0] is not None or each.children[1].data == "several":
                self.findings.error("the kinds of a schema take values without names", span)
                return Draft(Phrase(Derived(Literal(None, span)), span=span))
        return self._expanded(str(name), tuple(self.builder.build(each.children[1]) for each in given), span)

    def _of_catalogue(
        self, kind: Kind, given: dict[str, tuple[Expression, ...]], span: Span, live: bool = False
    ) -> Draft:
        """Return the draft of a kind of the catalogue that is defined by a line of the language."""
        bound: dict[str, Expression] = {}
        for name, parameter in kind.parameters.items():
            default = Text(parameter.default, (span.start,) * (len(parameter.default) + 1))
            value = given[name][0] if name in given else Phrases(default, self.findings).builder.expression(default)
            bound[name] = value if value is not None else Literal(None, span)
        live = live or kind.name in self.known.live
        written = kind.live if live and isinstance(kind.live, str) else kind.phrase
        text = Text(written, (span.start,) * (len(written) + 1))
        known = Known({}, bound, self.known.drawn, self.known.expanded, self.known.live, self.known.countries)
        tree = parser.parse(text, "phrase", self.findings)
        assert tree is not None, kind.name
        draft = Phrases(text, self.findings, known).draft(tree)
        self.known.drawn = known.drawn
        return replace(draft, phrase=replace(draft.phrase, kind=kind.name), kind=(kind, given))

    def _expanded(self, name: str, arguments: tuple[Expression, ...], span: Span) -> Draft:
        own = self.known.kinds[name]
        nothing = Draft(Phrase(Derived(Literal(None, span)), span=span))
        if len(arguments) != len(own.parameters):
            shape = f"{name}({', '.join(own.parameters)})" if own.parameters else name
            message = f"`{name}` takes {len(own.parameters)} arguments, not {len(arguments)}"
            self.findings.error(message, span, shape)
            return nothing
        # Arguments replace every mention of a parameter: kinds of kinds would double them again and again.
        self.known.expanded[0] += 1 + sum(_size(each) // SMALL for each in arguments)
        if self.known.expanded[0] > MAX_EXPANDED:
            self.findings.error(f"kinds of the schema's own are used more than {MAX_EXPANDED:,} times", span)
            return nothing
        # A kind may only use earlier ones, so that no cycle is possible.
        names = list(self.known.kinds)
        earlier = {each: self.known.kinds[each] for each in names[: names.index(name)]}
        bound = dict(zip(own.parameters, arguments, strict=True))
        known = Known(earlier, bound, self.known.drawn, self.known.expanded, self.known.live, self.known.countries)
        tree = parser.parse(own.phrase, "phrase", self.findings)
        if tree is None:
            return nothing
        draft = Phrases(own.phrase, self.findings, known).draft(tree)
        self.known.drawn = known.drawn
        return draft


def _size(expression: Expression) -> int:
    """Return the number of nodes of an expression, up to the limit."""
    return sum(1 for _ in islice(walk(expression), SMALL * MAX_EXPANDED))


def word_of(clause: Tree) -> str:
    """Return the word of a clause."""
    name = str(clause.data)
    short = {"narrowed": "matching", "shown": "as", "in_months": "in", "on_workdays": "on", "weighted": "weighted by"}
    return "usually" if name.startswith("usually") else short.get(name, name.replace("_", " "))


def phrase(
    text: Text, findings: Findings, cut: str | None = None, known: Known | None = None, name: str = ""
) -> Draft | None:
    """Read a text as a phrase; None if it cannot be parsed."""
    known = (
        Known(known.kinds, expanded=known.expanded, live=known.live, countries=known.countries)
        if known is not None
        else Known()
    )
    tree = parser.parse(text, "phrase", findings, cut)
    return Phrases(text, findings, known).draft(tree, name) if tree is not None else None


def expression(text: Text, findings: Findings, cut: str | None = None) -> Expression | None:
    """Read a text as an expression; None if it cannot be parsed."""
    return Phrases(text, findings).builder.expression(text, cut)


def count(text: Text, findings: Findings) -> Count:
    """Read the count of a record type: `24`, `20..30`, `0..5 per hiker`, or `every combination of size, colour`."""
    span = text.span()
    tree = parser.parse(text, "count", findings) if text.text.strip() else None
    if tree is None:
        if not text.text.strip():
            findings.error("the count is missing", text.span(0, 1), parser.COUNT_EXAMPLE)
        return Count(0, 0, span=span)
    if tree.data == "combinations":
        return Count(0, 0, combinations=tuple(str(each) for each in tree.children[1:]), span=span)
    low_tree, high_tree, _, per, usually = tree.children
    low = number(low_tree, text, findings)
    high = number(high_tree, text, findings) if high_tree is not None else low
    if not isinstance(low, int) or not isinstance(high, int) or high < low:
        findings.error("a count is a whole number, the lower one first", span, parser.COUNT_EXAMPLE)
        return Count(0, 0, span=span)
    usual = Phrases(text, findings).usuals.usual(usually) if usually is not None else None
    return Count(low, high, str(per) if per is not None else None, usual, span=span)
