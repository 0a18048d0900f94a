"""Shared definitions of a schema: kinds, value lists, field groups, variants, included files."""

from __future__ import annotations

import re
from collections.abc import Sequence as Sequence_
from pathlib import Path

from yurt.core.base.errors import SurroundingsFault, UsageFault, YurtError
from yurt.core.base.nearest import did_you_mean
from yurt.core.grammar.builder import Known, OwnKind
from yurt.core.grammar.words import CLAUSES, HEADS
from yurt.core.kinds.catalogue import KINDS
from yurt.core.language import build_phrases
from yurt.core.language.long_form import spelled_out
from yurt.core.language.value_lists import Lists
from yurt.core.model import Empirical, FromList, Record, ValueList, phrases_in
from yurt.core.model.words import INCLUDED_KEYS
from yurt.core.source.diagnostics import Findings
from yurt.core.source.named_files import NamedFiles, Unreadable
from yurt.core.source.nodes import Mapping, Node, Scalar, Sequence
from yurt.core.source.yaml_nodes import cut_by_comment
from yurt.core.source.yaml_nodes import read as read_yaml

# The maximum size of a schema file.
MAX_BYTES = 2_000_000
MAX_FILES = 50
OWN_KIND = re.compile(r"(?P<name>[A-Za-z][\w-]*)(\((?P<parameters>\s*[^\W\d]\w*(\s*,\s*[^\W\d]\w*)*\s*)\))?")


