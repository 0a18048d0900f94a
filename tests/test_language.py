"""Every construct of the language, checked in the records that the program makes."""

from __future__ import annotations

import hashlib
import json
import re
import unicodedata
import zlib
from base64 import b64decode
from collections import Counter
from collections.abc import Callable
from datetime import date, datetime, timedelta
from functools import lru_cache
from pathlib import Path
from typing import Any
from uuid import UUID
from zoneinfo import ZoneInfo

import duckdb
import pytest
from stdnum import luhn
from stdnum.iso7064 import mod_11_2, mod_97_10

import yurt as library
from yurt.core.language.reader import read
from yurt.core.source.diagnostics import Source

from .conftest import ENVIRONMENT, schema_of
from .launcher import Launcher

Row = dict[str, Any]


def day(text: str) -> date:
    return date.fromisoformat(text)


@lru_cache
def duckdb_is(char: str, script: str) -> bool:
    """Use another program's regular expressions to find the script of a character."""
    found = duckdb.execute("SELECT regexp_full_match(?, ?)", [char, rf"\p{{{script}}}"]).fetchall()
    return bool(found[0][0])


def minutes(text: str) -> int:
    """Read an ISO 8601 duration of days, hours, and minutes."""
    found = re.fullmatch(r"P(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?)?", text)
    assert found
    return sum(int(part or 0) * size for part, size in zip(found.groups(), (1440, 60, 1), strict=True))


