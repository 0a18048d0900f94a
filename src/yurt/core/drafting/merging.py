"""Structures and samples together: the one says what is allowed, the other what is usual."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import datetime

from yurt.core.drafting.draft import Draft, FieldDraft, RecordDraft
from yurt.core.drafting.long_lists import ITEM

RANGED = ("integer", "decimal", "date", "datetime", "time", "duration")
USUAL = ("usually", "tracks", "missing", "on ")


def merged(structures: Sequence[Draft], sampled: Draft) -> Draft:
    """Return one draft; a record type that both have is allowed what the structure says."""
    found = Draft(title=sampled.title, locale=sampled.locale)
    for each in structures:
        found.title = found.title or each.title
        found.lists += each.lists
        found.left_out += each.left_out
        found.notes += each.notes
        found.output |= each.output
        for record in each.records:
            own = found.record(record.name)
            if own is not None:
                found.records[found.records.index(own)] = _both(record, own)
            else:
                found.records.append(record)
    found.lists += sampled.lists
    found.withheld = sampled.withheld
    for record in sampled.records:
        stated = _named(found, record.name)
        if stated is None:
            found.records.append(record)
        else:
            found.records[found.records.index(stated)] = _both(stated, record)
    used = {name for record in found.records for each in record.fields for name in re.findall(r"from (\w+)", each.head)}
    found.lists = [each for each in found.lists if each.name in used]
    return found


def _named(draft: Draft, name: str) -> RecordDraft | None:
    """Return the record type that a name means: the same without case, or in the plural; or else the only one."""
    plain = name.casefold().rstrip("s")
    return next((each for each in draft.records if each.name.casefold().rstrip("s") == plain), None)


def _both(stated: RecordDraft, usual: RecordDraft) -> RecordDraft:
    """Return a record type with the allowed values of one and the usual ones of the other."""
    found = RecordDraft(usual.name, usual.count, key=stated.key or usual.key, unique=stated.unique or usual.unique)
    found.notes = [*stated.notes, *usual.notes]
    by_title = {each.title.casefold(): each for each in stated.fields}
    for each in usual.fields:
        own = by_title.pop(each.title.casefold(), None)
        found.fields.append(each if own is None else _field(own, each))
    found.fields += [each for each in stated.fields if each.title.casefold() in by_title]
    found.always = list(dict.fromkeys([*stated.always, *usual.always]))
    return found


def _field(stated: FieldDraft, usual: FieldDraft) -> FieldDraft:
    """Return one field: the type of the structure, with weights, distributions, and missing shares of the sample."""
    notes = [*stated.notes, *usual.notes]
    found = FieldDraft(usual.name, usual.title, stated.head, list(stated.clauses), usual.present_if, usual.table)
    found.notes, found.found = notes, f"{usual.found}; the source says what is allowed"
    plain = (stated.head, [each for each in stated.clauses if each not in ("unique",)])
    found.others = [(usual.head, usual.clauses), *usual.others] if usual.head else list(usual.others)
    usual_clauses = [each for each in usual.clauses if each.startswith(USUAL)]
    kept = [each for each in stated.clauses if not each.startswith(("missing", "optional"))]
    missing = [each for each in usual_clauses if each.startswith("missing")]
    may_miss = any(each.startswith(("missing", "optional")) for each in stated.clauses)
    if not missing and may_miss and not usual.present_if:
        # It may be missing, but never was.
        missing = ["optional", "missing 0%"]
    if usual.head.startswith(("= ", "ref ", "from ")) or usual.table is not None or usual.nested or stated.nested:
        # What follows from other fields follows from them in any case.
        found.head, found.clauses, found.nested, found.list_size = (
            usual.head,
            list(usual.clauses),
            usual.nested,
            usual.list_size,
        )
        found.others = [*usual.others, plain]
        return found
    word = stated.head.partition(" ")[0]
    if stated.head.startswith("one of") and usual.head.startswith("one of"):
        found.head = _weighted(stated.head, usual.head)
        found.clauses = [*kept, *missing]
    elif word in RANGED and _comparable(word, usual.head.partition(" ")[0]):
        found.head = _with_step(stated.head, usual.head)
        kept = [each for each in kept if not each.startswith("usually")]
        if not any(each.startswith("usually") for each in usual_clauses) and _much_narrower(usual.head, stated.head):
            usual_clauses = [f"usually histogram({_span(usual.head)} 100%)", *usual_clauses]
        found.clauses = [*kept, *(each for each in usual_clauses if not each.startswith("missing")), *missing]
    elif word in RANGED and usual.head.partition(" ")[0] in RANGED:
        found.head, found.clauses = usual.head, list(usual.clauses)
        found.clauses += [each for each in kept if each not in found.clauses and each != "unique"]
    elif stated.head.startswith("text") and "of any" in stated.head:
        found.head, found.clauses = _text(stated, usual, kept, missing)
    else:
        found.clauses = [*kept, *missing]
    if "unique" in stated.clauses and "unique" not in found.clauses and not found.head.startswith(("sequence", "uuid")):
        found.clauses.append("unique")
        found.clauses = [
            each for each in found.clauses if not each.startswith("usually") or each.startswith("usually as")
        ]
    return found


def _comparable(stated: str, usual: str) -> bool:
    """Return whether values of the sample are values of the type that the structure states."""
    return stated == usual or (stated, usual) == ("decimal", "integer")


def _much_narrower(usual: str, stated: str) -> bool:
    """Return whether the values of a sample fill less than half of a range, or that has no limit on some side."""
    sizes = []
    for head in (usual, stated):
        ends = _span(head).split("..")
        if len(ends) < 2:
            return head is stated and bool(_span(usual))
        low, high = (_number(each) for each in ends)
        sizes.append(high - low)
    return sizes[0] < sizes[1] / 2


def _number(text: str) -> float:
    """Return a number, or a date or time as one."""
    if re.fullmatch(r"-?\d+(\.\d+)?", text):
        return float(text)
    if re.match(r"\d{4}-", text):
        return datetime.fromisoformat(text).timestamp()
    hours, minutes = text.split(":")[:2]
    return int(hours) * 60.0 + int(minutes)


def _span(head: str) -> str:
    """Return the range of a type, if both of its ends are values."""
    found = re.search(r" (-?[\d.:T-]*\d\.\.-?\d[\d.:T-]*)", head)
    return found[1] if found else ""


def _with_step(stated: str, usual: str) -> str:
    """Return a range of the structure with the step of the sample, if the structure has only the finest one."""
    head, fine, zone = stated.partition(" step 0.001ms")
    step = re.search(r" step \S+", usual)
    return head + (step[0] if step else "") + zone if fine else stated


def _text(stated: FieldDraft, usual: FieldDraft, kept: list[str], missing: list[str]) -> tuple[str, list[str]]:
    """Return a text that the structure only gives a length: its kind is usual, a pattern or a list is taken over."""
    of_type = usual.head.partition(" ")[0].partition("(")[0]
    if usual.head.startswith(("/", "one of", "uuid", "sequence", "text")) or of_type in (*RANGED, "boolean", "list"):
        return usual.head, [*(each for each in usual.clauses if not each.startswith("missing")), *missing]
    plain = [each for each in kept if not each.startswith("usually")]
    return stated.head, [*plain, f"usually as {usual.head}", *missing]


def _weighted(stated: str, usual: str) -> str:
    """Return the listed values of the structure with the weights of the sample."""
    weights = {}
    for each in ITEM.findall(usual.removeprefix("one of ")):
        word, _, share = each.strip().rpartition(" ")
        if share.endswith("%"):
            weights[word.strip()] = share
    items = [each.strip() for each in ITEM.findall(stated.removeprefix("one of ")) if each.strip()]
    if not weights or set(weights) - set(items):
        return stated
    rest = [each for each in items if each not in weights]
    if rest and sum(float(each.rstrip("%")) for each in weights.values()) >= 100:
        # Values that the sample does not have keep a small share.
        first = max(weights, key=lambda each: float(weights[each].rstrip("%")))
        weights[first] = f"{float(weights[first].rstrip('%')) - 0.1 * len(rest):g}%"
    return "one of " + " | ".join(f"{each} {weights[each]}" if each in weights else each for each in items)
