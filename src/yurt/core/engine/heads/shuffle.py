"""Takes the values of a column in another order, which is found before the rows are written."""

from __future__ import annotations

from collections.abc import Callable

from yurt.core import model
from yurt.core.base.types import TEXT
from yurt.core.columns.column import Column
from yurt.core.engine.scope import BatchScope, TableScope
from yurt.core.heads.shuffle import Shuffle

# The title under which the shuffled values of a field are found among the columns of the file.
TITLE = "{} shuffled"


def shuffle(field: model.Field, phrase: model.Phrase, table: TableScope) -> Callable[[BatchScope], Column]:
    """The shuffled values."""
    assert isinstance(phrase.head, Shuffle)
    file, title = table.run.existing[table.record.name], TITLE.format(field.name)
    return lambda batch: file.column(title, TEXT, batch.rows)


MAKES = {Shuffle: shuffle}
