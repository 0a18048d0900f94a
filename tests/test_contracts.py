"""The rules of each kind: every generated value follows them, and a wrong value is reported or listed as not checked."""

from __future__ import annotations

import importlib
import json
import random
from pathlib import Path
from typing import Any

import pytest
import stdnum.exceptions

from yurt.core.base.arrays import strings
from yurt.core.kinds.catalogue import KINDS, OF_PERSONS, OF_PLACES, locales
from yurt.core.kinds.numbers.shapes import COMPANIES as COMPANY_SHAPES
from yurt.core.kinds.numbers.shapes import PERSONS as PERSON_SHAPES
from yurt.core.verify.check_digits import by_the_country

from .conftest import FULL, schema_of
from .test_kinds import COMPANY, PERSON, made

KINDS.read_all()
NAMES = [name for name, kind in KINDS.items() if not kind.record]
TODAY = "2026-06-01"


@pytest.mark.parametrize("locale", locales() if FULL else ("uk-UA", "ja-JP"))
def test_every_kind_follows_its_contract_and_never_reaches_real_people(yurt: Any, tmp_path: Path, locale: str) -> None:
    lines = "\n".join(f"f{at}: {name}" for at, name in enumerate(NAMES))
    (tmp_path / "all.yaml").write_text(schema_of(lines, 300, f"locale: {locale}\ntoday: {TODAY}\n"))
    yurt("generate", "all.yaml", "--out", "row.json", "--seed", 3)
    told = json.loads(yurt("verify", "all.yaml", "row.json", "--safe", "--json").stdout)
    assert told["clean"], told["violations"][:3]
    # Values documented as safe are checked, except for the numbers of countries without a reserved range.
    unsure = {NAMES[int(each[5:].split(",")[0])] for each in told["not checked"] if "reaches nobody" in each}
    assert not {name for name in unsure if KINDS[name].safe} - {"national-id", "top-level-domain", "token"}


BAD = {
    "text": "\x01",
    "integer": -(10**12),
    "decimal": "-99999999.9",
    "date": "1066-10-14",
    "datetime": "1066-10-14T00:00:00",
}


def test_a_wrong_value_of_any_kind_is_found_or_listed_as_not_checked(yurt: Any, tmp_path: Path) -> None:
    """No text contains a control character, and no quantity is far below zero."""
    lines = "\n".join(f"f{at}: {name}" for at, name in enumerate(NAMES))
    (tmp_path / "all.yaml").write_text(schema_of(lines, 1, f"today: {TODAY}\n"))
    record = json.loads(yurt("generate", "all.yaml", "--format", "json", "--seed", 1).stdout)[0]
    bad = {f"f{at}": BAD[KINDS[name].type.name] if not KINDS[name].phrase else None for at, name in enumerate(NAMES)}
    wrong = {name: value if value is not None else _wrong(record[name]) for name, value in bad.items()}
    gone = dict.fromkeys(record)
    (tmp_path / "row.json").write_text(json.dumps([wrong, gone, {}]))
    told = json.loads(yurt("verify", "all.yaml", "row.json", "--json", "--limit", 9, code=1).stdout)
    found: dict[int, set[str]] = {1: set(), 2: set(), 3: set()}
    for each in told["violations"]:
        for one in each["examples"]:
            found[one["row"]].add(each["field"])
    listed = {each.partition(".")[2].split(",")[0] for each in told["not checked"]}
    everything = {f"f{at}" for at in range(len(NAMES))}
    assert {NAMES[int(each[1:])] for each in everything - found[1] - listed} == set()
    # Every record has a value, unless the kind says otherwise.
    assert (found[2], found[3]) == (everything, everything)


def _wrong(value: Any) -> Any:
    return (
        "\x01"
        if isinstance(value, str) and not value[:4].isdecimal()
        else "1066-10-14"
        if isinstance(value, str)
        else -(10**12)
    )


