"""Reads YAML by composing nodes, so that every scalar stays as it was written.

Nothing is resolved: `no`, `007`, `1.10`, and `2026-06-01` arrive as these characters, each with its place in the file.
What YAML would silently do to a phrase (cut it at ` #`, drop its backslashes, split it at a comma) is caught here and
reported. After a mistake the reading continues, to find the next one.
"""

from __future__ import annotations

import re
from collections import deque
from collections.abc import Iterable
from typing import Any

import yaml
from yaml.composer import Composer
from yaml.resolver import Resolver

from yurt.core.base.data_classes import replace
from yurt.core.source.diagnostics import Findings, Source, Span
from yurt.core.source.nodes import HALF, Mapping, Node, Scalar, Sequence, Text

MAX_CHARACTERS = 2_000_000
MAX_REPAIRS = 60
MAX_REREAD = 3_000_000
LARGE = 100_000
MAX_NESTING = 100
QUOTE_ADVICE = "put the whole value in single quotes"


def read(findings: Findings, start: int = 0) -> Node | None:
    """Return the root node of the source in `findings`; None if the file is empty or unreadable.

    `start` is the start of the file if it is an included one.
    """
    source = findings.source
    if len(source.text) > MAX_CHARACTERS:
        findings.error(f"the schema is longer than {MAX_CHARACTERS:,} characters", Span(0, 0))
        return None
    # Everything before it is replaced by spaces, so that all offsets remain valid.
    text, broken = re.sub(r"[^\n]", " ", source.text[:start]) + source.text[start:], set[int]()
    # Every repair reads the whole file again.
    for _ in range(max(2, min(MAX_REPAIRS, MAX_REREAD // (len(text) + 1)))):
        try:
            events: list[yaml.Event] = []
            refused = _refused(text, findings, events)
            for spot in refused:
                text = _blank_out(text, spot, broken)
            if not refused:
                root = _Composer(events).get_single_node()
                return _convert(root, source, findings, broken) if root is not None else None
        except yaml.MarkedYAMLError as fault:
            spot = _report(fault, text, findings)
            repaired = _blank_out(text, spot, broken)
            if repaired == text:
                return None
            text = repaired
        except yaml.reader.ReaderError as fault:
            message = f"the character U+{fault.character:04X} is not allowed in YAML"
            findings.error(message, Span(fault.position, fault.position + 1))
            return None
        except RecursionError:
            findings.error("the schema is nested too deeply", Span(0, 0))
            return None
    return None


class _Composer(Composer, Resolver):
    """Makes nodes of the events of a text that was read before."""

    def __init__(self, events: list[yaml.Event]) -> None:
        Composer.__init__(self)
        Resolver.__init__(self)
        self.waiting = deque(events)

    def check_event(self, *kinds: type[yaml.Event]) -> bool:
        """Return whether the next event is one of some kinds."""
        return bool(self.waiting) and (not kinds or isinstance(self.waiting[0], kinds))

    def peek_event(self) -> yaml.Event:
        """Return the next event, and keep it."""
        return self.waiting[0]

    def get_event(self) -> yaml.Event:
        """Return the next event."""
        return self.waiting.popleft()


def events_of(text: str) -> Iterable[yaml.Event]:
    """Return the events of a text: from libyaml where it says the same, else from the reader that reports faults.

    Both are safe: they compose nodes and make no objects. libyaml is twenty times as fast, but accepts tabs and a `?`
    that the other one refuses, and misplaces what is empty. For a large text, this does not matter.
    """
    slow: Iterable[yaml.Event] = yaml.parse(text, Loader=yaml.SafeLoader)
    fast = getattr(yaml, "CSafeLoader", None)
    if fast is None or (len(text) < LARGE and not _is_plain(text)):
        return slow
    try:
        found = list(yaml.parse(text, Loader=fast))
    except (yaml.YAMLError, ValueError):
        return slow
    empty = any(isinstance(each, yaml.ScalarEvent) and not each.value and not each.style for each in found)
    return slow if empty and len(text) < LARGE else found


def _is_plain(text: str) -> bool:
    """Return whether both readers of YAML take a text in the same way."""
    return "?" not in text and text.replace("\n", "").isprintable()


def _refused(text: str, findings: Findings, events: list[yaml.Event]) -> list[int]:
    """Note constructs that schemas do not use (anchors, aliases, tags, more documents); return their places.

    `events` gets all there is in the text.

    Aliases could expand a small file to any size, and tags could name Python objects; none becomes a node.
    """
    documents = 0
    spots: list[int] = []
    depth = 0
    for event in events_of(text):
        what = None
        events.append(event)
        depth += isinstance(event, yaml.CollectionStartEvent) - isinstance(event, yaml.CollectionEndEvent)
        if depth > MAX_NESTING:
            # Before the reader gets slow: its work grows with the square of the depth.
            raise RecursionError
        if isinstance(event, yaml.DocumentStartEvent):
            documents += 1
            what = "a second document" if documents > 1 else None
        elif isinstance(event, yaml.AliasEvent):
            what = "an alias (*name)"
        elif isinstance(event, yaml.NodeEvent) and event.anchor:
            what = "an anchor (&name)"
        elif getattr(event, "tag", None):
            what = "a tag (!name)"
        elif isinstance(event, yaml.ScalarEvent) and (half := HALF.search(event.value)):
            advice = r"write the whole character, or its number in quotes of the phrase: \u{1F600}"
            findings.error(f"U+{ord(half[0]):04X} is half a character", _span(event.start_mark), hint=advice)
            spots.append(_span(event.start_mark).start)
        if what:
            advice = f"remove it; if the value begins with this character, {QUOTE_ADVICE}"
            findings.error(f"{what} is not used in a schema", _span(event.start_mark), hint=advice)
            spots.append(_span(event.start_mark).start)
            if documents > 1:
                break
    return spots


def _span(start: Any, end: Any = None) -> Span:
    """Return the span between two marks of the YAML reader, or of one character."""
    return Span(start.index, end.index if end else start.index + 1)


def _report(fault: yaml.MarkedYAMLError, text: str, findings: Findings) -> int:
    """Note a fault of the YAML itself in our own words; return its offset."""
    mark = fault.problem_mark or fault.context_mark
    spot = min(mark.index, len(text) - 1) if mark else 0
    problem = fault.problem or "not readable as YAML"
    expected, hint = None, None
    start = text.rfind("\n", 0, spot) + 1
    if re.compile(r"\s*(- |[^\s:#][^:#]*:\s+)(\"[^\"\\\n]*\"|'[^'\n]*')[ \t]*[^\s#]").match(text, start):
        message = "the value begins with a quote and continues after the closing one"
        hint = f"{QUOTE_ADVICE}: {_single_quoted_line(text, spot)}"
    elif "mapping values are not allowed" in problem:
        message = "`: ` inside a value; YAML takes it for another key"
        hint = f"{QUOTE_ADVICE}: {_single_quoted_line(text, spot)}"
    elif "unknown escape character" in problem or "escape sequence" in problem:
        spot -= text[spot - 1] == "\\"
        message = "double quotes change backslashes"
        hint = f"use single quotes around the value: {_single_quoted_line(text, spot)}"
    elif "cannot start any token" in problem:
        char = text[spot]
        message = "a tab is not allowed as indentation" if char == "\t" else f"a value cannot begin with `{char}`"
        hint = "indent with spaces" if char == "\t" else f"{QUOTE_ADVICE}: {_single_quoted_line(text, spot)}"
    elif "could not find expected ':'" in problem:
        context = fault.context_mark
        spot = context.index if context else spot
        message, expected = "a line without a colon", "`name: phrase`"
    elif "while scanning a quoted scalar" in (fault.context or ""):
        spot = fault.context_mark.index if fault.context_mark else spot
        message, hint = "a quote that is never closed", "close it on the same line"
    elif "expected <block end>" in problem:
        message, hint = "the indentation does not fit the lines above", "fields of one record begin in one column"
    elif "',' or" in problem:
        message, hint = "a bracket that is never closed", "write one field per line, without braces"
    else:
        message = f"not readable as YAML: {problem}"
    findings.error(message, Span(spot, spot + 1), expected, hint)
    return spot


def _single_quoted_line(text: str, spot: int) -> str:
    """Return the line around `spot` with its value in single quotes."""
    start = text.rfind("\n", 0, spot) + 1
    end = text.find("\n", spot)
    line = text[start : end if end >= 0 else len(text)].strip()
    key, colon, value = line.partition(":")
    value = value.strip()
    value = re.sub(r'^"(/.*/)"|^"([^"]*)"$', r"\1\2", value)
    quoted = value.replace("'", "''")
    return f"{key}{colon} '{quoted}'"


def _blank_out(text: str, spot: int, broken: set[int]) -> str:
    """Replace the value of the line at `spot` with spaces (the whole line the second time), keeping all offsets."""
    start = text.rfind("\n", 0, spot) + 1
    end = text.find("\n", spot)
    end = end if end >= 0 else len(text)
    line = text[start:end]
    key = re.match(r"\s*(- )?[^\s:]+\s*:(?=\s)", line)
    keep = key.end() if key and start not in broken else 0
    broken.add(start)
    return text[: start + keep] + " " * (end - start - keep) + text[end:]


def _convert(node: yaml.Node, source: Source, findings: Findings, broken: set[int]) -> Node:
    if isinstance(node, yaml.ScalarNode):
        return _scalar(node, source, findings, broken)
    span = _span(node.start_mark, node.end_mark)
    flow = bool(getattr(node, "flow_style", False))
    if isinstance(node, yaml.SequenceNode):
        items = tuple(_convert(each, source, findings, broken) for each in node.value)
        return Sequence(items, span, flow)
    entries: list[tuple[Scalar, Node]] = []
    seen: dict[str, int] = {}
    for key_node, value_node in node.value:
        key = _convert(key_node, source, findings, broken)
        if not isinstance(key, Scalar):
            findings.error("a key must be a plain word", key.span)
            continue
        name = key.text.text
        if name == "<<":
            findings.error("a merge key (<<) is not used in a schema", key.span, hint="write the fields out")
            continue
        if name in seen:
            line, _ = source.line_and_column(seen[name])
            message = f"`{name}` occurs twice; the first is on line {line}"
            findings.error(message, key.span, hint="rename or remove one of the two")
            continue
        seen[name] = key.span.start
        value = _convert(value_node, source, findings, broken)
        if flow and isinstance(value, Scalar) and not value.text.text and ":" in name:
            place, share = name.rsplit(":", 1)
            findings.error("there is no space after the colon", key.span, hint=f"write `{place}: {share}`")
            value = replace(value, broken=True)
        entries.append((key, value))
    return Mapping(tuple(entries), span, flow)


def _scalar(node: yaml.ScalarNode, source: Source, findings: Findings, broken: set[int]) -> Scalar:
    start, end = node.start_mark.index, node.end_mark.index
    raw = source.text[start:end]
    value: str = node.value
    line_start = start - node.start_mark.column
    # libyaml says "" where the other reader says None.
    style = node.style or None
    text = Text(value, _positions(raw, start, value, style))
    if style == '"' and any(char < " " for char in value):
        hint = f"use single quotes around the value: {_single_quoted_line(source.text, start)}"
        findings.error("double quotes turned a backslash escape into a control character", Span(start, end), hint=hint)
        return Scalar(text, style, broken=True)
    return Scalar(text, style, line_start in broken)


def _positions(raw: str, start: int, value: str, style: str | None) -> tuple[int, ...]:
    """Return the file offset of each character of `value`, found by walking along its raw text.

    Escapes, doubled quotes, folded lines, and block indentation are all skipped the same way: the walk moves on in the
    raw text until it meets the character. A character made by an escape gets the offset of the escape.
    """
    if raw == value:
        return tuple(range(start, start + len(raw) + 1))
    at, offsets = (1 if style in ("'", '"') else 0), []
    if style in ("|", ">"):
        at = raw.find("\n") + 1
    escapes = re.compile(r"\\(x[0-9A-Fa-f]{2}|u[0-9A-Fa-f]{4}|U[0-9A-Fa-f]{8}|.)", re.DOTALL)
    for char in value:
        if style == '"' and (escape := escapes.match(raw, at)):
            offsets.append(start + at)
            at = escape.end()
            continue
        met = raw.find("\n" if char == " " and raw[at : at + 1] == "\n" else char, at)
        met = at if met < 0 else met
        offsets.append(start + min(met, max(len(raw) - 1, 0)))
        at = met + (2 if style == "'" and char == "'" else 1)
    return (*offsets, (offsets[-1] + 1) if offsets else start)


def cut_by_comment(source: Source, scalar: Scalar) -> str | None:
    """Return the text after ` #` behind a plain scalar on its line, or None."""
    if scalar.style is not None or not scalar.text.text:
        return None
    end = scalar.text.at[-1]
    stop = source.text.find("\n", end)
    rest = source.text[end : stop if stop >= 0 else len(source.text)]
    found = re.match(r"\s+#(.*)", rest)
    return found.group(1) if found else None
