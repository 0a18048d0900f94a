"""An independent validator: the language reference implemented a second time, in plain Python, row by row.

It shares no code with Yurt. It reads a schema as YAML texts, splits phrases at commas, parses expressions with its own
small parser, and reports the fields of each record that break a rule. It skips what it cannot know, such as a value
drawn for a helper field.
"""

from __future__ import annotations

import ipaddress
import json
import re
from collections import Counter
from collections.abc import Callable, Iterator
from datetime import date, datetime, time, timedelta
from decimal import Decimal, InvalidOperation
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import email_validator
import yaml
from stdnum import ean, iban, luhn

from .oracle_expressions import Parser, Span, Unknown, computed, written
from .oracle_files import Nothing
from .oracle_phrases import Field, Phrase, fields_of, phrase, split

ABSENT = type("Absent", (), {"__repr__": lambda self: "absent"})()
DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
LISTS = Path(__file__).parent.parent / "src/yurt/core/kinds/locales"


class Wrong(Exception):
    """A value breaks a rule; `str()` of this exception is the rule's name."""


OFFSET = re.compile(r"(.+?)([+-]\d\d:\d\d|Z)")
DURATION = re.compile(r"(-?)P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)S)?)?")


def number(value: Any, plain: bool) -> Decimal:
    if isinstance(value, bool) or (not plain and isinstance(value, str)):
        raise Wrong("type")
    text = str(value)
    if isinstance(value, str) and not re.fullmatch(r"-?(0|[1-9]\d*)(\.\d+)?", text):
        raise Wrong("type")
    try:
        return Decimal(text)
    except InvalidOperation:
        raise Wrong("type") from None


def parsed(sort: str, value: Any, plain: bool) -> Any:
    """Return a value of a data type; `plain` means that the file has only texts."""
    if sort in ("integer", "decimal"):
        found = number(value, plain)
        if sort == "integer" and (found != found.to_integral_value() or "." in str(value)):
            raise Wrong("type")
        return int(found) if sort == "integer" else found
    if sort == "boolean":
        if isinstance(value, bool):
            return value
        if plain and value in ("true", "false"):
            return value == "true"
        raise Wrong("type")
    if not isinstance(value, str):
        raise Wrong("type")
    shapes = {
        "date": (r"\d{4}-\d\d-\d\d", date),
        "time": (r"\d\d:\d\d:\d\d(\.\d{1,6})?", time),
        "datetime": (r"\d{4}-\d\d-\d\dT\d\d:\d\d:\d\d(\.\d{1,6})?", datetime),
    }
    if sort in shapes:
        shape, kind = shapes[sort]
        try:
            assert re.fullmatch(shape, value)
            return kind.fromisoformat(value)  # type: ignore[attr-defined]
        except (AssertionError, ValueError):
            raise Wrong("type") from None
    if sort == "duration":
        match = DURATION.fullmatch(value)
        if not match or value[-1] in "PT":
            raise Wrong("type")
        days, hours, minutes, seconds = (int(each or 0) for each in match.groups()[1:])
        return Span(0, (-1 if match[1] else 1) * (((days * 24 + hours) * 60 + minutes) * 60 + seconds) * 1_000_000)
    return value


def loose(text: str) -> bool:
    return bool(re.fullmatch(r"[^\x00-\x1f\x7f]{1,500}", text))


def address(text: str) -> bool:
    if not re.fullmatch(r"[^@]{1,64}@[^@]{1,253}", text):
        return False
    try:
        email_validator.validate_email(text, check_deliverability=False, test_environment=True, allow_smtputf8=False)
    except email_validator.EmailNotValidError:
        return bool(
            re.fullmatch(
                r"[\w!#$%&'*+/=?^`{|}~-]+(\.[\w!#$%&'*+/=?^`{|}~-]+)*@[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?(\.[A-Za-z0-9]([A-Za-z0-9-]{0,61}[A-Za-z0-9])?)*",
                text,
                re.ASCII,
            )
        )
    return True


def ip(version: int) -> Callable[[str], bool]:
    def good(text: str) -> bool:
        try:
            return ipaddress.ip_address(text).version == version and "%" not in text
        except ValueError:
            return False

    return good