# The arguments of a kind, and a value that is valid only without them; None if no rule checks it.
TOLD: dict[tuple[str, str], tuple[str, Any]] = {
    ("email", "domain"): ('domain = "huts.example"', "a.b@example.com"), ("email", "shape"): ("shape = flast", None),
    ("hostname", "domain"): ('domain = "huts.example"', "web01.gruber.example"),
    ("url", "domain"): ('domain = "huts.example"', "https://www.gruber.example/a"),
    ("password", "shortest"): ("shortest = 13", "aB3%aB3%aB3%"), ("password", "longest"): ("longest = 13", "aB3%aB3%aB3%aB3%"),
    ("password", "sets"): ("sets = [lower, digit]", "aB3%aB3%aB3%"), ("password", "without"): ('without = "3"', "aB3%aB3%aB3%"),
    ("given-name", "script"): ("script = latin, locale ja-JP", None), ("family-name", "script"): ("script = latin, locale ja-JP", None),
    ("additional-name", "script"): ("script = latin, locale ja-JP", None), ("city", "script"): ("script = latin, locale ja-JP", None),
    ("full-name", "script"): ("script = latin", None), ("transaction-amount", "lowest"): ("lowest = 5", 4.99), ("transaction-amount", "highest"): ("highest = 5", 5.01),
    ("amount-text", "lowest"): ("lowest = 5", None), ("amount-text", "highest"): ("highest = 5", None),
    ("iban", "country"): ('country = "SI"', "AT611904300234573201"),
    ("iban-in-groups", "country"): ('country = "SI"', "AT61 1904 3002 3457 3201"),
    ("cc-number", "prefix"): ('prefix = "51"', "9999519943451032"), ("cc-number", "length"): ("length = 15", "9999519943451032"),
    ("cc-number", "scheme"): ("scheme = jcb", "4111111111111111"), ("card-scheme", "scheme"): ("scheme = jcb", None),
    ("cc-number-in-groups", "scheme"): ("scheme = jcb", "4111 1111 1111 1111"),
    ("cc-number-in-groups", "prefix"): ('prefix = "51"', "9999 5199 4345 1032"),
    ("cc-number-in-groups", "length"): ("length = 15", "9999 5199 4345 1032"),
    ("hs-code", "chapter"): ("chapter = 41", "4202.11"), ("salary", "middle"): ("middle = 1000", 50000),
    ("note", "shortest"): ("shortest = 30", "x" * 29), ("note", "longest"): ("longest = 30", "x" * 31),
    ("sentence", "about"): ('about = ["the pump"]', None), ("sentence", "verbs"): ('verbs = ["fails"]', None),
    ("paragraph", "sentences"): ("sentences = 2", None), ("paragraph", "about"): ('about = ["the pump"]', None),
    ("paragraph", "verbs"): ('verbs = ["fails"]', None), ("paragraphs", "paragraphs"): ("paragraphs = 2", None),
    ("paragraphs", "about"): ('about = ["the pump"]', None), ("paragraphs", "verbs"): ('verbs = ["fails"]', None),
    ("headline", "about"): ('about = ["the pump"]', None), ("headline", "verbs"): ('verbs = ["fails"]', None),
    ("sentence", "industry"): ("industry = health", None), ("comment", "industry"): ("industry = health", None),
    ("review", "industry"): ("industry = trade", None), ("note", "industry"): ("industry = trade", None),
    ("ticket-subject", "industry"): ("industry = trade", None), ("ticket-text", "industry"): ("industry = trade", None),
    ("case-note", "industry"): ("industry = trade", None), ("paragraph", "industry"): ("industry = trade", None),
    ("paragraphs", "industry"): ("industry = trade", None),
    ("child-given-name", "number"): ("number = 2", "99"), ("child-family-name", "number"): ("number = 2", "99"),
    ("child-birth-date", "number"): ("number = 2", None),
    ("port-number", "lowest"): ("lowest = 2000", 1999), ("port-number", "highest"): ("highest = 2000", 2001), ("price", "lowest"): ("lowest = 5.00", 4.99),
    ("price", "highest"): ("highest = 5.00", 5.01), ("temperature", "lowest"): ("lowest = 0.0", -0.1), ("temperature", "highest"): ("highest = 0.0", 0.1),
    ("model-year", "earliest"): ("earliest = 2020", 2019), ("model-year", "latest"): ("latest = 2020", 2021),
    ("year", "earliest"): ("earliest = 2020", 2019), ("year", "latest"): ("latest = 2020", 2021),
    ("date-before-today", "earliest"): ("earliest = 2026-05-01", "2026-04-30"), ("date-after-today", "latest"): ("latest = 2026-07-01", "2026-07-02"),
    ("date-in-last-days", "earliest"): ("earliest = 2026-05-01", "2026-04-30"),
    ("date-time-in-last-days", "earliest"): ("earliest = 2026-05-01T00:00", "2026-04-30T00:00:00"),
    ("working-day", "earliest"): ("earliest = 2026-05-01", "2026-04-30"), ("working-day", "latest"): ("latest = 2026-05-01", "2026-05-04"),
    ("weekend-day", "earliest"): ("earliest = 2026-05-01", "2026-04-26"), ("weekend-day", "latest"): ("latest = 2026-05-01", "2026-05-02"),
    # Arguments that restrict the person or place of the whole record.
    ("city", "country"): ('country = "IT"', None), ("city", "region"): ('region = "Tirol"', None), ("city", "city"): ('city = "Graz"', None),
    ("city", "size"): ("size = small", None), ("city", "continent"): ('continent = "Europe"', None), ("region", "region"): ('region = "Tirol"', None),
    ("region-code", "region"): ('region = "Tirol"', None), ("postal-code", "country"): ('country = "IT"', "6020"),
    ("street", "country"): ('country = "IT"', None), ("country-code", "country"): ('country = "IT"', "AT"),
    ("latitude", "city"): ('city = "Graz"', None), ("time-zone", "country"): ('country = "IT"', None),
    ("given-name", "sex"): ("sex = female", None), ("honorific-prefix", "sex"): ("sex = female", None), ("family-name", "sex"): ("sex = female, locale cs-CZ", None),
    ("birth-date", "youngest"): ("youngest = 40", "1990-01-01"), ("birth-date", "oldest"): ("oldest = 40", "1970-01-01"),
    ("age", "youngest"): ("youngest = 40", 39), ("age", "oldest"): ("oldest = 40", 41), ("account-opened", "oldest"): ("oldest = 40", "1990-01-01"),
}  # fmt: skip


