"""The boundary of what people and files send, held against plainer ways of saying the same."""

from __future__ import annotations

import unicodedata

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zygometra.core import typed
from zygometra.core.actors import MOST_NAME, is_name
from zygometra.core.errors import QuantityError


@given(st.floats(-1e12, 1e12, allow_nan=False), st.sampled_from([".", ","]))
def test_a_number_comes_back_whatever_its_decimal_mark(value, mark):
    text = f"{value:.6f}".replace(".", mark)
    assert typed.plain_number(text, "a number") == float(f"{value:.6f}")


@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("9.75", 9.75),
        ("9,75", 9.75),
        (" 12 ", 12.0),
        ("+3", 3.0),
        ("-0,5", -0.5),
        ("−0,5", -0.5),
        (".5", 0.5),
        ("5.", 5.0),
        ("1e3", 1000.0),
        ("1E-2", 0.01),
    ],
)
def test_how_a_number_may_be_typed(text, value):
    assert typed.plain_number(text, "a number") == value


@pytest.mark.parametrize(
    "text",
    [
        "",
        "ten",
        "1.2.3",
        "1,2,3",
        "1 2",
        "0x10",
        "1_000",
        "nan",
        "inf",
        "-inf",
        "infinity",
        "1e999",
        "²",
        "१२",
        "--1",
        "1e",
        "e5",
        ".",
    ],
)
def test_what_is_no_number_is_refused_with_what_was_found_and_what_is_wanted(text):
    with pytest.raises(QuantityError) as refused:
        typed.plain_number(text, "a ratio such as 9.75")
    assert "wanted a ratio such as 9.75" in str(refused.value)


@given(st.floats(-100, 100), st.floats(-100, 100), st.floats(-100, 100))
def test_a_number_keeps_its_bounds(value, one, other):
    low, high = sorted((one, other))
    text = f"{value:.3f}"
    number = float(text)
    if low <= number <= high:
        assert typed.plain_number(text, "one inside", low=low, high=high) == number
    else:
        with pytest.raises(QuantityError):
            typed.plain_number(text, "one inside", low=low, high=high)


@given(st.integers(-(10**12), 10**12), st.integers(0, 1000), st.integers(0, 1000))
def test_a_whole_number_keeps_its_bounds(value, low, more):
    high = low + more
    if low <= value <= high:
        assert typed.whole_number(str(value), "a count", low=low, high=high) == value
    else:
        with pytest.raises(QuantityError):
            typed.whole_number(str(value), "a count", low=low, high=high)


@pytest.mark.parametrize(
    "text", ["", "4.0", "4,0", "four", "²", "٤", "1_0", "0x4", "4e0", " 4 4 ", "+", "None"]
)
def test_what_is_no_whole_number_is_refused(text):
    with pytest.raises(QuantityError, match="wanted a count"):
        typed.whole_number(text, "a count")


@given(st.one_of(st.text(max_size=24), st.integers(-(2**70), 2**70).map(str), st.none()))
def test_an_id_is_one_that_the_database_can_hold_or_none(text):
    number = typed.known_id(text)
    assert 0 <= number < 2**63
    plain = text is not None and text.strip().isascii() and text.strip().isdigit()
    if plain and int(text.strip()) < 2**63:
        assert number == int(text.strip())
    else:
        assert number == 0


@given(st.one_of(st.integers(-(2**40), 2**40).map(str), st.none()))
def test_a_version_is_an_integer_of_the_database_or_nought(text):
    number = typed.known_version(text)
    assert number == (int(text) if text is not None and 0 <= int(text) < 2**31 else 0)


@given(st.text(max_size=40))
def test_a_text_that_passes_holds_no_control_character(text):
    controls = {
        c
        for c in text
        if (unicodedata.category(c) in ("Cc", "Cs") and ord(c) < 0x20) or "\ud800" <= c <= "\udfff"
    }
    assert typed.is_printable(text) == (not controls - {"\n", "\t"})
    assert typed.is_printable(text, lines=False) == (not controls)


@given(st.text(max_size=30), st.integers(0, 10), st.integers(0, 30))
def test_a_text_is_trimmed_and_keeps_its_length(text, least, more):
    most = least + more
    trimmed = text.replace("\r\n", "\n").strip()
    fits = typed.is_printable(trimmed, lines=False) and least <= len(trimmed) <= most
    if fits:
        assert typed.check_text(text, "some words", least=least, most=most) == trimmed
    else:
        with pytest.raises(QuantityError, match="wanted some words"):
            typed.check_text(text, "some words", least=least, most=most)


def test_lines_may_stand_only_where_they_are_asked_for():
    assert typed.check_text("one\r\ntwo", "words", lines=True) == "one\ntwo"
    with pytest.raises(QuantityError, match="a control character"):
        typed.check_text("one\ntwo", "words")


@given(st.text(max_size=80))
def test_a_persons_name_is_short_and_can_be_printed(words):
    assert is_name(words) == (1 <= len(words) <= MOST_NAME and words.isprintable())


def test_bounds_are_those_of_the_database():
    assert (typed.MOST_ID, typed.MOST_VERSION) == (9_223_372_036_854_775_807, 2_147_483_647)
