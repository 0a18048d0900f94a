"""Structures and samples together: the one says what is allowed, the other what is usual."""

from __future__ import annotations

import re
from collections.abc import Sequence

from yurt.core.drafting.draft import Draft, FieldDraft, RecordDraft
from yurt.core.drafting.long_lists import ITEM
from yurt.core.drafting.samples.reading import Sample

RANGED = ("integer", "decimal", "date", "datetime", "time", "duration")
# The ranges of types of databases, which no rule states.
SIZES = {
    f"{low}..{high}" for bits in (8, 16, 24, 32)
    for low, high in ((-(2 ** (bits - 1)), 2 ** (bits - 1) - 1), (0, 2**bits - 1))
}  # fmt: skip
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
    found.notes, found.found = notes, usual.found
    plain = (stated.head, [each for each in stated.clauses if each not in ("unique",)])
    found.others = [(usual.head, usual.clauses), *usual.others] if usual.head else list(usual.others)
    usual_clauses = [each for each in usual.clauses if each.startswith(USUAL)]
    kept = [each for each in stated.clauses if not each.startswith(("missing", "optional"))]
    missing = [each for each in usual_clauses if each.startswith("missing")]
    may_miss = any(each.startswith(("missing", "optional")) for each in stated.clauses)
    if not missing and may_miss and not usual.present_if:
        # It may be missing, but never was.
        missing = ["optional", "missing 0%"]
    decided = usual.head.startswith(("= ", "ref ", "from ", "boolean")) or usual.found.startswith("follows")
    if decided or usual.table is not None or usual.nested or stated.nested:
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
    elif word in RANGED and stated_range(stated.head) and _comparable(word, usual.head.partition(" ")[0]):
        found.head = _with_step(stated.head, usual.head)
        kept = [each for each in kept if not each.startswith("usually")]
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


def stated_range(head: str) -> tuple[str, str] | None:
    """Return the ends of a range that a rule states; None for one without ends, or that is only the size of a type."""
    found = re.search(r" (-?[\d.:T-]*\d)\.\.(-?\d[\d.:T-]*)", head)
    if found is None or head.partition(" ")[0] not in RANGED:
        return None
    return None if f"{found[1]}..{found[2]}" in SIZES else (found[1], found[2])


def with_stated_ranges(samples: Sequence[Sample], structures: Sequence[Draft]) -> None:
    """Tell the columns of samples which ranges structures state, so that distributions are fitted over them."""
    for sample in samples:
        for draft in structures:
            record = _named(draft, sample.record)
            ranges = {each.title.casefold(): stated_range(each.head) for each in record.fields} if record else {}
            for column in sample.columns.values():
                column.stated = ranges.get(column.title.casefold()) or column.stated


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
