"""The names of the person of a record: from the lists of the locale, or from a field of the record."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable

    import numpy as np
    from numpy.typing import NDArray

    from yurt.core.columns.column import Column
    from yurt.core.kinds.context import KindContext
    from yurt.core.kinds.fixed_names import FixedNames
    from yurt.core.kinds.picks import Codes, Pick


# The purposes of further draws, for a second name that is the first one again.
OTHER = (" second", " third", " fourth")


def given(context: KindContext) -> Pick | FixedNames:
    """Return the given name."""
    return context.part("given-name", lambda: context.pick("given-names", by_sex=True))


def additional(context: KindContext) -> Pick:
    """Return the second given name, or the patronymic; an empty text where people have neither."""
    return context.pick("second-names", by_sex=True)


def family(context: KindContext) -> Pick | FixedNames:
    """Return the family name."""
    return context.part("family-name", lambda: context.pick("family-names"))


def given_text(context: KindContext) -> Column:
    """Return the given name, in the requested script."""
    return given(context).text("latin" if _latin(context) else "name")


def additional_text(context: KindContext) -> Column:
    """Return the second given name or the patronymic, in the requested script; it differs from the first name."""
    from yurt.core.base import compute as pc

    column = "latin" if _latin(context) else "name"
    first, found = given_text(context).text(context.rows), additional(context).text(column)
    for attempt in OTHER:
        again = context.pick("second-names", by_sex=True, purpose=attempt).text(column)
        found = context.where(
            pc.not_equal(found.text(context.rows), first).to_numpy(zero_copy_only=False), found, again
        )
    return found


def family_text(context: KindContext) -> Column:
    """Return the family name, in the form for the person's sex and in the requested script."""
    found = family(context)
    column = "latin" if _latin(context) else "name"
    if not found.has("feminine"):
        return found.text(column)
    return found.text_by_sex(column, "latin-feminine" if _latin(context) else "feminine", context.sex())


def of_sex(found: Pick | FixedNames, sex: Codes) -> Column:
    """Return family names in the form for a sex (0 is female)."""
    return found.text_by_sex("name", "feminine", sex) if found.has("feminine") else found.text("name")


def parts(context: KindContext) -> dict[str, Column]:
    """Return the parts of a full name: where people have two surnames, also the second one."""
    found = {"given-name": given_text(context), "family-name": family_text(context)}
    if any("{second-family-name}" in str(each["full-name"]) for each in context.facts):
        second = context.pick("family-names", purpose=" second")
        found["second-family-name"] = second.text("latin" if _latin(context) else "name")
    return found


def family_ascii(context: KindContext) -> Column:
    """Return the family name as e-mail addresses and host names spell it, in the form for the person's sex."""
    found = family(context)
    if not found.has("feminine"):
        return found.ascii("name")
    return found.ascii_by_sex("name", "feminine", context.sex())


def _latin(context: KindContext) -> bool:
    return str(context.given("script")) == "latin"


def letters(
    context: KindContext, of_family: Callable[[str], str], of_given: Callable[[str], str], size: int
) -> NDArray[np.int64]:
    """Return `size` letters of each person's family name and given name, as cells, by a function of the name."""
    import numpy as np

    from yurt.core.base.arrays import numbers

    parts = []
    for part, change in ((family(context), of_family), (given(context), of_given)):
        words = part.ascii("name").values
        cells = [[ord(char) - ord("A") + 10 for char in change(each)] for each in words.dictionary.to_pylist()]
        parts.append(np.array(cells, dtype=np.int64).reshape(-1, size)[numbers(words.indices, np.int32)])
    return np.concatenate(parts, axis=1)
