"""The person and place that the kinds of a record agree on, for a batch of rows.

Shared values (the locale, the sex, the row of the list of cities) are drawn from streams of the record, so that every
kind gets the same answer. The batch keeps them: an object that references its batch would be a cycle, and cycles keep
their columns in memory until the garbage collector runs.
"""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np

from yurt.core.base import compute as pc
from yurt.core.base.arrays import numbers, strings
from yurt.core.columns.column import Column
from yurt.core.columns.evaluate import evaluate
from yurt.core.engine.known_values import sexes_of
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.kinds.lists import facts
from yurt.core.kinds.lives.career import CLASSES
from yurt.core.kinds.picks import COHORT, Codes, Group, Narrowed, Pick, lines
from yurt.core.model import FromColumn
from yurt.core.model.expressions import Expression, Literal, Name
from yurt.core.planning import entities
from yurt.core.planning.entities import asking, candidates, in_play
from yurt.core.sampling.weights import weighted

# The middle years of the cohorts of people whose names are drawn together.
COHORTS = (1935, 1950, 1965, 1980, 1995, 2010)
BETWEEN = np.array([(one + two) / 2 for one, two in pairwise(COHORTS)])
Said = tuple[tuple[str, str], ...]


def entity_of(table: TableScope, about: str) -> Entity:
    """Return a person and place that the kinds of a record agree on; each is made once."""
    if ("entity", about) not in table.once:
        table.once["entity", about] = Entity(table, about)
    found: Entity = table.once["entity", about]
    return found


