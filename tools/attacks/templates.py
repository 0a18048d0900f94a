"""Hostile templates: they ask for time, for memory, and for what is not theirs."""

from __future__ import annotations

import random

from attacks.mutation import mutated
from attacks.process import Input
from attacks.schemas import FIELDS

HEAVY = [
    "{% for a in range(9999) %}{% for b in range(9999) %}{% for c in range(9999) %}{% endfor %}{% endfor %}{% endfor %}",
    "{% for a in range(9999) %}{% for b in range(9999) %}{{ a * b }}{% endfor %}{% endfor %}",
    "{{ 'x' * 2147483647 }}",
    "{{ ('x' ~ 'y') * 99999999 }}",
    "{{ [0] * 999999999 }}",
    "{{ 9 ** 9 ** 9 }}",
    "{{ 10 ** 4000 }}",
    "{{ -(10 ** 300) * 10 ** 300 }}",
    "{{ 1 / 3 * 1e308 * 1e308 }}",
    "{{ 1 % 0 }}",
    "{{ 1 // 0 }}",
    "{{ '%0999999999d' | format(1) }}",
    "{{ '%s' % records }}",
    "{{ '{0.__class__}'.format(1) }}",
    "{{ 'x' | center(999999999) }}",
    "{{ 'x' | indent(999999999) }}",
    "{{ 'x' | fixed(999999999) }}",
    "{{ 'x' | wordwrap(0) }}",
    "{{ 'x' | replace('', 'y' * 99) }}",
    "{{ 'xx' | replace('x', 'yyyyyyyyyyyyyyyyyyyyyyyy') }}",
    "{{ range(10000) | join('xxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx') | list | string | length }}",
    "{{ records | tojson | replace('1', '1111111111') | replace('1', '1111111111') | length }}",
    "{% set ns = namespace(x=[1]) %}{% for i in range(60) %}{% set ns.x = ns.x + ns.x %}{% endfor %}",
    "{% set ns = namespace(x='a') %}{% for i in range(60) %}{% set ns.x = ns.x ~ ns.x %}{% endfor %}{{ ns.x | length }}",
    "{% set ns = namespace(x=2) %}{% for i in range(60) %}{% set ns.x = ns.x * ns.x %}{% endfor %}{{ ns.x }}",
    "{% set ns = namespace(x=[]) %}{% for i in range(900) %}{% set ns.x = [ns.x, ns.x] %}{% endfor %}{{ ns.x | string }}",
    "{% set ns = namespace(x={}) %}{% for i in range(900) %}{% set ns.x = {'a': ns.x} %}{% endfor %}{{ ns.x | tojson }}",
    "{% macro m(n) %}{{ m(n) }}{{ m(n) }}{% endmacro %}{{ m(1) }}",
    "{% macro m() %}x{% endmacro %}{{ m()() }}",
    "{% macro m(a=m) %}{{ a() }}{% endmacro %}{{ m() }}",
    "{% call m() %}{% endcall %}",
    "{% for a in [1] recursive %}{{ loop([1, 1]) }}{% endfor %}",
    "{% set _budget = 0 %}{{ _budget }}",
    "{% set budget, steps, limit = 1, 2, 3 %}{% for i in range(10000) %}{{ i }}{% endfor %}",
    "{% set range = records %}{{ range(3) }}",
    "{% set namespace = none %}{{ namespace(x=1) }}",
    "{% filter upper %}{% for i in range(10000) %}xxxxxxxxxxxxxxxxx{% endfor %}{% endfilter %}",
    "{% block records %}{{ self.records() }}{% endblock %}",
    "{% block a %}{{ self.b() }}{% endblock %}{% block b %}{{ self.a() }}{% endblock %}",
    "{% block records %}{{ super() }}{% endblock %}",
    "{% extends 't.txt' %}",
    "{% include 't.txt' %}",
    "{% from 't.txt' import x %}",
    "{% import 't.txt' as x %}",
    "{% include ['/etc/passwd'] ignore missing %}",
    "{{ ''.__class__.__base__.__subclasses__() }}",
    "{{ records.__init__.__globals__ }}",
    "{{ self._TemplateReference__context }}",
    "{{ cycler.__init__ }}",
    "{{ joiner }}",
    "{{ lipsum.__globals__ }}",
    "{{ url_for }}",
    "{{ config }}",
    "{{ request }}",
    "{{ records | attr('append')(1) }}",
    "{{ records[0] | attr('update') }}",
    "{{ records.append }}",
    "{{ records.sort() }}",
    "{{ (records | string).encode }}",
    "{{ namespace.__init__ }}",
    "{{ loop.__class__ }}",
    "{{ records | map('upper') | list }}",
    "{{ records | batch(0) | list }}",
    "{{ records | slice(0) | list }}",
    "{{ records | sort(attribute='x.y.z') }}",
    "{{ 1.0 | round(99999999) }}",
    "{{ 1 | shown('0.' ~ '0') }}",
    "{{ 1 | shown('%' ~ 'Y') }}",
    "{{ '\\ud800' }}",
    "{{ '\\x00' }}",
    "{{ {}[[]] }}",
    "{{ {records: 1} }}",
    "{{ records[9999999] }}",
    "{{ records['a'] }}",
    "{{ records[::0] }}",
    "{{ records[:] | length }}",
    "{{ not_there.x.y }}",
    "{{ caller() }}",
    "{{ varargs }}",
    "{{ kwargs }}",
    "{% do records.clear() %}",
    "{% debug %}",
    "{% break %}",
    "{% trans %}x{% endtrans %}",
    "{% autoescape true %}{{ '<' }}{% endautoescape %}",
    "{% raw %}{{",
    "{#",
    "{% if %}",
    "{{ }}",
]
PLAIN = [
    "{% block head %}{{ name }}{% endblock %}",
    "{% block records %}{% for each in records %}{{ each.i }}\n{% endfor %}{% endblock %}",
    "{% block foot %}{{ count }} {{ totals.i }}{% endblock %}",
    "{{ records | length }}",
    "{{ records | join(',') }}",
    "{{ records | tojson }}",
    "{% macro m(x) %}[{{ x | fixed(8) }}]{% endmacro %}{{ m(3) }}",
    "{{ records[0].day | shown('%d.%m.%Y') }}",
]


def template_input(chance: random.Random) -> Input:
    """Return a template with one to three pieces, of which some are mutated."""
    pieces = [chance.choice((HEAVY, HEAVY, PLAIN)) for _ in range(chance.randint(1, 3))]
    text = "\n".join(chance.choice(each) for each in pieces)
    if chance.random() < 0.5:
        text = mutated(
            text, chance, [*HEAVY, "{{", "}}", "{%", "%}", "|", "~", "[", "]", "(", ")", "9999999999", "records"]
        )
    text = text if "block" in text else f"{{% block records %}}{text}{{% endblock %}}"
    command = ["generate", "s.yaml", "--format", "template", "--with", "template=t.txt", "--out", "made.txt"]
    return Input({"s.yaml": FIELDS.encode(), "t.txt": text.encode("utf-8", "surrogatepass")}, command, made="made.txt")
