"""Lines for the columns of a file: treatments, and clean-up. They are a start and change nothing."""

from __future__ import annotations

import re
from datetime import date

import numpy as np
import pyarrow as pa

from yurt.core.base import compute as pc
from yurt.core.base.arrays import arrow, flags, numbers
from yurt.core.base.data_classes import dataclass, field, replace
from yurt.core.base.errors import YurtError
from yurt.core.base.tuples import together
from yurt.core.base.types import TEXT
from yurt.core.engine.run import Run, RunOptions
from yurt.core.existing.columns import Existing, refused
from yurt.core.existing.recognising import TEXT_WORDS, Recognised, locale_of, recognised
from yurt.core.existing.rows import FileBlock, FileRows, part_of
from yurt.core.formats.common.raw import Raw
from yurt.core.kinds.catalogue import KINDS
from yurt.core.kinds.numbers.trailing import CHECKED
from yurt.core.language.over_columns import field_names
from yurt.core.language.read_context import Asked
from yurt.core.language.reader import read_fields

# The number of rows that are read.
ROWS = 20_000
# Kinds that are substituted by another value of theirs, by the line that does it.
SUBSTITUTED = (
    "given-name", "family-name", "full-name", "email", "username", "tel", "city", "region", "postal-code", "country",
    "street-address", "address-line1", "organization", "ipv4", "ipv6", "mac-address", "url", "bic", "job-title",
)  # fmt: skip
ENCRYPTED = ("national-id", "passport-number", "driving-licence", "vat", "uuid")
# Kinds that say nothing about a person: they are left as they are.
HARMLESS = ("country-code", "currency-code", "language", "language-tag", "colour", "sex")
UNIQUE = ("email", "username")
PERSONAL = (*SUBSTITUTED, *ENCRYPTED, *CHECKED)
# A text has words: with a smaller share of them it is a number in groups. A column with so many words on average is a
# text, whatever its name is.
LEAST_SPOKEN, WORDY = 0.5, 8
BIRTHS = re.compile(r"born|birth|dob|geb", re.IGNORECASE)
# Names of keys, which are encrypted; any unique text without spaces is taken for one as well.
KEYS = re.compile(r"(^|[^a-z])(id|no|nr|number|key|code|pass|card|account|ref)([^a-z]|$)", re.IGNORECASE)
EXAMPLE_ROWS = 2000
# The share of values that a clean-up must be about.
LEAST_SHARE = 0.01
MOST = 0.9
INVISIBLE = r"[\x{200B}-\x{200D}\x{2060}\x{FEFF}\x{AD}]"
SPACES = r"^\s|\s$|[\s\x{A0}\x{202F}\x{2007}]{2,}|[\x{A0}\x{202F}\x{2007}]"
BRACKETS = r"\([^()]*\)|\[[^\[\]]*\]"
AMOUNT = r"^[^0-9]{0,8}-?[0-9]{1,3}(?:[.' \x{A0}]?[0-9]{3})*(?:,[0-9]{1,4})?[^0-9]{0,8}$"
POINTED = r"^[^0-9]{0,8}-?[0-9]{1,3}(?:[,' \x{A0}]?[0-9]{3})*(?:\.[0-9]{1,4})?[^0-9]{0,8}$"
PLAIN_NUMBER = r"^-?(0|[1-9][0-9]*)(\.[0-9]+)?$"
DATES = ("%Y-%m-%d", "%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%Y/%m/%d", "%d-%m-%Y", "%d %B %Y", "%d %b %Y")
YES = ("yes", "ja", "oui", "si", "sì", "da", "true", "y", "x", "1")
NO = ("no", "nein", "non", "ne", "false", "n", "-", "0")


@dataclass(frozen=True)
class Suggestion:
    """A line for a column, with the reason; without a line, the column is left as it is."""

    column: Recognised
    name: str
    line: str
    reason: str
    # Two values before and after the line.
    examples: tuple[tuple[str, str], ...] = ()


@dataclass
class Suggestions:
    """The lines for one file."""

    record: str
    name: str
    rows: int
    whole: bool
    lines: list[Suggestion] = field(default_factory=list)
    locale: str = ""
    sure_of_locale: float = 0.0
    # Lines for new columns, and what else there is to say, each as it stands in the schema.
    more: list[str] = field(default_factory=list)


