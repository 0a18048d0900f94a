"""Makes nested records."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from yurt.core import model
from yurt.core.base.types import NESTED
from yurt.core.columns.column import Column
from yurt.core.engine.scope import BatchScope, TableScope


def nested(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """Whether the nested record is present; its fields are made like any others."""
    return lambda batch: Column(NESTED, np.zeros(len(batch.rows), dtype=np.int64))


MAKES = {model.Nested: nested}
