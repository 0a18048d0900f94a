"""Mistakes in schemas: each has a place, a message, and advice, and one run reports all mistakes of a file."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any

import jsonschema
import pytest
import yaml

from yurt.core.language.reader import read
from yurt.core.source.diagnostics import SchemaFault, Source

from .conftest import schema_of

# Field lines; then line and column within them, a part of the message, and a part of the expectation or advice.
FIELDS = [
    # -- silent conversions of YAML
    ('a: "/\\d+/", unique', (1, 6), "double quotes change backslashes", "a: '/\\d+/, unique'"),
    ('a: "/a\\tb/"', (1, 4), "into a control character", "use single quotes"),
    ("a: /x: y/", (1, 6), "`: ` inside a value", "put the whole value in single quotes: a: '/x: y/'"),
    ('a: text "x #1"', (1, 12), 'YAML cut this value at ` #1"`', "single quotes"),
    ('a: "x" & b', (1, 9), "begins with a quote and continues", "a: '\"x\" & b'"),
    ("a: {integer 1..5, unique}", (1, 4), "a phrase needs quotes, because YAML cuts it at commas", "without braces"),
    ("a: integer 1..5\na: uuid", (2, 1), "`a` occurs twice; the first is on line 6", "rename"),
    ("a:\n  when:\n    row > 1: one of x\n    row > 1: one of y", (4, 5), "`row > 1` occurs twice", "rename"),
    ("a: &x integer 1..5", (1, 4), "an anchor (&name)", "remove it"),
    ("a: *x", (1, 4), "an alias (*name)", "remove it"),
    ("a: !x integer 1..5", (1, 4), "a tag (!name)", "remove it"),
    ("<<: b", (1, 1), "a merge key", "write the fields out"),
    ("a: one of “x” | y", (1, 11), "typographic character", 'write `"`'),
    ("a: integer 1–5", (1, 13), "typographic character", "write `-`"),
    ("a: 'integer 1..5", (1, 4), "a quote that is never closed", "same line"),
    ("a: [1, 2", (1, 9), "a bracket that is never closed", "without braces"),
    ("a integer 1..5", (1, 1), "one field per line", "`name: phrase`"),
    ("a: uuid\nb integer 1..5\nc: uuid", (2, 1), "a line without a colon", "`name: phrase`"),
    ("a: @x", (1, 4), "a value cannot begin with `@`", "single quotes"),
    # -- data types
    ("a:", (1, 1), "`a` has no phrase", "a type such as"),
    ("a: integr 1..5", (1, 4), "`integr` is not a type", "did you mean `integer`?"),
    ("a: given-nam", (1, 4), "unknown kind `given-nam`", "did you mean `given-name`?"),
    ("a: Integer", (1, 4), "unknown kind `Integer`", "did you mean `integer`?"),
    ("a: integer", (1, 4), "`integer` needs a range", "integer 1..12"),
    ("a: integer 1-6", (1, 12), "`1-6` is not a range", "a range is written 1..6"),
    ("a: integer 6..1", (1, 12), "the range is empty", "low..high"),
    ("a: integer 1..5 step 0", (1, 22), "the step of an integer", ""),
    ("a: integer 1..1234567890123456789012", (1, 15), "more than 18 digits", ""),
    ("a: decimal 1..999999999999.0 step 0.0000000001", (1, 15), "more than 18 digits, places included", ""),
    ("a: decimal 1..5", (1, 4), "a decimal without places", "18.00..95.00"),
    ("a: date 2026-6-1..2026-07-01", (1, 9), "this bound is an integer, not a date", "write 2026-06-01"),
    ("a: date 2026-02-30..2026-03-01", (1, 9), "not a calendar date", "2026-06-01"),
    ("a: date 2026-01-01..5", (1, 21), "this bound is an integer, not a date", ""),
    ("a: text", (1, 4), "`text` needs a length", "text 3..20"),
    ("a: text 9..2", (1, 4), "the length 9..2 is not possible", "0 to 10,000"),
    ('a: "/(b/, unique"', (1, 6), "in the pattern: a parenthesis that is never closed", ""),
    ("b: one of large | small\na: integer 1..9, present if b == large", (2, 34), "no field `large`",
        'in quotes: "large"'),
    ("a: 3", (1, 4), "`3` is not valid here", "a constant is written `= 3`"),
    ("a: b * 2", (1, 4), "`b` is not a type", "an expression is written `= b * 2`"),
    ("a: number(b) > 2", (1, 14), "`>` is not valid here", "an expression is written `= number(b) > 2`"),
    ("a: datetime 2026-03-01T00:00..2026-04-01T00:00 step 1h zone Europe/Vienna, unique", (1, 1),
        "the clock of Europe/Vienna skips some of its range", ""),
    ("a: email 3..4", (1, 4), "`email` is a kind, which has only clauses after it", ""),
    ('a: text "x {b"', (1, 12), "a brace that is never closed", "`{expression}`"),
    ('a: text "x {1 +}"', (1, 15), "the end of the line is missing", "a value"),
    ("a: boolean 35", (1, 12), "`35` is not valid here", "a percentage"),
    ("a: boolean 135%", (1, 4), "135% is more than 100%", "0% to 100%"),
    ("a: one of x 60% | y 60%", (1, 4), "the shares add up to 120%", "takes the rest"),
    ("a: one of x 60% | y 20%", (1, 4), "the shares add up to 80%", "takes the rest"),
    ("a: one of x 60% | y * 2", (1, 4), "shares and multiples are mixed", "or all as * 3"),
    ("a: one of x | y | x", (1, 19), "`x` is listed twice", ""),
    ("a: one of x | y, z", (1, 18), "`z` is not valid here", "a clause"),
    ("a: /a(?=b)/", (1, 6), "look-around is not supported", ""),
    ("a: /[A-Z/", (1, 4), "a pattern without its closing `/`", "/[A-Z]{3}/"),
    ("a: ref hutt", (1, 4), "there is no record type `hutt`", "one of row"),
    # -- clauses
    ("a: integer 1..6, uniqe", (1, 18), "`uniqe` is not valid here", "did you mean `unique`?"),
    ("a: integer 1..6 unique", (1, 17), "no comma before `unique`", "write `, unique`"),
    ("a: integer 1..6, usually norml(3, 1)", (1, 26), "unknown distribution `norml`", "did you mean `normal`?"),
    ("a: integer 1..6, usually normal(3)", (1, 26), "`normal` takes 2 arguments, not 1", "normal(mean, spread)"),
    ("a: integer 1..6, usually normal(3, 0)", (1, 36), "this argument of `normal` must be above 0", ""),
    ("a: integer 1..6, usually geometric(2)", (1, 36), "above 0 and at most 1", ""),
    ("a: decimal 1.0..6.0, usually poisson(3)", (1, 30), "`poisson` does not fit this type",
        "an integer with step 1"),
    ("a: integer 1..6, missing 5% if row", (1, 32), "the condition of `missing` is an integer", ""),
    ("a: integer 1..6, usually lognormal(0, 1)", (1, 36), "this argument of `lognormal` must be above 0", ""),
    ("a: integer 1..6, usually zipf(row)", (1, 31), "this argument of `zipf` is the same for all rows", ""),
    ("a: date today..today+9d, usually on fry", (1, 37), "`fry` is not a weekday", "did you mean `fri`?"),
    ("a: date today..today+9d, usually normal(today, 4)", (1, 48), "this argument is an integer, not a duration",
        "normal(2026-07-20, 14d)"),
    ("a: uuid, usually low", (1, 18), "`usually` does not apply to this type", ""),
    ("a: integer 1..6, missing 5%, missing 6%", (1, 30), "`missing` occurs twice", ""),
    ("a: given-name, unique", (1, 1), "`a` cannot be unique: `given-name` repeats as in reality; `email`", ""),
    ("a: integer 1..9, unique, usually low", (1, 1), "cannot be unique: `usually low` favours", ""),
    ("a: integer 1..9, unique", (1, 1), "only 9 different values for 300 rows", "`count: 9`"),
    ("a:\n  integer: 1..5\n  uniq: yes", (3, 3), "unknown clause `uniq`", "did you mean `unique`?"),
    ("a:\n  when:\n    row > 3: uuid\n    els: uuid", (4, 5), "`els` is not a condition", "did you mean `else`?"),
    ("s: one of x | y\na:\n  by s:\n    x: uuid\n    yy: uuid", (5, 5), "`yy` is not a value of the field",
        "did you mean `y`?"),
    ("s: one of x | y\na:\n  by s:\n    x | y: uuid\n    y: uuid", (5, 5), "`y` has two rows", ""),
    ("s: one of x | y\na:\n  by t:\n    x: uuid\n    y: uuid", (3, 6), "there is no field `t`", ""),
    ("s: one of x | y\na:\n  by s:\n    1: uuid\n    else: uuid", (4, 5), "text is in a list with an integer", ""),
    ("a:\n  when:\n    else: uuid\n    row > 3: uuid", (3, 5), "`else` comes last", ""),
    ("a:\n  when:\n    row > 3: uuid, helper\n    else: uuid", (3, 14), "belongs to the field as a whole",
        "beside the table"),
    ('a: uuid, named "b"\nb: uuid', (2, 1), "another field is named `b` too", "one name for each"),
    # -- expressions
    ("a: = b + 1\nb: = a", (2, 6), "fields that need each other: a → b → a", "break the cycle"),
    ("a: = bb\nb: uuid", (1, 6), "there is no field `bb`", "did you mean `b`?"),
    ("a: = seen-at\nseen_at: uuid", (1, 6), "there is no field `seen`",
        "a hyphen subtracts; did you mean `seen_at`?"),
    ("a: = lenght(b)\nb: uuid", (1, 6), "unknown function `lenght`", "did you mean `length`?"),
    ("a: = left(b)\nb: uuid", (1, 6), "`left` does not take 1 arguments", "left(text, integer)"),
    ("a: = upper(3)", (1, 12), "`upper` needs text here, not an integer", ""),
    ("a: = round(1.5, row)", (1, 6), "the arguments of `round` do not fit", "0 to 12"),
    ('a: = pad("x", row, "0")', (1, 15), "`pad` needs a number written out here", 'pad(text, n, "…")'),
    ("a: = 2026-06-01 + 3", (1, 6), "`+` is not defined between a date and an integer", "such as 3d"),
    ('a: = "x" + "y"', (1, 6), "`+` is not defined between text and text", "`&` joins texts"),
    ('a: = row == "x"', (1, 6), "an integer is compared with text", "text(x)"),
    ("a: = row == null", (1, 6), "a comparison with null is never true", "write `row is null`"),
    ("a: = row % 3", (1, 10), "`%` is not an operator", "mod(a, b)"),
    ("a: = row = 3", (1, 10), "`=` does not compare", "write `==`"),
    ("a: = today - 3m", (1, 15), "`3m` is not a duration", "y mo w d h min s ms"),
    ("a: = if row then 1 else 2", (1, 9), "the condition after `if` is an integer", ""),
    ('a: = if row > 1 then 1 else "x"', (1, 6), "give different types: integer and text", ""),
    ("a: = hut.beds", (1, 6), "`hut` is not a reference of `row`", "a field with `ref`"),
    ("a: = 3mo", (1, 1), "`a` holds a duration in months", "durations of days or shorter"),
    ("a: uuid, present if row", (1, 21), "the condition of the field is an integer", ""),
    ("if row >:\n  a: uuid", (1, 8), "the end of the line is missing", "a value"),
    # -- times, days, lists, restriction, correlations, display
    ("a: time 8:00..9:00", (1, 10), "`:` is not valid here", ""),
    ("a: time 25:00..23:00", (1, 9), "`25:00` is not a time of day", "00:00 to 23:59:59"),
    ("a: time 08:00..9", (1, 16), "this bound is an integer, not a time", ""),
    ("a: duration 1h..2026-01-01", (1, 17), "this bound is a date, not a duration", ""),
    ("a: datetime 2026-01-01..2026-01-02 zone Europe/Wien", (1, 41), "there is no zone `Europe/Wien`",
        "did you mean"),
    ("a: date 2026-01-01..2026-01-09, on sta", (1, 36), "`sta` is not a weekday", "did you mean `sat`?"),
    ("a: date 2026-01-01..2026-01-09, in juni", (1, 36), "`juni` is not a month", "did you mean `jun`?"),
    ("a: date 2026-01-01..2026-01-09, on workdays of XX", (1, 48), "the public holidays of `XX` are not known", ""),
    ("a: date 2026-01-01..2026-01-09, on workdays, on mon", (1, 46), "`on` occurs twice", ""),
    ("a: integer 1..9, on sat", (1, 4), "`on` and `in` choose the days of a date", ""),
    ("a: date 2026-01-01..2026-01-09, usually hours(8 50%)", (1, 33), "a date has no hours", ""),
    ("a: date 2026-01-01..2026-01-09, usually weekdays(sat 60%, sun 60%)", (1, 41), "the shares add up to 120%",
        "share the rest"),
    ("a: integer 1..9, usually histogram(1..5 50%)", (1, 26), "the shares add up to 50%", "100%"),
    ("a: integer 1..9, usually histogram(low)", (1, 26), "`histogram` takes intervals with their shares",
        "histogram(0..9 60%"),
    ("a: integer 1..9, usually normal(1..5 50%)", (1, 33), "an interval with a share is only possible in `histogram`",
        ""),
    ("a: integer 1..9, usually low 60% | high 60%", (1, 18), "the shares add up to 120%", ""),
    ("a: integer 1..9, outliers 5%", (1, 4), "`outliers` needs a range with `usually`", ""),
    ("a: text 3 of uper", (1, 14), "`uper` is not a set of characters", "did you mean `upper`?"),
    ("a: /[[:uper:]]/", (1, 6), "`uper` is not a POSIX class", ""),
    (r"a: /\p{Greec}/", (1, 5), "`Greec` is not a script of Unicode; did you mean `Greek`?", ""),
    ("a: bytes 0", (1, 4), "a number of bytes that is not possible", "1 to 5,000"),
    ("a: list 5..2 of uuid", (1, 4), "a list of that length is not possible", "the lower one first"),
    ("a: list 1..3 of (uuid, unique)", (1, 24), "`unique` is not possible inside a list", ""),
    ("a: list 4 of one of x | y, distinct", (1, 14), "there are only 2 different values for a list of up to 4", ""),
    ("a: uuid, distinct", (1, 10), "`distinct` belongs to a list or to a reference", "`unique`"),
    ("a: uuid, jitter 2s", (1, 10), "`jitter` is a length in d, h, min, s or ms beside `every`", ""),
    ("a: every 5min from row", (1, 20), "a series begins with an integer", ""),
    ("a: uuid, in turn", (1, 4), "`in turn` takes the values of a list", ""),
    ('a: one of x | y, without "xy"', (1, 18), "nothing is left", ""),
    ("a: city, matching /.*qq/", (1, 10), "no `city` of en-GB is left", ""),
    ("a: integer 1..5, matching /1/", (1, 18), "`matching` and `without` narrow a text", ""),
    ("a: /[a-z]{9}/, matching /.*q/, unique", (1, 1), "cannot be unique: too many texts match to list them", ""),
    ("a: integer 1..9, tracks b by 0.5", (1, 18), "there is no field `b`", ""),
    ("b: uuid\na: integer 1..9, tracks b by 0.5", (2, 18), "`b` cannot be correlated", ""),
    ("b: integer 1..9\na: integer 1..9, tracks b by 1.5", (2, 18), "a rank correlation lies between -1 and 1", ""),
    ("a: integer 1..9, tracks b by 0.5\nb: integer 1..9, tracks a by 0.5", (1, 1),
        "fields that track each other in a cycle", ""),
    ("a: integer 1..9\nb: integer 1..9, tracks a by 0.9\nc: integer 1..9, tracks a by 0.9, tracks b by -0.9", (3, 1),
        "not possible together", ""),
    ('a: integer 1..9, as "%d"', (1, 18), "`as` does not fit: an example has one number in it", ""),
    ('a: date 2026-01-01..2026-01-09, as "%H"', (1, 33), "`as` does not fit: `%H` is not known for date", ""),
    ('a: boolean, as "yes"', (1, 13), "`as` does not fit: two words", ""),
    ('a: uuid, as "x"', (1, 10), "`as` does not fit: `as` shows numbers", ""),
    ("a: = ordinal()", (1, 6), "`ordinal` depends on rows of the same parent", ""),
    ("a: = draw(integr 1..5)", (1, 11), "`integr` is not a type", "did you mean `integer`?"),
    ("a: missing 5%", (1, 4), "`a` has no phrase", "the name alone suggests none"),
    ("g:\n  list: 1..3\n  nested:\n    a: integer 1..9\nb: = g.a", (5, 6),
        "`g.a` has a value for each record of the list `g`", "size(g)"),
    ("g:\n  list: 1..3\n  nested:\n    a: integer 1..9, unique", (4, 5), "have no meaning in a list of records", ""),
    ("g:\n  list: 3..1\n  nested:\n    a: uuid", (2, 9), "a list of that length is not possible", ""),
    ('g:\n  list: 1..3\n  nested:\n    a: uuid\nb: = join(g, "+")', (5, 6),
        "the arguments of `join` do not fit together", ""),
    ("a:\n  nested:\n    b: uuid\nc: = a", (4, 6), "`a` is a record, not a value", "`is null`"),
    ("a: list 2 of uuid\nc: = a == a", (2, 6), "lists are not compared", "includes(list, x)"),
    ("a: list 2 of uuid\nc: = coalesce(a, a)", (2, 15), "`coalesce` does not take a list", ""),
    ("a:\n  when:\n    row > 5: one of x | y, in turn\n    else: one of z", (3, 14),
        "`in turn` belongs to a field as a whole", ""),
    ("k: sequence\na: ref row, unique", (2, 4),
        "a reference to the own record type picks every earlier row with the same probability", ""),
    # -- names
    ("First name: uuid", (1, 1), "`First name` is not a name for a field", "write `First_name`"),
    ("then: uuid", (1, 1), "`then` is a word of the language", "write `then_`"),
]  # fmt: skip
FIRST_LINE, FIRST_COLUMN = 5, 6


def mistakes(text: str) -> SchemaFault:
    with pytest.raises(SchemaFault) as caught:
        read(Source("s.yaml", text))
    return caught.value


@pytest.mark.parametrize(("lines", "place", "message", "advice"), FIELDS)
def test_a_mistake_in_a_field(lines: str, place: tuple[int, int], message: str, advice: str) -> None:
    fault = mistakes(schema_of(lines))
    told = fault.diagnostics[0].render(fault.source)
    assert len(fault.diagnostics) == 1, str(fault)
    line, column = place[0] + FIRST_LINE, place[1] + (FIRST_COLUMN if lines.splitlines()[place[0] - 1 :] else 0)
    assert told.splitlines()[0].startswith(f"s.yaml:{line}:{column}: "), told
    assert message in told.splitlines()[0]
    assert advice in told.partition("\n")[2]
    shown, mark = told.splitlines()[1:3] if "|" in told else ("", "")
    assert not shown or mark.index("^") - mark.index("|") == column + 1


WHOLE = [
    ("", "1:1", "this is not a schema"),
    ("- a\n- b", "1:1", "this is not a schema"),
    ("records:\n  a:\n    count: 1\n    fields:\n      b: uuid", "1:1", "the version line is missing"),
    ("yurt: 2\nrecords:\n  a:\n    count: 1\n    fields:\n      b: uuid", "1:7", "an unknown version"),
    ("yurt: 1\nlive: tel, city\nrecords:\n  a:\n    count: 1\n    fields:\n      b: tel", "2:7",
        "`city` is not a kind with a safe range"),
    ("yurt: 1\nrecords:", "2:9", "needs `records:` with at least one"),
    ("yurt: 1\nrecord: {}\nrecords:\n  a:\n    count: 1\n    fields:\n      b: uuid", "2:1", "unknown key `record`"),
    ("yurt: 1\nrecords:\n  a:\n    cuont: 1\n    fields:\n      b: uuid", "4:5", "did you mean `count`?"),
    ("yurt: 1\nrecords:\n  a:\n    fields:\n      b: uuid", "3:3", "`a` has no count"),
    ("yurt: 1\nrecords:\n  a:\n    count: -1\n    fields:\n      b: uuid", "4:12", "`-1` is not valid here"),
    ("yurt: 1\nrecords:\n  a:\n    count: many\n    fields:\n      b: uuid", "4:12", "a number such as 24"),
    ("yurt: 1\nrecords:\n  a:\n    count: 5..2\n    fields:\n      b: uuid", "4:12", "the lower one first"),
    ("yurt: 1\nrecords:\n  a:\n    count: 2 per hikr\n    fields:\n      b: uuid", "4:12", "counted per `hikr`"),
    ("yurt: 1\nrecords:\n  a:\n    count: 2 per a\n    fields:\n      b: uuid", "4:12", "a cycle: a → a"),
    ("yurt: 1\nrecords:\n  a:\n    count: 2", "3:3", "`a` has no fields"),
    (
        "yurt: 1\nrecords:\n  a:\n    count: 2 per b, usually normal(1, n)\n    fields:\n      n: integer 1..9\n  b:\n    count: 2\n    fields:\n      k: uuid",
        "4:39",
        "not a number written out",
    ),
    ("yurt: 1\nrecords:\n  a:\n    count: 0..5, usually on fri\n    fields:\n      n: uuid", "4:18",
        "a count takes a distribution by its name"),
    ("yurt: 1\nrecords:\n  a:\n    count: 0..5, usually normal(1, 0)\n    fields:\n      n: uuid", "4:36",
        "must be above 0"),
    ("yurt: 1\nrecords:\n  a:\n    count: every combination of r\n    fields:\n      r: ref a\n      k: uuid", "4:12",
        "a cycle: a → a"),
    ("yurt: 1\nrecords:\n  a:\n    count: 2\n    key: x\n    fields:\n      b: uuid", "5:10",
        "the key `x` is not a field"),
    ("yurt: 1\nseed: abc\nrecords:\n  a:\n    count: 1\n    fields:\n      b: uuid", "2:7",
        "the seed is not a whole number"),
    ("yurt: 1\ntoday: 1.6.\nrecords:\n  a:\n    count: 1\n    fields:\n      b: uuid", "2:8",
        "`today` is not a date"),
    ("yurt: 1\nlocale: de-ATT\nrecords:\n  a:\n    count: 1\n    fields:\n      b: uuid", "2:9",
        "did you mean `de-AT`?"),
    ("yurt: 1\nlocale: {de-AT:45%, it-IT: 55%}\nrecords:\n  a:\n    count: 1\n    fields:\n      b: uuid", "2:10",
        "no space after"),
    ("yurt: 1\nlocale: {de-AT: 45%, it-IT: 45%}\nrecords:\n  a:\n    count: 1\n    fields:\n      b: uuid", "2:9",
        "add up to 90%"),
    ("yurt: 1\nrecords:\n  a:\n    count: 1\n\tfields:\n      b: uuid", "5:1", "a tab is not allowed"),
    ("yurt: 1\nrecords:\n  a:\n    count: 1\n    fields:\n      b: uuid\n    always:\n      - row + 1", "8:9",
        "is an integer, not a"),
    (
        "yurt: 1\nrecords:\n  a:\n    count: 1\n    fields:\n      b: ref c\n  c:\n    count: 1\n    fields:\n      d: city",
        "6:10",
        "no key",
    ),
    (
        "yurt: 1\nrecords:\n  a:\n    count: 9\n    fields:\n      i: sequence\n      b: ref a\n      n: integer 1..9\n    always: n >= b.n",
        "9:18",
        "b → the conditions of `always` → b",
    ),
    ("[" * 5000 + "]" * 5000, "1:1", "nested too deeply"),
    ("yurt: 1\n--- \nrecords: {}", "2:1", "a second document"),
    ("yurt: 1\nrecords:\n  a:\n    count: 1\n    fields:\n      b: = " + "(" * 500 + "1" + ")" * 500, "6:52",
        "nested too deeply"),
    ("yurt: 1\nrecords: \x07", "2:10", "U+0007 is not allowed"),
]  # fmt: skip


@pytest.mark.parametrize(("text", "place", "message"), WHOLE)
def test_a_mistake_in_the_file(text: str, place: str, message: str) -> None:
    fault = mistakes(text)
    told = fault.diagnostics[0].render(fault.source)
    assert told.startswith(f"s.yaml:{place}: "), told
    assert message in told


def test_one_run_reports_all_mistakes(yurt: Any, tmp_path: Path) -> None:
    """All faulty lines that are independent of one another, in one file: each is reported at its own place."""
    alone = [case for case in FIELDS if case[0].startswith("a: ") and "\n" not in case[0] and "[" not in case[0]]
    # A line that uses a faulty field is not reported.
    alone = [
        case
        for case in alone
        if "never closed" not in case[2] and "`a`" not in case[2] and "row" not in case[2] and case[1][1] > 3
    ]
    assert len(alone) > 40
    # The limit for one file: the first ones are shown.
    for some in (alone[:45], alone[45:90], alone):
        lines = [f"f{at:02}{case[0][1:]}" for at, case in enumerate(some)]
        lines.append("uses: = f00 is null or f01 is null")
        (tmp_path / "s.yaml").write_text(schema_of("\n".join(lines)), encoding="utf-8")
        done = yurt("check", "s.yaml", code=1)
        assert done.stdout == b""
        told = done.stderr.decode()
        for at, (_, (_, column), message, _) in enumerate(some[:20]):
            line = f"s.yaml:{at + 1 + FIRST_LINE}:{column + FIRST_COLUMN + 2}: "
            found = [each for each in told.splitlines() if each.startswith(line)]
            assert found, line + message
            assert message in found[0]
        more = ", of which the first 20 are shown" if len(some) > 20 else ""
        assert told.rstrip().endswith(f"{len(some)} mistakes in s.yaml{more}")


@pytest.mark.parametrize(
    ("line", "warned"),
    [
        ("text 0..40, usually as sentence", True), ("text 0..40 of any, usually as sentence", True),
        ("text 0..300 of any, usually as sentence", False), ("text 2..40 of any, usually as given-name", False),
    ],
)  # fmt: skip
def test_a_check_says_where_few_usual_texts_are_allowed(line: str, warned: bool, yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(schema_of(f"a: {line}", 300))
    told = yurt("check", "s.yaml").stderr.decode()
    assert ("of the usual texts are allowed; the others are shortened or replaced" in told) == warned
    assert len(yurt("generate", "s.yaml").stdout.splitlines()) == 301


def test_warnings_do_not_stop(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text(
        schema_of("a: one of red #1 | blue\nb:\n  when:\n    row > 9: uuid\nc: boolean\nd:\n  by c:\n    true: uuid", 3)
    )
    done = yurt("check", "s.yaml")
    assert b"s.yaml:6:10: warning: YAML took ` #1 | blue` for a comment" in done.stderr
    assert b"s.yaml:7:7: warning: `b` is missing where no condition holds" in done.stderr
    assert b"s.yaml:11:7: warning: `d` is missing for false" in done.stderr
    assert b"no mistakes" in done.stdout


def test_the_check_says_what_is_described(yurt: Any) -> None:
    from .conftest import HUTS

    told = yurt("check", HUTS).stdout.decode()
    assert "3 record types, 35 fields, no mistakes" in told
    assert "0..5 per hiker" in told
    assert "key number, 2 conditions" in told
    assert "unique (67,600,000 values)" in told
    assert "tracks altitude by 0.6" in told
    assert "made in the order" not in told


def test_the_check_as_json_and_the_json_schema_of_schema_files(yurt: Any, tmp_path: Path) -> None:
    from yurt.core.language.long_form import KEYS
    from yurt.core.model.words import RECORD_KEYS, SCHEMA_KEYS

    from .conftest import HUTS

    data = json.loads(yurt("check", HUTS, "--json").stdout)
    fields = {each["name"]: each for record in data["records"] for each in record["fields"]}
    assert fields["code"]["values"] == 676_000
    assert fields["due"]["needs"] == ["party", "nights", "hut", "hiker"]
    assert (fields["speaks"]["type"], fields["nights"]["helper"], data["mistakes"]) == ("list of text", True, [])
    order = [name for record in data["records"] if record["name"] == "stay" for name in record["order"]]
    assert order.index("nights") < order.index("due") < order.index("so_far")
    (tmp_path / "s.yaml").write_text(schema_of("a: integr 1..5\nb: uuid, uniqe"))
    told = json.loads(yurt("check", "s.yaml", "--json", code=1).stdout)
    assert [(each["line"], each["column"]) for each in told["mistakes"]] == [(6, 10), (7, 16)]
    document = json.loads(yurt("check", "--json-schema").stdout)
    checker = jsonschema.Draft202012Validator(document)
    checker.check_schema(document)

    def faults(text: str) -> list[Any]:
        return list(checker.iter_errors(yaml.load(text, yaml.BaseLoader)))

    assert not faults(HUTS.read_text())
    pages = (Path(__file__).parent.parent / "docs/language.md").read_text()
    for block in re.findall(r"^```yaml( fields)?\n(.*?)^```$", pages, re.MULTILINE | re.DOTALL):
        assert not faults(schema_of(block[1]) if block[0] else block[1]), block[1]
    for wrong in (
        "yurt: 1",
        "yurt: 2\nrecords: {}",
        schema_of("a: {integr: 1..5}"),
        schema_of("a b: uuid"),
        "yurt: 1\nrecords: {a: {count: -1, fields: {}}}",
    ):
        assert faults(wrong), wrong
    assert set(KEYS) <= set(document["$defs"]["field"]["anyOf"][1]["properties"])
    assert set(SCHEMA_KEYS) == set(document["properties"])
    assert set(RECORD_KEYS) == set(document["$defs"]["record"]["properties"])


# Field lines of a valid schema, and a part of the warning (None for no warning).
DOUBTS = [
    ("a: uuid, unique", "`a` is always unique"),
    ("a: integer 1..5, helper", "`a` is a helper, and nothing uses it"),
    ("a: integer 1..5, helper\nb: = a", None),
    ("country: one of Italia | Atlantis\na: city", "the catalogue knows no country `Atlantis`"),
    ("country: one of Italia | AT | Slovenia, helper\na: city", None),
    ("country: one of Italia | Atlantis", None),
    (
        "a: given-name\nb: family-name, locale it-IT",
        "`b` is of another person than `a`, because it has a locale of its own",
    ),
    ("a: city(region = b)\nb: one of England | Narnia", "the catalogue knows no region `Narnia`"),
    ("a: integer 1..5, usually uniform", "`usually uniform` is the default"),
    ("a: integer 1..310, unique", "`a` is unique, and has only 310 different values for 300 rows"),
    ("a: integer 1..300, unique", None),
    (
        "arrival: date 2026-01-01..2026-03-01\ndeparture: date 2026-01-01..2026-03-01",
        "nothing ensures that `arrival` comes before `departure`",
    ),
    ("arrival: date 2026-01-01..2026-03-01\ndeparture: date arrival+1d..arrival+9d", None),
    ("b: integer 1..5\na: uuid, present if true", "the condition of `a` is always the same"),
    ("a: one of 3 a | 2 b", "begins with a number"),
    ("a: one of a:3 | b 2:2", "ends with a number"),
    ("a: one of 8:30 | 9:45", None),
    ("a: one of 3 a | b", None),
    ("a: integer 1..9\nb: integer 1..9, tracks a by 0", "has no effect"),
    ("b: boolean\na: uuid, missing 0% if b", "`a` is never missing"),
]


@pytest.mark.parametrize(("lines", "message"), DOUBTS)
def test_what_is_probably_not_meant(lines: str, message: str | None) -> None:
    _, warnings = read(Source("s", schema_of(lines)))
    assert [message in each.message for each in warnings] == ([True] if message else []) if message else not warnings


def test_a_condition_counts_once(yurt: Any, tmp_path: Path) -> None:
    tail = "    always:\n" + "      - a <= b\n" * 40 + "      - b < 90\n"
    (tmp_path / "s.yaml").write_text("seed: 1\n" + schema_of("a: integer 1..20\nb: integer 1..99", tail=tail))
    done = yurt("check", "s.yaml")
    assert done.stderr.count(b"s.yaml:11:9: warning: this condition repeats an earlier one") == 1
    assert b"2 conditions" in done.stdout
    assert b"a-at-most-b/partition/broken-2" not in yurt("cases", "s.yaml", "--out", "-").stdout


def test_a_condition_that_is_rarely_met_is_warned_of(yurt: Any, tmp_path: Path) -> None:
    (tmp_path / "s.yaml").write_text("seed: 1\n" + schema_of("a: integer 1..20", tail="    always: a > 18\n"))
    assert b"s.yaml:8:13: warning: only 10." in yurt("check", "s.yaml").stderr


def test_what_an_unread_file_may_define_is_no_mistake_of_its_own(yurt: Any, tmp_path: Path) -> None:
    lines = "a: money(1, 2)\nuse things:\nc: from routes.x\nd: = z + 1\ne: integr 1..2"
    (tmp_path / "s.yaml").write_text(schema_of(lines, head="include: nope.yaml\nseed: 1\n"))
    told = yurt("check", "s.yaml", code=1).stderr.decode()
    assert "there is no file" in told and "`integr` is not a type" in told
    assert told.rstrip().endswith("2 mistakes in s.yaml")


KEYS = [
    (
        "id: sequence, missing 10%",
        "0..3 per hut",
        "hut: ref hut",
        "`id` is the key of `hut`, and may be missing: `missing`",
    ),
    (
        "in_it:\n  nested:\n    id: sequence\n  optional: yes",
        "9",
        "hut: ref hut",
        "may be missing: `optional` at `in_it`",
    ),
    (
        "id: sequence",
        "0..3 per hut",
        "hut: ref hut, optional",
        "`hut` says which `hut` a row belongs to, and may be missing",
    ),
    ("id: sequence", "0..3 per hut", "hut: ref hut, unique", "`hut` is unique, but up to 3 rows belong to one `hut`"),
    ("id: sequence", "0..1 per hut", "hut: ref hut, unique", None),
    ("id: sequence, missing 10%", "9", "a: boolean", None),
]


@pytest.mark.parametrize(("key", "count", "reference", "message"), KEYS)
def test_a_key_is_there_and_so_is_the_parent(key: str, count: str, reference: str, message: str | None) -> None:
    text = schema_of(key, 9, name="hut") + schema_of(reference, 9, head=None, name="stay").replace(
        "count: 9", f"count: {count}"
    )
    if message is None:
        read(Source("s.yaml", text))
        return
    fault = mistakes(text)
    assert message in fault.diagnostics[0].message and len(fault.diagnostics) == 1