@dataclass
class Sample:
    """The first rows of a file."""

    file: Existing
    rows: int = 0
    whole: bool = True
    raws: dict[str, Raw] = field(default_factory=dict)


def sample_of(file: Existing, rows: int = ROWS) -> Sample:
    """Return the first rows of a file. Raises YurtError for a file that cannot be read so far."""
    found = Sample(file)
    parts: list[dict[str, Raw]] = []
    with file.open() as stream:
        reading = file.reading(stream)
        for piece in reading.pieces():
            block = reading.block(piece)
            parts.append(file.raws(block))
            found.rows += block.size
            if found.rows >= rows:
                found.whole = found.rows == rows and next(iter(reading.pieces()), None) is None
                break
        if reading.faults:
            raise refused(file.name, reading.faults, file.open)
    found.rows = min(found.rows, rows)
    for title in file.titles:
        texts = pa.concat_arrays([part[title].texts for part in parts])[:rows] if parts else pa.array([], pa.string())
        sorts = np.concatenate([part[title].sorts for part in parts])[:rows] if parts else np.empty(0, dtype=np.uint8)
        found.raws[title] = Raw(texts, sorts)
    return found


def treatments(sample: Sample) -> Suggestions:
    """Return a treatment for each column that may tell who a row is about."""
    columns = {title: recognised(title, raw) for title, raw in sample.raws.items()}
    names = field_names(list(sample.file.titles))
    found = Suggestions(sample.file.record, sample.file.name, sample.rows, sample.whole)
    found.locale, found.sure_of_locale = locale_of(columns, sample.raws)
    key = next((names[title] for title, each in columns.items() if each.unique), "")
    for title, each in columns.items():
        line, reason = _treatment(each, key, names[title])
        found.lines.append(Suggestion(each, names[title], line, reason))
    return found


def with_references(found: list[Suggestions], samples: list[Sample]) -> None:
    """Give a column that refers to the key of another file the treatment of that key, in the same domain."""
    keys = [
        (each, line, set(sample.raws[line.column.title].texts.to_pylist()))
        for each, sample in zip(found, samples, strict=True) if sample.whole
        for line in each.lines if line.column.unique and line.line == "encrypt"
    ]  # fmt: skip
    for each, sample in zip(found, samples, strict=True):
        for at, line in enumerate(each.lines):
            if line.line and not line.line.startswith("encrypt"):
                continue
            values = set(pc.drop_null(pc.unique(sample.raws[line.column.title].texts)).to_pylist())
            for other, key, known in keys:
                if other is not each and line.column.type.name == "text" and values and values <= known:
                    told = f"every value is a `{key.name}` of `{other.record}`"
                    each.lines[at] = replace(line, line=f"encrypt, domain {key.name}", reason=told)
                    break


def with_examples(found: Suggestions, sample: Sample) -> None:
    """Add two values before and after to each line; a line that some value refuses has none, and says why."""
    for at, line in enumerate(found.lines):
        if line.line:
            try:
                found.lines[at] = replace(line, examples=_examples(sample, line))
            except YurtError as fault:
                found.lines[at] = replace(line, reason=f"{line.reason}; {fault}")


def _examples(sample: Sample, line: Suggestion) -> tuple[tuple[str, str], ...]:
    title, name = line.column.title, line.name
    raw = sample.raws[title]
    rows = min(sample.rows, EXAMPLE_ROWS)
    block = FileBlock(0, rows, {title: part_of(raw, 0, rows)})
    file = FileRows()
    file.enter(block)
    schema, _ = read_fields([f"{name}: {line.line}"], Asked(existing={"record": {title: TEXT}}))
    run = Run(
        schema, RunOptions(0, date(2000, 1, 1), rows), only="record", unmeasured="record", existing={"record": file}
    )
    after = run.table("record").batch(np.arange(rows, dtype=np.uint64)).field(name)
    texts = after.text(rows).to_pylist()
    pairs = {
        old: new or ""
        for old, new in zip(block.raws[title].texts.to_pylist(), texts, strict=True) if old is not None and old != new
    }  # fmt: skip
    return tuple(list(pairs.items())[:2])