# Field lines, and a predicate that every record satisfies.
EVERY_RECORD: dict[str, tuple[str, Callable[[Row], bool]]] = {
    "integer": ("a: integer -3..12", lambda r: r["a"] in range(-3, 13)),
    "integer between decimals": (
        "a: integer 0.5..2.5\nb: integer -2.5..-0.5",
        lambda r: r["a"] in (1, 2) and r["b"] in (-2, -1),
    ),
    "integer by step": ("a: integer 10..50 step 15", lambda r: r["a"] in (10, 25, 40)),
    "integer, wide": ("a: integer -400000000000000000..400000000000000000", lambda r: abs(r["a"]) <= 4 * 10**17),
    "integer, some wide": (
        "n: integer 1..900000000000000000, usually exponential(90000000000000)\na: integer 1..n",
        lambda r: 1 <= r["a"] <= r["n"],
    ),
    "decimal": ("a: decimal 18.00..19.50", lambda r: 18 <= r["a"] <= 19.5 and round(r["a"] * 100, 6) % 1 == 0),
    "decimal by step": ("a: decimal -1.0..1 step 0.5", lambda r: r["a"] in (-1, -0.5, 0, 0.5, 1)),
    "text by length": ("a: text 3..5\nb: text 2", lambda r: 3 <= len(r["a"]) <= 5 and len(r["b"]) == 2),
    "template": (
        "n: integer 1..9\nm: integer 1..2, missing 50%\na: text \"<{n + 1}> {{{m}}} {if n > 4 then 'big' else 'small'}\"",
        lambda r: r["a"] == f"<{r['n'] + 1}> {{{'' if r['m'] is None else r['m']}}} {'big' if r['n'] > 4 else 'small'}",
    ),
    "choices of different types": (
        'a: text "{if row > 40 then 1.50 else 1}"\nb: = "x" & (if row == 3 then 2 else row / 2)\nc: text "{null}{if row > 1 then null else 1}"',
        lambda r: r["a"] in ("1.50", "1.00") and r["b"][0] == "x" and r["c"] in ("", "1"),
    ),
    "boolean": ("a: boolean", lambda r: r["a"] in (True, False)),
    "date": ("a: date 2026-06-15..2026-06-20", lambda r: "2026-06-15" <= r["a"] <= "2026-06-20"),
    "date by today": ("a: date today-90y..today+1mo", lambda r: "1936-06-01" <= r["a"] <= "2026-07-01"),
    "datetime": (
        "a: datetime 2026-06-15T08:30..2026-06-15T18:00 step 15min",
        lambda r: (t := datetime.fromisoformat(r["a"])).minute % 15 == 0 and 8 <= t.hour <= 18 and len(r["a"]) == 19,
    ),
    "one of": ("a: one of red | dark blue | 007", lambda r: r["a"] in ("red", "dark blue", "007")),
    "one of numbers": ("a: one of 1 | 2 | 30", lambda r: r["a"] in (1, 2, 30) and type(r["a"]) is int),
    "one of decimals": ("a: one of 1.5 | 2", lambda r: r["a"] in (1.5, 2)),
    "one of Booleans": ("a: one of true | false 10%", lambda r: r["a"] in (True, False)),
    "one of dates": ("a: one of 2026-06-01 | 2026-07-01\nb: = month(a)", lambda r: r["b"] == day(r["a"]).month),
    "one of quoted": (
        'a: one of "1, 2" | "50%"\nb: one of "1" | "2"',
        lambda r: r["a"] in ("1, 2", "50%") and r["b"] in "12",
    ),
    "pattern": (r"a: /[A-Z]{2}-\d{3}/" "\nb: pattern /x?y/", lambda r: bool(re.fullmatch(r"[A-Z]{2}-\d{3}", r["a"]))),
    "like": ('a: like "[H]K-402 x"', lambda r: bool(re.fullmatch(r"H[A-Z]-\d{3} [a-z]", r["a"]))),
    "uuid": ("a: uuid", lambda r: UUID(r["a"]).version == 4 and UUID(r["a"]).variant == "specified in RFC 4122"),
    "derived, fields in any order": ("c: = a + b\na: integer 1..5\nb: = a * 10", lambda r: r["c"] == r["a"] * 11),
    "bounds as expressions": (
        "from_day: date 2026-06-15..2026-09-30\nto_day: date from_day+1d..from_day+2w",
        lambda r: 1 <= (day(r["to_day"]) - day(r["from_day"])).days <= 14,
    ),
    "a missing bound": (
        "a: integer 1..5, missing 30%\nb: integer 1..a",
        lambda r: (r["a"] is None) == (r["b"] is None),
    ),
    "missing for two reasons": (
        "n: integer 1..5, missing 50%\na: integer n..9, missing 50%",
        lambda r: r["a"] is None or (r["n"] is not None and r["n"] <= r["a"] <= 9),
    ),
    "unknown": (
        "n: integer 1..3, missing 50%\nm: integer 1..3, missing 50%\na: = n > 1 and m > 1\nb: = n > 1 or m > 1\n"
        "c: = n + null\nd: list 1..3 of integer 1..9\ne: = if row > 40 then d else null\nf: = row",
        lambda r: (
            (known := [None if each is None else each > 1 for each in (r["n"], r["m"])])
            and r["a"] == (False if False in known else None if None in known else True)
            and r["b"] == (True if True in known else None if None in known else False)
            and r["c"] is None
            and r["e"] == (r["d"] if r["f"] > 40 else None)
        ),
    ),
    "the first and the last day": (
        "a: one of 0001-01-01 | 9999-12-31\nb: = a + 0d\nc: = a + 0h",
        lambda r: r["b"] == r["a"] and r["c"] == r["a"] + "T00:00:00",
    ),
    "what stands behind a missing value": (
        "b: integer 1..2, present if row > 5\na: = mod(7, b) + b * 9\nc: = round(1 / b, 2)\nd: = floor(1 / b)\ne: integer b..2, usually normal(b, b)",
        lambda r: [r[name] is None for name in "acde"] == [r["b"] is None] * 4,
    ),
    "present if": (
        "a: integer 1..9\nb: integer 1..a, present if a > 5",
        lambda r: (r["b"] is not None) == (r["a"] > 5),
    ),
    "if block": (
        'a: one of x | y\nif a == "x":\n  b: = 1\n  if false:\n    c: = 2',
        lambda r: (r["b"] == 1) == (r["a"] == "x") and r["c"] is None,
    ),
    "when": (
        'n: integer 1..30\na:\n  when:\n    n < 10: one of low\n    n < 20: one of middle | mean\n    else: = "n" & n',
        lambda r: r["a"] in (("low",) if r["n"] < 10 else ("middle", "mean") if r["n"] < 20 else (f"n{r['n']}",)),
    ),
    "when without else, mixed numbers": (
        "n: integer 1..3\na:\n  when:\n    n == 1: integer 5..5\n    n == 2: decimal 1.25..1.25",
        lambda r: r["a"] == {1: 5, 2: 1.25, 3: None}[r["n"]],
    ),
    "by": (
        'status: one of booked | arrived | left | "no show"\na:\n  by status:\n    booked: one of 1\n    arrived | left: one of 2\n    else: one of 3',
        lambda r: r["a"] == {"booked": 1, "arrived": 2, "left": 2}.get(r["status"], 3),
    ),
    "by numbers": (
        "n: one of 1 | 2\na:\n  by n:\n    1: one of x\n    2: one of y\n  helper: no",
        lambda r: r["a"] == {1: "x", 2: "y"}[r["n"]],
    ),
    "by a Boolean": ("n: boolean\na:\n  by n:\n    true: = 1\n    false: = 2", lambda r: r["a"] == 2 - r["n"]),
    "helper": ("a: integer 1..5, helper\nb: = a * 2", lambda r: set(r) == {"b"}),
    "arithmetic": ("a: integer 1..9\nb: = (a + 1) * 2 - -3 / 4", lambda r: r["b"] == (r["a"] + 1) * 2 + 0.75),
    "exact decimals": ("a: one of 0.1 | 0.2\nb: = a + 0.2 == 0.3 or a + 0.1 == 0.3", lambda r: r["b"] is True),
    "dates beside date-times": (
        "a: datetime 2026-06-15..2026-06-16T23:00 step 1h\nb: date 2026-06-15..2026-06-16\n"
        "c: = a > b\nd: = b == a\ne: = b <= a\nf: = b - a < 0d\ng: = 25h > 1d",
        lambda r: (
            (moment := r["b"] + "T00:00:00")
            and [r[name] for name in "cdefg"]
            == [r["a"] > moment, moment == r["a"], moment <= r["a"], moment < r["a"], True]
        ),
    ),
    "quotients beside numbers": (
        "n: integer 1..8\nm: one of 0.25 | 0.5 | 1\na: = n / 4 == m\nb: = m < n / 4\nc: = 1 / n >= 1",
        lambda r: (r["a"], r["b"], r["c"]) == (r["n"] / 4 == r["m"], r["m"] < r["n"] / 4, r["n"] == 1),
    ),
    "beyond 63 bits on the way": (
        "n: integer 999999999999999999..999999999999999999\na: = n * 9 + n * 9 > n\nb: = n * 9 - n * -9 > n\n"
        "c: = n * -9 - n * 9 < n\nd: = n * 9 + n * -9 == 0\ne: = n * 9 - n * 9 == 0",
        lambda r: all(r[name] for name in "abcde"),
    ),
    "rounding": (
        "a: = round(2.5)\nb: = round(-0.125, 2)\nc: = round(1 / 3, 3)\nd: = floor(-1.5) + ceil(1.2)\ne: = round(7, 2)",
        lambda r: (r["a"], r["b"], r["c"], r["d"], r["e"]) == (3, -0.13, 0.333, 0, 7),
    ),
    "logic of three values": (
        "n: = null\na: = n is null and not (n is not null)\nb: = if n == 1 or true then 1 else 2\nc: = if n == 1 then 1 else 2",
        lambda r: (r["a"], r["b"], r["c"]) == (True, 1, 2),
    ),
    "membership": (
        "a: integer 1..5\nb: = a in [1, 3.0]\nc: = a not in [1, 3]",
        lambda r: r["b"] == (r["a"] in (1, 3)) != r["c"],
    ),
    "matches": (r"a: one of ab1 | b" "\nb: = a matches /[ab]+\\d/", lambda r: r["b"] == (r["a"] == "ab1")),
    "joining": ('a: = "x" & 1.50 & true & 2026-06-01', lambda r: r["a"] == "x1.50true2026-06-01"),
    "a guarded division": (
        "a: integer 0..2\nb: = if a == 0 then 0 else 6 / a",
        lambda r: r["b"] == (6 / r["a"] if r["a"] else 0),
    ),
    "dates and durations": (
        "a: = 2024-01-31 + 1mo\nb: = days(2026-06-15 - 2026-06-01)\nc: = 2026-06-15 + 90min\nd: = 2026-06-15T10:00 - 1y",
        lambda r: list(r.values()) == ["2024-02-29", 14, "2026-06-15T01:30:00", "2025-06-15T10:00:00"],
    ),
    "parts of dates": (
        "d: date 1900-01-01..2100-12-31\na: = year(d) * 10000 + month(d) * 100 + day(d)\nb: = weekday(d)",
        lambda r: r["a"] == int(r["d"].replace("-", "")) and r["b"] == day(r["d"]).isoweekday(),
    ),
    "age": (
        "d: date 1950-01-01..2026-06-01\na: = age(d)\nb: = hours(2026-06-02T12:00 - 2026-06-01)",
        lambda r: (
            day(r["d"]).replace(year=day(r["d"]).year + r["a"], day=min(day(r["d"]).day, 28)) <= day("2026-06-01")
            and -0.01 < (day("2026-06-01") - day(r["d"])).days / 365.2425 - r["a"] < 1.01
            and r["b"] == 36
        ),
    ),
    "texts": (
        'a: = upper(" öl ") & "|" & trim(" x ") & "|" & length("äb") & left("hut", 2) & right("hut", 1)\n'
        'b: = replace("a-b-c", "-", "") & contains("rifugio", "fug") & lower("Ä") & text(1.50)',
        lambda r: r["a"] == " ÖL |x|2hut" and r["b"] == "abctrueä1.50",
    ),
    "more of numbers": (
        "n: integer -9..9\na: = clamp(n, -2, 3.5)\nb: = sqrt(9) + power(2, 3) + log(8, 2) + log(exp(1))",
        lambda r: r["a"] == min(max(r["n"], -2), 3.5) and abs(r["b"] - 15) < 1e-9,
    ),
    "more of dates": (
        "d: date 1890-01-01..2110-12-31\na: = iso_week(d)\nb: = quarter(d)\nc: = month_start(d)\ne: = month_end(d)\nf: = working_days(d, d + 10d)",
        lambda r: (
            r["a"] == day(r["d"]).isocalendar().week
            and r["b"] == (day(r["d"]).month + 2) // 3
            and r["c"] == r["d"][:8] + "01"
            and (day(r["e"]) + timedelta(days=1)).day == 1
            and r["e"][:7] == r["d"][:7]
            and r["f"] == sum((day(r["d"]) + timedelta(days=each)).weekday() < 5 for each in range(10))
        ),
    ),
    "more of texts": (
        'a: = without_accents("Žiga Größe Łódź") & "|" & slug(" Žiga  Größe, 2!") & "|" & initials("anna-maria o\'neil de Luca")\n'
        'b: = "<" & normalize_space("  a \\u{A0}\\t b ") & ">" & digits("HK-40 218") & count("banana", "an") & title("alte hütte")\n'
        'c: = pad(text(row), 5, "0") & between("x [in] [y]", "[", "]")\nd: = between("x", "[", "]")',
        lambda r: (
            r["a"] == "Ziga Grosse Lodz|ziga-grosse-2|aMoNdL".replace("aMoNdL", "amodL")
            and r["b"] == "<a b>402182Alte Hütte"
            and r["c"].endswith("in")
            and len(r["c"]) == 7
            and r["d"] is None
        ),
    ),
    "functions over several": (
        "a: integer 1..9\nb: = min(a, 5) + max(a, 5) - abs(0 - a)\nc: = mod(0 - a, 4)\nd: = coalesce(null, a)",
        lambda r: (r["b"], r["c"], r["d"]) == (5, -r["a"] % 4, r["a"]),
    ),
    "row": ("a: sequence\nb: = row", lambda r: r["a"] == r["b"]),
    "time": (
        "a: time 08:00..22:30 step 15min",
        lambda r: "08:00:00" <= r["a"] <= "22:30:00" and int(r["a"][3:5]) % 15 == 0,
    ),
    "duration": (
        "a: duration 30min..50h\nb: duration 1d..9d\nc: = minutes(a)",
        lambda r: 30 <= r["c"] <= 3000 and minutes(r["a"]) == r["c"] and re.fullmatch("P[1-9]D", r["b"]),
    ),
    "clock arithmetic": (
        "a: time 08:00..09:00\nb: = a + 20h\nc: = at(2026-06-01, a)\nd: = minutes(a - 08:00)\ne: = time(c) == a and a >= 08:00",
        lambda r: (
            int(r["b"][:2]) in (4, 5)
            and r["c"] == f"2026-06-01T{r['a']}"
            and r["d"] == int(r["a"][:2]) * 60 + int(r["a"][3:5]) - 480
            and r["e"]
        ),
    ),
    "zone": (
        "a: datetime 2026-03-29T00:00..2026-03-29T05:00 zone Europe/Vienna\nb: datetime 2026-06-01..2026-06-02 zone +05:30\nc: datetime 2026-06-01..2026-06-02 zone utc",
        lambda r: (
            (t := datetime.fromisoformat(r["a"])) == t.astimezone(ZoneInfo("Europe/Vienna"))
            and t.utcoffset() == t.astimezone(ZoneInfo("Europe/Vienna")).utcoffset()
            and r["b"].endswith("+05:30")
            and r["c"].endswith("Z")
        ),
    ),
    "chosen days": (
        "a: date 2024-01-01..2026-12-31, on fri..sun, in nov..feb\nb: datetime 2026-01-01..2026-12-31, on mon | wed\nc: date row*1d+2026-01-01..row*1d+2026-01-09, on tue",
        lambda r: (
            day(r["a"]).weekday() > 3
            and day(r["a"]).month in (11, 12, 1, 2)
            and day(r["b"][:10]).weekday() in (0, 2)
            and day(r["c"]).weekday() == 1
        ),
    ),
    "workdays": (
        "a: date 2026-01-01..2026-12-31, on workdays of AT\nb: date 2026-01-01..2026-12-31, on workdays of JP | US, in nov\nc: datetime 2026-01-01..2026-12-31, on workdays of EG",
        lambda r: (
            day(r["a"]).weekday() < 5
            # Epiphany, Easter Monday, Ascension, Whit Monday, Corpus Christi, the national day, the Immaculate Conception
            and r["a"][5:] not in ("01-06", "04-06", "05-14", "05-25", "06-04", "10-26", "12-08", "12-25")
            and day(r["b"]).weekday() < 5
            # Culture Day, Labour Thanksgiving; Veterans Day, Thanksgiving
            and r["b"][5:] not in ("11-03", "11-23", "11-11", "11-26")
            and day(r["c"][:10]).weekday() not in (4, 5)
            and r["c"][5:10] not in ("01-07", "04-13", "05-01")
        ),
    ),
    "workdays of the locales": (
        "a: working-day(2026-01-01, 2026-12-31)",
        lambda r: day(r["a"]).weekday() < 5 and r["a"][5:] not in ("04-03", "05-04", "05-25", "12-25", "12-28"),
    ),
    "a distribution on chosen days": (
        "a: date 2026-01-01..2026-12-31, on sat, usually normal(2026-07-01, 9d)\nb: date 2026-06-01..2026-06-30, on mon..fri, usually on fri",
        lambda r: day(r["a"]).weekday() == 5 and "2026-05" < r["a"] < "2026-09" and day(r["b"]).weekday() < 5,
    ),
    "text of a set": (
        'a: text 3..5 of upper | digit | "-_"\nb: text 2 of Greek\nc: /[[:lower:]]{2}\\p{Cyrillic}/',
        lambda r: (
            re.fullmatch("[A-Z0-9_-]{3,5}", r["a"])
            and all(duckdb_is(c, "Greek") for c in r["b"])
            and r["c"][:2].islower()
            and r["c"].isascii() is False
            and duckdb_is(r["c"][2], "Cyrillic")
        ),
    ),
    "bytes": (
        "a: bytes 2..5\nb: bytes 1..6 base64",
        lambda r: 2 <= len(bytes.fromhex(r["a"])) <= 5 and 1 <= len(b64decode(r["b"], validate=True)) <= 6,
    ),
    "uuid by time": (
        "a: uuid v7",
        lambda r: UUID(r["a"]).version == 7 and int(r["a"][:8] + r["a"][9:13], 16) // 86_400_000 == 20605,
    ),
    "list": (
        "a: list 0..4 of one of x | y | z | w, distinct\nb: list 2 of integer 1..9\nc: list 1..3 of (integer 1..n, missing 30%)\nn: integer 1..3\n"
        'd: = size(a)\ne: = join(b, "+")\nf: = includes(a, "x")\ng: list 1..2 of full-name',
        lambda r: (
            len(r["a"]) == len(set(r["a"])) == r["d"] <= 4
            and len(r["b"]) == 2
            and r["e"] == f"{r['b'][0]}+{r['b'][1]}"
            and r["f"] == ("x" in r["a"])
            and all(each is None or each <= r["n"] for each in r["c"])
            and all(" " in each for each in r["g"])
        ),
    ),
    "distinct by trying": (
        'a: list 3 of (one of x 90% | y 9% | z), distinct\nb: list 2 of text 1 of "ab", distinct',
        lambda r: sorted(r["a"]) == ["x", "y", "z"] and len(set(r["b"])) == 2,
    ),
    "nested": (
        'country: = 1\naddress:\n  nested:\n    city: city\n    at:\n      nested:\n        n: integer 1..9\n        s: text "{n}{city}{country}"\n  missing: 30%\n'
        "c: = address.city & address.at.n\nd: = address is null",
        lambda r: (
            (r["d"] and r["address"] is None and r["c"] is None)
            or (
                r["c"] == r["address"]["city"] + str(r["address"]["at"]["n"])
                and r["address"]["at"]["s"] == f"{r['address']['at']['n']}{r['address']['city']}1"
            )
        ),
    ),
    "list of records": (
        "size: integer 1..3\nguests:\n  list: 0..3\n  nested:\n    nr: sequence\n    age: integer 1..size\n    mail: email\n    more:\n      nested:\n        x: = age * 10\n      missing: 50%\n"
        "    tags: list 0..2 of one of a | b, distinct\n  missing: 20%\nn: = size(guests)",
        lambda r: (
            (r["guests"] is None and r["n"] is None)
            or (
                len(r["guests"]) == r["n"] <= 3
                and all(
                    g["nr"] == at
                    and 1 <= g["age"] <= r["size"]
                    and "@" in g["mail"]
                    and len(set(g["tags"])) == len(g["tags"])
                    and (g["more"] is None or g["more"]["x"] == g["age"] * 10)
                    for at, g in enumerate(r["guests"], start=1)
                )
            )
        ),
    ),
    "in turn": ("a: one of x | y | z, in turn\nb: = row", lambda r: r["a"] == "zxy"[r["b"] % 3]),
    "narrowed": (
        'a: one of red | green | blue 20%, without "g"\nb: /[0-9]{3}/, matching /.*[05]/, without "13"\nc: city, matching /.*[aeiou]/\n'
        'd: email, matching /[^x]*@example\\.com/\ne: text 3..9, without "aeiou"\nf: like "AA-00", without "AEIOU01"\ng: /[a-z]{9}/, matching /.*q.*/',
        lambda r: (
            r["a"] in ("red", "blue")
            and r["b"][-1] in "05"
            and not set(r["b"]) & set("13")
            and r["c"][-1] in "aeiou"
            and r["d"].endswith("@example.com")
            and "x" not in r["d"].split("@")[0]
            and not set(r["e"]) & set("aeiou")
            and not set(r["f"]) & set("AEIOU01")
            and "q" in r["g"]
        ),
    ),
    "as text": (
        'a: integer 1000..9999999, as text "1,234"\nb: decimal -99.99..-10.00, as text "€ 0.000,0"\nc: date 2026-01-01..2026-12-31, as text "%a %d.%m.%y, week %V, day %j"\n'
        'd: boolean, as text "yes | no"\ne: integer 1..9, as text "0001"\nf: decimal 0.0001..0.9999, as text "12.5 %"\ng: integer 1..9, as "01"\nh: = format(f, "0.0")',
        lambda r: (
            re.fullmatch(r"\d{1,3}(,\d{3})+", r["a"])
            and re.fullmatch(r"-€ 0\.0\d\d,\d", r["b"])
            and r["c"] == datetime.strptime(r["c"][4:12], "%d.%m.%y").strftime("%a %d.%m.%y, week %V, day %j")
            and r["d"] in ("yes", "no")
            and re.fullmatch(r"000\d", r["e"])
            and re.fullmatch(r"\d{1,3}\.\d %", r["f"])
            and type(r["g"]) is int
            and re.fullmatch(r"[01]\.\d", r["h"])
        ),
    ),
    "some": (
        'a: = draw(one of x | y) & draw(integer 1..n)\nn: integer 1..5\nb: text "{draw(given-name)} met {draw(given-name)}"',
        lambda r: r["a"][0] in "xy" and 1 <= int(r["a"][1:]) <= r["n"] and re.fullmatch(r"\S+ met \S+", r["b"]),
    ),
    "a kind by its name": (
        "email:\nfirst_name: missing 10%\nzip:\npostCode:",
        lambda r: "@" in r["email"] and r["zip"] == r["postCode"],
    ),
    "another person": (
        "given: given-name\nguide: given-name of guide\nmail: email of guide",
        lambda r: (
            r["mail"].split(".")[0]
            == unicodedata.normalize("NFKD", r["guide"]).encode("ascii", "ignore").decode().lower()
        ),
    ),
    "a series": (
        "a: every 15min from 2026-06-01T08:00, jitter 2min\nb: every 1mo from 2026-01-31\nc: every 1d from 2026-06-01",
        lambda r: (
            r["c"] == str(day("2026-06-01") + timedelta(days=(n := (day(r["c"]) - day("2026-06-01")).days)))
            and abs(datetime.fromisoformat(r["a"]) - datetime(2026, 6, 1, 8) - n * timedelta(minutes=15))
            <= timedelta(minutes=2)
            and r["b"][8:] >= "28"
        ),
    ),
    "still more of dates": (
        "d: date 1890-01-01..2110-12-31\na: = week_start(d)\nb: = year_start(d)\nc: = year_end(d)\ne: = add_working_days(d, 7)\nf: = hour(2026-06-01T09:30) + seconds(2min)",
        lambda r: (
            day(r["a"]).weekday() == 0
            and 0 <= (day(r["d"]) - day(r["a"])).days < 7
            and r["b"] == r["d"][:4] + "-01-01"
            and r["c"] == r["d"][:4] + "-12-31"
            and sum(
                (day(r["d"]) + timedelta(days=each)).weekday() < 5
                for each in range(1, (day(r["e"]) - day(r["d"])).days + 1)
            )
            == 7
            and r["f"] == 129
        ),
    ),
    "still more of texts": (
        'a: = substring("HK-402", 4, 6) & pad_end("x", 3, ".") & without_control_characters("a\\u{200B}b\\t") & without_brackets("Hut (old) [x]")\n'
        'b: = starts_with("hut", "hu") and ends_with("hut", "ut")\nc: = number("about -12.5 km")\nd: = number("none")\ne: = round_even(2.345, 2) + round_even(2.5) + round_even(-3.5)',
        lambda r: (r["a"], r["b"], r["c"], r["d"], r["e"]) == ("402x..abHut", True, -12.5, None, 0.34),
    ),
    "check digits and hashes": (
        "t: text 0..90 of digit\na: = luhn(t)\nb: = mod11(t)\nc: = mod97(t)\nd: = sha256(t)\ne: = crc32(t)",
        lambda r: (
            r["d"] == hashlib.sha256(r["t"].encode()).hexdigest()
            and r["e"] == zlib.crc32(r["t"].encode())
            and (
                not r["t"]
                or (r["a"], r["b"], r["c"])
                == (
                    luhn.calc_check_digit(r["t"]),
                    mod_11_2.calc_check_digit(r["t"]),
                    mod_97_10.calc_check_digits(r["t"]),
                )
            )
        ),
    ),
    "today and now": ("a: = today\nb: = now", lambda r: list(r.values()) == ["2026-06-01", "2026-06-01T00:00:00"]),
    "text with a hash, quoted": ("a: 'one of red #1 | blue #2'", lambda r: r["a"] in ("red #1", "blue #2")),
    "escapes": (r"""a: '= "q\" \\ \t \u{1F600}"'""", lambda r: r["a"] == 'q" \\ \t \U0001f600'),
    "literal block": ("a: >-\n  integer\n  1..3", lambda r: r["a"] in (1, 2, 3)),
}


