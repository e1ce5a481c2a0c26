"""Sentences as data: written once, in the reader's unit and words, and read back as they lie."""

from __future__ import annotations

import re

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from zygometra.core.digits import count_of, number_of
from zygometra.core.errors import NoAnswer, QuantityError
from zygometra.core.mix.rules import Band, FitRule, judge_fit
from zygometra.core.quantity import read_quantity
from zygometra.core.sentence import Sentence, as_it_is, listed, sentence
from zygometra.core.units import Kind
from zygometra.core.wording import Reader
from zygometra.core.written import Length, Limit, Span, judged

INCH = Reader("inch", quench="squish", deck="top")


def test_quantities_and_words_are_the_readers():
    said = sentence("{Quench} of {gap} over the {deck}: {why}", gap=Length(0.5), why="bolt circle 82 mm {x}")
    assert str(said) == "Quench of 0.500 mm over the deck: bolt circle 82 mm {x}"
    assert said.written(INCH) == "Squish of 19.7 thou over the top: bolt circle 82 mm {x}"


def test_sentences_stand_within_sentences():
    parts = listed((sentence("{a} off", a=Limit(0.254)), Sentence("no {quench}")), "; ")
    assert sentence("Wants {parts}.", parts=parts).written(INCH) == "Wants 10 thou off; no squish."


def test_what_is_said_as_it_is_keeps_its_braces():
    assert str(as_it_is("{room} {")) == "{room} {"
    assert not as_it_is("")


def test_errors_carry_their_sentence_to_the_reader():
    error = NoAnswer("No gasket gives {gap}.", gap=Limit(1.27))
    assert (str(error), error.says.written(INCH)) == ("No gasket gives 1.27 mm.", "No gasket gives 50 thou.")
    assert str(NoAnswer("{plain}")) == "{plain}"
    out = QuantityError(Limit(0.1), sentence("a floor from {span}", span=Span(0.254, 5.08)))
    assert (out.found, out.wanted) == ("0.10 mm", "a floor from 0.254 to 5.08 mm")
    assert out.says.written(INCH) == "Found 3.9 thou; wanted a floor from 10 thou to 0.2 in."


@pytest.mark.parametrize(
    ("numbers", "of", "said"),
    [
        ([1, 2, 3, 4, 5, 6, 7, 8], 0, "Holes 1 to 8"),
        ([8, 7, 6, 5, 4, 3, 2, 1], 8, "All holes"),
        ([7, 1, 2, 3], 8, "Holes 1 to 3 and 7"),
        ([2, 1], 4, "Holes 1 and 2"),
        ([5, 1, 3], 6, "Holes 1, 3 and 5"),
        ([1, 2, 4, 5, 6, 8], 8, "Holes 1, 2, 4 to 6 and 8"),
        ([1], 1, "Hole 1"),
    ],
)
def test_holes_are_named_in_their_order(numbers, of, said):
    assert count_of(numbers, of=of) == said


@given(st.sets(st.integers(1, 16), min_size=1))
def test_every_hole_that_is_named_is_meant_and_no_other(numbers):
    named: list[int] = []
    for first, last in re.findall(r"(\d+)(?: to (\d+))?", count_of(numbers)):
        named += range(int(first), int(last or first) + 1)
    assert named == sorted(numbers)


def test_one_is_not_several():
    assert [number_of(n, "recipe") for n in (0, 1, 2)] == ["0 recipes", "1 recipe", "2 recipes"]


def back(text):
    """A length as it was written, in mm."""
    return read_quantity(text.replace("−", "-"), Kind.LENGTH, dimension="fit").value


LENGTHS = st.floats(-20, 20).map(lambda mm: round(mm, 4))


@given(LENGTHS, LENGTHS, st.sampled_from([Reader(), INCH]))
def test_what_a_rule_says_lies_as_its_figures_lie(room, least, reader):
    assume(room < least - 1e-6)
    rule = FitRule("r", "r", {"rod.weight": 1}, (Band(least, 1e9),), says="{room}|{least}")
    said = judge_fit(rule, {"rod.weight": room}.get, lambda _: True).says.written(reader).split("|")
    left, wanted = map(back, said)
    assert left < wanted
    assert left == pytest.approx(room, abs=0.01)
    assert wanted == pytest.approx(least, abs=0.01)


@given(st.floats(0, 30), st.floats(0, 30), st.sampled_from([Reader(), INCH]))
def test_a_length_and_its_edge_are_written_in_one_unit_and_apart(mm, edge, reader):
    assume(abs(mm - edge) > 1e-5)
    first, second = (of.written(reader) for of in judged(mm, edge, 0.02))
    assert first.split(" ")[1] == second.split(" ")[1]
    assert (back(first) < back(second)) == (mm < edge)