def _treatment(column: Recognised, key: str, name: str) -> tuple[str, str]:
    kind = column.kind
    if not column.there:
        return "", "no values"
    if BIRTHS.search(column.title) and column.type.name in ("date", "datetime"):
        return f"shift 30d per {key}" if key and key != name else "shift 30d", "a date of birth, by name"
    if kind in CHECKED:
        return f"encrypt {kind}", f"{kind}, {column.sure}"
    if kind in ENCRYPTED or (kind == "uuid" and column.unique):
        return "encrypt", f"{kind}, {column.sure}"
    if kind in SUBSTITUTED:
        unique = ", unique" if kind in UNIQUE and column.unique else ""
        return f"substitute {kind}{unique}", f"{kind}, {column.sure}"
    if column.named in PERSONAL and not kind and column.type.name in ("text", "integer") and column.words < WORDY:
        return "encrypt", f"{column.named}, by name, though its values are written in another way"
    if column.words >= TEXT_WORDS and column.spoken < LEAST_SPOKEN:
        return "encrypt", "groups of digits and capital letters"
    if column.words >= TEXT_WORDS and column.different > column.there / 2:
        return "scrub", f"a text of {column.words:.0f} words on average"
    named = bool(KEYS.search(column.title)) and column.type.name in ("text", "integer")
    grouped = column.spoken < LEAST_SPOKEN and column.words < TEXT_WORDS
    if column.unique and (named or (column.type.name == "text" and (column.words <= 1 or grouped))):
        return "encrypt", "a key: no value is there twice"
    if named and column.words <= 1:
        return "encrypt", "a key, by name"
    if kind in HARMLESS or (kind and KINDS[kind].about == ""):
        return "", f"{kind}, {column.sure}"
    return "", f"{column.type}, {column.different:,} different values"


def cleaning(sample: Sample) -> Suggestions:
    """Return a line for each column whose values are written in a form that a program stumbles over."""
    names = field_names(list(sample.file.titles))
    found = Suggestions(sample.file.record, sample.file.name, sample.rows, sample.whole)
    for title, raw in sample.raws.items():
        column = recognised(title, raw)
        line, reason = _clean(names[title], raw, column)
        found.lines.append(Suggestion(column, names[title], f"= {line}" if line else "", reason))
        if column.kind == "full-name" and _share_of(raw, r"^[^,]+,\s*[^,]+$") >= MOST:
            name = names[title]
            found.more += [f'given: = part({name}, ", ", 2)', f'family: = part({name}, ", ", 1)']
    cells = [each.texts for each in sample.raws.values()]
    again = sample.rows - len(pc.unique(together(cells))) if len(cells) > 1 else 0
    if again:
        told = "row was there before" if again == 1 else "rows were there before"
        found.more.append(f"# {again:,} {told}, even without clean-up: --distinct all leaves out such rows")
    return found


def _share_of(raw: Raw, pattern: str) -> float:
    texts = pc.filter(raw.texts, arrow(~raw.missing))
    return float(flags(pc.match_substring_regex(texts, pattern)).mean()) if len(texts) else 0.0


def _clean(name: str, raw: Raw, column: Recognised) -> tuple[str, str]:
    """Return the expression that cleans a column, and what it is about."""
    missing = raw.missing
    texts = pc.filter(raw.texts, arrow(~missing)) if missing.any() else raw.texts
    if not len(texts) or column.type.name != "text":
        return "", f"{column.type}, as programs write it" if len(texts) else "no values"
    expression, reasons = name, []
    seen = texts
    for pattern, shape, told in (
        (INVISIBLE, "without_control_characters({})", "characters that cannot be seen"),
        (BRACKETS, "without_brackets({})", "brackets"),
        (SPACES, "normalize_space({})", "odd spaces"),
    ):
        count = int(flags(pc.match_substring_regex(seen, pattern)).sum())
        if pattern == BRACKETS and (column.kind in ("tel",) or column.words >= TEXT_WORDS):
            continue
        if count >= max(1, LEAST_SHARE * len(seen)) or (count and pattern != BRACKETS):
            expression = shape.format(expression)
            reasons.append(f"{told} in {count:,}")
    bare = pc.replace_substring_regex(seen, f"{INVISIBLE}|{BRACKETS}" if "brackets" in expression else INVISIBLE, "")
    bare = pc.utf8_trim_whitespace(pc.replace_substring_regex(bare, r"[\s\x{A0}\x{202F}\x{2007}]+", " "))
    bare = pc.filter(bare, pc.not_equal(bare, ""))
    if not len(bare):
        return "", "no values"
    whole = _whole(expression, bare, column)
    if whole is not None:
        expression, told = whole
        reasons.append(told)
    if whole is None and (case := _case(bare, column)) is not None:
        expression = case[0].format(expression)
        reasons.append(case[1])
    return (expression, "; ".join(reasons)) if reasons else ("", "nothing to clean")


