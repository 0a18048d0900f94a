"""Python classes, by `module:Class`: their fields become lines, as for instances in tests."""

from __future__ import annotations

import importlib
import re
import sys
from pathlib import Path

import yaml

from yurt.core.base.errors import UsageFault, YurtError
from yurt.core.base.nearest import did_you_mean
from yurt.core.base.python_values import PythonValue
from yurt.core.classes.model import model_of
from yurt.core.drafting.draft import Draft, FieldDraft, RecordDraft
from yurt.core.drafting.sources.names import record_name
from yurt.core.drafting.sources.source import Asked

COUNT = "100"


def draft_of_class(path: str, asked: Asked) -> Draft:
    """Return the draft of a class. The module is imported, which runs its code: only a name given as such is.

    Raises UsageFault for a module or a class that is not there.
    """
    module_name, _, class_name = path.partition(":")
    here = str(Path.cwd())
    sys.path.insert(0, here)
    try:
        module = importlib.import_module(module_name)
    except ImportError as fault:
        raise UsageFault(f"{path}: the module `{module_name}` cannot be imported: {fault}") from None
    except Exception as fault:
        raise YurtError(f"{path}: the module `{module_name}` fails when it is imported: {fault!r}") from None
    finally:
        sys.path.remove(here)
    found: PythonValue = module
    for part in class_name.split("."):
        if not hasattr(found, part):
            known = [name for name in vars(module) if isinstance(getattr(module, name), type)]
            hint = did_you_mean(part, known) or ", ".join(known[:12])
            raise UsageFault(f"{path}: the module has no `{part}`; {hint}")
        found = getattr(found, part)
    model = model_of(found)
    record = RecordDraft(record_name(found.__name__), COUNT)
    note = " ".join((found.__doc__ or "").split())
    if note and len(note) <= 110 and not note.startswith(found.__name__ + "("):
        record.notes.append(note)
    for name, each in model.filled.items():
        record.fields += _fields(each.name, name, each.part.written)
    for name, unfillable in model.unfilled.items():
        asked.leave_out(name, found.__name__, str(unfillable))
    return asked.finish(Draft(records=[record]))


def _fields(name: str, title: str, written: PythonValue) -> list[FieldDraft]:
    """Return the fields of a line, or of a mapping with a type and clauses."""
    draft = FieldDraft(name, title, found="a field of the class")
    if not isinstance(written, dict):
        draft.head = str(written)
        return [draft]
    found: list[FieldDraft] = [draft]
    for word, value in written.items():
        if word == "nested":
            draft.nested = True
            for inner, line in value.items():
                found += _fields(f"{name}.{inner}", inner, line)
        elif word == "list" and "nested" in written:
            draft.list_size = str(value)
        elif word == "is":
            draft.head = str(value)
        elif word in ("missing", "unique", "optional", "named", "distinct", "matching"):
            plain = str(value) not in ("", "yes", "True", "true")
            draft.clauses.append(f"{word} {value}" if plain else word)
        else:
            draft.head = f"{word} {_line(value)}"
    return found


def _line(value: PythonValue) -> str:
    if isinstance(value, list):
        return " | ".join(map(str, value))
    return (
        re.sub(r"\s+", " ", str(value))
        if not isinstance(value, dict)
        else yaml.safe_dump(value, default_flow_style=True).strip()
    )
