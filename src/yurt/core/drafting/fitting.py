"""Validates a sample against its own draft, and widens the lines that too many rows break."""

from __future__ import annotations

import re
from datetime import date

import numpy as np
from numpy.typing import NDArray

from yurt.core.base.data_classes import dataclass, field
from yurt.core.base.errors import YurtError
from yurt.core.drafting.draft import Draft, FieldDraft, RecordDraft
from yurt.core.drafting.finding.shares import percent
from yurt.core.drafting.samples.as_data import data_of
from yurt.core.drafting.samples.reading import Sample
from yurt.core.drafting.text import text_of
from yurt.core.language.reader import read
from yurt.core.model import Schema
from yurt.core.source.diagnostics import SchemaFault, Source
from yurt.core.text.words import plural
from yurt.core.verify.verification import Verification

# The share of rows that are accepted by a draft that fits, and the share that may break a single field otherwise.
ENOUGH, TOLERATED = 0.99, 0.0005
ROUNDS = 30


@dataclass
class Accepted:
    """The rows of a record type that its draft accepts, and by field and rule how many rows break it."""

    rows: int
    right: int
    broken: dict[tuple[str, str], int] = field(default_factory=dict)

    @property
    def share(self) -> float:
        """The share of rows that are accepted."""
        return self.right / self.rows if self.rows else 1.0


@dataclass
class Fit:
    """How the samples fit their draft: the schema, and what it accepts of each record type."""

    schema: Schema
    text: str
    accepted: dict[str, Accepted]
    unjudged: dict[str, str]


def fitted(draft: Draft, samples: list[Sample], today: date) -> Fit:
    """Widen a draft until it accepts its samples, and return how well it does.

    Raises YurtError if no schema comes out of it, which would be a fault of this program.
    """
    for _ in range(ROUNDS):
        schema, text = readable(draft)
        accepted, unjudged = _accepted(schema, samples, today)
        if not any([_fit(draft, name, found) for name, found in accepted.items()]):  # noqa: C419  all of them
            break
    _tell(draft, accepted)
    schema, text = readable(draft)
    return Fit(schema, text, accepted, unjudged)


def _fit(draft: Draft, name: str, found: Accepted) -> bool:
    """Widen what most rows break, unless nearly all rows are accepted; return whether anything has changed."""
    if found.share >= ENOUGH:
        return False
    most = max(found.broken.values(), default=0)
    wrong = [(key, count) for key, count in found.broken.items() if count > max(TOLERATED * found.rows, most / 2)]
    return sum(_widened(draft.record(name), each, rule, count / found.rows) for (each, rule), count in wrong) > 0


def readable(draft: Draft) -> tuple[Schema, str]:
    """Return the schema of a draft and its text; a line that the language refuses is widened."""
    for _ in range(200):
        text = text_of(draft)
        try:
            return read(Source("the draft", text))[0], text
        except SchemaFault as fault:
            if not _mended(draft, text, fault):
                told = fault.diagnostics[0]
                line = fault.source.line(fault.source.line_and_column(told.span.start)[0]).strip()
                raise YurtError(f"the draft is no schema: {told.message}, in `{line[:80]}`") from None
    raise YurtError("the draft is no schema")


def _mended(draft: Draft, text: str, fault: SchemaFault) -> bool:
    """Widen the fields of the lines with mistakes; return whether anything has changed."""
    changed = False
    lines = text.split("\n")
    for each in fault.diagnostics:
        number = fault.source.line_and_column(each.span.start)[0]
        record, own = _owner(draft, lines, number)
        if record is None:
            continue
        if own is not None:
            before = ", ".join([own.head, *own.clauses])
            if _narrowed_clauses(own) or own.wider():
                changed = True
                draft.left_out.append(f"{record.name}.{own.name}: `{before}`: {each.message}")
        else:
            written = lines[number - 1].strip().removeprefix("- ").strip("'")
            kept = [one for one in record.always if one != written]
            changed |= len(kept) < len(record.always)
            record.always = kept
    return changed


def _narrowed_clauses(own: FieldDraft) -> bool:
    """Take away the last clause that does not belong to the type itself."""
    for at in range(len(own.clauses) - 1, -1, -1):
        if own.clauses[at].startswith(("tracks", "usually", "unique", "on ", "distinct", "as ")):
            del own.clauses[at]
            return True
    return False


