"""Patterns compared with Python's own regular expressions, and counts with full enumeration."""

from __future__ import annotations

import re
from itertools import product

import numpy as np
import pytest

from yurt.core.base.arrays import strings
from yurt.core.columns.matching import follows
from yurt.core.patterns.automaton import capacity
from yurt.core.patterns.match import matches, without
from yurt.core.patterns.mutate import STEPS, branches, longest, mutated, of_length, outside, shortest, typical
from yurt.core.patterns.parse import PatternFault, parse
from yurt.core.patterns.regex import regex_of
from yurt.core.patterns.sample import sample
from yurt.core.patterns.tree import by_example, weight
from yurt.core.patterns.unrank import numbers, unrank

PATTERNS = [
    r"[A-Z]{2}-\d{3}",
    r"a?a?",
    r"(ab|a)(c|bc)",
    r"[a-z]{1,3}|\d+",
    r"[A-Z0-9]{40}",
    r"ä[α-ω]{2}x?",
    "",
    r"\w+@\w{2,}",
    r"(foo|bar){1,3}[^a-z]",
    r"(?:x(?P<n>y)?)+",
    r"^start.end$",
    r"[]\-a^]{2}",
    r"\x41\u00e9\t\/",
    r"(a|[b-z]{5}){1,20}",
    r"(\d{1,2}\.){3}\d{1,30}",
    "😀?[^a]{0,2}",
]


@pytest.mark.parametrize("source", PATTERNS)
def test_texts_match_and_numbers_give_different_texts(source: str) -> None:
    pattern, random = parse(source), np.random.default_rng(5)
    drawn = sample(pattern, 400, lambda choice: random.random(400)).to_pylist()
    room = numbers(pattern)
    ranks = np.unique(random.integers(0, room, 3000)) if room > 3000 else np.arange(room)
    counted = unrank(pattern, ranks, lambda position, lines: random.random(len(lines))).to_pylist()
    for text in drawn + counted:
        assert re.fullmatch(source, text), text
    assert len(set(counted)) == len(ranks)


@pytest.mark.parametrize(
    "source", ["a?b?a?", "(a|ab)(b|)", "(a|b|ab){0,3}", "[ab]{1,2}|aa|b", "a{2,4}?b+?", "(|a)(|a)(|a)"]
)
def test_capacity_is_the_number_of_different_texts(source: str) -> None:
    longest = parse(source).longest
    texts = ("".join(each) for size in range(longest + 1) for each in product("ab", repeat=size))
    # An unbounded repeat ends at a documented limit; Python's engine gets the same limit.
    bounded = source.replace("b+?", "b{1,9}")
    assert capacity(parse(source)) == sum(bool(re.fullmatch(bounded, text)) for text in texts)


@pytest.mark.parametrize(
    ("source", "message", "at"),
    [
        (r"a(?=b)", "look-around", 1),
        (r"(a)\1", "back-reference", 3),
        (r"(?P=n)", "back-reference", 0),
        (r"(?i)a", "flags", 0),
        (r"\bword", "whole text", 0),
        ("a)", "closing parenthesis", 1),
        ("(a", "never closed", 0),
        ("a{2}{3}{4}", "more than 2 repeats", 7),
        ("[a", "never closed", 0),
        ("*a", "nothing to repeat", 0),
        ("a{3,1}", "below its start", 1),
        ("a{x}", "written {3}", 1),
        ("[z-a]", "backwards", 1),
        (r"\q", "known escape", 0),
        ("a{20000}", "more than 10,000", 1),
        ("a^b", "at the start", 1),
        ("(\\w{1000}){1000}", "more than 10,000 characters", 0),
        ("(" * 80 + ")" * 80, "too deeply", 61),
        ("\\", "at the end", 0),
    ],
)
def test_what_is_not_supported_says_so_and_where(source: str, message: str, at: int) -> None:
    with pytest.raises(PatternFault, match=re.escape(message)) as caught:
        parse(source)
    assert caught.value.at == at


def test_an_example_keeps_its_shape() -> None:
    texts = sample(by_example("[HK]-402 x"), 200, lambda choice: np.random.default_rng(choice).random(200)).to_pylist()
    assert all(re.fullmatch(r"HK-\d{3} [a-z]", text) for text in texts)
    assert len(set(texts)) > 150


