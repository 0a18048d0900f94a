"""What a draft has found, withheld, and left out, as lines of text; each line has parts with a tone."""

from __future__ import annotations

from collections.abc import Iterator

from yurt.core.drafting.draft import Draft, FieldDraft, RecordDraft
from yurt.core.drafting.fidelity import RecordFidelity
from yurt.core.drafting.fitting import ENOUGH, Fit
from yurt.core.drafting.samples.reading import Sample
from yurt.core.text.words import plural

# A part of a line, and its tone: good, bad, strong, faint, or none.
Part = tuple[str, str]
# The entries that are listed.
LISTED = 8
WIDEST = 100


def summary(
    draft: Draft, fit: Fit | None, samples: list[Sample], least: int, unread: list[str]
) -> Iterator[list[Part]]:
    """Yield what was found, withheld, and left out; `unread` are files and tables that nothing was read of."""
    yield [("Found", "strong")]
    width = max((len(each.name) for each in draft.records), default=0)
    by_record = {each.record: each for each in samples}
    for record in draft.records:
        yield [(f"  {record.name:{width}}  {_counts(record)}", "")]
        if fit is not None and record.name in fit.accepted:
            yield [(" " * (width + 4), ""), *_accepted(by_record[record.name], fit.accepted[record.name].share)]
    yield from _withheld(draft, width)
    if samples:
        yield [(f"  No value of fewer than {plural(least, 'row')} is in the schema.", "good")]
    yield from _left_out("Not read", unread)
    yield from _left_out("Not said", draft.left_out)
    if fit is not None:
        yield from _left_out("Not checked", [f"{what}: {why}" for what, why in fit.unjudged.items()])


def _counts(record: RecordDraft) -> str:
    """Return how many fields there are, and what they rest on."""
    sorts: dict[str, int] = {}
    for each in record.fields:
        word = _sort(each)
        if word:
            sorts[word] = sorts.get(word, 0) + 1
    parts = [plural(count, word) for word, count in sorts.items()]
    parts += [plural(len(record.always), "condition")] if record.always else []
    return (
        f"{plural(len(record.fields), 'field')}: {', '.join(parts)}" if parts else plural(len(record.fields), "field")
    )


def _sort(field: FieldDraft) -> str:
    head = field.head
    if field.table is not None:
        return "table"
    if field.present_if:
        return "conditional field"
    if field.nested:
        return "nested record"
    for start, word in (
        ("ref ", "reference"), ("= ", "formula"), ('text "', "formula"), ("one of", "list"), ("from ", "listed value"),
        ("list ", "list column"), ("sequence", "sequence"), ("/", "pattern"), ("uuid", "UUID"), ("boolean", "Boolean"),
    ):  # fmt: skip
        if head.startswith(start):
            return word
    if head.partition(" ")[0] in ("integer", "decimal", "date", "time", "datetime", "duration"):
        return "range"
    return "text" if head.startswith("text") else "kind"


def _accepted(sample: Sample, share: float) -> list[Part]:
    rows = plural(sample.size, "row")
    whole = "all read" if sample.whole else f"of {sample.total:,}"
    words = f"{rows} ({whole}), {_percent(share)} accepted by the draft"
    return [(words, "good" if share >= ENOUGH else "bad")]


def _percent(share: float) -> str:
    return "100%" if share == 1 else f"{min(share, 0.9999) * 100:.2f}".rstrip("0").rstrip(".") + "%"


def _withheld(draft: Draft, width: int) -> Iterator[list[Part]]:
    """Yield the fields whose values stay out, one line for each record type."""
    if not draft.withheld:
        return
    yield [("Withheld", "strong")]
    for record in draft.records:
        own = [f"{each.field} ({each.reason})" for each in draft.withheld if each.record == record.name]
        line = f"  {record.name:{width}}  "
        for at, each in enumerate(own):
            if at and len(line) + len(each) > WIDEST:
                yield [(line.rstrip(), "")]
                line = " " * (width + 4)
            line += each + (", " if at + 1 < len(own) else "")
        if own:
            yield [(line.rstrip(), "")]


def _left_out(title: str, entries: list[str]) -> Iterator[list[Part]]:
    if not entries:
        return
    yield [(title, "strong")]
    for each in entries[:LISTED]:
        yield [(f"  {each}", "")]
    if len(entries) > LISTED:
        yield [(f"  … and {len(entries) - LISTED:,} more", "faint")]


def report(fidelities: list[RecordFidelity]) -> Iterator[list[Part]]:
    """Yield how well each field is drawn: what was found, distances, missing shares, rows that break its line."""
    for each in fidelities:
        rows = "all rows" if each.rows == each.total else f"of {each.total:,}"
        yield [(each.name, "strong"), (f"  {plural(each.rows, 'row')} ({rows}), {each.drawn:,} drawn, "
                                       f"{_percent(each.accepted)} accepted", "")]  # fmt: skip
        width = max([5, *(len(one.name) for one in each.fields)])
        found = max([5, *(min(len(one.found), 44) for one in each.fields)])
        yield [(f"  {'field':{width}}  {'found':{found}}  distance  missing  drawn  not accepted", "faint")]
        for one in each.fields:
            distance = f"{one.distance:.3f} {one.measure}" if one.distance is not None else "-"
            missing, drawn = (f"{share:.1%}" if share else "-" for share in (one.missing, one.missing_drawn))
            tone = "bad" if one.distance is not None and one.distance > 0.1 and each.rows >= 200 else ""
            yield [
                (f"  {one.name:{width}}  {one.found[:44]:{found}}  ", ""), (f"{distance:>8}", tone),
                (f"  {missing:>7}  {drawn:>5}  {one.broken or '-':>12}", ""),
            ]  # fmt: skip
        for pair in each.correlations[:LISTED]:
            yield [(f"  {pair.one} and {pair.two}: rank correlation {pair.sample:.2f}, drawn {pair.drawn:.2f}", "")]
        yield []