class Reuse:
    """Definitions of a schema and of the `files` that it names.

    `varied` has the values that the chosen variants put in place of others, by `record.field`, with their keys.
    """

    def __init__(self, findings: Findings, variants: Sequence_[str], files: NamedFiles) -> None:
        self.findings = findings
        self.variants = variants
        self.files = files
        self.value_lists = Lists(findings, files)
        self.known = Known()
        self.lists: dict[str, ValueList] = {}
        self.field_groups: dict[str, Node] = {}
        self.varied: dict[str, tuple[Scalar, Node]] = {}
        self.ready: dict[str, Mapping] = {}
        self.all_variants: tuple[str, ...] = ()

    def take(self, root: Mapping) -> None:
        """Read kinds, value lists, and field groups of a schema, those of included files first."""
        for key, value in root:
            if key.text.text == "include":
                for each in value.items if isinstance(value, Sequence) else (value,):
                    self.include(each)
        self.definitions(root)

    def include(self, node: Node) -> None:
        """Append a file to the source, so that its mistakes have places too, and read its definitions."""
        if not isinstance(node, Scalar) or node.broken or not node.text.text:
            self.findings.error("`include` names a file, or a list of files", node.span, "include: common.yaml")
            return
        if len(self.findings.source.parts) >= MAX_FILES:
            self.findings.error(f"more than {MAX_FILES} included files", node.span)
            return
        path = self.files.folder / node.text.text
        try:
            text = _decoded(self.files.content(node.text.text, MAX_BYTES, "a schema file beside this one"), path)
        except Unreadable as fault:
            self.findings.error(str(fault), node.span, fault.expected, fault.hint)
            self.findings.incomplete = True
            return
        except YurtError as fault:
            self.findings.error(str(fault), node.span)
            self.findings.incomplete = True
            return
        start = len(self.findings.source.text) + 1
        self.findings.source = self.findings.source.with_part(str(path), text)
        root = read_yaml(self.findings, start)
        if isinstance(root, Mapping):
            known_keys(self.findings, root, INCLUDED_KEYS, "in an included file")
            self.definitions(root)
        elif not self.findings.errors:
            self.findings.error("this file has nothing to include", node.span, "kinds, lists or sets")

    def ready_record(self, name: str) -> Mapping:
        """Return the fields of a ready record of the catalogue, appended to the source once."""
        if name not in self.ready:
            start = len(self.findings.source.text) + 1
            self.findings.source = self.findings.source.with_part(f"{name} of the catalogue", KINDS[name].record)
            root = read_yaml(self.findings, start)
            assert isinstance(root, Mapping), name
            self.ready[name] = root
        return self.ready[name]

    def definitions(self, root: Mapping) -> None:
        """Read the kinds, value lists, and field groups of a file."""
        for key, value in root:
            if key.text.text not in ("kinds", "value-lists", "field-groups"):
                continue
            if not isinstance(value, Mapping):
                self.findings.error(f"`{key.text.text}` has one name per line", key.span, "`name: …`")
                continue
            for name, node in value:
                if key.text.text == "kinds":
                    self.own_kind(name, node)
                elif key.text.text == "field-groups":
                    self.field_groups[name.text.text] = node
                else:
                    # A field that uses an unreadable list is not wrong itself.
                    self.lists[name.text.text] = self.value_lists.read(node) or ValueList({})

    def own_kind(self, key: Scalar, node: Node) -> None:
        """Read a kind of the schema's own: `money(low, high): decimal low..high step 0.50`."""
        found = OWN_KIND.fullmatch(key.text.text)
        text = node.text if isinstance(node, Scalar) else None
        if isinstance(node, Mapping):
            text = spelled_out(node, self.findings)
        if found is None or text is None or not text.text.strip():
            self.findings.error(
                f"`{key.text.text}` is not a kind", key.span, "`name: phrase` or `name(low, high): phrase`"
            )
            return
        parameters = tuple(each.strip() for each in (found["parameters"] or "").split(",") if each.strip())
        if found["name"] in (*HEADS, *CLAUSES) or len(set(parameters)) < len(parameters):
            self.findings.error(f"`{key.text.text}` is a word of the language, or names a parameter twice", key.span)
            return
        own = OwnKind(parameters, text)
        if not parameters:
            build_phrases.phrase(text, self.findings, None, self.known)
        self.known.kinds[found["name"]] = own

    def choose_variants(self, node: Node) -> None:
        """Read the values of the requested variants."""
        known = {key.text.text: value for key, value in node} if isinstance(node, Mapping) else {}
        if not known:
            self.findings.error("`variants` has one name per line", node.span, "`peak: {stay.party: integer 4..12}`")
        self.all_variants = tuple(known)
        for name in self.variants:
            if name not in known:
                raise UsageFault(f"there is no variant `{name}`; " + (did_you_mean(name, known) or ", ".join(known)))
        for name, lines in known.items():
            if not isinstance(lines, Mapping):
                self.findings.error(f"the variant `{name}` replaces fields", lines.span, "`stay.party: integer 4..12`")
                continue
            for key, value in lines:
                # A variant that is not chosen is checked as well, as far as its lines allow.
                if name in self.variants:
                    self.varied[key.text.text] = (key, value)
                elif isinstance(value, Scalar) and not value.broken and not key.text.text.endswith(".count"):
                    build_phrases.phrase(
                        value.text,
                        self.findings,
                        cut_by_comment(self.findings.source, value),
                        self.known,
                        key.text.text.split(".")[-1],
                    )

    def open_files(self, records: dict[str, Record]) -> None:
        """Read the files that phrases name in quotes: `from "routes.csv".name`."""
        for record in records.values():
            for field in record.fields:
                for phrase in phrases_in(field.body):
                    names = [phrase.head.name] if isinstance(phrase.head, FromList) else []
                    names += [phrase.usually.list] if isinstance(phrase.usually, Empirical) else []
                    for name in names:
                        if name.startswith('"') and name not in self.lists:
                            self.lists[name] = self.value_lists.file(name[1:-1], phrase.span) or ValueList({})


def known_keys(findings: Findings, node: Mapping, known: tuple[str, ...], where: str) -> None:
    """Note unknown keys of a mapping."""
    for key, _ in node:
        if key.text.text not in known:
            hint = did_you_mean(key.text.text, known)
            findings.error(f"unknown key `{key.text.text}` {where}", key.span, ", ".join(known), hint)


def text_of_file(path: Path) -> str:
    """Return the text of a schema file; raise YurtError or SurroundingsFault."""
    try:
        with path.open("rb") as stream:
            raw = stream.read(MAX_BYTES + 1)
    except FileNotFoundError:
        raise UsageFault(f"there is no file {path}") from None
    except IsADirectoryError:
        raise UsageFault(f"{path} is a folder, not a schema file") from None
    except OSError as fault:
        raise SurroundingsFault(f"{path} cannot be read: {fault.strerror}") from None
    if len(raw) > MAX_BYTES:
        raise YurtError(f"{path} is larger than {MAX_BYTES:,} bytes, the limit for a schema")
    return _decoded(raw, path)


def _decoded(raw: bytes, path: Path) -> str:
    try:
        return raw.decode("utf-8-sig").replace("\r\n", "\n")
    except UnicodeDecodeError as fault:
        line = raw.count(b"\n", 0, fault.start) + 1
        raise YurtError(f"{path}:{line}: not UTF-8 text (byte 0x{raw[fault.start]:02X})") from None
