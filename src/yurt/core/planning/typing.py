"""The type of every expression, found before anything is generated; a mismatch is noted at its place."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from yurt.core.base.nearest import did_you_mean
from yurt.core.base.types import BOOLEAN, INTEGER, NESTED, NULL, TEXT, Type, arithmetic, unify
from yurt.core.model.expressions import (
    Binary,
    Call,
    Choice,
    Draw,
    Expression,
    Literal,
    Matching,
    Member,
    Membership,
    Name,
    NullTest,
    Template,
    Unary,
    literal_type,
)
from yurt.core.model.functions import FUNCTIONS, OF_SIBLINGS
from yurt.core.source.diagnostics import Findings, Span

# A scope gives the type of a name or a member; it notes unknown ones itself and then returns None.
NameType = Callable[[Name], Type | None]
MemberType = Callable[[Member], Type | None]
PhraseType = Callable[[Any], Type | None]


class Typer:
    """Finds types in one record's scope. None stands for "already reported"."""

    def __init__(
        self, findings: Findings, of_name: NameType, of_member: MemberType, of_phrase: PhraseType, siblings: bool
    ) -> None:
        self.findings = findings
        self.of_phrase = of_phrase
        self.siblings = siblings
        self.of_name = of_name
        self.of_member = of_member

    def type_of(self, expression: Expression) -> Type | None:
        """Return the type of an expression, or None if a mistake in it has been noted."""
        match expression:
            case Literal(value, _):
                return literal_type(value)
            case Name():
                found = self.of_name(expression)
                if found == NESTED:
                    message = f"`{expression.name}` is a record, not a value"
                    self.findings.error(message, expression.span, hint="use one of its fields, or `is null`")
                    return None
                return found
            case Member():
                return self.of_member(expression)
            case Unary(operator, operand, span):
                return self._unary(operator, self.type_of(operand), span)
            case Binary():
                return self._binary(expression)
            case Choice(condition, then, otherwise, span):
                self.boolean(condition, "the condition after `if`")
                return self._together(self.type_of(then), self.type_of(otherwise), span, "`then` and `else`")
            case Membership(item, options, span):
                first = self.type_of(item)
                for each in options:
                    self._comparable(first, self.type_of(each), each.span, "is in a list with")
                return BOOLEAN
            case NullTest(operand, _):
                # A nested record may be missing, too.
                self.of_name(operand) if isinstance(operand, Name) else self.type_of(operand)
                return BOOLEAN
            case Matching(operand, _, span):
                found = self.type_of(operand)
                if found not in (None, TEXT, NULL):
                    self.findings.error(
                        f"`matches` needs text, not {found}", span, hint="text(x) turns a value into text"
                    )
                return BOOLEAN
            case Call():
                return self._call(expression)
            case Draw(phrase, _, _, _):
                return self.of_phrase(phrase)
            case Template(parts, _):
                for part in parts:
                    self.type_of(part)
                return TEXT

    def boolean(self, expression: Expression, what: str) -> None:
        """Note a condition that is not Boolean."""
        found = self.type_of(expression)
        if found not in (None, BOOLEAN, NULL):
            self.findings.error(
                f"{what} is {article(found)}, not a condition", expression.span, "a comparison such as party > 6"
            )

    def _unary(self, operator: str, operand: Type | None, span: Span) -> Type | None:
        if operand is None:
            return None
        if operator == "not" and operand not in (BOOLEAN, NULL):
            self.findings.error(f"`not` needs a condition, not {article(operand)}", span)
        if operator == "-" and not (operand.numeric or operand.family == "duration"):
            self.findings.error(f"`-` needs a number, not {article(operand)}", span)
        return operand

    def _binary(self, node: Binary) -> Type | None:
        if node.operator in ("and", "or"):
            self.boolean(node.left, f"the left side of `{node.operator}`")
            self.boolean(node.right, f"the right side of `{node.operator}`")
            return BOOLEAN
        left, right = self.type_of(node.left), self.type_of(node.right)
        if node.operator == "&":
            return TEXT
        if left is None or right is None:
            return BOOLEAN if node.operator in ("==", "!=", "<", "<=", ">", ">=") else None
        if node.operator in ("==", "!=", "<", "<=", ">", ">="):
            self._comparable(left, right, node.span, "is compared with")
            return BOOLEAN
        found = arithmetic(node.operator, left, right)
        if found is None:
            message = f"`{node.operator}` is not defined between {article(left)} and {article(right)}"
            self.findings.error(message, node.span, hint=_arithmetic_hint(node.operator, left, right))
        return found

    def _comparable(self, left: Type | None, right: Type | None, span: Span, verb: str) -> None:
        lists = [each for each in (left, right) if each is not None and each.name == "list"]
        if lists and NULL not in (left, right):
            self.findings.error("lists are not compared", span, hint="includes(list, x) tells whether a value is in it")
        elif left is not None and right is not None and unify(left, right) is None and left.family != right.family:
            self.findings.error(f"{article(left)} {verb} {article(right)}", span, hint=_comparison_hint(left, right))

    def _together(self, left: Type | None, right: Type | None, span: Span, where: str) -> Type | None:
        if left is None or right is None:
            return left or right
        found = unify(left, right)
        if found is None:
            self.findings.error(f"{where} give different types: {left} and {right}", span)
        return found

    def _call(self, node: Call) -> Type | None:
        types = [self.type_of(each) for each in node.arguments]
        function = FUNCTIONS.get(node.function)
        if function is None:
            name_span = Span(node.span.start, node.span.start + len(node.function))
            hint = did_you_mean(node.function, FUNCTIONS)
            self.findings.error(
                f"unknown function `{node.function}`", name_span, "a function: `yurt functions` lists them", hint
            )
            return None
        if node.function in OF_SIBLINGS and not self.siblings:
            message = f"`{node.function}` depends on rows of the same parent, and this record type has no parent"
            self.findings.error(message, node.span, "a count such as `0..5 per hiker`, and a reference to the hiker")
            return None
        shape = f"{function.shape}: {function.meaning}"
        if not function.least <= len(types) <= function.most:
            self.findings.error(f"`{function.name}` does not take {len(types)} arguments", node.span, shape)
            return None
        for index, found in enumerate(types):
            wanted = function.takes[min(index, len(function.takes) - 1)]
            if wanted == "field" and not isinstance(node.arguments[index], Name):
                advice = "for a calculation give it a name in a helper field"
                self.findings.error(f"`{function.name}` needs a field here", node.arguments[index].span, shape, advice)
                return None
            if (sort := WRITTEN_OUT.get(wanted)) and not _written_out(node.arguments[index], sort[0]):
                self.findings.error(f"`{function.name}` needs {sort[1]} here", node.arguments[index].span, shape)
                return None
            whole = found is not None and found.name == "list" and wanted == "any" and function.name != "text"
            if found is not None and (whole or not _fits(found, wanted)):
                message = (
                    f"`{function.name}` does not take {article(found)}"
                    if wanted == "any"
                    else f"`{function.name}` needs {article(wanted)} here, not {article(found)}"
                )
                self.findings.error(message, node.arguments[index].span, shape)
                return None
        known = [found for found in types if found is not None]
        if len(known) < len(types):
            return None
        gives = function.gives(known, node.arguments)
        if gives is None:
            self.findings.error(f"the arguments of `{function.name}` do not fit together", node.span, shape)
        return gives


