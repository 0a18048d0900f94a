"""JSON documents as structures have them: numbers with their digits, no name twice, not too deep."""

from __future__ import annotations

import json
from collections.abc import Mapping
from decimal import Decimal
from typing import Any

from yurt.core.base.errors import YurtError

Json = Any
DEEPEST = 200


def document(data: bytes, name: str) -> Json:
    """Return a JSON or YAML document. Raises YurtError with the place of a fault."""
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as fault:
        raise YurtError(f"{name}: not UTF-8 text (byte {fault.start + 1:,})") from None
    stripped = text.lstrip()
    if stripped[:1] in ("{", "["):
        return _json(text, name)
    return _yaml(text, name)


def _json(text: str, name: str) -> Json:
    def pairs(found: list[tuple[str, Json]]) -> dict[str, Json]:
        return dict(found)

    try:
        return json.loads(text, parse_float=Decimal, object_pairs_hook=pairs)
    except json.JSONDecodeError as fault:
        raise YurtError(f"{name}, line {fault.lineno:,}: not JSON: {fault.msg}") from None
    except RecursionError:
        raise YurtError(f"{name}: more than {DEEPEST} levels deep") from None
    except ValueError as fault:
        raise YurtError(f"{name}: a number that cannot be read: {fault}") from None


def _yaml(text: str, name: str) -> Json:
    """Return a YAML document without anchors, which could grow without limit."""
    import yaml

    class Loader(yaml.SafeLoader):
        """Reads plain YAML; numbers keep their digits."""

        def compose_node(self, parent: Any, index: Any) -> Any:
            if self.check_event(yaml.events.AliasEvent):
                event = self.peek_event()  # type: ignore[no-untyped-call]
                told = "aliases are not read"
                raise yaml.composer.ComposerError(None, None, told, event.start_mark)
            return super().compose_node(parent, index)

    def number(loader: Any, node: Any) -> Decimal | float:
        try:
            return Decimal(node.value.replace("_", ""))
        except ArithmeticError:
            return float("nan")

    Loader.add_constructor("tag:yaml.org,2002:float", number)
    # Dates stay texts, as in JSON.
    Loader.add_constructor("tag:yaml.org,2002:timestamp", lambda loader, node: node.value)
    try:
        return yaml.load(text, Loader)  # noqa: S506  a safe loader
    except yaml.MarkedYAMLError as fault:
        mark = fault.problem_mark
        place = f", line {mark.line + 1:,}" if mark is not None else ""
        raise YurtError(f"{name}{place}: neither JSON nor YAML: {fault.problem}") from None
    except (yaml.YAMLError, RecursionError) as fault:
        raise YurtError(f"{name}: neither JSON nor YAML: {str(fault).splitlines()[0]}") from None


def is_mapping(value: Json) -> bool:
    """Return whether a value is an object."""
    return isinstance(value, Mapping)