def test_the_arguments_of_a_kind_are_checked_or_listed_as_not_checked(yurt: Any, tmp_path: Path) -> None:
    own = {(name, each) for name in NAMES for each in KINDS[name].parameters if each not in {*OF_PLACES, *OF_PERSONS}}
    own |= {("iban", "country"), ("iban-in-groups", "country")}
    assert own - {*TOLD} == set()
    lines, record = [], {}
    for at, ((name, _), (told, wrong)) in enumerate(TOLD.items()):
        given, _, locale = told.partition(", locale")
        # Each argument gives the field its own person and place.
        of = f" of other{at}" if KINDS[name].about and not KINDS[name].phrase else ""
        lines.append(f"f{at}: {name}({given}){of}" + (f", locale{locale}" if locale else ""))
        record[f"f{at}"] = wrong
    (tmp_path / "all.yaml").write_text(schema_of("\n".join(lines), 3, f"today: {TODAY}\nlocale: de-AT\n"))
    good = json.loads(yurt("generate", "all.yaml", "--format", "json", "--seed", 1).stdout)
    (tmp_path / "row.json").write_text(
        json.dumps([*good, record | {k: good[0][k] for k, v in record.items() if v is None}])
    )
    told = json.loads(yurt("verify", "all.yaml", "row.json", "--json", code=1).stdout)
    found = {each["field"]: [one["row"] for one in each["examples"]] for each in told["violations"]}
    listed = {each.partition(".")[2].split(",")[0] for each in told["not checked"]}
    for at, ((name, parameter), (_, wrong)) in enumerate(TOLD.items()):
        field = f"f{at}"
        assert found.get(field) == ([4] if wrong is not None else None), (name, parameter, wrong)
        assert wrong is not None or field in listed, (name, parameter)


