"""What is said about each format, with what the examples of its settings write: `index.json` of the formats."""

from __future__ import annotations

import io
from datetime import date
from typing import Any

from yurt.core.engine.run import Run, RunOptions
from yurt.core.formats import FORMATS
from yurt.core.formats.common.format import Format, TextFormat
from yurt.core.formats.common.settings import Setting
from yurt.core.language.reader import read_fields
from yurt.core.writing.output import Given, Output
from yurt.core.writing.runs import write

# What the examples write.
FIELDS = ("code: one of RG-217", "hut: one of \"Ridge; the \\\"upper\\\"\"", "beds: integer 1240..1240",
          "price: decimal 1234.50..1234.50", "opens: date 2026-06-15..2026-06-15", "heated: boolean 100%",
          "note: one of x, missing 100%")  # fmt: skip


def formats() -> dict[str, dict[str, Any]]:
    """Return what is said about each format."""
    return {
        name: {
            "meaning": form.meaning, "suffixes": list(form.suffixes), "only read": list(form.only_read),
            "is read": form.read is not None, "settings": [_setting(form, each) for each in form.settings],
        }
        for name, form in FORMATS.items()
    }  # fmt: skip


def _setting(form: Format, each: Setting) -> dict[str, Any]:
    return {
        "name": each.name, "meaning": each.meaning, "default": each.default, "words": list(each.words),
        "example": each.example, "writes": _written(form, each),
    }  # fmt: skip


def _written(form: Format, setting: Setting) -> list[str]:
    """Return the lines of an example with a setting; none for a format that is not text."""
    if not isinstance(form, TextFormat):
        return []
    given = [Given("", setting.name, setting.example)]
    given += [Given("", name, value) for name, value in form.needed.items() if name != setting.name]
    given += [Given("", "namespace", "urn:example:huts")] if setting.name == "prefix" else []
    schema, _ = read_fields((*FIELDS, 'formula: one of "=1+2"') if setting.name == "formulas" else FIELDS)
    output = Output(schema, tuple(given))
    out = io.BytesIO()
    run = Run(output.dressed({"record": form.name}), RunOptions(seed=1, today=date(2026, 6, 1)))
    made = output.format(form.name, "record")
    write(run, "record", (0, 1), made, out, 1)
    text = out.getvalue().decode("utf-8" if made.encoding.name.startswith("utf-8") else "cp1252", "replace")
    return text.replace("\ufeff", "⟨mark⟩").replace("\r\n", "\n").replace("\t", "⇥").strip("\n").split("\n")