def test_every_choice_is_fair() -> None:
    texts = sample(
        parse("[a-f]{1,4}|x"), 60_000, lambda choice: np.random.default_rng(choice).random(60_000)
    ).to_pylist()
    lengths = np.bincount([len(text) for text in texts if text != "x"], minlength=5)[1:]
    assert abs(texts.count("x") - 30_000) < 600
    assert all(abs(each - 7500) < 450 for each in lengths)


# ---- membership, boundary texts, and texts just outside --------------------------------------------------------------

SMALL = [
    "a?b?a?",
    "(a|ab)(b|)",
    "(a|b|ab){0,3}",
    "[ab]{1,2}|aa|b",
    "(ab?){2,3}",
    "a{0,2}(b|bb)a",
    "((a|b){2}|aba)?",
    "[^b]a|b",
    "(a{1,2}b){1,2}",
    "",
]
WORDS = ["".join(each) for size in range(8) for each in product("ab", repeat=size)]


@pytest.mark.parametrize("source", SMALL)
def test_three_ways_to_match_agree_with_another_engine(source: str) -> None:
    """Position by position, by RE2 over a column, and by the automaton's count; Python's engine decides."""
    pattern = parse(source)
    wanted = [bool(re.fullmatch(source, text)) for text in WORDS]
    assert [matches(pattern, text) for text in WORDS] == wanted
    assert regex_of(pattern) is not None
    assert follows(pattern, strings([*WORDS, None])).tolist() == [*wanted, False]
    if "^" not in source:
        assert capacity(pattern) == sum(wanted)


@pytest.mark.parametrize("source", SMALL)
def test_texts_of_every_length_that_there_is(source: str) -> None:
    pattern = parse(source)
    there = {len(text) for text in WORDS if re.fullmatch(source, text)}
    for length in range(8):
        text = of_length(pattern, length)
        assert (text is not None) == (length in there), length
        assert text is None or (len(text) == length and re.fullmatch(source, text))
    assert len(shortest(pattern)) == min(there)
    assert len(longest(pattern) or "") == max(there)
    assert re.fullmatch(source, typical(pattern))
    assert pattern.lengths == (min(there), max(there))
    for _, text in branches(pattern):
        assert re.fullmatch(source, text), text


@pytest.mark.parametrize("source", PATTERNS)
def test_one_step_leads_out_of_a_pattern(source: str) -> None:
    pattern = parse(source)
    for step in STEPS.values():
        for text in (shortest(pattern), typical(pattern)):
            found = mutated(text, step[1], outside(pattern))
            assert found is None or (found != text and not re.fullmatch(source, found))


@pytest.mark.parametrize("source", SMALL)
def test_a_pattern_without_a_character_has_all_texts_that_do_not_need_it(source: str) -> None:
    left = without(parse(source), "b")
    wanted = {text for text in WORDS if re.fullmatch(source, text) and "b" not in text}
    assert {text for text in WORDS if left is not None and matches(left, text)} == wanted


@pytest.mark.parametrize(
    ("source", "times"), [("a", 1), ("[a-z]", 1), ("abc", 3), ("(abc){4}", 12), ("a|b|cd", 4), ("(a{3}){5}", 15)]
)
def test_the_weight_of_a_pattern_is_its_size_when_written_out(source: str, times: int) -> None:
    assert weight(parse(source).tree) >= times
    assert weight(parse(f"({source}){{2}}").tree) >= 2 * times


def test_numbers_of_a_pattern_are_in_an_order_that_does_not_depend_on_how_many_are_asked_for() -> None:
    pattern = parse("(a|b|ab){0,3}c?")
    draw = lambda position, lines: np.zeros(len(lines))  # noqa: E731 - the same predicate for every position
    every = unrank(pattern, np.arange(numbers(pattern)), draw).to_pylist()
    assert len(set(every)) == len(every) == capacity(pattern)
    for at in (0, 1, 7, len(every) - 1):
        assert unrank(pattern, np.array([at]), draw).to_pylist() == [every[at]]
