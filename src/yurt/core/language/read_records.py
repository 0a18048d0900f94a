"""Reads a record type: its count, its fields, and its keys and conditions."""

from __future__ import annotations

from collections import Counter

from yurt.core.base.data_classes import replace
from yurt.core.base.nearest import did_you_mean
from yurt.core.language import build_phrases
from yurt.core.language.build_phrases import expression
from yurt.core.language.open_ranges import without_default
from yurt.core.language.over_columns import over_columns
from yurt.core.language.read_context import ReadContext, countries_of
from yurt.core.language.read_fields import FieldReader
from yurt.core.language.reuse import known_keys
from yurt.core.language.treated import related
from yurt.core.model import Count, Field, Record
from yurt.core.model.expressions import Expression
from yurt.core.model.words import RECORD_KEYS
from yurt.core.source.nodes import Mapping, Node, Scalar, Sequence
from yurt.core.source.yaml_nodes import QUOTE_ADVICE

# The maximum number of conditions per record type.
MAX_CONDITIONS = 500


class RecordReader:
    """Reads record types."""

    def __init__(self, context: ReadContext) -> None:
        self.context = context

    def record(self, name: Scalar, node: Node) -> Record:
        empty = Record(name.text.text, Count(0, 0), (), span=name.span)
        if not isinstance(node, Mapping):
            if not (isinstance(node, Scalar) and node.broken):
                self.context.findings.error("a record type needs `count:` and `fields:`", name.span)
            return empty
        known_keys(self.context.findings, node, RECORD_KEYS, f"in record type `{name.text.text}`")
        found = {key.text.text: value for key, value in node}
        fields: list[Field] = []
        mix, named = self.locale_of_record(found["locale"]) if "locale" in found else ((), "")
        around = self.context.countries
        self.context.countries = countries_of(mix) if "locale" in found else around
        if "fields" in found and not (isinstance(found["fields"], Scalar) and not found["fields"].text.text):
            FieldReader(self.context, name.text.text).fields(found["fields"], [], fields)
        self.context.countries = around
        columns = self.context.asked.existing.get(name.text.text)
        fields = fields if columns is None else related(over_columns(fields, columns, self.context.findings))
        if not fields and not self.context.findings.errors:
            self.context.findings.error(
                f"`{name.text.text}` has no fields", name.span, "`fields:` with one field per line"
            )
        if "count" in found:
            node_of_count = self.context.replacement(f"{name.text.text}.count", found["count"])
            count = build_phrases.count(self.context.plain(node_of_count, "count"), self.context.findings)
            asked = self.context.asked
            own = count.per is None and not count.combinations
            if asked.count is not None and own and asked.record in (None, name.text.text):
                count = Count(asked.count, asked.count)
        else:
            count = Count(0, 0)
            if all(key in RECORD_KEYS for key in found) and name.text.text not in self.context.asked.existing:
                message = f"`{name.text.text}` has no count"
                self.context.findings.error(message, name.span, "`count: 100`, or a count such as `0..5 per hiker`")
        always = self.always(found["always"]) if "always" in found else ()
        key = self.context.plain(found["key"], "key").text if "key" in found else None
        known = [each.name for each in fields]
        if key is not None and key not in known:
            hint = did_you_mean(key, known)
            self.context.findings.error(
                f"the key `{key}` is not a field of `{name.text.text}`", found["key"].span, hint=hint
            )
            key = None
        groups = self.groups(found["unique"], fields) if "unique" in found else ()
        locale_from = named if named in known else ""
        if named and not locale_from:
            mix = self.context.locales(found["locale"])
        if key is not None:
            # The keys that references hold never repeat.
            fields = [
                replace(each, unique=True) if each.name == key and not each.always_unique else each for each in fields
            ]
        once = {key, *(each for group in groups for each in group)}
        fields = [without_default(each) if each.name in once else each for each in fields]
        return Record(name.text.text, count, tuple(fields), always, key, groups, mix, locale_from, name.span)

    def locale_of_record(self, node: Node) -> tuple[tuple[tuple[str, float], ...], str]:
        """Read the locales of a record type, or what can only be the name of the field that contains them."""
        if isinstance(node, Scalar) and node.text.text and "-" not in node.text.text:
            return (), node.text.text
        return self.context.locales(node), ""

    def groups(self, node: Node, fields: list[Field]) -> tuple[tuple[str, ...], ...]:
        """Read which fields are unique together: `unique: hiker, hut`, or a list of such lines."""
        found: list[tuple[str, ...]] = []
        known = [each.name for each in fields]
        for each in node.items if isinstance(node, Sequence) and not node.flow else (node,):
            parts = each.items if isinstance(each, Sequence) else (each,)
            names = [name.strip() for part in parts if isinstance(part, Scalar) for name in part.text.text.split(",")]
            for name in names:
                if name not in known:
                    self.context.findings.error(
                        f"there is no field `{name}`", each.span, hint=did_you_mean(name, known)
                    )
            if len(names) < 2 or len(set(names)) < len(names):
                advice = "`unique: hiker, hut`; a single field takes the clause `unique`"
                self.context.findings.error("two or more different fields are unique together", each.span, advice)
            found.append(tuple(names))
        return tuple(found)

    def always(self, node: Node) -> tuple[Expression, ...]:
        items = node.items if isinstance(node, Sequence) else (node,)
        if len(items) > MAX_CONDITIONS:
            self.context.findings.error(f"more than {MAX_CONDITIONS:,} conditions", items[MAX_CONDITIONS].span)
            items = items[:MAX_CONDITIONS]
        found: list[Expression] = []
        said: Counter[str] = Counter()
        for each in items:
            if isinstance(each, Scalar):
                said[each.text.text] += 1
                if said[each.text.text] > 1:
                    if said[each.text.text] == 2:
                        self.context.findings.warn("this condition repeats an earlier one", each.span, "leave it out")
                    continue
                built = None if each.broken else expression(each.text, self.context.findings, self.context.cut(each))
                found += [built] if built is not None else []
            else:
                advice = f"`- party <= hut.beds`; with a `: ` inside, {QUOTE_ADVICE}"
                self.context.findings.error("a condition is one line", each.span, advice)
        return tuple(found)
