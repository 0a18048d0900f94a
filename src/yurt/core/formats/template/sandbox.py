"""Renders templates that nobody has read: without files, without attributes, and within limits of time and size."""

from __future__ import annotations

import threading
import traceback
from collections.abc import Iterable, Iterator
from typing import Any

from jinja2 import StrictUndefined, nodes
from jinja2.exceptions import SecurityError, TemplateError, TemplateSyntaxError
from jinja2.runtime import Context, LoopContext
from jinja2.sandbox import ImmutableSandboxedEnvironment
from jinja2.utils import Namespace

from yurt.core.base.errors import UsageFault, YurtError
from yurt.core.formats.template.filters import KEPT, OWN
from yurt.core.formats.template.limits import LARGEST, LONGEST, Budget, too_long

BLOCKS = ("head", "records", "foot")
MOST_STEPS = 10_000
LARGE = 10**60
NESTED = (list, tuple, dict, set)


class Environment(ImmutableSandboxedEnvironment):
    """An environment in which nothing has attributes but the loop, and no operator makes large values."""

    intercepted_binops = frozenset(["+", "*", "**", "%"])

    def __init__(self, **settings: Any) -> None:
        super().__init__(**settings)
        # Out of the reach of the template; each thread renders its own block.
        self.own = threading.local()

    def watched(self, values: Iterable[object]) -> Iterator[object]:
        """Yield the values of a loop, as long as there is time."""
        budget: Budget = self.own.budget
        return budget.watched(values)

    def counted(self, value: object) -> str:
        """Return a value as a text that is kept for later, as long as there is room."""
        text = str(value)
        self.own.budget.keep(len(text))
        return text

    def is_safe_attribute(self, obj: object, attr: str, value: object) -> bool:
        return isinstance(obj, LoopContext | Namespace) and not attr.startswith("_")

    def is_safe_callable(self, obj: object) -> bool:
        return obj in (steps, Namespace) or type(obj).__name__ in ("Macro", "LoopContext", "BlockReference")

    def call(__self, __context: Context, __obj: Any, *args: Any, **kwargs: Any) -> Any:  # noqa: N805
        __self.own.budget.check()
        # A macro has its arguments as a list.
        small([*args, *kwargs.values()])
        found = super().call(__context, __obj, *args, **kwargs)
        if isinstance(found, str) and len(found) > LONGEST:
            raise too_long()
        return found

    def call_binop(self, context: Context, operator: str, left: Any, right: Any) -> Any:
        if operator in ("*", "**", "%") and not all(isinstance(each, int | float) or hasattr(each, "quantize")
                                                    for each in (left, right)):  # fmt: skip
            raise SecurityError(f"`{operator}` is for numbers")
        if operator == "**" and (abs(right) > 100 or abs(left) > 10**6):
            raise SecurityError("`**` is for small numbers")
        if operator == "*" and isinstance(left, int) and isinstance(right, int) and max(abs(left), abs(right)) > LARGE:
            raise SecurityError("the numbers are too large")
        if operator == "+" and isinstance(left, str | list | tuple):
            if len(left) + len(right) > LONGEST:
                raise too_long()
            small([left, right])
        return super().call_binop(context, operator, left, right)


def steps(*ends: int) -> range:
    """The function `range` of templates."""
    found = range(*ends)
    if len(found) > MOST_STEPS:
        raise SecurityError(f"a range has at most {MOST_STEPS:,} steps")
    return found


def joined(*parts: object) -> str:
    """The operator `~`."""
    texts = [str(small(each)) for each in parts]
    if sum(map(len, texts)) > LONGEST:
        raise too_long()
    return "".join(texts)


def small(value: object) -> object:
    """Return a value, unless it has too many values inside: lists in lists grow with each step."""
    if not isinstance(value, NESTED):
        return value
    left, waiting = LONGEST, [value]
    while waiting:
        inside = waiting.pop()
        left -= len(inside)
        if left < 0:
            raise too_long()
        values = inside.values() if isinstance(inside, dict) else inside
        waiting += [each for each in values if isinstance(each, NESTED)]
    return value


def bounded(tree: nodes.Template) -> nodes.Template:
    """Put every loop under the watch of a budget, and every `~` and every new list under a limit of its size."""
    for each in tree.find_all(nodes.For):
        each.iter = nodes.Filter(each.iter, "_watched", [], [], None, None)
    # What is gathered before it is written; the writer counts the rest.
    for gathered in tree.find_all((nodes.AssignBlock, nodes.Macro, nodes.CallBlock, nodes.FilterBlock)):
        for output in gathered.find_all(nodes.Output):
            output.nodes = [nodes.Filter(one, "_counted", [], [], None, None) for one in output.nodes]
    _concatenated(tree)
    return tree