@pytest.fixture(scope="module")
def made(tmp_path_factory: pytest.TempPathFactory, launcher: Launcher) -> dict[str, list[Row]]:
    """Make the records of both tables in two runs of the program; each entry is one record type."""
    found = {}
    for table, count in ((EVERY_RECORD, 300), (SHARES, 20_000)):
        folder = tmp_path_factory.mktemp("made")
        records = [schema_of(lines, count, name=f"r{at}", head=None) for at, (lines, *_) in enumerate(table.values())]
        (folder / "all.yaml").write_text("yurt: 1\nseed: 1\ntoday: 2026-06-01\nrecords:\n" + "".join(records))
        done = launcher.run(["generate", "all.yaml", "--out", ".", "--format", "json"], folder, ENVIRONMENT)
        assert done.returncode == 0, done.stderr
        found |= {name: json.loads((folder / f"r{at}.json").read_text()) for at, name in enumerate(table)}
        assert all(len(found[name]) == count for name in table)
    return found


@pytest.mark.parametrize("name", EVERY_RECORD)
def test_every_record_holds(name: str, made: dict[str, list[Row]]) -> None:
    for record in made[name]:
        assert EVERY_RECORD[name][1](record), record


# Field lines, and the share of records (out of 20,000) that satisfy a predicate.
SHARES: dict[str, tuple[str, Callable[[Row], bool], float]] = {
    "boolean with a share": ("a: boolean 35%", lambda r: r["a"], 0.35),
    "percent": ("a: one of x 55% | y 30% | z 10% | rest", lambda r: r["a"] == "rest", 0.05),
    "times": ("a: one of x * 3 | y", lambda r: r["a"] == "x", 0.75),
    "missing": ("a: integer 1..5, missing 12.5%", lambda r: r["a"] is None, 0.125),
    "missing by condition": ("b: boolean\na: integer 1..5, missing 40% if b", lambda r: r["a"] is None and r["b"], 0.2),
    "missing by condition only": ("b: boolean\na: integer 1..5, missing 40% if b", lambda r: r["a"] is None and not r["b"], 0.0),
    "weibull of dates": ("a: date 2026-01-01..2036-01-01, usually weibull(1, 30d)", lambda r: r["a"] < "2026-01-31", 0.6321),
    "optional": ("a: integer 1..5, optional", lambda r: r["a"] is None, 0.1),
    "low": ("a: integer 1..100, usually low", lambda r: r["a"] <= 50, 0.75),
    "high": ("a: integer 1..100, usually high", lambda r: r["a"] <= 50, 0.25),
    "middle": ("a: integer 1..100, usually middle", lambda r: r["a"] <= 25, 0.125),
    "geometric": ("a: integer 1..12, usually geometric(0.45)", lambda r: r["a"] == 1, 0.45034),
    "zipf over a list": ("a: one of x | y | z, usually zipf(1)", lambda r: r["a"] == "x", 6 / 11),
    "histogram": ("a: integer 0..100, usually histogram(0..9 60%, 50..59 40%)", lambda r: r["a"] < 10, 0.6),
    "histogram, cut": ("a: integer 5..54, usually histogram(0..9 60%, 50..59 40%)", lambda r: r["a"] < 10, 0.6),
    "mixture": ("a: decimal 0.0..100.0, usually normal(20, 3) 70% | normal(80, 3)", lambda r: r["a"] < 50, 0.7),
    "outliers": ("a: integer 1..1000, usually normal(50, 2), outliers 10%", lambda r: r["a"] > 100, 0.09),
    "hours": ("a: datetime 2026-01-01..2026-12-31T23:59, usually hours(7..9 60%, 17 40%)",
        lambda r: r["a"][11:13] == "17", 0.4),
    "hours of a time": ("a: time 00:00..23:59, usually hours(7..9 60%, 17 30%)", lambda r: r["a"][:2] in ("07", "08", "09"), 0.6),
    "weekdays and months": ("a: date 2023-01-01..2026-12-31, usually weekdays(sat..sun 60%) and months(jul 50%)",
        lambda r: r["a"][5:7] == "07", 0.5092),
    "a profile in a part of the day": ("a: datetime 2026-06-15T08:00..2026-06-15T09:59:59, usually hours(8 20%, 9 10%)",
        lambda r: r["a"][11:13] == "08", 2 / 3),
    "missing in a nested record": ("a:\n  nested:\n    b: uuid\n  missing: 25%", lambda r: r["a"] is None, 0.25),
    "length of a list": ("a: list 0..3 of uuid", lambda r: not r["a"], 0.25),
    "normal over durations": ("a: duration 0h..100h step 1min, usually normal(50h, 10h)", lambda r: minutes(r["a"]) < 2400, 0.1587),
    "exponential times": ("a: time 08:00..20:00, usually exponential(1h)", lambda r: r["a"] < "09:00:00", 0.6321),
    "normal": ("a: decimal 0.00..200.00, usually normal(100, 10)", lambda r: r["a"] < 90, 0.1587),
    "lognormal of dates": ("a: date 2026-01-01..2036-01-01, usually lognormal(30d, 0.5)", lambda r: r["a"] <= "2026-01-30", 0.493),
    "exponential of moments": ("a: datetime 2026-01-01..2027-01-01, usually exponential(12h)",
        lambda r: r["a"] < "2026-01-01T12:00:01", 0.632),
    "normal by another field": ("b: = 50\na: integer 0..100, usually normal(b, b / 10)", lambda r: r["a"] <= 50, 0.54),
    "triangular": ("a: date 2026-01-01..2026-12-31, usually triangular(2026-01-01)", lambda r: r["a"] <= "2026-07-02", 0.75),
}  # fmt: skip