def _owner(draft: Draft, lines: list[str], number: int) -> tuple[RecordDraft | None, FieldDraft | None]:
    """Return the record type and the field that a line of the schema is about."""
    record, path, indent = None, "", 100
    for at in range(number - 1, -1, -1):
        found = re.match(r"( *)'?([^\W\d]\w*)'?:(?: |$)", lines[at])
        if found is None:
            continue
        depth = len(found[1])
        if depth == 2:
            record = draft.record(found[2])
            break
        if depth < indent:
            if lines[at].strip() == "always:":
                path = ""
                indent = 0
                continue
            if not re.match(r" *(fields|nested|when|if |by )", lines[at]):
                path = found[2] + (f".{path}" if path else "")
            indent = depth
    if record is None:
        return None, None
    own = next(
        (each for each in record.fields if path and (each.name == path or path.startswith(each.name + "."))), None
    )
    exact = next((each for each in record.fields if each.name == path), None)
    return record, exact or own


def _accepted(schema: Schema, samples: list[Sample], today: date) -> tuple[dict[str, Accepted], dict[str, str]]:
    """Return what a schema accepts of its samples. Keys of a sample that lacks rows are not looked up."""
    whole = {each.record: each.whole for each in samples}
    data = {each.record: data_of(each) for each in samples}
    together = {name: each for name, each in data.items() if whole[name]}
    found: dict[str, Accepted] = {}
    unjudged: dict[str, str] = {}
    for group in (together, *({name: each} for name, each in data.items() if not whole[name])):
        if not group:
            continue
        others = {name: each for name, each in together.items() if name not in group} if group is not together else {}
        verification = Verification(schema, {**others, **group}, today, group is together)
        wrong: dict[str, NDArray[np.bool_]] = {each.record: np.zeros(each.size, dtype=np.bool_) for each in samples}
        broken: dict[str, dict[tuple[str, str], int]] = {}
        for each in verification.run():
            if each.record in group:
                wrong[each.record][each.rows] = True
                own = broken.setdefault(each.record, {})
                key = (each.field, each.rule)
                own[key] = own.get(key, 0) + len(each.rows)
        for name in group:
            rows = len(wrong[name])
            found[name] = Accepted(rows, rows - int(wrong[name].sum()), broken.get(name, {}))
            unjudged |= {
                f"{name}.{what}" if not what.startswith(name) else what: why
                for what, why in verification.reports[name].unjudged.items()
            }
    return found, unjudged


def _widened(record: RecordDraft | None, name: str, rule: str, share: float) -> bool:
    """Widen what too many rows break; return whether that changes anything."""
    if record is None:
        return False
    if rule == "always" and not name:
        return _without_condition(record, share)
    if rule == "unique" and not name:
        record.unique = []
        return True
    own = record.field(name) or next((each for each in record.fields if name.startswith(each.name + ".")), None)
    if own is None:
        return _without_condition(record, share) if rule == "always" else False
    if rule in ("unique", "distinct"):
        kept = [each for each in own.clauses if each not in ("unique", "distinct")]
        if len(kept) < len(own.clauses):
            own.clauses = kept
            return True
    if rule == "presence" and not own.present_if:
        if not any(each.startswith(("missing", "optional")) for each in own.clauses):
            own.clauses.append(f"missing {percent(share)}")
            return True
        if any(" if " in each for each in own.clauses if each.startswith("missing")):
            own.clauses = [each for each in own.clauses if not each.startswith("missing")] + [
                f"missing {percent(share)}"
            ]
            return True
        return False
    if rule in ("presence", "condition") and own.present_if:
        own.notes.append(f"has a value where {own.present_if}: {percent(1 - share)} of the rows")
        own.present_if = ""
        own.clauses.append("optional")
        return True
    if rule in ("weekday", "month", "holiday"):
        clause = "in " if rule == "month" else "on "
        own.clauses = [each for each in own.clauses if not each.startswith(clause)]
        return True
    if rule == "agreement":
        own.clauses = [each for each in own.clauses if not each.startswith("locale")]
    return own.wider()


def _without_condition(record: RecordDraft, share: float) -> bool:
    """Turn the last condition into a comment."""
    if not record.always:
        return False
    record.notes.append(f"{record.always.pop()}: {percent(1 - share)} of the rows")
    return True


def _tell(draft: Draft, accepted: dict[str, Accepted]) -> None:
    """Say at each field how many rows break it all the same."""
    for name, found in accepted.items():
        record = draft.record(name)
        for (each, _), count in found.broken.items():
            own = record.field(each) if record is not None else None
            if own is not None and not any(note.startswith(f"{count:,} ") for note in own.notes):
                own.notes.append(
                    f"{plural(count, 'row')} of {found.rows:,} {'does' if count == 1 else 'do'} not follow this line"
                )
