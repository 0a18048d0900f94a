"""From the rows of a sample to the fields of a record type: each column gets the line that tells most about it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.types import BOOLEAN, DATETIME, INTEGER, TEXT
from yurt.core.drafting.draft import FieldDraft, ListDraft, RecordDraft, Withheld
from yurt.core.drafting.finding import calendar, children, groups, orders, ranks, tables
from yurt.core.drafting.finding.formulas import formula
from yurt.core.drafting.finding.listed import MOST, one_of
from yurt.core.drafting.finding.plain import Line, line_of
from yurt.core.drafting.finding.presence import presence
from yurt.core.drafting.finding.rounding import ends_of, round_start
from yurt.core.drafting.finding.shares import percent
from yurt.core.drafting.finding.value_lists import Together, together
from yurt.core.drafting.lists import list_field
from yurt.core.drafting.nesting import nest
from yurt.core.drafting.samples.column import Column
from yurt.core.drafting.samples.rows import NEAR, Rows, near
from yurt.core.drafting.settings import Settings
from yurt.core.kinds.catalogue import KINDS
from yurt.core.text.words import plural

# Kinds whose values can be unique in any number of rows.
UNIQUE_KINDS = ("email", "username", "url", "uuid")
# The share of a parent's key that a reference must have to be written without a comment.
SURE = 0.9999
# The rows of a column that may depend on another one.
LEAST_ROWS = 100
# The conditions of one record type that are written.
CONDITIONS = 6


class RecordDrafter:
    """Makes the draft of one record type."""

    def __init__(self, rows: Rows, settings: Settings, used_lists: set[str]) -> None:
        self.rows, self.settings, self.used_lists = rows, settings, used_lists
        self.sample = rows.sample
        self.lists: list[ListDraft] = []
        self.withheld: list[Withheld] = []
        self.kinds: dict[str, str] = {}
        self.lines: dict[str, Line] = {}
        # The fields that a formula, a list, or another field decides.
        self.decided: dict[str, FieldDraft] = {}
        # Conditions that hold, and that rows would often break.
        self.often: list[str] = []
        # Columns whose range is their own, so that it may be correlated with others.
        self.free: list[Column] = []

    def draft(self) -> RecordDraft:
        """Return the record type."""
        fields: list[FieldDraft] = []
        self._find_references()
        self._find_formulas()
        self._find_lists()
        # Where values are missing may depend on a field that comes later; what they are, only on earlier ones.
        for column in self._in_order():
            found = self._fields(column)
            fields += found
        nest(self.sample, fields)
        self._correlate(fields)
        record = RecordDraft(self.sample.record, self._count(), fields)
        record.unique = groups.unique_pairs(self.rows, fields, {*self.decided} - {*self.rows.references})
        record.always = self._conditions(fields)
        self._set_key(record)
        record.notes.append(self._told())
        if len(self._in_order()) > NEAR:
            record.notes.append(f"relations were looked for between each column and the {NEAR} before it")
        record.notes += [f"{each} in all rows; a range in its line would say so" for each in self.often[:CONDITIONS]]
        return record

    def _told(self) -> str:
        if self.sample.whole:
            return f"{self.sample.name}, all {plural(self.sample.total, 'row')}"
        return f"{self.sample.name}, {self.sample.size:,} of {self.sample.total:,} rows"

    def _count(self) -> str:
        per = self.rows.per
        if per is not None:
            return children.count_per_parent(per, per.record)
        return str(self.settings.count or max(self.sample.total, 1))

    def _in_order(self) -> list[Column]:
        """Return the columns in their order, with the records around others first."""
        return [each for each in self.sample.columns.values() if each.title not in self.sample.nested]

    # ---- what decides about a column ---------------------------------------------------------------------------------

    def _find_references(self) -> None:
        self.rows.per = children.parent_of(self.rows)
        for name, each in self.rows.references.items():
            clauses = []
            if each is not self.rows.per:
                usual = children.frequency(each)
                clauses += [usual] if usual else []
                clauses += ["unique"] if each.column.unique else []
                clauses += ["distinct"] if children.distinct(self.rows, each) else []
            draft = FieldDraft(name, each.column.title, f"ref {each.record}", clauses)
            draft.found = f"keys of {each.record}"
            if each.share < SURE:
                draft.notes.append(f"{percent(each.share)} of the values are keys of `{each.record}`")
            self.decided[name] = draft

    def _find_formulas(self) -> None:
        columns = [each for each in self._in_order() if each.raw.objects is None and "." not in each.name]
        for at in range(len(columns) - 1, -1, -1):
            column = columns[at]
            if column.name in self.decided or column is self.rows.key:
                continue
            found = formula(column, self.rows, columns[max(0, at - NEAR) : at])
            if found is None:
                continue
            self.rows.let_depend(column.name, set(found.uses))
            head = found.text if found.text.startswith("text ") else f"= {found.text}"
            draft = FieldDraft(column.name, column.title, head, found="follows from other fields")
            draft.others = [self._plain(column)]
            self.decided[column.name] = draft

    def _plain(self, column: Column) -> tuple[str, list[str]]:
        line = self._own_line(column)
        return line.head, list(line.clauses)

    def _own_line(self, column: Column) -> Line:
        """Return the line of a column by itself; it is found once."""
        if column.name not in self.lines:
            self.lines[column.name] = line_of(column, self.settings.least, unique=column.unique and column.count > 1)
        return self.lines[column.name]

    def _find_lists(self) -> None:
        columns = [
            each for each in self._in_order()
            if each.name not in self.decided and "." not in each.name and self._kind_line(each) is None
        ]  # fmt: skip
        for found in together(self.rows, columns, self.settings.least, self.used_lists):
            self._take_list(found)

    def _kind_line(self, column: Column) -> Line | None:
        line = self._own_line(column)
        return line if line.kind else None

    def _take_list(self, found: Together) -> None:
        self.lists.append(found.list)
        for column, title in zip(found.columns, found.list.columns, strict=True):
            draft = FieldDraft(column.name, column.title, f"from {found.list.name}.{title}", found="one row of a list")
            draft.others = [self._plain(column)]
            self.decided[column.name] = draft

    # ---- lines -------------------------------------------------------------------------------------------------------

    def _fields(self, column: Column) -> list[FieldDraft]:
        if (found := list_field(column, self.settings.least)) is not None:
            self._add_missing(found[0], column)
            return found
        draft = self.decided.get(column.name) or self._line(column)
        self._add_missing(draft, column)
        return [draft]

    def _add_missing(self, draft: FieldDraft, column: Column) -> None:
        if column.count == column.rows or any(each.startswith("missing") for each in draft.clauses):
            return
        nearest = near(self._in_order(), column)
        others = [each for each in nearest if each is not column and "." not in each.name]
        found = presence(column, self.rows, others, self.settings.least)
        draft.clauses += found.clauses
        draft.present_if = found.condition
        if found.uses:
            self.rows.let_depend(column.name, {found.uses})

    def _line(self, column: Column) -> FieldDraft:
        if (key := self._key_line(column)) is not None:
            return key
        earlier = self._before(column)
        if (bound := self._bound(column, earlier)) is not None:
            return bound
        line = self._own_line(column)
        if not line.kind and not column.unique and (table := self._table(column, earlier, line)) is not None:
            return table
        self._note(column, line)
        draft = FieldDraft(column.name, column.title, line.head, line.clauses, others=line.others, notes=line.notes)
        draft.found = line.found
        if line.kind:
            self._of_another(draft, line.kind)
        if column.unique and column.count > 1:
            # What takes the place of a kind keeps the values apart.
            draft.others = [
                (head, [*clauses, "unique"] if head.startswith(("/", "text")) else clauses)
                for head, clauses in draft.others
            ]
        if column.unique and column.count > 1 and self._may_be_unique(column, line):
            draft.clauses.append("unique")
        elif column.numeric:
            self.free.append(column)
        return draft

    def _before(self, column: Column) -> list[Column]:
        """Return the columns before one, and those that references lead to."""
        own = self._in_order()
        at = own.index(column)
        found = [each for each in own[max(0, at - NEAR) : at] if "." not in each.name and each.raw.objects is None]
        for name in self.rows.references:
            found += self.rows.through(name)
        return found

    def _note(self, column: Column, line: Line) -> None:
        self.withheld += [Withheld(self.sample.record, column.name, each) for each in line.withheld]

    def _of_another(self, draft: FieldDraft, kind: str) -> None:
        """Let a second name, address, or number of one record be about somebody else."""
        about = KINDS[kind].about
        parent = draft.name.rpartition(".")[0]
        taken = [name for name, own in self.kinds.items() if own == kind and name.rpartition(".")[0] == parent]
        if about and taken:
            word = draft.name.rpartition(".")[2].replace("-", "_")
            own = word.partition("_")[0] if "_" in word else word
            draft.head = f"{draft.head} of {own}"
        self.kinds[draft.name] = kind

    def _key_line(self, column: Column) -> FieldDraft | None:
        """Return a sequence, for whole numbers that follow one another."""
        if column.type != INTEGER or not column.unique or column.count < column.rows or not column.sketch.rows:
            return None
        assert column.numbers is not None
        rows = self.sample.rows
        if len(rows) < 2 or not self.sample.ordered:
            return None
        step = int(column.numbers[1] - column.numbers[0]) // int(rows[1] - rows[0])
        start = int(column.numbers[0]) - step * int(rows[0])
        if step == 0 or (column.numbers != start + step * rows).any():
            return None
        head = "sequence" + (f" from {start}" if start != 1 else "") + (f" step {step}" if step != 1 else "")
        low, high = int(column.numbers.min()), int(column.numbers.max())
        if step < 0 or not round_start(start):
            return None
        draft = FieldDraft(column.name, column.title, head, found="numbers that follow one another")
        draft.others = [(f"integer {low}..{high}", ["unique"])]
        return draft

    def _may_be_unique(self, column: Column, line: Line) -> bool:
        if line.kind:
            return line.kind in UNIQUE_KINDS
        small = column.numeric and len(column.words) < 30
        named = column is self.rows.key
        if small and not named:
            return False
        if column.type not in (TEXT, INTEGER) and not named:
            return False
        if column.numeric and not named and any(each.startswith("usually") for each in line.clauses):
            # A distribution tells more than that no value happens to be there twice.
            return False
        line.clauses[:] = [each for each in line.clauses if not each.startswith("usually")]
        return True

    def _bound(self, column: Column, earlier: list[Column]) -> FieldDraft | None:
        """Return a range that begins or ends at another field."""
        bound = orders.after(column, self.rows, earlier, self.settings.least)
        if bound is None and column.type == INTEGER:
            bound = orders.up_to(column, self.rows, earlier)
        if bound is None:
            return None
        zone = f" {column.written}" if column.written.startswith("zone") else ""
        draft = FieldDraft(column.name, column.title, bound.head + zone, found=f"follows {bound.uses}")
        usual = bound.usual
        if column.type == DATETIME:
            told = calendar.profile(column, ends_of(column.values, column.type, self.settings.least))
            hours = told.removeprefix("usually ").partition(" and ")[0]
            usual = f"usually {hours}" if hours.startswith("hours") else usual
        draft.clauses += [usual] if usual else []
        draft.clauses += [f'as "{column.written}"'] if column.written and not zone else []
        if bound.share < 1:
            draft.notes.append(f"{percent(bound.share)} of the rows are in this range")
        draft.others = [self._plain(column)]
        self.rows.let_depend(column.name, {bound.uses})
        return draft

    # ---- tables ------------------------------------------------------------------------------------------------------

    def _table(self, column: Column, earlier: list[Column], line: Line) -> FieldDraft | None:
        """Return a field whose line depends on another field."""
        if column.type not in (TEXT, INTEGER, BOOLEAN) and column.type.name != "decimal":
            return None
        if column.type == TEXT and not line.head.startswith("one of"):
            return None
        codes = tables.classes(column, MOST)
        if codes is None or column.count < LEAST_ROWS:
            return None
        inside = codes[column.present]
        if len(np.unique(inside)) < 2:
            return None
        own = [each for each in earlier if "." not in each.name]
        if column.type != TEXT:
            # A short list may decide about a number that stands before it.
            own = [each for each in near(self._in_order(), column) if "." not in each.name and each.raw.objects is None]
        found = tables.by_field(column, codes, self.rows, own, self.settings.least)
        limits = (
            tables.by_limits(column, codes, self.rows, earlier) if line.head.startswith(("one of", "boolean")) else None
        )
        found = limits if found is None else found
        if found is None:
            return None
        rows: list[tuple[str, str]] = []
        for condition, holds in found.rows:
            part = self._part(column, holds & column.present, listed=line.head.startswith("one of"))
            if part is None:
                return None
            rows.append((condition, part))
        if len({text for _, text in rows}) < 2:
            return None
        draft = FieldDraft(column.name, column.title, table=(found.word, rows))
        draft.others = [(line.head, line.clauses)]
        draft.found = f"{found.word} decides" if found.word != "when" else "depends on " + ", ".join(sorted(found.uses))
        self.rows.let_depend(column.name, set(found.uses))
        self._note(column, line)
        return draft

    def _part(self, column: Column, rows: NDArray[np.bool_], listed: bool) -> str | None:
        """Return the line for some rows of a column, a list where all of them have a list."""
        at = np.flatnonzero(rows)
        if not len(at):
            return None
        part = Column(column.title, column.name, column.raw.take(at), column.sketch, column.type)
        part.numbers = column.numbers[at] if column.numbers is not None else None
        part.right, part.written = column.right[at], column.written
        if listed:
            words, least = part.words, min(self.settings.least, max(len(at) // 4, 1))
            known = column.words.words[: int((column.words.counts >= self.settings.least).sum())]
            often = [each for each, count in zip(words.words, words.counts, strict=True) if count >= least]
            kept = [each for each in often if each in known]
            if not kept or len(kept) < len(often):
                return None
            # Where a value is rare, all others of the list are allowed, so that nothing says which it is.
            rest = [each for each in known if each not in kept] if len(often) < len(words) else []
            counts = np.concatenate([words.counts[: len(kept)], np.zeros(len(rest), dtype=np.int64)])
            return one_of(kept + rest, counts, typed=column.type.numeric)
        line = line_of(part, self.settings.least, kinds=False)
        return ", ".join([line.head, *line.clauses])

    # ---- the record as a whole ---------------------------------------------------------------------------------------

    def _correlate(self, fields: list[FieldDraft]) -> None:
        by_name = {each.name: each for each in fields}
        usable = [
            each for each in self.free
            if "." not in each.name and by_name[each.name].table is None and not by_name[each.name].present_if
            and not by_name[each.name].head.startswith(("one of", "boolean"))
            and not any(one.startswith(("usually hours", "usually weekdays", "usually months", "usually on", "on "))
                        for one in by_name[each.name].clauses)
        ]  # fmt: skip
        if len(usable) < 2:
            return
        for name, clauses in ranks.clauses(usable).items():
            by_name[name].clauses += clauses

    def _conditions(self, fields: list[FieldDraft]) -> list[str]:
        columns = [each for each in self._in_order() if each.numeric and "." not in each.name]
        own = {each.name for each in columns}
        for name in self.rows.references:
            columns += [each for each in self.rows.through(name) if each.numeric]
        taken = {frozenset({name, *self.rows.depends.get(name, set())}) for name in own}
        taken |= {frozenset({name, one}) for name in own for one in self.rows.depends.get(name, set())}
        derived = {each.name for each in fields if each.head.startswith(("= ", "sequence", "from "))}
        usable = [each for each in columns if each.name not in derived]
        found = orders.conditions(self.rows, usable, taken)
        inside = {each.name for each in fields}
        heads = {each.name: each.head for each in fields}

        def stated(pair: frozenset[str]) -> bool:
            return any(one in heads.get(other, "") for one in pair for other in pair - {one})

        kept = [(text, chance) for text, chance, pair in found if pair & inside and not stated(pair)]
        self.often = [text for text, chance in kept if chance > orders.OFTEN]
        return [text for text, chance in kept if chance <= orders.OFTEN][:CONDITIONS]

    def _set_key(self, record: RecordDraft) -> None:
        if self.rows.key is None:
            return
        first = next(
            (
                each.name
                for each in record.fields
                if "unique" in each.clauses or each.head.startswith(("sequence", "uuid"))
            ),
            "",
        )
        if first != self.rows.key.name and any(each.name == self.rows.key.name for each in record.fields):
            record.key = self.rows.key.name