@pytest.mark.parametrize("name", SHARES)
def test_shares(name: str, made: dict[str, list[Row]]) -> None:
    _, chosen, share = SHARES[name]
    found = sum(bool(chosen(record)) for record in made[name]) / 20_000
    assert abs(found - share) <= 5 * (share * (1 - share) / 20_000) ** 0.5


@pytest.mark.parametrize("name", [*EVERY_RECORD, *SHARES])
def test_a_row_alone_is_the_row_of_the_whole(name: str) -> None:
    lines = (EVERY_RECORD | SHARES)[name][0]
    schema, _ = read(Source("s", schema_of(lines, 60, head="seed: 1\ntoday: 2026-06-01\n")))
    whole = library.table(schema, "row")
    for first, last in ((1, 1), (2, 3), (31, 31), (40, 60)):
        assert library.table(schema, "row", rows=(first, last)).equals(whole.slice(first - 1, last - first + 1))


# Field lines with a unique field `a`, and its number of values: that many rows contain each value once.
ALL_THERE_ARE = {
    "integer": ("a: integer 1..200 step 2, unique", 100),
    "decimal": ("a: decimal 0.00..1.99, unique", 200),
    "date": ("a: date 2026-01-01..2026-12-31, unique", 365),
    "datetime": ("a: datetime 2026-01-01T00:00..2026-01-02T00:00 step 5min, unique", 289),
    "one of": ("a: one of a | b | c, unique", 3),
    "boolean": ("a: boolean, unique", 2),
    "pattern": ("a: /[ab]{1,4}|a?b?/, unique", 31),
    "like": ('a: like "x7[!]", unique', 260),
    "text": ("a: text 0..1, unique", 27),
    "kind": ("a: ipv4, unique", 762),
    "time": ("a: time 08:00..10:00 step 30min, unique", 5),
    "duration": ("a: duration 1d..9d, unique", 9),
    "chosen days": ("a: date 2026-01-01..2026-12-31, unique, on sat | sun, in jun..aug", 26),
    "workdays": ("a: date 2026-01-01..2026-12-31, unique, on workdays of AT", 251),
    "narrowed list": ('a: one of red | green | blue, without "g", unique', 2),
    "narrowed pattern": ('a: /[0-9]{3}/, matching /.*5/, without "1", unique', 81),
    "of a script": ("a: text 1 of Ogham, unique", 26),
}


