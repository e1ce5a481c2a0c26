"""How people type a dimension, and how the shop writes it back."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zygometra.core.digits import decimals_for, figure
from zygometra.core.errors import QuantityError
from zygometra.core.units import UNITS, Kind, from_base, read_typed, to_base, unit_named
from zygometra.core.wording import Reader


@pytest.mark.parametrize(
    ("typed", "mm"),
    [
        ("30 thou", 0.762),
        (".76mm", 0.76),
        ("0,5 mm", 0.5),
        ("9-1/4 in", 234.95),
        ("9 1/4 in", 234.95),
        ('9-1/4"', 234.95),
        ("7/16 in", 11.1125),
        ("25 um", 0.025),
        ("25 µm", 0.025),
        ("5 tenths", 0.0127),
        ("1.02 mm", 1.02),
        ("-0.36 mm", -0.36),
        ("−0.36 mm", -0.36),
        ("+2 thou", 0.0508),
        ("1e-1 mm", 0.1),
        ("3.8 inch", 96.52),
        ("2.5 cm", 25.0),
        ("40 THOU", 1.016),
    ],
)
def test_a_length_as_people_type_it(typed, mm):
    read = read_typed(typed, Kind.LENGTH)
    assert to_base(read.number, read.unit) == pytest.approx(mm, rel=1e-12)


@pytest.mark.parametrize(
    ("typed", "kind", "base"),
    [
        ("62.5 cc", Kind.VOLUME, 62.5),
        ("3.8 in3", Kind.VOLUME, 3.8 * 16.387064),
        ("4500 mm3", Kind.VOLUME, 4.5),
        ("2.3 l", Kind.VOLUME, 2300),
        ("12.5°", Kind.ANGLE, 12.5),
        ("6.5 in2", Kind.AREA, 6.5 * 645.16),
        ("42 cm2", Kind.AREA, 4200),
        ("412 g", Kind.MASS, 412),
        ("5200 rpm", Kind.SPEED, 5200),
        ("4.2 cc/mm", Kind.RATE, 4.2),
    ],
)
def test_other_kinds(typed, kind, base):
    read = read_typed(typed, kind)
    assert to_base(read.number, read.unit) == pytest.approx(base, rel=1e-12)


def test_a_bare_number_has_no_unit():
    assert read_typed("9-1/4", Kind.LENGTH).unit is None
    assert read_typed("9-1/4", Kind.LENGTH).number == 9.25


@pytest.mark.parametrize(
    "typed", ["", "  ", "abc", "mm", "1 2 mm", "1/0 in", "--3 mm", "3 mm mm", "0x10 mm", "½ in"]
)
def test_what_is_not_a_dimension_is_refused_with_an_example(typed):
    with pytest.raises(QuantityError, match="such as"):
        read_typed(typed, Kind.LENGTH)


@pytest.mark.parametrize("typed", ["1.2.3 mm", "1,234.5 mm", "1.234,5 mm", "0..5 mm", ".5.1"])
def test_two_decimal_marks_are_never_guessed(typed):
    with pytest.raises(QuantityError, match="two decimal marks"):
        read_typed(typed, Kind.LENGTH)


def test_a_unit_of_another_kind_names_both():
    with pytest.raises(QuantityError, match="cc, which measures volume; wanted length"):
        read_typed("3 cc", Kind.LENGTH)


def test_an_unknown_unit_lists_the_known_ones():
    with pytest.raises(QuantityError, match="'furlong'; wanted one of mm"):
        unit_named("furlong", Kind.LENGTH)


def test_an_endless_text_is_refused_by_its_length():
    with pytest.raises(QuantityError, match="500 characters"):
        read_typed("1" * 500, Kind.LENGTH)


@given(st.floats(-1e6, 1e6), st.sampled_from(UNITS))
def test_units_go_there_and_back(number, unit):
    assert from_base(to_base(number, unit), unit) == pytest.approx(number, rel=1e-14, abs=1e-300)


@given(st.text(max_size=40))
def test_no_text_breaks_the_reading(text):
    try:
        read = read_typed(text, Kind.LENGTH)
    except QuantityError as error:
        assert str(error) == f"Found {error.found}; wanted {error.wanted}."  # noqa: PT017
    else:
        assert math.isfinite(read.number)


@given(st.integers(0, 40), st.integers(1, 63), st.sampled_from([2, 4, 8, 16, 32, 64]))
def test_fractions_of_an_inch_are_exact(whole, over, under):
    read = read_typed(f"{whole}-{over}/{under} in", Kind.LENGTH)
    assert read.number == whole + over / under


@pytest.mark.parametrize(
    ("doubt", "decimals"),
    [
        (0.354, 2),
        (0.355, 1),
        (0.949, 1),
        (0.95, 1),
        (0.0119, 3),
        (0.12, 2),
        (1.2, 1),
        (9.6, 0),
        (120, 0),
        (0, 3),
    ],
)
def test_digits_follow_the_doubt_by_the_particle_data_groups_rule(doubt, decimals):
    assert decimals_for(doubt, 3) == decimals


@pytest.mark.parametrize(
    ("number", "decimals", "text"), [(-0.004, 2, "0.00"), (-0.36, 2, "−0.36"), (2.5, 0, "2")]
)
def test_no_negative_nought_and_a_true_minus(number, decimals, text):
    assert figure(number, decimals) == text


def test_clearance_is_said_in_words():
    assert Reader().clearance(0.31) == "0.310 mm down"
    assert Reader().clearance(-0.12) == "0.120 mm proud"
    assert Reader("inch").clearance(0.31) == "12.2 thou down"
    assert Reader(deck="face").clearance(0.0) == "level with the face"


def test_small_is_thou_and_large_is_inches():
    reader = Reader("inch")
    assert reader.length(1.016) == "40.0 thou"
    assert reader.length(225.4) == "8.8740 in"
    assert reader.length(225.4, other=True) == "225.400 mm"
    assert reader.limit(0.9652) == "38 thou"
    assert Reader().limit(0.9) == "0.90 mm"
