"""Reads a whole schema file."""

from __future__ import annotations

import re
from datetime import date
from pathlib import Path

from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import did_you_mean
from yurt.core.kinds import own_lists
from yurt.core.kinds.catalogue import KINDS
from yurt.core.language.read_context import ReadContext, countries_of
from yurt.core.language.read_output import read_output
from yurt.core.language.read_records import RecordReader
from yurt.core.language.reuse import known_keys
from yurt.core.language.scopes import resolved, with_plain_words
from yurt.core.language.value_lists import optional_where_empty
from yurt.core.model import (
    Record,
    Schema,
)
from yurt.core.model.words import SCHEMA_KEYS
from yurt.core.planning.restrictions import with_conditions
from yurt.core.source.diagnostics import Span
from yurt.core.source.nodes import Mapping, Node, Scalar

# The maximum number of record types per schema.
MAX_RECORDS = 500


class SchemaReader:
    """Reads a schema from the nodes of its file."""

    def __init__(self, context: ReadContext) -> None:
        self.context = context

    def schema(self, root: Mapping) -> Schema:
        found = {key.text.text: value for key, value in root}
        known_keys(self.context.findings, root, SCHEMA_KEYS, "at the top of a schema")
        if "yurt" not in found:
            self.context.findings.error("the version line is missing", Span(0, 1), "`yurt: 1` at the top")
        elif self.context.plain(found["yurt"], "yurt").text != "1":
            self.context.findings.error("an unknown version of the schema language", found["yurt"].span, "`yurt: 1`")
        self.context.reuse.take(root)
        if "variants" in found:
            self.context.reuse.choose_variants(found["variants"])
        elif self.context.reuse.variants:
            raise UsageFault(f"there is no variant `{self.context.reuse.variants[0]}`; the schema has none")
        if "live" in found:
            self.context.reuse.known.live = self._live(found["live"])
        locales = self._locales(found.get("locale"))
        self.context.countries = countries_of(locales)
        records: dict[str, Record] = {}
        records_of = RecordReader(self.context)
        node = found.get("records")
        if isinstance(node, Mapping) and node.entries:
            for key, value in node.entries[:MAX_RECORDS]:
                if self.context.field_name(key, "record") and not self._only_lines(key.text.text, value):
                    records[key.text.text] = with_conditions(with_plain_words(resolved(records_of.record(key, value))))
        elif not isinstance(node, Scalar) or not node.broken:
            span = node.span if node is not None else Span(0, 1)
            self.context.findings.error("a schema needs `records:` with at least one record type", span)
        if isinstance(node, Mapping) and len(node.entries) > MAX_RECORDS:
            self.context.findings.error(f"more than {MAX_RECORDS:,} record types", node.entries[MAX_RECORDS][0].span)
        for name, (key, _) in self.context.reuse.varied.items():
            if name not in self.context.met:
                known = [f"{record.name}.{each.name}" for record in records.values() for each in record.fields]
                self.context.findings.error(f"there is no field `{name}`", key.span, hint=did_you_mean(name, known))
        self.context.reuse.open_files(records)
        records = optional_where_empty(records, self.context.reuse.lists)
        folder = (
            str(self.context.reuse.files.folder / self.context.plain(found["list-folder"], "list-folder").text)
            if "list-folder" in found
            else ""
        )
        if folder and not Path(folder).is_dir():
            self.context.findings.error(f"there is no folder of lists {folder}", found["list-folder"].span)
            folder = ""
        if folder:
            own_lists.look_again(folder)
            if wrong := own_lists.fault(folder):
                self.context.findings.error(wrong, found["list-folder"].span)
        title = self.context.plain(found["title"], "title").text if "title" in found else ""
        return Schema(
            title,
            records,
            self.context.reuse.lists,
            locales,
            self.seed(found["seed"]) if "seed" in found else None,
            self.today(found["today"]) if "today" in found else None,
            folder,
            read_output(self.context, found["output"], records) if "output" in found else {},
            self.context.reuse.all_variants,
            self.context.findings.source,
        )

    def _only_lines(self, name: str, node: Node) -> bool:
        """Return whether a record type has lines about a file that the call has not named: it is left out."""
        existing = self.context.asked.existing
        if not existing or name in existing or not isinstance(node, Mapping):
            return False
        return all(key.text.text != "count" for key, _ in node)

    def _locales(self, node: Node | None) -> tuple[tuple[str, float], ...]:
        if (asked := self.context.asked.locale) is not None:
            return ((asked, 1.0),)
        return self.context.locales(node) if node is not None else Schema.locales

    def _live(self, node: Node) -> frozenset[str]:
        """Return the kinds whose safe ranges are lifted: `tel` stands for `tel-national` and its like as well."""
        lifted: set[str] = set()
        for name in re.split(r"[\s,]+", self.context.plain(node, "live").text.strip()):
            safe = {each for each in KINDS if each == name or each.startswith(f"{name}-")}
            safe = {each for each in safe if KINDS[each].live}
            if not safe:
                message = f"`{name}` is not a kind with a safe range" if name else "`live` names no kind"
                self.context.findings.error(message, node.span, "such as `live: tel`", did_you_mean(name, KINDS))
            lifted |= safe
        if lifted:
            what = ", ".join(sorted(lifted))
            self.context.findings.warn(f"`live` lifts the safe ranges: {what} may meet real ones", node.span)
        return frozenset(lifted)

    def seed(self, node: Node) -> int | None:
        text = self.context.plain(node, "seed").text
        if not re.fullmatch(r"\d{1,18}", text):
            self.context.findings.error("the seed is not a whole number", node.span, "0 to 999999999999999999")
            return None
        return int(text)

    def today(self, node: Node) -> date | None:
        text = self.context.plain(node, "today").text
        try:
            return date.fromisoformat(text)
        except ValueError:
            self.context.findings.error("`today` is not a date", node.span, "a date such as 2026-06-01")
            return None