@pytest.mark.parametrize("name", ALL_THERE_ARE)
def test_unique_makes_all_there_are_and_refuses_more(
    name: str, fields: Callable[..., list[Row]], yurt: Any, tmp_path: Path
) -> None:
    lines, room = ALL_THERE_ARE[name]
    assert len({record["a"] for record in fields(lines, room)}) == room
    told = yurt("generate", "fields.yaml", "--count", room + 1, code=1).stderr.decode()
    assert f"only {room:,} different values for {room + 1:,} rows" in told
    assert f"--count {room}" in told


@pytest.mark.parametrize(
    "lines",
    [
        "a: uuid, unique",
        "a: sequence from 5 step -2",
        "a: email, unique",
        "a: username, unique",
        r"a: /[A-Z0-9]{30}/, unique",
        "a: eui-48, unique",
    ],
)
def test_unique_holds_in_bulk(lines: str, fields: Callable[..., list[Row]]) -> None:
    assert len({record["a"] for record in fields(lines, 120_000)}) == 120_000


TRIP = """
yurt: 1
seed: 3
today: 2026-06-01
records:
  booking:
    count: 2..4 per guest
    fields:
      guest: ref guest
      hut:   ref hut, missing 5%
      other: ref hut, usually zipf(1.2)
      party: integer 1..20
      name:  = guest.name
      beds:  = hut.beds
      far:   = other.beds - hut.beds
      spare: ref seat, unique
    always:
      - party <= hut.beds
  guest:
    count: 40
    fields: {"id": "sequence", "name": "full-name"}
  hut:
    count: 3..3
    key: code
    fields:
      nr:   uuid
      code: /[A-Z]{3}/, unique
      beds: integer 5..30
  seat:
    count: 200
    fields:
      nr: sequence
"""