# Values that the standard of a kind allows, whatever the kind generates, and values that it does not allow.
STANDARD = {
    "uuid": (["F81D4FAE-7DEC-4B5D-A765-00A0C91E6BF6"], ["F81D4FAE-7DEC-4B5D-A765-00A0C91E6BF"]),
    "ipv4": (["8.8.8.8", "0.0.0.0", "255.255.255.255"], ["256.1.1.1", "1.2.3", "01.2.3.4"]),
    "ipv6": (["::", "::1", "2001:DB8::A", "1:2:3:4:5:6:7:8", "::ffff:192.0.2.1", "fe80::1:2"], ["1::2::3", ":1", "1:2:3:4:5:6:7:8:9", "g::"]),
    "ipv6-unique-local": (["fd00::1", "FC12:3:4:5:6:7:8:9"], ["fe00::1", "fd00::1::2"]),
    "cidr": (["10.0.0.0/8", "0.0.0.0/0"], ["10.0.0.0/33"]), "eui-48": (["00-1B-44-11-3A-B7", "00:1b:44:11:3A:B7"], ["00:1b:44:11:3A"]),
    "domain": (["Huts.EXAMPLE", "a.b.c.d"], ["a..b", "-a.example", "huts"]), "hostname": (["WEB01.huts.example"], ["a_b.example"]),
    "url": (["http://a.example", "https://A.example:8080/x?y=1#z"], ["ftp://a.example", "https://", "https://a b.example"]),
    "semantic-version": (["5.5.5-Rc.5", "1.0.0+build.7", "0.0.0"], ["1.0", "01.0.0", "1.0.0-"]),
    "email": (["A+b_c@Huts.Example", "o'hara@a.co"], ["a@", "a..b@c.example", f"{'a' * 65}@b.example", "a b@c.example"]),
    "tel": (["+1 202-555-0123", "+442079460000"], ["0043 1", "+43 1 2", "+1234567890123456"]),
    "tel-national": (["(202) 555-0123", "01/5880"], ["+43 1", "12x45"]), "hash-md5": (["D41D8CD98F00B204E9800998ECF8427E"], ["d41d"]),
    "colour-hex": (["#FFF", "#A1B2C3D4"], ["#ggg", "#12345"]), "iso-duration": (["P1Y2M3DT4H5M6S", "P4W", "PT0.5S"], ["P", "PT", "P1S"]),
    "iso-timestamp": (["1999-12-31T23:59:60Z", "2024-02-29T00:00:00.123+14:00"], ["2026-02-30T00:00:00Z", "2026-04-31T00:00:00Z"]),
    "iso-week": (["2026-W53", "2026W01"], ["2026-W54", "2026-W00"]), "roman-numeral": (["MCMXCIV", "I", "XL", "C"], ["", "IIII", "VX", "ABC"]),
    "sortable-id": (["01arz3ndektsv4rrffq69g5fav"], ["81ARZ3NDEKTSV4RRFFQ69G5FAV"]), "bic": (["E097AEXX", "ABCDAT20XXX"], ["ABCDAT2"]),
    "asn": (["AS15169", "as0"], ["AS01", "15169"]), "cc-number": (["378282246310005", "4111111111111111"], ["4111111111111112", "411111"]),
    "latitude": ([48.2], [91]), "country-code": (["AT"], ["DE", "at"]), "blood-group": (["A+"], ["C+"]),
}  # fmt: skip


@pytest.mark.parametrize("name", STANDARD)
def test_the_standard_of_a_kind_is_what_counts(yurt: Any, tmp_path: Path, name: str) -> None:
    good, wrong = STANDARD[name]
    (tmp_path / "s.yaml").write_text(schema_of(f"a: {name}", 1, f"today: {TODAY}\nlocale: de-AT\n"))
    (tmp_path / "row.json").write_text(json.dumps([{"a": each} for each in [*good, *wrong]]))
    told = json.loads(yurt("verify", "s.yaml", "row.json", "--json", "--limit", 99, code=1).stdout)
    rows = sorted(one["row"] for each in told["violations"] for one in each["examples"])
    assert rows == list(range(len(good) + 1, len(good) + len(wrong) + 1)), told["violations"]


