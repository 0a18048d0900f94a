"""Layouts of one's own: what a template makes, and what it cannot do."""

from __future__ import annotations

import json
import re
import time
from pathlib import Path
from typing import Any

import pytest

from yurt.core.base.errors import YurtError
from yurt.core.formats.template import limits
from yurt.core.formats.template.sandbox import Sandboxed

DEMO = Path(__file__).parent.parent / "src" / "yurt" / "examples" / "huts.yaml"


@pytest.fixture
def made(yurt: Any, tmp_path: Path) -> Any:
    """Return a function that makes a file by a template."""

    def run(text: str, record: str = "stay", *options: object, code: int = 0) -> str:
        (tmp_path / "t.txt").write_text(text, "utf-8")
        done = yurt("generate", DEMO, record, "--format", "template", "--with", "template=t.txt", *options, code=code)
        return (done.stdout if not code else done.stderr).decode()

    return run


def test_the_shipped_templates(yurt: Any, tmp_path: Path) -> None:
    stays = json.loads(yurt("generate", DEMO, "stay", "--format", "json").stdout)
    own = ("--format", "template", "--with")
    lines = yurt("generate", DEMO, "stay", *own, "template=bank").stdout.decode().splitlines()
    assert {len(each) for each in lines} == {60} and len(lines) == len(stays) + 2
    assert [each[0] for each in (lines[0], lines[1], lines[-1])] == ["H", "P", "T"]
    cents = [round(each["due"] * 100) for each in stays]
    assert [int(each[30:42]) for each in lines[1:-1]] == cents
    assert int(lines[-1][1:10]) == len(stays) and int(lines[-1][10:30]) == sum(cents)
    hikers = json.loads(yurt("generate", DEMO, "hiker", "--format", "json").stdout)
    labels = yurt("generate", DEMO, "hiker", *own, "template=labels").stdout.decode().split("\n\n")
    assert labels[0] == "{given} {family}\n{home[zip]} {home[city]}".format(**hikers[0])
    assert len(labels) == 3001 and labels[-1] == "(3000 labels)\n"
    for workers in (1, 4):
        yurt("generate", DEMO, "stay", *own, "template=calendar", "--with", "line-terminator=crlf", "--workers", workers,
             "--out", f"{workers}.ics")  # fmt: skip
    text = (tmp_path / "1.ics").read_bytes()
    assert text == (tmp_path / "4.ics").read_bytes() and b"\n" not in text.replace(b"\r\n", b"")
    # RFC 5545: lines have at most 75 octets, components are balanced.
    content = text.decode().split("\r\n")
    assert max(len(each.encode()) for each in content) <= 75 and content[0] == "BEGIN:VCALENDAR"
    assert content.count("BEGIN:VEVENT") == content.count("END:VEVENT") == len(stays)
    assert set(re.findall(r"DTSTART;VALUE=DATE:(\d+)", text.decode())) == {
        each["arrival"].replace("-", "") for each in stays
    }


def test_blocks_know_the_file(made: Any, yurt: Any) -> None:
    text = (
        "{% block head %}{{ name }}:{% endblock %}{% block records %}{% for each in records %}{{ loop.index0 + first }}"
        "{{ ',' if not loop.last }}{% endfor %}{% endblock %}{% block foot %}={{ count }};{{ totals.beds }}{% endblock %}"
    )
    beds = [
        each["beds"] for each in json.loads(yurt("generate", DEMO, "hut", "--rows", "1..3", "--format", "json").stdout)
    ]
    total = sum(beds)
    assert made(text, "hut", "--rows", "1..3") == f"hut:1,2,3=3;{total}"
    assert made(text, "hut", "--count", 0) == "hut:=0;0"
    inside = "{% block records %}{% for each in records %}{{ each.pass }}{% for one in each.stay %}+{{ one.hut }}{% endfor %}.{% endfor %}{% endblock %}"
    found = made(inside, "hiker", "--with", "children=inside", "--rows", "3")
    assert found == "JC-89288+OT-672."