# Arguments that must be literal, because the function depends on them in advance.
WRITTEN_OUT: dict[str, tuple[type, str]] = {
    "constant": (str, "a text in quotes"),
    "literal": (int, "a number written out"),
}


def _written_out(argument: Expression, sort: type) -> bool:
    return isinstance(argument, Literal) and type(argument.value) is sort


def _fits(found: Type, wanted: str) -> bool:
    return found == NULL or wanted in ("any", "field", *WRITTEN_OUT, found.name, found.family)


def article(found: Type | str) -> str:
    word = str(found)
    word = {"days": "duration", "period": "duration in months", "real": "number"}.get(word, word)
    return word if word in ("text", "null") else f"{'an' if word[0] in 'aeiou' else 'a'} {word}"


def _arithmetic_hint(operator: str, left: Type, right: Type) -> str | None:
    if TEXT in (left, right) and operator == "+":
        return "`&` joins texts"
    if left.family == "date" and right == INTEGER:
        return "write a duration, such as 3d"
    return None


def _comparison_hint(left: Type, right: Type) -> str | None:
    if {left.family, right.family} == {"number", "duration"}:
        return "days(x) turns a duration into a number"
    if TEXT in (left, right):
        return "a text is compared with a text in quotes; text(x) turns a value into text"
    return None
