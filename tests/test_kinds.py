"""The catalogue: kinds agree with one another, follow their rules, and reach nobody."""

from __future__ import annotations

import csv
import ipaddress
import json
import re
import unicodedata
from pathlib import Path
from typing import Any

import pytest
from scipy import stats
from stdnum import ean

import yurt as library
from yurt.core.kinds.catalogue import KINDS, LOCALES
from yurt.core.language.diagnostics import Source
from yurt.core.language.reader import read

from .conftest import schema_of

LISTS = Path(library.__file__).parent / "core" / "kinds" / "locales"
MIX = "locale: {" + ", ".join(f"{name}: {100 / len(LOCALES):g}%" for name in LOCALES) + "}\n"
ROWS = 10_000


@pytest.fixture(scope="module")
def people() -> list[dict[str, Any]]:
    """One record type with every kind, in all locales."""
    lines = "\n".join(f"{name.replace('-', '_')}: {name}" for name in KINDS)
    schema, _ = read(Source("s", schema_of(lines, ROWS, head=MIX + "seed: 5\ntoday: 2026-06-01\n")))
    return library.table(schema, "row").to_pylist()


def entries(locale: str, name: str) -> list[dict[str, str]]:
    return list(csv.DictReader((LISTS / locale / f"{name}.csv").read_text("utf-8").splitlines()))


def facts(locale: str) -> dict[str, Any]:
    found: dict[str, Any] = json.loads((LISTS / locale / "facts.json").read_text("utf-8"))
    return found


def plain(text: str) -> str:
    return re.sub(r"[^a-z]", "", unicodedata.normalize("NFKD", text.lower()).encode("ascii", "ignore").decode())


def test_persons_and_places_of_a_record_agree(people: list[dict[str, Any]]) -> None:
    country = {facts(name)["country-code"]: name for name in LOCALES}
    given = {(name, row["name"], row["sex"]) for name in LOCALES for row in entries(name, "given-names")}
    family = {(name, row["name"]) for name in LOCALES for row in entries(name, "family-names")}
    places = {
        (name, row["city"], row["region"], code): (float(row["latitude"]), float(row["longitude"]))
        for name in LOCALES
        for row in entries(name, "cities")
        for code in row["postal-code"].split("|")
    }
    jobs = {(name, row["title"], row["sex"]) for name in LOCALES for row in entries(name, "job-titles")}
    for row in people:
        locale = country[row["country_code"]]
        known = facts(locale)
        assert (locale, row["given_name"], row["sex"]) in given
        assert (locale, row["family_name"]) in family
        assert (locale, row["job_title"], row["sex"]) in jobs
        assert row["full_name"] == f"{row['given_name']} {row['family_name']}"
        assert row["honorific_prefix"] == known["honorific"][row["sex"]]
        assert (row["country"], row["language"]) == (known["country"], known["language"])
        latitude, longitude = places[locale, row["city"], row["region"], row["postal_code"]]
        assert abs(float(row["latitude"]) - latitude) < 0.028
        assert abs(float(row["longitude"]) - longitude) < 0.028
        assert {row["street"], row["house_number"]} == set(
            re.split(r" (?=\d+[ab]?$)|(?<=^)(\d+[ab]?) ", row["street_address"])
        ) - {None, ""}
        local = row["email"].partition("@")[0]
        if locale != "de-AT":
            assert local.replace(".", "").replace("-", "") == plain(row["given_name"]) + plain(row["family_name"])
            assert row["username"].startswith(plain(row["given_name"])[0])