def _whole(expression: str, texts: pa.Array, column: Recognised) -> tuple[str, str] | None:
    """Return the conversion of a whole column, if nearly all values take part: numbers, dates, words for yes and no."""
    count = len(texts)
    words = {each.strip().lower() for each in pc.unique(texts).to_pylist()}
    if 2 <= len(words) <= 8 and words <= {*YES, *NO} and words & set(YES) and words & set(NO):
        yes, no = (" | ".join(each for each in every if each in words) for every in (YES, NO))
        return f'yes_no({expression}, "{yes}", "{no}")', f"words for yes and no in {count:,}"
    read = _dates(texts)
    if read is not None:
        patterns, told = read
        listed = ", ".join(f'"{each}"' for each in patterns)
        return f"to_date({expression}, {listed})", told
    if column.kind == "tel":
        plain = flags(pc.match_substring_regex(texts, r"^\+[0-9]{7,15}$")).sum()
        if plain < count:
            return (
                f'phone({expression}, "43")',
                f"telephone numbers in several forms, {count - int(plain):,} of {count:,}",
            )
        return None
    for pattern, mark in ((AMOUNT, ","), (POINTED, ".")):
        fits = flags(pc.match_substring_regex(texts, pattern))
        plain = flags(pc.match_substring_regex(texts, PLAIN_NUMBER))
        letters = flags(pc.match_substring_regex(texts, r"^[A-Z]{2,}[0-9]|^0[0-9]|[0-9][A-Z]{2,}$"))
        if fits.mean() >= MOST and not plain.all() and letters.mean() < 0.5 and not KEYS.search(column.title):
            other = flags(pc.match_substring_regex(texts, rf"[0-9][{mark}][0-9]{{1,2}}(\D|$)")).any()
            if not other and mark == ",":
                continue
            places = 2 if other else 0
            told = f"numbers with units or other marks in {int((~plain).sum()):,}"
            number = f'number({expression}, "{mark}")'
            return (f"round({number}, {places})" if places else f"round({number})"), told
    return None


def _dates(texts: pa.Array) -> tuple[list[str], str] | None:
    """Return the patterns that read nearly all values as dates, without one that reads another day."""
    chosen: list[str] = []
    left = np.ones(len(texts), dtype=np.bool_)
    days = np.zeros(len(texts), dtype=np.int64)
    doubtful = 0
    for pattern in DATES:
        found = pc.strptime(texts, format=pattern, unit="s", error_is_null=True)
        shown = pc.strftime(found, format=pattern)
        same = pc.equal(_unpadded(shown), _unpadded(texts))
        good = flags(pc.and_kleene(same, pc.match_substring_regex(texts, r"[0-9]{4}")))
        own = numbers(pc.fill_null(pc.cast(found, pa.int64()), 0), np.int64)
        other = good & ~left & (own != days)
        if (good & left).any() and not other.any():
            chosen.append(pattern)
            days = np.where(good & left, own, days)
            left &= ~good
        elif other.any():
            doubtful += int(other.sum())
    if left.mean() > 1 - MOST or not chosen or chosen == ["%Y-%m-%d"]:
        return None
    told = f"dates in {len(chosen)} patterns" if len(chosen) > 1 else "dates in another pattern"
    return chosen, told + (f"; {doubtful:,} could be another day with day and month exchanged" if doubtful else "")


def _unpadded(texts: pa.Array) -> pa.Array:
    return pc.replace_substring_regex(pc.utf8_lower(texts), r"0*([0-9]+)", r"\1")


def _case(texts: pa.Array, column: Recognised) -> tuple[str, str] | None:
    """Return the function for names in capitals."""
    if column.kind not in ("given-name", "family-name", "full-name", "city"):
        return None
    upper = flags(pc.match_substring_regex(texts, r"^[\p{Lu}\s,'’-]{3,}$"))
    lower = flags(pc.match_substring_regex(texts, r"^[\p{Ll}\s,'’-]{3,}$"))
    count = int((upper | lower).sum())
    return ("title({})", f"names in capitals or small letters in {count:,}") if count else None