def _concatenated(node: nodes.Node) -> None:
    for name, value in node.iter_fields():
        if isinstance(value, nodes.Node):
            _concatenated(value)
            setattr(node, name, _limited(value))
        elif isinstance(value, list):
            for at, each in enumerate(value):
                if isinstance(each, nodes.Node):
                    _concatenated(each)
                    value[at] = _limited(each)


def _limited(node: nodes.Node) -> nodes.Node:
    """Return a node under its limit: a `~`, or a list that holds other values than constants."""
    if isinstance(node, nodes.Concat):
        first, *rest = node.nodes
        return nodes.Filter(first, "_joined", rest, [], None, None, lineno=node.lineno)
    inside: list[nodes.Expr] = []
    if isinstance(node, nodes.List) or (isinstance(node, nodes.Tuple) and node.ctx == "load"):
        inside = node.items
    elif isinstance(node, nodes.Dict):
        inside = [each.value for each in node.items]
    if isinstance(node, nodes.Expr) and not all(isinstance(each, nodes.Const) for each in inside):
        return nodes.Filter(node, "_small", [], [], None, None, lineno=node.lineno)
    return node


class Sandboxed:
    """A template that is rendered block by block."""

    def __init__(self, name: str, text: str, end: str) -> None:
        """Raises UsageFault for a mistake in the template."""
        self.name = name
        self.environment = Environment(
            undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True, keep_trailing_newline=True,
            newline_sequence="\r\n" if end == "\r\n" else "\n", cache_size=0,
        )  # fmt: skip
        own = {each: self.environment.filters[each] for each in KEPT}
        watched = {
            "_watched": self.environment.watched, "_counted": self.environment.counted,
            "_joined": joined, "_small": small,
        }  # fmt: skip
        self.environment.filters = own | OWN | watched
        self.environment.globals = {"range": steps, "namespace": Namespace}
        try:
            tree = self.environment.parse(text)
            for used in tree.find_all((nodes.Include, nodes.Import, nodes.FromImport, nodes.Extends)):
                raise TemplateSyntaxError("a template is a single file, without other templates", used.lineno)
            for loop in tree.find_all(nodes.For):
                if loop.recursive:
                    raise TemplateSyntaxError("a loop cannot be recursive; a macro can", loop.lineno)
            found = {each.name for each in tree.find_all(nodes.Block)}
            if missing := found - set(BLOCKS):
                raise TemplateSyntaxError(f"the blocks are {', '.join(BLOCKS)}, not {', '.join(missing)}", 1)
            if "records" not in found:
                raise TemplateSyntaxError("it has no block `records`: {% block records %} … {% endblock %}", 1)
            code = self.environment.compile(bounded(tree), name, name)
            self.template = self.environment.template_class.from_code(self.environment, code, self.environment.globals)
        except TemplateSyntaxError as fault:
            raise UsageFault(f"{name}, line {fault.lineno}: {fault.message}") from None
        except RecursionError:
            raise UsageFault(f"{name}: it is nested too deep") from None

    def block(self, block: str, **values: object) -> str:
        """Return the text of a block; empty if the template has none of this name.

        Raises YurtError, with the line of the template, if it cannot be rendered.
        """
        if block not in self.template.blocks:
            return ""
        records = values.get("records", ())
        self.environment.own.budget = Budget(len(records) if isinstance(records, list) else 0)
        context = self.template.new_context(values)
        try:
            return "".join(_limited_size(self.template.blocks[block](context)))
        except (TemplateError, TypeError, ValueError, ArithmeticError, LookupError, RecursionError) as fault:
            told = str(fault) or type(fault).__name__
            raise YurtError(f"{self.name}, line {self._line(fault)}: {told.splitlines()[0]}") from None

    def _line(self, fault: BaseException) -> int:
        """Return the line of the template at which an error was raised."""
        lines = [each.lineno for each in traceback.extract_tb(fault.__traceback__) if each.filename == self.name]
        return self.template.get_corresponding_lineno(lines[-1]) if lines and lines[-1] is not None else 1


def _limited_size(parts: Iterable[str]) -> Iterator[str]:
    size = 0
    for each in parts:
        size += len(each)
        if size > LARGEST:
            raise too_long()
        yield each
