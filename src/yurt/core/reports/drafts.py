"""First schemas: a ready record as it is, as related record types, or flat."""

from __future__ import annotations

import re

from yurt.core.base.data_classes import dataclass

LAYOUTS = ("nested", "related", "flat")
LINES = re.compile(r"^(?P<name>\w+):\n  list: (?P<size>\S+)\n  nested:\n(?P<fields>(?:    .+\n?)+)", re.MULTILINE)


@dataclass(frozen=True)
class Draft:
    """A ready record with the parts of its schema: its name, its meaning, its fields, and its count and locale."""

    name: str
    meaning: str
    fields: str
    count: int
    locale: str | None = None

    @property
    def has_lines(self) -> bool:
        """Whether the record contains a list of records, which may be a record type of its own."""
        return LINES.search(self.fields) is not None

    def text(self, layout: str) -> str:
        """Return the schema in one of the layouts."""
        head = f"yurt: 1\ntitle: {self.meaning[:1].upper()}{self.meaning[1:]}\n"
        head += f"locale: {self.locale}\n" if self.locale else ""
        found = LINES.search(self.fields)
        own = self.name.replace("-", "_")
        if found is None or layout == "nested":
            return f"{head}records:\n{_record(own, str(self.count), self.fields)}"
        inner = re.sub(r"^    ", "", found["fields"], flags=re.MULTILINE)
        rest = LINES.sub("", self.fields)
        # The amounts of the lines are added up, if there are any.
        total = "total: = running(amount)\n" if re.search(r"^amount:", inner, re.MULTILINE) else ""
        if layout == "flat":
            return f"{head}records:\n{_record(own, str(self.count), rest + inner)}"
        line = f"{own}: ref {own}\nline: = ordinal()\n{inner}{total}"
        parents = _record(own, str(self.count), f"id: sequence\n{rest}", key="id")
        children = _record(f"{own}_line", f"{found['size']} per {own}", line)
        return f"{head}records:\n{parents}{children}"


def _record(name: str, count: str, fields: str, key: str = "") -> str:
    lines = "".join(f"      {line}\n" for line in fields.splitlines() if line.strip())
    told = f"    key: {key}\n" if key else ""
    return f"  {name}:\n    count: {count}\n{told}    fields:\n{lines}"