def test_a_real_number_or_address_is_valid_but_not_safe(yurt: Any, tmp_path: Path) -> None:
    real = {"a": "o@huts.at", "b": "+43 1 5880012", "c": "8.8.8.8", "d": "4111111111111111", "e": "https://huts.at/"}
    lines = "a: email\nb: tel\nc: ipv4\nd: cc-number\ne: url"
    (tmp_path / "s.yaml").write_text(schema_of(lines, 1, f"today: {TODAY}\nlocale: de-AT\n"))
    (tmp_path / "row.json").write_text(json.dumps([real]))
    assert json.loads(yurt("verify", "s.yaml", "row.json", "--json").stdout)["clean"]
    told = json.loads(yurt("verify", "s.yaml", "row.json", "--json", "--safe", code=1).stdout)
    assert {(each["field"], each["rule"]) for each in told["violations"]} == {(each, "safe range") for each in real}


@pytest.mark.parametrize("sort", ["national-id", "vat"])
def test_the_check_digits_of_every_country_are_those_of_other_checkers(sort: str) -> None:
    """Each number with one digit changed: another library decides whether the check digits are still valid."""
    dice = random.Random(11)
    modules, shapes = (PERSON, PERSON_SHAPES) if sort == "national-id" else (COMPANY, COMPANY_SHAPES)
    compared = {"right": 0, "wrong": 0}
    for locale in locales():
        country = locale[-2:]
        if country not in modules or shapes[country].rest or modules[country] == "kr.brn":
            # The other library checks only the form of these.
            continue
        known = importlib.import_module(f"stdnum.{modules[country]}")
        for text in made(f"a: {sort}", head=f"locale: {locale}\n")["a"][: 400 if FULL else 40]:
            at = dice.choice([at for at, char in enumerate(text) if char.isdecimal()])
            changed = text[:at] + dice.choice("0123456789") + text[at + 1 :]
            try:
                # Some numbers of Mexico were issued without check digits.
                more = {"validate_check_digits": True} if modules[country] == "mx.rfc" else {}
                right = bool(known.validate(changed, **more))
            except stdnum.exceptions.InvalidChecksum:
                right = False
            except stdnum.exceptions.ValidationError:
                continue
            found = bool(by_the_country(sort, strings([changed]), (country,))[0])
            assert found == right, (country, text, changed)
            compared["right" if right else "wrong"] += 1
    assert min(compared.values()) > 50, compared


def test_a_name_that_a_field_fixes_is_the_name_of_the_record(yurt: Any, tmp_path: Path) -> None:
    lines = "given_name: one of Zorro | Anna\nother: given-name\nmail: email\ncity: one of Wien | Nowhere\ntown: city\nzip: postal-code"
    (tmp_path / "s.yaml").write_text(schema_of(lines, 200, "locale: de-AT\nseed: 1\ntoday: 2026-06-01\n"))
    yurt("generate", "s.yaml", "--out", "row.json")
    assert json.loads(yurt("verify", "s.yaml", "row.json", "--json").stdout)["clean"]
    rows = json.loads((tmp_path / "row.json").read_text())
    rows[3]["other"] = "Lukas"
    (tmp_path / "row.json").write_text(json.dumps(rows))
    told = json.loads(yurt("verify", "s.yaml", "row.json", "--json", code=1).stdout)
    assert [(each["field"], each["rule"]) for each in told["violations"]] == [("other", "list")]


@pytest.mark.parametrize("text", ["6433435F", "6433435E", "6433435FW", "6433435EW", "6433435OA", "6433435FA"])
def test_a_second_letter_weighs_nothing_where_it_is_a_w(text: str) -> None:
    """Irish numbers: the W in the number of a wife has no weight; any other second letter has one."""
    checked = importlib.import_module("stdnum.ie.pps").is_valid(text)
    assert bool(by_the_country("national-id", strings([text]), ("IE",))[0]) == checked


def _with_every_end(body: str, ends: str = "0123456789", behind: str = "") -> list[str]:
    return [f"{body}{end}{behind}" for end in ends]


