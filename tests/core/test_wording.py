"""Figures in words: as many digits as their doubt allows, in the unit and the words of who reads."""

from __future__ import annotations

import pytest

from zygometra.core.digits import about, count_of, decimals_for, figure, money, volume, whole
from zygometra.core.wording import Reader

INCH = Reader("inch", quench="squish", deck="face")
THIN = "\u202f"


@pytest.mark.parametrize(
    ("doubt", "decimals"),
    [
        # The Particle Data Group's rule: 0.354 keeps two digits, 0.355 one, 0.95 is written as 1.0.
        (0.354, 2),
        (0.355, 1),
        (0.949, 1),
        (0.95, 1),
        (0.0354, 3),
        (0.0355, 2),
        (0.0951, 2),
        (3.54, 1),
        (3.55, 0),
        (35.5, 0),
        (0.0, 6),
        (float("inf"), 6),
        (float("nan"), 6),
    ],
)
def test_digits_follow_the_doubt(doubt, decimals):
    assert decimals_for(doubt, 6) == decimals


@pytest.mark.parametrize(
    ("number", "decimals", "text"),
    [(-0.004, 2, "0.00"), (-0.006, 2, "−0.01"), (0.0, 0, "0"), (-12.5, 1, "−12.5"), (1234.5, 0, "1234")],
)
def test_a_minus_is_a_minus_and_nought_has_none(number, decimals, text):
    assert figure(number, decimals) == text


@pytest.mark.parametrize(
    ("mm", "u", "metric", "inches"),
    [
        (0.31, 0.05, "0.31 mm down", "12.2 thou down"),
        (-0.12, 0.004, "0.120 mm proud", "4.7 thou proud"),
        (0.0001, 0.01, "level with the deck", "level with the face"),
        (-0.0001, 0.01, "level with the deck", "level with the face"),
    ],
)
def test_a_clearance_is_said_as_down_or_proud(mm, u, metric, inches):
    assert Reader().clearance(mm, u) == metric
    assert INCH.clearance(mm, u) == inches


def test_small_lengths_are_thou_and_large_ones_inches():
    assert INCH.length(4.99) == "196.5 thou"
    assert INCH.length(5.01) == "0.1972 in"
    assert Reader().length(5.01, other=True) == "0.1972 in"
    assert INCH.length(5.01, other=True) == "5.010 mm"
    assert INCH.short(148.0) == "5.83"
    assert Reader().short(148.0) == "148"
    assert Reader().short(34.25) == "34.2"


def test_counts_and_money_have_thin_spaces():
    assert whole(455_636_852_318) == f"455{THIN}636{THIN}852{THIN}318"
    assert (about(99.6), about(101.0), about(456_000_000.0)) == ("100", "100", f"460{THIN}000{THIN}000")
    assert money(5) == "0.05"
    assert money(1_234_567) == f"12{THIN}345.67"
    assert volume(52.0, 0.0) == "52.00 cc"
    assert count_of([2, 4]) == "Holes 2 and 4"