# The meaning of each kind that the schemas use, by other libraries. The locale is en-GB.
KINDS: dict[str, Callable[[str], bool]] = {
    "email": address, "ipv4": ip(4), "ipv6": ip(6), "full-name": loose, "organization": loose, "street-address": loose,
    "gtin-13": lambda text: bool(re.fullmatch(r"\d{13}", text)) and ean.is_valid(text),
    "iban": lambda text: bool(re.fullmatch(r"[A-Z0-9]{5,34}", text)) and iban.is_valid(text, check_country=False),
    "cc-number": lambda text: bool(re.fullmatch(r"\d{12,19}", text)) and luhn.is_valid(text),
    "tel": lambda text: bool(re.fullmatch(r"\+[1-9]\d*([ -]\d+)*", text, re.ASCII)) and 7 <= len(re.sub(r"\D", "", text)) <= 15,
    "country-code": lambda text: text == "GB", "city": loose, "region": loose,
    "blood-group": lambda text: bool(re.fullmatch("(0|O|A|B|AB)[+-]", text)),
    "semantic-version": lambda text: bool(re.fullmatch(r"(0|[1-9]\d*)\.(0|[1-9]\d*)\.(0|[1-9]\d*)(-(0|[1-9]\d*|\d*[a-zA-Z-][0-9a-zA-Z-]*)(\.(0|[1-9]\d*|\d*[a-zA-Z-][0-9a-zA-Z-]*))*)?(\+[0-9a-zA-Z-]+(\.[0-9a-zA-Z-]+)*)?", text, re.ASCII)),
}  # fmt: skip


def typed_values(texts: list[str]) -> tuple[str, list[Any]]:
    """Return the data type of a list's values, and the values; numbers, dates, and Booleans only if all values are."""
    if all(re.fullmatch(r"-?(0|[1-9]\d*)", each) for each in texts):
        return "integer", [int(each) for each in texts]
    if all(re.fullmatch(r"-?(0|[1-9]\d*)(\.\d+)?", each) for each in texts):
        return "decimal", [Decimal(each) for each in texts]
    if all(each in ("true", "false") for each in texts):
        return "boolean", [each == "true" for each in texts]
    if all(re.fullmatch(r"\d{4}-\d\d-\d\d", each) for each in texts):
        return "date", [date.fromisoformat(each) for each in texts]
    return "text", texts


def items(head: str) -> list[str]:
    parts = [re.sub(r"\s+(\d+(\.\d+)?%|\* *\d+)$", "", each) for each in split(head.removeprefix("one of "), "|")]
    return [each[1:-1] if each[:1] in "\"'" else each for each in parts]


def like(example: str) -> str:
    found = ""
    for part in re.findall(r"\[[^\]]*\]|.", example):
        found += (
            re.escape(part[1:-1])
            if part[0] == "["
            else "[A-Z]"
            if "A" <= part <= "Z"
            else "[a-z]"
            if "a" <= part <= "z"
            else r"[0-9]"
            if part.isdigit()
            else re.escape(part)
        )
    return found


SETS = {"lower": "a-z", "upper": "A-Z", "digit": "0-9", "alpha": "A-Za-z", "alnum": "A-Za-z0-9", "print": " -~"}


def characters(of: str) -> str:
    return "".join(SETS.get(each.strip()) or re.escape(each.strip()[1:-1]) for each in split(of, "|"))


