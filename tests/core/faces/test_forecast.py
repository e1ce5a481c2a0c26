"""When a face will be clean: what passes leave possible, and what is drawn within it."""

from __future__ import annotations

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zygometra.core.faces.forecast import forecast
from zygometra.core.faces.model import Pass, Point

CORNERS = [Point(x, y, None) for x in (0.0, 500.0) for y in (-80.0, 80.0)]


def test_before_the_first_pass_nothing_is_known():
    assert forecast(CORNERS, []) is None
    assert forecast([], [Pass(0.05, ())]) is None
    assert forecast(CORNERS, [Pass(0.0, (0,))]) is None


def test_all_clean_is_the_depth_at_which_the_last_was():
    """Two of 0.05 and one of 0.02: the last corner was clean at 0.10, what came after changes nothing."""
    passes = [Pass(0.05, (0, 1)), Pass(0.05, (2, 3)), Pass(0.02)]
    found = forecast(CORNERS, passes)
    assert (found.clean_at, found.low, found.high) == pytest.approx((0.10, 0.10, 0.10))
    assert (found.passes_left, found.done) == (0, pytest.approx(0.12))
    assert found.chance_past(0.09) == 1
    assert found.chance_past(0.10) == 0


def test_what_is_touched_is_not_clean_where_somebody_says_what_is():
    touched = [Pass(0.05, (0, 1, 2, 3)), Pass(0.05, (), (0, 1))]
    found = forecast(CORNERS, touched)
    assert found.low >= 0.10
    assert found.passes_left >= 1
    assert forecast(CORNERS, [*touched, Pass(0.05, (), (2, 3))]).high == pytest.approx(0.15)


def test_a_face_whose_heights_were_read_is_foretold_by_them():
    """A wedge of 0.2 that was read, and is being cut level: 0.06 in, the last corner comes at about 0.2."""
    points = [Point(x, y, -0.2 * x / 500) for x in (0.0, 125.0, 250.0, 375.0, 500.0) for y in (-80.0, 80.0)]
    passes = [Pass(0.02, (0, 1)), Pass(0.02), Pass(0.02, (2, 3))]
    found = forecast(points, passes)
    assert found.low < 0.2 < found.high
    assert abs(found.clean_at - 0.2) < 0.05
    # Of the same log without heights less is known.
    blind = forecast([point._replace(z=None) for point in points], passes)
    assert blind.high - blind.low > found.high - found.low


def test_a_log_entered_twice_or_naming_points_again_says_the_same():
    passes = [Pass(0.03, (0,)), Pass(0.03, (1,)), Pass(0.03)]
    again = [Pass(0.03, (0, 0)), Pass(0.03, (0, 1)), Pass(0.03, (1, 0))]
    assert forecast(CORNERS, passes)[:5] == forecast(CORNERS, again)[:5]


@st.composite
def logs(draw):
    """A face and a log of passes over it, in any order of touching."""
    count = draw(st.integers(1, 12))
    points = [
        Point(draw(st.floats(0, 500)), draw(st.floats(-80, 80)), draw(st.none() | st.floats(-0.3, 0.3)))
        for _ in range(count)
    ]
    left, passes = list(range(count)), []
    for _ in range(draw(st.integers(1, 5))):
        taken = draw(st.lists(st.sampled_from(left), unique=True)) if left else []
        left = [i for i in left if i not in taken]
        passes.append(Pass(draw(st.sampled_from([0.01, 0.03, 0.05])), tuple(taken)))
    return points, passes


@settings(max_examples=25)
@given(logs())
def test_a_forecast_lies_past_what_is_cut_and_counts_its_passes(log):
    points, passes = log
    found = forecast(points, passes)
    done = math.fsum(one.depth for one in passes)
    assert found.done == pytest.approx(done)
    if found.passes_left == 0:
        assert {i for one in passes for i in one.touched} == set(range(len(points)))
        return
    assert done - 1e-12 <= found.low <= found.clean_at <= found.high < math.inf
    assert found.passes_left == max(math.ceil((found.clean_at - done) / passes[-1].depth - 1e-9), 1)
    assert forecast(points, passes)[:5] == found[:5]