FORMS = {
    "{{ 7 | fixed(3, 'right', '0') }}": "007",
    "{{ 'ab' | fixed(4) }}|": "ab  |",
    "{{ 'ab' | fixed(5, 'center', '*') }}": "**ab*",
    "{{ 2.5 | shown('0.00') }}": "2.50",
    "{{ none | shown('%Y') }}": "",
    "{{ records[0].opens | shown('%d.%m.%Y') }}": "23.05.2026",
    "{{ 'a-b-c' | replace('-', '+') }}": "a+b+c",
    "{{ [1, 2, 3] | join(', ') }}": "1, 2, 3",
    "{{ {'a': records[0].price} | tojson }}": '{"a": "23.00"}',
    "{{ '<&>' | e }}": "&lt;&amp;&gt;",
    "{{ 1 ~ 'x' ~ 2 }}": "1x2",
    "{% set ns = namespace(x=0) %}{% for i in range(4) %}{% set ns.x = ns.x + i * 2 %}{% endfor %}{{ ns.x }}": "12",
    "{% macro m(x) %}[{{ x }}]{% endmacro %}{{ m(3) }}": "[3]",
    "{{ records[0].beds * 2 - 7 // 2 }}": "211",
}


@pytest.mark.parametrize("text", FORMS)
def test_filters_and_operators(text: str, made: Any) -> None:
    assert made(f"{{% block records %}}{text}{{% endblock %}}", "hut", "--rows", 1) == FORMS[text]


WRONG = {
    "{% include '/etc/passwd' %}": "line 2: a template is a single file",
    "{% import 'x' as y %}": "line 2: a template is a single file",
    "{{ ''.__class__.__mro__ }}": "line 2: access to attribute '__class__'",
    "{{ records.append(1) }}": "line 2:",
    "{{ records[0].given.upper() }}": "line 2:",
    "{{ range.__globals__ }}": "line 2:",
    "{{ records | map('attr', '__class__') }}": "line 2: No filter named 'map'",
    "{{ records | attr('__class__') }}": "line 2: No filter named 'attr'",
    "{{ self.__init__ }}": "line 2:",
    "{{ cycler }}": "line 2: 'cycler' is undefined",
    "{{ 'a' * 999999999 }}": "line 2: `*` is for numbers",
    "{{ '%999999999d' % 1 }}": "line 2: `%` is for numbers",
    "{{ 9 ** 999999999 }}": "line 2: `**` is for small numbers",
    "{{ 'a' | center(999999999) }}": "line 2: No filter named 'center'",
    "{{ range(99999999) }}": "line 2: a range has at most 10,000 steps",
    "{% set ns = namespace(x='aaaaaaaa') %}{% for i in range(40) %}{% set ns.x = ns.x ~ ns.x %}{% endfor %}": "line 2: a text has at most",
    "{% set ns = namespace(x='aaaaaaaa') %}{% for i in range(40) %}{% set ns.x = ns.x + ns.x %}{% endfor %}": "line 2: a text has at most",
    "{% set ns = namespace(x=9) %}{% for i in range(99) %}{% set ns.x = ns.x * ns.x %}{% endfor %}": "line 2: the numbers are too large",
    "{% macro m() %}{{ m() }}{% endmacro %}{{ m() }}": "line 2:",
    "{% for x in [1] recursive %}{{ loop([1]) }}{% endfor %}": "line 2: a loop cannot be recursive",
    "{{ records[0].bedz }}": "line 2: 'dict object' has no attribute 'bedz'",
    "{{ 1 / 0 }}": "line 2: division by zero",
    "{{ 1 + 'a' }}": "line 2: unsupported operand",
    "{{ }}": "line 2: Expected an expression",
    "{% if %}": "line 2:",
    "{{ 'abc' | fixed(2) }}": "line 2: `abc` is wider than 2",
    "{{ 'abc' | fixed(2, 'up') }}": "line 2: fixed(width",
    "{{ 'abc' | shown('0.00') }}": "line 2: `abc` has no form `0.00`",
    "{{ 'x' | fixed(999) | replace(' ', 'y' | fixed(999)) | replace(' ', 'z' | fixed(999)) }}": "line 2: a text has at most",
}


