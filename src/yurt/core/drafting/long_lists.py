"""Long lists of values as value lists: a line stays a line."""

from __future__ import annotations

import re

from yurt.core.drafting.draft import Draft, ListDraft

# The longest list that stands in its line.
LONGEST = 300
ITEM = re.compile(r'"(?:\\.|[^"\\])*"|[^|]+')


def with_value_lists(draft: Draft) -> Draft:
    """Move long lists of plain texts to `value-lists`; equal lists become one."""
    names = {each.name for each in draft.lists}
    known: dict[tuple[str, ...], str] = {}
    for record in draft.records:
        for each in record.fields:
            if not each.head.startswith("one of ") or len(each.head) <= LONGEST or "%" in each.head:
                continue
            items = tuple(
                _plain(found.strip()) for found in ITEM.findall(each.head.removeprefix("one of ")) if found.strip()
            )
            if items not in known:
                name = plural_of(each.name.rpartition(".")[2])
                while name in names:
                    name += "_"
                names.add(name)
                known[items] = name
                texts = not all(re.fullmatch(r"-?\d+(\.\d+)?", one) for one in items)
                draft.lists.append(ListDraft(name, ("value",), [(one,) for one in items], texts=(texts,)))
            each.head = f"from {known[items]}"
    return draft


def plural_of(name: str) -> str:
    """Return the name of a list of values of a field: `city` has `cities`."""
    if name.endswith("y") and name[-2:-1] not in "aeiou":
        return name[:-1] + "ies"
    return name if name.endswith("s") else name + "s"


def _plain(item: str) -> str:
    if not item.startswith('"'):
        return item
    return re.sub(r"\\(.)", r"\1", item[1:-1])
