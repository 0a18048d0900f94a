"""Reads the block `output:`, the settings of formats: `csv: {delimiter: semicolon, hut: {fields: "code, beds"}}`."""

from __future__ import annotations

from yurt.core.base.errors import UsageFault
from yurt.core.base.nearest import did_you_mean
from yurt.core.formats import FORMATS, configured
from yurt.core.language.read_context import ReadContext
from yurt.core.model import Record
from yurt.core.model.schema import Output
from yurt.core.source.nodes import Mapping, Node, Scalar, Sequence


def read_output(context: ReadContext, node: Node, records: dict[str, Record]) -> Output:
    """Return the settings by format and record type; those for all record types stand under an empty name."""
    found: Output = {}
    if not isinstance(node, Mapping):
        context.findings.error("`output` has the settings of formats", node.span, "csv: {delimiter: semicolon}")
        return found
    for key, settings in node:
        form = key.text.text
        if form not in FORMATS:
            hint = did_you_mean(form, FORMATS.names)
            context.findings.error(f"there is no format `{form}`", key.span, ", ".join(FORMATS.names), hint)
        elif not isinstance(settings, Mapping):
            context.findings.error(f"`{form}` has settings", settings.span, "{delimiter: semicolon}")
        else:
            found[form] = _of_format(context, form, settings, records)
    return found


def _of_format(
    context: ReadContext, form: str, settings: Mapping, records: dict[str, Record]
) -> dict[str, dict[str, str]]:
    found: dict[str, dict[str, str]] = {"": {}}
    for key, value in settings:
        name = key.text.text
        if isinstance(value, Mapping):
            if name not in records:
                hint = did_you_mean(name, records)
                context.findings.error(f"there is no record type `{name}`", key.span, ", ".join(records), hint)
                continue
            found[name] = {}
            for inner, text in value:
                _put(context, form, found[name], inner, text)
        else:
            _put(context, form, found[""], key, value)
    return found


def _put(context: ReadContext, form: str, into: dict[str, str], key: Scalar, value: Node) -> None:
    """Add a setting after checking it."""
    if isinstance(value, Sequence):
        text = ", ".join(each.text.text for each in value.items if isinstance(each, Scalar))
    else:
        text = context.plain(value, key.text.text).text
    try:
        configured(form, {key.text.text: text})
    except UsageFault as fault:
        context.findings.error(str(fault), value.span if "is not possible" in str(fault) else key.span)
        return
    into[key.text.text] = text
