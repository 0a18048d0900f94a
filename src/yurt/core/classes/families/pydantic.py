"""Models of pydantic 2: `model_fields` has their fields, with metadata; the class validates its values itself."""

from __future__ import annotations

from collections.abc import Mapping

from yurt.core.base.python_values import ModelClass, PythonValue
from yurt.core.classes.constraints import Constraints
from yurt.core.classes.family import ClassField, Family


def _matches(model: ModelClass) -> bool:
    return isinstance(getattr(model, "model_fields", None), dict) and hasattr(model, "model_construct")


def _fields(model: ModelClass) -> list[ClassField]:
    return [
        ClassField(
            name, each.annotation, Constraints().with_metadata(each.metadata), not each.is_required(),
            each.validation_alias if isinstance(each.validation_alias, str) else each.alias or name,
        )
        for name, each in model.model_fields.items()
    ]  # fmt: skip


def _make(model: ModelClass, values: Mapping[str, PythonValue], invalid: bool) -> PythonValue:
    if not invalid:
        return model(**values)
    names = {each.key or each.name: each.name for each in _fields(model)}
    return model.model_construct(**{names[key]: value for key, value in values.items()})


FAMILY = Family("pydantic", _matches, _fields, _make)
