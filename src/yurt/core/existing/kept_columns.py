"""The columns of a new table that were in the old one, and how much of an old column is true of the new one."""

from __future__ import annotations

from yurt.core.databases.common.copied import Origin
from yurt.core.existing.columns import Existing
from yurt.core.existing.layout import untouched
from yurt.core.language.over_columns import field_names
from yurt.core.model import FromColumn, Record, Treatment


def kept_columns(record: Record, file: Existing, longer: bool) -> dict[str, Origin]:
    """Return where each new column comes from, by its title; columns that are new are left out.

    In a `longer` table, rows go on below with values that may have been there before.
    """
    titles = {name: title for title, name in field_names(list(file.titles)).items()}
    found = {}
    for each in record.shown:
        heads = [one.head for one in each.phrases]
        if untouched(each):
            assert isinstance(each.head, FromColumn)
            found[each.title] = Origin(each.head.title, unchanged=True, different=not longer)
        elif each.name in titles and all(isinstance(one, Treatment) for one in heads):
            different = not longer and all(isinstance(one, Treatment) and one.word == "encrypt" for one in heads)
            found[each.title] = Origin(titles[each.name], unchanged=False, different=different)
    return found