def _rare(country: str, sort: str) -> list[str]:
    """Return valid and invalid numbers at the special cases of a country's rule."""
    dice = random.Random(f"{country} {sort}")

    def digits(size: int) -> str:
        return "".join(dice.choice("0123456789") for _ in range(size))

    match country, sort:
        case "UA", "vat":
            edges = ("2999999", "3000000", "5999999", "6000000", "4500000", "0123456", "9876543")
            return [each for body in (*edges, *(digits(7) for _ in range(60))) for each in _with_every_end(body)]
        case "IN", "national-id":
            return [each for _ in range(120) for each in _with_every_end(dice.choice("23456789") + digits(10))]
        case "NL", "vat":
            bodies = [f"NL{dice.choice('129')}{digits(7)}9B" for _ in range(12)]
            return [f"{body}{end:02}" for body in bodies for end in range(100)]
        case "MX", "vat":
            names = ("OOO", "ONO", "AOZ", "NOP", "PQR")
            return [
                each
                for name in names
                for code in ("A1", "O9", "OO")
                for each in _with_every_end(f"{name}010203{code}", "0123456789A")
            ]
        case "FR", "national-id":
            bodies = [
                f"1850{dice.randint(1, 9)}{dice.choice(('59', '69', '09', '2A', '2B', '75'))}{digits(6)}"
                for _ in range(40)
            ]
            return [f"{body}{key:02}" for body in bodies for key in range(1, 98, 3)] + [
                body + importlib.import_module("stdnum.fr.nir").calc_check_digits(body) for body in bodies
            ]
    raise AssertionError


@pytest.mark.parametrize(
    ("country", "sort"), [("UA", "vat"), ("IN", "national-id"), ("NL", "vat"), ("MX", "vat"), ("FR", "national-id")]
)
def test_where_the_rule_of_a_country_turns_it_is_that_of_another_checker(country: str, sort: str) -> None:
    modules = PERSON if sort == "national-id" else COMPANY
    known = importlib.import_module(f"stdnum.{modules[country]}")
    more = {"validate_check_digits": True} if modules[country] == "mx.rfc" else {}
    texts, right = [], []
    for text in _rare(country, sort):
        try:
            right.append(bool(known.validate(text, **more)))
        except stdnum.exceptions.InvalidChecksum:
            right.append(False)
        except stdnum.exceptions.ValidationError:
            continue
        texts.append(text)
    found = by_the_country(sort, strings(texts), (country,)).tolist()
    assert [text for text, one, other in zip(texts, found, right, strict=True) if one != other] == []
    assert min(right.count(True), right.count(False)) > 10


def test_korean_companies_by_hand() -> None:
    """The weights are 1, 3, 7, 1, 3, 7, 1, 3, and 5; the tens digit of the last product is added."""
    dice = random.Random(5)
    for _ in range(50):
        body = "".join(dice.choice("123456789") for _ in range(9))
        whole = sum(int(each) * weight for each, weight in zip(body, (1, 3, 7, 1, 3, 7, 1, 3, 5), strict=True))
        right = -(whole + int(body[8]) * 5 // 10) % 10
        texts = [f"{body[:3]}-{body[3:5]}-{body[5:]}{digit}" for digit in range(10)]
        found = by_the_country("vat", strings(texts), ("KR",)).tolist()
        assert found == [digit == right for digit in range(10)], body


@pytest.mark.parametrize(("one", "other"), [("TR", "KR"), ("KR", "TR")])
def test_a_number_of_one_of_several_countries_is_right(one: str, other: str) -> None:
    """If one country's rule accepts a number, another country with the same form does not reject it."""
    dice = random.Random(one)
    texts = strings(["".join(dice.choice("123456789") for _ in range(size)) for size in (8, 9, 10) for _ in range(400)])
    alone = [by_the_country("vat", texts, (each,)) for each in (one, other)]
    assert (alone[0] & ~alone[1]).any() and (alone[1] & ~alone[0]).any()
    for countries in ((one, other), (other, one)):
        assert by_the_country("vat", texts, countries).tolist() == (alone[0] | alone[1]).tolist()
