"""A dimension with its basis and doubt, as typed."""

from __future__ import annotations

import math

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zygometra.core import student
from zygometra.core.errors import QuantityError
from zygometra.core.fields import FIELD
from zygometra.core.quantity import doubt_of_readings, read_field, read_quantity
from zygometra.core.student import coverage
from zygometra.core.units import Kind
from zygometra.core.usual_figures import repeatability, unstated_doubt


def length(raw, unstated="house", dimension="deck_height"):
    return read_quantity(raw, Kind.LENGTH, dimension=dimension, unstated=unstated)


def test_a_tolerance_is_rectangular():
    assert length({"value": 225.4, "plus_minus": 0.05}).u == pytest.approx(0.05 / math.sqrt(3))


def test_doubt_may_be_in_another_unit_than_the_value():
    q = length({"value": "9.6495 in", "plus_minus": "0.05 mm"})
    assert q.u == pytest.approx(0.05 / math.sqrt(3))
    assert q.number == 9.6495


def test_stated_doubt_wins_over_readings_and_readings_over_tolerance():
    raw = {"readings": [1.0, 1.2], "unit": "mm", "plus_minus": 9, "resolution": 0.1}
    assert length(raw).doubt == "readings"
    assert length({**raw, "u": 0.5}).u == 0.5


def test_readings_give_mean_spread_and_degrees_of_freedom():
    # Worked by hand: mean 0.22, s² = 1e-4, s²/n = 3.333e-5, r²/12 = 8.333e-6, g² = 1.6e-5.
    q = length(
        {"readings": ["0.21 mm", "0.23 mm", "0.22 mm"], "resolution": "0.01 mm", "gauge_u": "0.004 mm"}
    )
    assert q.value == pytest.approx(0.22)
    assert q.u == pytest.approx(math.sqrt(3.33333333e-5 + 8.3333333e-6 + 1.6e-5), rel=1e-6)
    assert q.dof == pytest.approx(2 * (5.7666667e-5 / 3.3333333e-5) ** 2, rel=1e-6)


def test_one_reading_takes_the_usual_repeatability_and_says_so():
    q = length({"readings": [225.4], "resolution": 0.01})
    assert q.u == pytest.approx(math.hypot(repeatability("deck_height"), 0.01 / math.sqrt(12)))
    assert q.doubt == "house"
    assert length({"readings": [225.4], "resolution": 0.01}, "zero").u == pytest.approx(0.01 / math.sqrt(12))


def test_an_unknown_doubt_is_not_nought_unless_the_file_says_so():
    assert length(225.4).u == pytest.approx(unstated_doubt("deck_height", "assumed") / math.sqrt(3))
    assert length(225.4).doubt == "house"
    assert length(225.4, "zero").u == 0


def test_identical_readings_without_a_gauge_are_not_certainty():
    assert length({"readings": [225.4, 225.4, 225.4]}).u > 0


def test_readings_of_a_mock_up_are_a_mock_up():
    q = read_quantity({"readings": [0.2, 0.21]}, Kind.LENGTH, dimension="deck_clearance")
    assert q.basis == "mock-up"
    assert length({"readings": [225.4, 225.41]}).basis == "measured"
    assert length(225.4).basis == "assumed"


@pytest.mark.parametrize(
    ("raw", "says"),
    [
        (True, "true"),
        (None, "nothing"),
        ([1], "a list"),
        (float("nan"), "finite"),
        ({}, "no value"),
        ({"value": 1, "basis": "guess"}, "basis 'guess'"),
        ({"value": 1, "sigma": 2}, "key 'sigma'"),
        ({"value": 1, "each": "yes"}, "each 'yes'"),
        ({"readings": []}, "readings"),
        ({"value": 1, "plus_minus": -0.1}, "nought or more"),
        ({"value": 1, "unit": 7}, "unit 7"),
        ({"readings": ["x"]}, "the reading 'x'"),
        ({"readings": [1] * 201}, "201 readings"),
    ],
)
def test_a_faulty_quantity_says_what_is_wrong(raw, says):
    with pytest.raises(QuantityError, match=says):
        length(raw)


@pytest.mark.parametrize("raw", [-92, "1e9 mm", 0, "2 in3"])
def test_a_bore_that_cannot_be_is_refused(raw):
    with pytest.raises(QuantityError, match=r"5 to 1500 mm|length"):
        read_field(raw, FIELD["block.bore"])


@given(st.lists(st.floats(-5, 5), min_size=2, max_size=12), st.floats(0, 0.1), st.floats(0, 0.1))
def test_more_gauge_doubt_never_makes_a_mean_surer(readings, resolution, gauge):
    u, dof, _ = doubt_of_readings(tuple(readings), resolution, gauge, 0.0)
    less, fewer, _ = doubt_of_readings(tuple(readings), 0.0, 0.0, 0.0)
    assert u >= less - 1e-15
    assert dof >= fewer - 1e-9 or math.isinf(dof)


@pytest.mark.parametrize(("dof", "k"), [(1, 12.706), (2, 4.303), (4, 2.776), (10, 2.228), (math.inf, 1.960)])
def test_coverage_is_students(dof, k):
    """Table values of Student's t at 97.5 %."""
    assert coverage(dof) == pytest.approx(k, abs=5e-4)


@given(
    st.one_of(st.floats(10, 900), st.integers(10, 900), st.sampled_from(["9-1/4 in", "3.4646 in", "0,5 in"]))
)
def test_what_was_typed_stays_to_the_letter(raw):
    assert read_quantity(raw, Kind.LENGTH, dimension="bore").as_typed == raw


@given(st.floats(1, 5000))
def test_students_quantile_agrees_with_scipy(dof):
    from scipy.special import stdtrit

    assert student.quantile(dof) == pytest.approx(float(stdtrit(dof, 0.975)), rel=1e-10)


@given(st.floats(1, 1e6), st.floats(1.001, 3))
def test_more_readings_never_widen_the_band(dof, more):
    assert student.quantile(dof * more) <= student.quantile(dof) * (1 + 1e-12)


@pytest.mark.parametrize("dof", [0, 0.5, -3, math.nan])
def test_without_a_degree_of_freedom_there_is_no_band(dof):
    with pytest.raises(ValueError, match="at least 1"):
        student.quantile(dof)
