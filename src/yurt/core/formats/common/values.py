"""Settings for the form of values in formats that hold texts only, and for the fields of every format.

A field that has a form of its own in the schema (`as`) keeps it.
"""

from __future__ import annotations

from yurt.core.base.types import DATE, DATETIME, TIME, Type
from yurt.core.formats.common.settings import Setting
from yurt.core.text.display import NotShown, check, words_like

DECIMAL_CHARS = (".", ",")
GROUP_CHARS = {"none": "", "comma": ",", "dot": ".", "apostrophe": "'", "space": "\u00a0"}


def _pattern(kind: Type) -> str:
    return {"date": "%d.%m.%Y", "time": "%H:%M", "datetime": "%d.%m.%Y %H:%M:%S"}[kind.name]


def _calendar(kind: Type) -> Setting:
    def wrong(value: str) -> str:
        try:
            check(value, kind)
        except NotShown as fault:
            return str(fault) if value else ""
        return ""

    meaning = f"the pattern of every {kind.name}, with the conversions of strftime; without it, as in ISO 8601"
    return Setting(f"{kind.name}-format", meaning, "", _pattern(kind), wrong=wrong)


def _words(value: str) -> str:
    try:
        words_like(value)
    except NotShown as fault:
        return str(fault)
    return ""


FIELDS = Setting(
    "fields", "which fields, in which order, and under which names; without it, all", "", "code, beds as Betten"
)
CHILDREN = Setting(
    "children", "where records stand that are counted per another: in files of their own, or inside it", "apart",
    "inside", ("apart", "inside"),
)  # fmt: skip
VALUES = (
    FIELDS,
    Setting("decimal-char", "the decimal mark of all numbers", ".", ",", DECIMAL_CHARS),
    Setting("group-char", "the mark between thousands", "none", "apostrophe", tuple(GROUP_CHARS)),
    _calendar(DATE), _calendar(TIME), _calendar(DATETIME),
    Setting("boolean-format", "the words for true and false", "true | false", "yes | no", wrong=_words),
)  # fmt: skip