# Lists in lists have twice as many values with each step.
DOUBLED = "{% set ns = namespace(x=[1], y=[1]) %}{% for i in range(40) %}{% set ns.x = [ns.x, ns.x] %}{% set ns.y = [ns.y, ns.y] %}{% endfor %}"
GROWING = "{% set ns = namespace(x='aaaaaaaa') %}{% for i in range(40) %}"
WRONG |= {
    GROWING + "{% set y %}{{ ns.x }}{{ ns.x }}{% endset %}{% set ns.x = y %}{% endfor %}": "line 2: a text has at most",
    GROWING
    + "{% macro d(x) %}{{ x }}{{ x }}{% endmacro %}{% set ns.x = d(ns.x) %}{% endfor %}": "line 2: a text has at most",
    "{% set ns = namespace(x=[1]) %}{% macro m() %}{% set ns.x = varargs %}{% endmacro %}{% for i in range(40) %}{{ m(ns.x, ns.x) }}{% endfor %}"
    "{{ ns.x }}": "line 2: a text has at most",
    "{% set x %}{% for i in range(9999) %}{% for j in range(999) %}"
    + "a" * 2000
    + "{% endfor %}{% endfor %}{% endset %}": "line 2: a text has at most",
    "{% set ns = namespace(x=[1]) %}{% for i in range(40) %}{% set ns.x = {'a': ns.x, 'b': ns.x} %}{% endfor %}{{ ns.x }}": "line 2: a text has at most",
}
WRONG |= {
    DOUBLED + each: "line 2: a text has at most"
    for each in (
        "{{ ns.x }}", "{{ ns.x | string }}", "{{ ns.x | tojson }}", "{{ [ns.x] | join }}", "{{ ns.x ~ 1 }}", "{{ ns.x | upper }}",
        "{{ 'a' | replace('a', ns.x) }}", "{% if ns.x == ns.y %}{% endif %}", "{% if ns.x in [ns.y] %}{% endif %}", "{{ [ns.x, ns.y] | sort }}",
    )
}  # fmt: skip


@pytest.mark.parametrize("text", WRONG)
def test_what_a_template_cannot_do(text: str, made: Any) -> None:
    code = (
        2
        if any(each in WRONG[text] for each in ("single file", "No filter", "recursive", "Expected"))
        or text == "{% if %}"
        else 1
    )
    told = made(f"{{% block records %}}\n{text}\n{{% endblock %}}\n", "hut", "--rows", "1..2", code=code)
    assert f"t.txt, {WRONG[text]}" in told and len(told.splitlines()) == 1, told


def test_time_is_limited(monkeypatch: Any) -> None:
    monkeypatch.setattr(limits, "MOST_SECONDS", 0.3)
    loops = "{% for a in range(9999) %}{% for b in range(9999) %}{% endfor %}{% endfor %}"
    calls = "{% macro m(n) %}{% if n %}{{ m(n - 1) }}{{ m(n - 1) }}{% endif %}{% endmacro %}{{ m(60) }}"
    for text in (loops, calls, "{% set _budget = namespace(until=9e99) %}" + loops):
        started = time.monotonic()
        with pytest.raises(YurtError, match="t, line 1: a batch of rows takes longer"):
            Sandboxed("t", f"{{% block records %}}{text}{{% endblock %}}", "\n").block("records", records=[])
        assert time.monotonic() - started < 3


def test_wrong_use_of_templates(yurt: Any, tmp_path: Path, made: Any) -> None:
    own = ("generate", DEMO, "hut", "--format", "template")
    assert "needs a template: --with template=FILE" in yurt(*own, code=2).stderr.decode()
    assert "did you mean `labels`?" in yurt(*own, "--with", "template=lables", code=2).stderr.decode()
    assert "it has no block `records`" in made("{{ 1 }}", "hut", code=2)
    assert "the blocks are head, records, foot, not tail" in made("{% block tail %}{% endblock %}", "hut", code=2)
    text = "{% block records %}{{ records[0].given }} é ☃{% endblock %}"
    assert "iso-8859-1 has no `☃`" in made(text, "hiker", "--with", "encoding=iso-8859-1", code=1)
    (tmp_path / "t.txt").write_bytes(b"\xff")
    assert "is a text in UTF-8" in yurt(*own, "--with", "template=t.txt", code=2).stderr.decode()
    yurt("generate", DEMO, "--format", "template", "--with", "template=labels", "--out", "x/", code=1)
    assert not (tmp_path / "x").exists()