def test_references_read_the_other_record(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "trip.yaml").write_text(TRIP)
    yurt("generate", "trip.yaml", "--out", "out", "--format", "json")
    read = {each: json.loads((tmp_path / "out" / f"{each}.json").read_text()) for each in ("booking", "guest", "hut")}
    guests, huts = {g["id"]: g for g in read["guest"]}, {h["code"]: h for h in read["hut"]}
    assert set(Counter(b["guest"] for b in read["booking"]).values()) == {2, 3, 4}
    assert len({b["spare"] for b in read["booking"]}) == len(read["booking"])
    for booking in read["booking"]:
        hut = huts.get(booking["hut"])
        assert booking["name"] == guests[booking["guest"]]["name"]
        assert booking["beds"] == (hut["beds"] if hut else None)
        assert booking["far"] == (huts[booking["other"]]["beds"] - hut["beds"] if hut else None)
        assert hut is None or booking["party"] <= hut["beds"]


LONG_FORM = """
a:
  integer: 1..50
  usually: normal(20, 5)
  missing: 10%
b:
  one of: [red 60%, blue 30%, green]
  present if: a > 3
c:
  pattern: /[A-Z]{4}/
  unique: yes
  helper: no
d:
  kind: given-name
e:
  =: a * 2
f:
  sequence: from 10 step 5
g:
  decimal: 1.00..9.00 step 0.25
h:
  when:
    a > 10: {"integer": "1..5", "usually": "low"}
    else: integer 6..9
  helper: false
"""
SHORT_FORM = """
a: integer 1..50, usually normal(20, 5), missing 10%
b: one of red 60% | blue 30% | green, present if a > 3
c: /[A-Z]{4}/, unique
d: given-name
e: = a * 2
f: sequence from 10 step 5
g: decimal 1.00..9.00 step 0.25
h:
  when:
    a > 10: integer 1..5, usually low
    else: integer 6..9
"""


