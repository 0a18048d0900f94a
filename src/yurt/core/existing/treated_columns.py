"""The treated columns of a record type, for the proof: what the lines say, and nothing of how they are carried out."""

from __future__ import annotations

from yurt.core.existing.columns import Existing
from yurt.core.existing.proof import Treated
from yurt.core.heads.scrub import Scrub
from yurt.core.heads.substitute import Substitute
from yurt.core.language.over_columns import ORIGINAL, WRITTEN, field_names
from yurt.core.model import Field, FromColumn, KindOf, Record, Treatment
from yurt.core.model.expressions import Name, walk
from yurt.core.planning.dependencies import expressions_of

# Why a value may stay in its row, by the word of the treatment.
EXCUSES = {
    "encrypt": "a permutation has values that stay; so do texts without letters and digits",
    "shuffle": "by chance, a row may get its own value again",
    "noise": "0 stays 0",
    "coarsen": "the value is as coarse already",
    "keep": "nothing in the value is covered",
    "scrub": "nothing in the text is an original of its row",
}
REPLACED = "the new value does not depend on the old one"
FOLLOWS = "it follows other substitutes of its row, which may lead back to the same value"


def treated_columns(record: Record, file: Existing) -> list[Treated]:
    """Return the treated columns of a file, in its order; those that are left out have no new title."""
    names = field_names(list(file.titles))
    found = []
    for title, name in names.items():
        field = record.by_name.get(name)
        if field is None:
            continue
        if field.helper and isinstance(field.head, FromColumn):
            found.append(Treated(title, "remove", ""))
            continue
        heads = [each.head for each in field.phrases if isinstance(each.head, Treatment)]
        if not heads:
            if not isinstance(field.head, FromColumn) and not _reads_itself(field):
                found.append(Treated(title, "replace", field.title, REPLACED, field.unique))
            continue
        unique = field.unique or all(each.word == "encrypt" for each in heads)
        words = list(dict.fromkeys(each.word for each in heads))
        if "scrub" in words:
            # Its originals are texts; what must not be in them is looked for by the other columns.
            continue
        found.append(Treated(title, " or ".join(words), "" if field.helper else field.title, _excuse(heads), unique))
    return found


def calculated_columns(record: Record, file: Existing) -> list[str]:
    """Return the new titles of columns that expressions change, and of those that the file has not had."""
    names = set(field_names(list(file.titles)).values())
    return [
        each.title for each in record.shown
        if not any(isinstance(one.head, Treatment | FromColumn) for one in each.phrases)
        and (each.name not in names or _reads_itself(each))
    ]  # fmt: skip


def _reads_itself(field: Field) -> bool:
    """Return whether the line of a column reads the value in the file."""
    own = ORIGINAL.format(field.name)
    read = {each.name for one in expressions_of(field) for each in walk(one) if isinstance(each, Name)}
    return bool(read & {own, WRITTEN.format(own)})


def scrubbed_columns(record: Record, file: Existing) -> dict[str, str]:
    """Return the titles of the texts from which originals have been taken, with their new titles."""
    names = field_names(list(file.titles))
    fields = {title: record.by_name.get(name) for title, name in names.items()}
    return {
        title: each.title for title, each in fields.items()
        if each is not None and any(isinstance(one.head, Scrub) for one in each.phrases)
    }  # fmt: skip


def _excuse(heads: list[Treatment]) -> str:
    for each in heads:
        if each.word in EXCUSES:
            return EXCUSES[each.word]
        if isinstance(each, Substitute) and isinstance(each.phrase.head, KindOf) and each.phrase.head.follows:
            return FOLLOWS
    return ""
