"""The settings of an output: those of the schema, and in front of them those of the command line."""

from __future__ import annotations

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import did_you_mean
from yurt.core.formats import FORMATS, configured
from yurt.core.formats.common.format import Format
from yurt.core.formats.common.settings import complete
from yurt.core.model import Schema
from yurt.core.writing.dress import dressed


@dataclass(frozen=True)
class Given:
    """A setting of the command line, for one record type or (with an empty name) for all."""

    record: str
    name: str
    value: str


@dataclass
class Output:
    """Finds the settings of every record type in a format."""

    schema: Schema
    given: tuple[Given, ...] = ()
    _forms: dict[tuple[str, str], Format] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for each in self.given:
            if each.record and each.record not in self.schema.records:
                hint = did_you_mean(each.record, self.schema.records) or ", ".join(self.schema.records)
                raise UsageFault(f"--with {each.record}.{each.name}: there is no record type `{each.record}`; {hint}")

    def chosen(self, form: str, record: str) -> dict[str, str]:
        """Return the settings that are not the usual ones."""
        own = self.schema.output.get(form, {})
        found = {**own.get("", {}), **own.get(record, {})}
        found |= {each.name: each.value for each in self.given if not each.record}
        return found | {each.name: each.value for each in self.given if each.record == record}

    def format(self, form: str, record: str) -> Format:
        """Return the format with the settings of a record type."""
        if (form, record) not in self._forms:
            self._forms[form, record] = configured(form, self.chosen(form, record))
        return self._forms[form, record]

    def dressed(self, forms: dict[str, str]) -> Schema:
        """Return the schema whose fields are as the settings ask; `forms` has the format of each record type."""
        chosen = {
            record: complete(form, FORMATS[form].settings, self.chosen(form, record))
            for record, form in forms.items() if self.chosen(form, record)
        }  # fmt: skip
        return dressed(self.schema, dict(chosen)) if chosen else self.schema