def test_long_and_short_form_mean_the_same(fields: Callable[..., list[Row]]) -> None:
    assert fields(LONG_FORM) == fields(SHORT_FORM)


def test_a_schema_may_be_json(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.json").write_text(
        '{"yurt": 1, "seed": 1, "records": {"a": {"count": 2, "fields": {"b": "/x\\\\d/"}}}}'
    )
    assert re.fullmatch(rb"b\r\nx\d\r\nx\d\r\n", yurt("generate", "s.json").stdout)


def test_a_rule_that_is_never_met_is_named(yurt: Any, tmp_path: Path) -> None:
    tail = "    always:\n      - a > 0\n      - b > a + 90\n"
    (tmp_path / "s.yaml").write_text(schema_of("a: integer 1..90\nb: integer 1..90", 50, tail=tail))
    told = yurt("generate", "s.yaml", "--seed", "1", "--out", "x.csv", code=1).stderr.decode()
    assert "`b > a + 90` (line 10), which 0.00% of the rows meet" in told
    assert list(tmp_path.iterdir()) == [tmp_path / "s.yaml"]


def test_rows_that_break_a_rule_are_drawn_again_and_keep_their_identity(fields: Callable[..., list[Row]]) -> None:
    lines = "id: sequence\nkey: /[A-Z]{5}/, unique\nuid: uuid\na: integer 1..9\nb: integer 1..9"
    free, ruled = fields(lines), fields(lines, tail="    always: a < b\n")
    assert all(r["a"] < r["b"] for r in ruled)
    for before, after in zip(free, ruled, strict=True):
        assert (before["id"], before["key"], before["uid"]) == (after["id"], after["key"], after["uid"])
        assert before["a"] >= before["b"] or before == after