class Oracle:
    """A schema, the known rows of other record types, and the rules that records break."""

    def __init__(self, text: str) -> None:
        self.whole = yaml.load(text, Loader=yaml.BaseLoader)
        self.today = date.fromisoformat(self.whole["today"])
        self.lists = self.whole.get("value-lists", {})
        self.records = {name: fields_of(each["fields"], []) for name, each in self.whole["records"].items()}
        self.rows: dict[str, dict[str, dict[str, Any]]] = {name: {} for name in self.records}

    def key(self, record: str) -> str:
        own = self.whole["records"][record].get("key")
        return own or next(
            (
                name
                for name, each in self.records[record].items()
                if each.says("unique") or re.match("sequence|uuid", each.rows[0][1].head)
            ),
            "",
        )

    def know(self, record: str, rows: list[dict[str, Any]], plain: bool) -> None:
        """Add rows that other records refer to."""
        for row in rows if self.key(record) else []:
            _, values = self.values(record, row, plain)
            self.rows[record][written(values[self.key(record)])] = values

    def values(self, record: str, row: dict[str, Any], plain: bool) -> tuple[dict[str, str], dict[str, Any]]:
        """Return the rules that fields break, and the values of the valid fields."""
        faults: dict[str, str] = {}
        values: dict[str, Any] = {}
        whole = self.records[record]

        def scope(name: str) -> Any:
            if name in ("today", "now"):
                return self.today if name == "today" else datetime.combine(self.today, time())
            first, _, rest = name.partition(".")
            if name in whole and name not in values and name not in faults:
                check(whole[name])
            if name in faults or name == "row":
                raise Unknown
            if name in values:
                return values[name]
            if rest and first in values and re.match(r"ref ", whole[first].rows[0][1].head):
                return self.member(whole[first].rows[0][1].head.split()[1], values[first], rest)
            if rest and first in whole and first not in values and first not in faults:
                check(whole[first])
                return scope(name)
            raise Unknown

        def check(each: Field) -> None:
            if each.says("helper"):
                head = each.rows[0][1].head
                if head.startswith(("= ", 'text "')):
                    values[each.name] = self.derived(head, scope)
                    return
                faults[each.name] = "unknown"
                return
            try:
                values[each.name] = self.one(each, row.get(each.name, ABSENT), scope, plain, record)
            except Wrong as wrong:
                faults[each.name] = str(wrong)
            except Unknown:
                faults[each.name] = "unknown"

        for each in whole.values():
            if each.name not in values and each.name not in faults:
                try:
                    check(each)
                except Unknown:
                    faults[each.name] = "unknown"
        for name, rows in self.lists.items():
            own = [each for each in whole.values() if re.match(rf"from {name}\b", each.rows[0][1].head)]
            if len(own) > 1 and all(each.name in values for each in own):
                known = [[one[each.rows[0][1].head.partition(".")[2]] for each in own] for one in rows]
                if [written(values[each.name]) for each in own] not in known:
                    faults[", ".join(each.name for each in own)] = "agreement"
        for condition in self.whole["records"][record].get("always", ()):
            try:
                if computed(Parser(condition).whole(), scope) is False:
                    faults[condition] = "always"
            except Unknown:
                continue
        return faults, values

    def member(self, target: str, key: Any, path: str) -> Any:
        """Return a field of the row that a reference points to, or of a row that points to this one."""
        if key is None:
            return None
        found = self.rows[target].get(written(key))
        first, _, rest = path.partition(".")
        if found is None or first not in found:
            raise Unknown
        if not rest:
            return found[first]
        return self.member(self.records[target][first].rows[0][1].head.split()[1], found[first], rest)

    def derived(self, head: str, scope: Callable[[str], Any]) -> Any:
        if head.startswith("= "):
            return computed(Parser(head[2:]).whole(), scope)
        text = ""
        for plain, inner in re.findall(r"((?:[^{}]|\{\{|\}\})+)|\{([^{}]+)\}", head[6:-1]):
            text += (
                plain.replace("{{", "{").replace("}}", "}")
                if plain
                else written(computed(Parser(inner).whole(), scope))
            )
        return text

    def may_be_missing(self, each: Field, chosen: Phrase, scope: Callable[[str], Any]) -> bool:
        if each.says("optional") or "if " not in chosen.clauses.get("missing", ""):
            return each.says("optional") or each.says("missing")
        return computed(Parser(chosen.clauses["missing"].partition(" if ")[2]).whole(), scope) is True

    def one(self, each: Field, value: Any, scope: Callable[[str], Any], plain: bool, record: str) -> Any:
        there = [computed(Parser(one).whole(), scope) for one in each.conditions]
        active = all(one is True for one in there)
        chosen = next(
            (
                one
                for condition, one in each.rows
                if condition in ("", "else") or computed(Parser(condition).whole(), scope) is True
            ),
            None,
        )
        missing = value is None or value is ABSENT
        if not active or chosen is None:
            if missing:
                return None
            raise Wrong("condition")
        if missing and self.may_be_missing(each, chosen, scope):
            return None
        if chosen.head.startswith("= ") or chosen.head.startswith('text "'):
            wanted = self.derived(chosen.head, scope)
            found = None if missing else value
            if found is not None and wanted is not None:
                sort = (
                    "boolean"
                    if isinstance(wanted, bool)
                    else "integer"
                    if isinstance(wanted, int)
                    else "decimal"
                    if isinstance(wanted, Decimal)
                    else "datetime"
                    if isinstance(wanted, datetime)
                    else "date"
                    if isinstance(wanted, date)
                    else "duration"
                    if isinstance(wanted, Span)
                    else "text"
                )
                found = parsed(sort, value, plain)
                if sort == "decimal":
                    wanted, found = Decimal(wanted), Decimal(found)
                    same = abs(wanted - found) < Decimal("1e-6")
                else:
                    same = wanted == found
            else:
                same = found is None and wanted is None
            if not same:
                raise Wrong("presence" if missing else "value")
            return wanted
        if missing:
            tree = chosen.head.startswith(f"ref {record}")
            name, _, column = chosen.head.removeprefix("from ").partition(".")
            empty = any(isinstance(one, dict) and not one.get(column, "-") for one in self.lists.get(name, ()))
            if empty or tree or self.without_end(chosen.head, scope):
                return None
            raise Wrong("presence")
        found = self.value(each, chosen, value, scope, plain, record)
        if any(
            self.value(each, chosen, one, scope, True) == found
            for one in each.rejected
            if self.fits(each, chosen, one, scope)
        ):
            raise Wrong("rejected")
        return found

    def fits(self, each: Field, chosen: Phrase, text: str, scope: Callable[[str], Any]) -> bool:
        try:
            self.value(each, chosen, text, scope, True)
        except Wrong:
            return False
        return True

    def without_end(self, head: str, scope: Callable[[str], Any]) -> bool:
        found = RANGED.match(head)
        return bool(found) and any(
            computed(Parser(one).whole(), scope) is None for one in (found["low"], found["high"])
        )  # type: ignore[index]

    def value(
        self, each: Field, chosen: Phrase, value: Any, scope: Callable[[str], Any], plain: bool, record: str = ""
    ) -> Any:  # fmt: skip
        head, clauses = chosen.head, chosen.clauses
        if each.inside is not None or head.startswith("list "):
            return self.listed(each, chosen, value, scope, plain)
        if found := RANGED.match(head):
            return self.ranged(found, clauses, value, scope, plain)
        if head.startswith("boolean"):
            return parsed("boolean", value, plain)
        if head.startswith("one of "):
            sort, values = typed_values(items(head))
            given = parsed(sort, value, plain)
            return given if given in values else _raise("list")
        if head.startswith("from "):
            name, _, column = head[5:].partition(".")
            rows = self.lists[name]
            texts = [one[column] if isinstance(one, dict) else one for one in rows]
            sort, values = typed_values([one for one in texts if one])
            given = parsed(sort, value, plain)
            return given if given in values else _raise("list")
        if found := re.match(r"sequence(?: from (-?\d+))?(?: step (-?\d+))?", head):
            start, step = int(found[1] or 1), int(found[2] or 1)
            given = parsed("integer", value, plain)
            if (given - start) * step < 0:
                raise Wrong("range")
            return given if (given - start) % abs(step) == 0 else _raise("step")
        if head.startswith("ref "):
            target = head.split()[1]
            found = next(iter(self.rows[target].values()))[self.key(target)]
            given = parsed("integer" if isinstance(found, int) else "text", value, plain)
            return given if written(given) in self.rows[target] or target == record else _raise("reference")
        if not isinstance(value, str):
            raise Wrong("type")
        return self.text(head, clauses, value)

    def text(self, head: str, clauses: dict[str, str], value: str) -> str:
        if head.startswith("/"):
            good = re.fullmatch(head[1:-1].replace(r"\/", "/"), value, re.ASCII)
        elif head.startswith("like "):
            good = re.fullmatch(like(head[6:-1]), value)
        elif found := re.match(r"text (\d+)\.\.(\d+)(?: of (.*))?$", head):
            good = re.fullmatch(f"[{characters(found[3] or 'lower')}]{{{found[1]},{found[2]}}}", value)
        elif head.startswith("uuid"):
            good = re.fullmatch(
                r"[0-9a-f]{8}-[0-9a-f]{4}-[47][0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}", value, re.IGNORECASE
            )
        elif found := re.match(r"bytes (\d+)(?:\.\.(\d+))?$", head):
            good = re.fullmatch(r"([0-9a-fA-F]{2})*", value) and int(found[1]) <= len(value) // 2 <= int(
                found[2] or found[1]
            )
        else:
            good = KINDS[head.partition("(")[0]](value)
        if not good:
            raise Wrong("pattern")
        if "matching" in clauses and not re.fullmatch(clauses["matching"][1:-1], value):
            raise Wrong("pattern")
        if any(char in value for char in clauses.get("without", '""')[1:-1]):
            raise Wrong("pattern")
        return value

    def ranged(
        self, found: re.Match[str], clauses: dict[str, str], value: Any, scope: Callable[[str], Any], plain: bool
    ) -> Any:
        sort, zone = found["sort"], found["zone"]
        low, high = (computed(Parser(one).whole(), scope) for one in (found["low"], found["high"]))
        if zone:
            match = OFFSET.fullmatch(value) if isinstance(value, str) else None
            if not match:
                raise Wrong("type")
            given = parsed(sort, match[1], plain)
            told = (
                timedelta(0)
                if match[2] == "Z"
                else datetime.fromisoformat(f"2000-01-01T00:00:00{match[2]}").utcoffset()
            )
            info = ZoneInfo("UTC" if zone == "utc" else zone)
            # Another offset is the same instant: the local time of the zone decides.
            local = (given - told).replace(tzinfo=ZoneInfo("UTC")).astimezone(info)  # type: ignore[operator]
            given = local.replace(tzinfo=None)
        else:
            given = parsed(sort, value, plain)
        if sort == "duration":
            low, high, given_ = low.micros, high.micros, given.micros
        elif sort == "datetime":
            low, high = (
                one if isinstance(one, datetime) else datetime.combine(one, time())
                for one in (low, high)
                if one is not None
            )
            given_ = given
        else:
            low, high, given_ = (
                one.date() if sort == "date" and isinstance(one, datetime) else one for one in (low, high, given)
            )
        if low is None or high is None:
            return given
        if not low <= given_ <= high:
            raise Wrong("range")
        self.stepped(found, clauses, given, low)
        return given

    def stepped(self, found: re.Match[str], clauses: dict[str, str], given: Any, low: Any) -> None:
        sort = found["sort"]
        if sort == "decimal":
            numbers = [
                each
                for each in (found["low"], found["high"], found["step"] or "")
                if re.fullmatch(r"-?\d+(\.\d+)?", each)
            ]
            places = max((len(each.partition(".")[2]) for each in numbers), default=0)
            if given != round(given, places):
                raise Wrong("step")
        if found["step"]:
            step = computed(Parser(found["step"]).whole(), lambda name: None)
            step = step.micros if isinstance(step, Span) else step
            gone = (
                given.micros - low
                if sort == "duration"
                else (datetime.combine(date(2000, 1, 1), given) - datetime.combine(date(2000, 1, 1), low))
                // timedelta(microseconds=1)
                if sort == "time"
                else (given - low) // timedelta(microseconds=1)
                if sort == "datetime"
                else given - low
            )
            if gone % step:
                raise Wrong("step")
        for clause, names, at in (("on", DAYS, lambda day: day.weekday()), ("in", MONTHS, lambda day: day.month - 1)):
            if clause in clauses and at(given) not in set(_chosen(clauses[clause], names)):
                raise Wrong("weekday" if clause == "on" else "month")

    def listed(self, each: Field, chosen: Phrase, value: Any, scope: Callable[[str], Any], plain: bool) -> Any:
        if chosen.head == "nested":
            if not isinstance(value, dict):
                raise Wrong("type")
            return self.nested(each, value, scope, plain)
        if isinstance(value, Nothing):
            value = []
        if isinstance(value, str):
            # A CSV cell holds a list as JSON.
            plain = False
            try:
                value = json.loads(value, parse_float=Decimal)
            except ValueError:
                raise Wrong("type") from None
        if not isinstance(value, list):
            raise Wrong("type")
        low, _, high = chosen.head.split()[1].partition("..")
        if not int(low) <= len(value) <= int(high or low):
            raise Wrong("length")
        if each.inside is not None:
            return [self.nested(each, one, scope, plain) if isinstance(one, dict) else _raise("type") for one in value]
        inner = phrase(chosen.head.partition(" of ")[2].removeprefix("(").removesuffix(")"))
        found = [
            self.value(Field(each.name, [], []), inner, one, scope, plain)
            if one is not None or not inner.clauses.get("missing")
            else None
            for one in value
        ]
        if "distinct" in chosen.clauses and len({written(one) for one in found}) < len(found):
            raise Wrong("distinct")
        return found

    def nested(self, each: Field, value: dict[str, Any], scope: Callable[[str], Any], plain: bool) -> Any:
        assert each.inside is not None
        found: dict[str, Any] = {}

        def inside(name: str) -> Any:
            return found[name] if name in found else scope(name)

        for name, one in each.inside.items():
            try:
                found[name] = self.one(one, value.get(name, ABSENT), inside, plain, "")
            except Wrong as wrong:
                raise Wrong(f"{wrong}") from None
        return found

    # ---- whole files -------------------------------------------------------------------------------------------

    def file(self, record: str, rows: list[dict[str, Any]], plain: bool) -> Iterator[tuple[dict[str, str], set[str]]]:
        """Yield, for each row of a file, the rules broken by field, and the fields that cannot be checked."""
        whole = self.whole["records"][record]
        alone = [
            name
            for name, each in self.records[record].items()
            if each.says("unique") or re.match("sequence|uuid", each.rows[0][1].head)
        ]
        groups = [[name] for name in dict.fromkeys([*alone, *filter(None, [whole.get("key")])])]
        groups += [[each.strip() for each in whole["unique"].split(",")]] if "unique" in whole else []
        per = re.match(r"(\d+)(?:\.\.(\d+))? per (\w+)", whole["count"])
        parent = next(
            (name for name, each in self.records[record].items() if per and each.rows[0][1].head == f"ref {per[3]}"), ""
        )
        groups += [
            [parent, name]
            for name, each in self.records[record].items()
            if parent and each.says("distinct") and each.rows[0][1].head.startswith("ref ")
        ]
        seen: list[set[tuple[str, ...]]] = [set() for _ in groups]
        children: Counter[str] = Counter()
        for row in rows:
            faults, values = self.values(record, row, plain)
            unknown = {name for name, rule in faults.items() if rule == "unknown"}
            faults = {name: rule for name, rule in faults.items() if rule != "unknown"}
            for group, known in zip(groups, seen, strict=True):
                if any(name in faults or name in unknown or values.get(name) is None for name in group):
                    continue
                found = tuple(written(values[name]) for name in group)
                if found in known:
                    faults[", ".join(group)] = "unique"
                known.add(found)
            if parent and values.get(parent) is not None:
                children[written(values[parent])] += 1
                if children[written(values[parent])] > int(per[2] or per[1]):  # type: ignore[index]
                    faults[parent] = "count"
            yield faults, unknown


RANGED = re.compile(
    r"(?P<sort>integer|decimal|datetime|date|time|duration) (?P<low>.+?)\.\.(?P<high>.+?)(?: step (?P<step>[\w.]+))?(?: zone (?P<zone>\S+))?$"
)


def _raise(rule: str) -> Any:
    raise Wrong(rule)


def _chosen(text: str, names: tuple[str, ...]) -> Iterator[int]:
    for part in text.split("|"):
        first, _, last = part.strip().partition("..")
        at = names.index(first)
        yield at
        while last and names[at] != last:
            at = (at + 1) % len(names)
            yield at