class Entity:
    """One of the persons and places of a record type; `about` is its name, empty for the record's own."""

    def __init__(self, table: TableScope, about: str) -> None:
        self.record = table.record
        self.schema = table.run.schema
        self.about = about
        self.fixed = entities.fixed_by(table.record).get(about, {})
        self.folder = self.schema.catalogue
        name = self.fixed.get("given-name")
        field = table.record.by_name.get(name.name) if isinstance(name, Name) else None
        given = field is not None and isinstance(field.head, FromColumn) and field.head.fixes is not None
        # A name that the caller gives says the sex, unless a field does.
        self._given_name = name if given else None
        self.locales = in_play(self.schema, table.record, self.fixed)
        self.asking = asking(self.schema, table.record, self.fixed)
        self.facts = [facts(each, self.folder) for each in self.locales]
        self.path = ("world", about) if about else ("world",)
        kinds = table.record.kinds.get(about, ())
        # The arguments of all kinds of this person or place, and the kinds whose safe ranges are lifted.
        self.told = entities.asked_by(kinds)
        self.live = {head.name for head in kinds if head.live}

    def constant(self, aspect: str) -> object:
        """Return the value of an aspect that is fixed for all rows; None if there is none."""
        found = self.fixed.get(aspect)
        return found.value if isinstance(found, Literal) else None

    def said(self, batch: BatchScope, aspects: tuple[str, ...]) -> tuple[Codes | int, list[Said]]:
        """Return the fixed values of some aspects: the different combinations, and the number of each row's."""
        known = [(each, self.fixed[each]) for each in aspects if each in self.fixed]
        codes: Codes | int = 0
        values: list[tuple[str, list[str | None]]] = []
        for aspect, expression in known:
            texts, at = _values(expression, batch)
            codes = codes * len(texts) + at
            values.append((aspect, texts))
        if isinstance(codes, int):
            return 0, [tuple((aspect, texts[0]) for aspect, texts in values if texts[0] is not None)]
        used, where = np.unique(codes, return_inverse=True)
        return where.astype(np.int64), [_saying(int(each), values) for each in used]

    def locale(self, batch: BatchScope) -> Codes | int:
        """Return the number of each row's locale (0 for all if there is only one)."""
        if len(self.locales) == 1:
            return 0
        if (self.about, "locale") not in batch.shared:
            batch.shared[self.about, "locale"] = self._locale(batch)
        found: Codes = batch.shared[self.about, "locale"]
        return found

    def _locale(self, batch: BatchScope) -> Codes:
        at, sayings = self.said(batch, self.asking)
        found = np.zeros(len(batch.rows), dtype=np.int64)
        u = batch.unit(*self.path, "locale")
        for number, saying in enumerate(sayings):
            fit = candidates(self.schema, self.record, saying)
            places = np.array([self.locales.index(name) for name, _ in fit])
            drawn = places[weighted(np.array([share for _, share in fit]))(u)] if len(fit) > 1 else places[0]
            found = np.where(at == number, drawn, found)
        return found

    def sex(self, batch: BatchScope) -> Codes:
        """Return 0 for female and 1 for male; a field value that says neither leaves the sex open."""
        if (self.about, "sex") not in batch.shared:
            drawn = (batch.unit(*self.path, "sex") < 0.5).astype(np.int64)
            at, sayings = self.said(batch, ("sex", "honorific"))
            known = np.array([max((self._sex_of(word) for _, word in each), default=-1) for each in sayings])[at]
            if self._given_name is not None:
                texts, name = _values(self._given_name, batch)
                by_name = sexes_of(strings([each or "" for each in texts]), self.folder)[name]
                known = np.where(known >= 0, known, by_name)
            batch.shared[self.about, "sex"] = np.where(known >= 0, known, drawn)
        found: Codes = batch.shared[self.about, "sex"]
        return found

    def _sex_of(self, word: str) -> int:
        """Return 0 for a word or a form of address for women, 1 for one for men, and -1 for any other."""
        folded = word.rstrip(".").casefold()
        for each in self.facts:
            for fact in ("sex", "honorific"):
                words = [str(each.get(fact, {}).get(name, "")).rstrip(".").casefold() for name in ("female", "male")]
                if words.count(folded) == 1:
                    return words.index(folded)
        return entities.SEXES.get(folded, -1)

    def group(
        self, batch: BatchScope, by_sex: bool, born: Callable[[], Codes] | None = None, sex: Codes | None = None
    ) -> tuple[Codes | int, tuple[Group, ...]]:
        """Return the groups in which rows draw from a list (by locale, or by locale and sex), and each row's group.

        `born` gives the year of birth, for a list that depends on it; `sex` is another one than the person's.
        """
        locale = self.locale(batch)
        if by_sex and born is not None:
            cohort = np.searchsorted(BETWEEN, born())
            every = (
                (number, each, ((COHORT, str(year)),)) for number in self._all() for each in (0, 1) for year in COHORTS
            )
            own = self.sex(batch) if sex is None else sex
            return (locale * 2 + own) * len(COHORTS) + cohort, tuple(every)
        if by_sex:
            return locale * 2 + self.sex(batch), tuple((number, sex, ()) for number in self._all() for sex in (0, 1))
        return locale, tuple((number, -1, ()) for number in self._all())

    def followed(
        self,
        batch: BatchScope,
        name: str,
        columns: dict[str, tuple[str, ...]],
        narrowed: Narrowed,
        classes: Callable[[], Codes],
    ) -> Pick:
        """Return a row of a list for each record that fits the fixed fields; `columns` are compared, by aspect.

        `classes` gives the job class of each person, for a list that depends on it.
        """
        u = batch.unit(*self.path, "list", name)
        locale, groups = self.group(batch, by_sex=False)
        source = lines(name, self.locales, self.folder, groups, narrowed)
        at, sayings = self.said(batch, tuple(columns))
        by_class = "class" in source.entries.cells
        if not len(batch.rows) or (sayings == [()] and not by_class):
            return Pick(source, source.draw(u, locale))
        # Each group draws by itself: a row's result must not depend on the groups around it.
        found = np.zeros(len(batch.rows), dtype=np.int64)
        whole = np.broadcast_to(locale * len(sayings) + at, (len(batch.rows),))
        kinds = 2 * len(CLASSES) if by_class else 1
        if by_class:
            whole = whole * kinds + classes() * 2 + self.sex(batch)
        order = np.argsort(whole, kind="stable")
        codes, starts = np.unique(whole[order], return_index=True)
        aim = u * (1 - 2.0**-39) + 2.0**-40
        for code, places in zip(codes.tolist(), np.split(order, starts[1:]), strict=True):
            number, saying = divmod(code // kinds, len(sayings))
            criteria = tuple((columns[aspect], text) for aspect, text in sayings[saying])
            person = divmod(code % kinds, 2) if by_class else None
            fitting, ends = source.fitting(number, criteria, person)
            found[places] = fitting[np.searchsorted(ends, aim[places], side="right")]
        return Pick(source, found)

    def _all(self) -> range:
        return range(len(self.locales))


def _saying(code: int, values: list[tuple[str, list[str | None]]]) -> Said:
    found: list[tuple[str, str]] = []
    for aspect, texts in reversed(values):
        code, at = divmod(code, len(texts))
        if (text := texts[at]) is not None:
            found.append((aspect, text))
    return tuple(reversed(found))


def _values(expression: Expression, batch: BatchScope) -> tuple[list[str | None], Codes | int]:
    """Return the different texts of an expression, and the number of each row's; None stands for a missing one."""
    if isinstance(expression, Literal):
        return [None if expression.value is None else str(expression.value)], 0
    column: Column = evaluate(expression, batch).spread(len(batch.rows))
    texts = Column(column.type, column.values).text(len(batch.rows))
    coded = pc.dictionary_encode(texts)
    codes = numbers(coded.indices, np.int32).astype(np.int64)
    words: list[str | None] = coded.dictionary.to_pylist()
    if column.nulls is not None:
        codes = np.where(column.nulls, len(words), codes)
    return [*words, None], codes