def test_a_row_that_is_drawn_again_cannot_fail(fields: Callable[..., list[Row]]) -> None:
    found = fields("a: integer 0..3\nb: = 6 / a\nc: integer 1..a\nd: email", 2000, tail="    always: a > 0\n")
    assert all(row["b"] == 6 / row["a"] and row["c"] <= row["a"] for row in found)


def test_a_clock_day_is_said_and_a_pinned_one_moves_the_dates(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema_of("a: = today", 1))
    done = yurt("generate", "s.yaml")
    assert b"from the clock" in done.stderr
    assert re.search(rb"seed \d+ \(drawn", done.stderr)
    assert b"2024-02-29" in yurt("generate", "s.yaml", "--today", "2024-02-29").stdout
    assert (
        timedelta(days=1)
        > datetime.now() - datetime.fromisoformat(done.stdout.split()[1].decode())
        > -timedelta(days=1)
    )


def test_a_record_type_may_refer_to_itself(fields: Callable[..., list[Row]]) -> None:
    found = fields(
        "id: sequence\nboss: ref row, missing 20%\nn: integer 1..9\nm: integer 1..9\nown: = boss.n",
        tail="    always: n < m\n",
    )
    by_id = {row["id"]: row for row in found}
    for row in found:
        assert row["n"] < row["m"]
        assert row["own"] == (by_id[row["boss"]]["n"] if row["boss"] else None)


LARGE = """
yurt: 1
seed: 8
today: 2026-06-01
records:
  valley:
    count: 150000
    fields:
      id:   sequence
      name: /[A-Z]{4}/
      high: integer 1..100
      low:  integer 1..100
    always: low < high
  hut:
    count: 0..2 per valley
    fields:
      id:     uuid
      valley: ref valley
      high:   = valley.high
      near:   ref valley
      lower:  = near.low
  stay:
    count: 1..3 per hut
    fields:
      nr:    sequence
      hut:   ref hut
      high:  = hut.high
      where: = hut.valley
      once:  ref hut, usually zipf(0.9), missing 10%
      other: = once.lower
"""


def test_large_record_types_are_joined_right_without_being_kept(yurt: Any, tmp_path: Path) -> None:
    """Record types too large to keep are remade from row numbers: DuckDB joins the files and compares."""
    (tmp_path / "s.yaml").write_text(LARGE)
    yurt("generate", "s.yaml", "--out", ".")
    joined = duckdb.sql(f"""
        with v as (from '{tmp_path}/valley.csv'), h as (from '{tmp_path}/hut.csv'), s as (from '{tmp_path}/stay.csv')
        select (select count(*) from v where low < high),
               (select count(*) from h),
               (select count(*) from h join v on h.valley = v.id join v n on h.near = n.id where h.high = v.high and h.lower = n.low),
               (select count(*) from s),
               (select count(*) from s join h on s.hut = h.id where s.high = h.high and s."where" = h.valley),
               (select count(*) from s where once is null and other is null),
               (select count(*) from s join h on s.once = h.id where s.other = h.lower),
               (select count(distinct hut) from s)
    """).fetchall()[0]
    valleys, huts, joined_huts, stays, joined_stays, without, with_other, hosts = joined
    assert valleys == 150_000
    assert huts == joined_huts == hosts
    assert abs(huts - 150_000) < 2000
    assert stays == joined_stays == without + with_other
    assert abs(without / stays - 0.1) < 0.005