def test_nothing_reaches_anybody(people: list[dict[str, Any]]) -> None:
    nets = [
        ipaddress.ip_network(each) for each in ("192.0.2.0/24", "198.51.100.0/24", "203.0.113.0/24", "2001:db8::/32")
    ]
    phones = re.compile(
        r"\+33 (1 99 00|2 61 91|3 53 01|4 65 71|5 36 49|6 39 98) \d\d \d\d|\+43 1 0\d\d \d\d \d\d|\+386 1 0\d\d \d\d \d\d"
        r"|\+39 9\d\d \d{3} \d{4}|\+44 (20 7946 0\d{3}|7700 900\d{3})"
    )
    for row in people:
        assert re.fullmatch(r"[a-z.-]+@example\.(com|net|org)", row["email"])
        assert re.fullmatch(r"https://www\.[a-z-]+\.example/[a-z-]+", row["url"])
        assert phones.fullmatch(row["tel"])
        for name in ("ipv4", "ipv6"):
            address = ipaddress.ip_address(row[name])
            assert str(address) == row[name]
            assert any(address in net for net in nets if net.version == address.version)
        assert re.fullmatch(r"02(:[0-9a-f]{2}){5}", row["mac"])
        assert ean.is_valid(row["ean_13"])
        assert row["ean_13"].startswith("2")
        assert re.fullmatch(r"[A-ZÀ-Ž].+\.", row["sentence"])


def test_common_names_are_common_and_locales_follow_their_shares(people: list[dict[str, Any]]) -> None:
    codes = [row["country_code"] for row in people]
    assert stats.chisquare([codes.count(facts(name)["country-code"]) for name in LOCALES]).pvalue > 1e-6
    names = [row["family_name"] for row in people if row["country_code"] == "AT"]
    first, last = (entries("de-AT", "family-names")[at]["name"] for at in (0, -1))
    assert names.count(first) > 4 * names.count(last) > 0
    assert stats.binomtest([row["sex"] for row in people].count("female"), ROWS).pvalue > 1e-6


def test_two_fields_of_one_kind_speak_of_the_same_person_and_of_different_things() -> None:
    lines = "a: given-name\nb: given-name\nc: ipv6\nd: ipv6\ne: organization\nf: organization"
    rows = library.table(read(Source("s", schema_of(lines)))[0], "row", seed=1).to_pylist()
    assert all(row["a"] == row["b"] and row["c"] != row["d"] for row in rows)


@pytest.mark.parametrize("locale", LOCALES)
def test_lists_are_tidy(locale: str) -> None:
    least = {"given-names": 100, "family-names": 80, "cities": 24, "streets": 20}
    for path in (LISTS / locale).glob("*.csv"):
        rows = entries(locale, path.stem)
        assert len(rows) >= least.get(path.stem, 4), path
        assert len({tuple(row.values())[:2] for row in rows}) == len(rows), path
        for cell in (cell for row in rows for cell in row.values()):
            assert cell == cell.strip() == unicodedata.normalize("NFC", cell)
            assert cell
            assert all("LATIN" in unicodedata.name(char) for char in cell if char.isalpha()), cell


def test_the_catalogue_is_searched(yurt: Any) -> None:
    all_kinds = yurt("kinds").stdout.decode()
    assert all(f"  {name} " in all_kinds for name in KINDS)
    assert "street-address" in yurt("kinds", "addr").stdout.decode()
    near = yurt("kinds", "adress")
    assert b"these have `address`" in near.stderr
    assert b"street-address" in near.stdout
    page = yurt("kinds", "email").stdout.decode()
    assert all(word in page for word in ("RFC 5321", "RFC 2606", "unique", *LOCALES, "@example."))
    assert max(len(line) for line in (all_kinds + page).splitlines()) <= 80


def test_kinds_are_the_same_with_every_count(tmp_path: Path) -> None:
    schema = read(Source("s", schema_of("a: email, unique\nb: username, unique\nc: ean-13, unique", 100)))[0]
    few = library.table(schema, "row", seed=2)
    assert library.table(schema, "row", seed=2, count=50_000, rows=(1, 100)).equals(few)
    many = library.table(schema, "row", seed=2, count=50_000)
    assert all(len(set(many[name].to_pylist())) == 50_000 for name in "abc")
