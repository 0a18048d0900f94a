"""A draft: the record types and fields of a schema, as lines with what speaks for them."""

from __future__ import annotations

from yurt.core.base.data_classes import dataclass, field


@dataclass
class FieldDraft:
    """A field as a line: its type, its clauses, and the condition under which it has a value.

    A field of a nested record is named by the path to it. `table` has the lines of `when:` or `by FIELD:` in place of
    a type. `others` are wider lines, in the order in which they replace this one if the sample breaks it. `notes`
    become comments; `found` says in words what the line rests on.
    """

    name: str
    title: str
    head: str = ""
    clauses: list[str] = field(default_factory=list)
    present_if: str = ""
    table: tuple[str, list[tuple[str, str]]] | None = None
    # The number of records in a list of them, such as `0..4`.
    list_size: str = ""
    nested: bool = False
    others: list[tuple[str, list[str]]] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    found: str = ""
    # Values for cases, each with its reason.
    accept: dict[str, str] = field(default_factory=dict)
    reject: dict[str, str] = field(default_factory=dict)

    def wider(self) -> bool:
        """Take the next wider line; return whether there was one."""
        if not self.others:
            return False
        kept = [each for each in self.clauses if each.startswith(("missing", "unique", "named", "optional"))]
        self.head, clauses = self.others.pop(0)
        self.clauses = [*clauses, *(each for each in kept if each not in clauses)]
        self.table = None
        return True


@dataclass
class RecordDraft:
    """A record type; `always` are the conditions of every record."""

    name: str
    count: str
    fields: list[FieldDraft] = field(default_factory=list)
    key: str = ""
    unique: list[tuple[str, ...]] = field(default_factory=list)
    always: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)

    def field(self, name: str) -> FieldDraft | None:
        """Return a field by its name; None if there is none."""
        return next((each for each in self.fields if each.name == name), None)


@dataclass
class ListDraft:
    """A value list: its columns, and a row for each combination that occurs, with the number of times."""

    name: str
    columns: tuple[str, ...]
    rows: list[tuple[str, ...]]
    weights: list[int] = field(default_factory=list)
    # Whether the values of a column are texts, and so stand in quotes where they look like numbers.
    texts: tuple[bool, ...] = ()


@dataclass(frozen=True)
class Withheld:
    """Values that do not enter the schema: the record type, the field, and why."""

    record: str
    field: str
    reason: str

    def __str__(self) -> str:
        return f"{self.record}.{self.field}: {self.reason}"


@dataclass
class Draft:
    """A whole schema."""

    title: str = ""
    locale: str = ""
    today: str = ""
    lists: list[ListDraft] = field(default_factory=list)
    records: list[RecordDraft] = field(default_factory=list)
    withheld: list[Withheld] = field(default_factory=list)
    # What the draft leaves out or could not say, one sentence each.
    left_out: list[str] = field(default_factory=list)
    notes: list[str] = field(default_factory=list)
    # Settings of formats: of all record types, or of one.
    output: dict[str, dict[str, str | dict[str, str]]] = field(default_factory=dict)

    def record(self, name: str) -> RecordDraft | None:
        """Return a record type by its name; None if there is none."""
        return next((each for each in self.records if each.name == name), None)
