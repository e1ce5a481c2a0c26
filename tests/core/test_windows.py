"""The one judgement of a value against a window, held against its definition in words."""

from __future__ import annotations

import math
from itertools import product

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zygometra.core.windows import OPEN, TOLERANCE, Side, Window, worst_miss

VALUES = st.floats(-50, 50)
EDGES = st.one_of(st.none(), VALUES)


@st.composite
def windows(draw):
    low, high = draw(EDGES), draw(EDGES)
    if low is not None and high is not None and low > high:
        low, high = high, low
    return Window(low, draw(EDGES), high)


def plain_side(window, value, half):
    """The judgement in words: outside where the value is past an edge by more than a hair; else by its band."""
    under = window.low is not None and value < window.low - TOLERANCE
    over = window.high is not None and value > window.high + TOLERANCE
    if under:
        return "under"
    if over:
        return "over"
    if half and window.low is not None and value - half < window.low - TOLERANCE:
        return "may be under"
    if half and window.high is not None and value + half > window.high + TOLERANCE:
        return "may be over"
    return ""


@given(windows(), VALUES, st.one_of(st.just(0.0), st.floats(0, 5)))
def test_a_side_is_what_the_words_say(window, value, half):
    side = window.side(value, half)
    assert str(side) == plain_side(window, value, half)
    assert side.outside == (str(side) in ("under", "over"))
    assert side.crosses == str(side).startswith("may")


@given(windows(), VALUES)
def test_a_miss_has_the_sign_of_its_side_and_its_size(window, value):
    miss = window.miss(value)
    side = window.side(value)
    if side is Side.UNDER:
        assert miss == pytest.approx(value - window.low)
        assert miss < 0
    elif side is Side.OVER:
        assert miss == pytest.approx(value - window.high)
        assert miss > 0
    else:
        assert miss == 0


@given(windows(), VALUES, st.floats(0, 5), st.floats(0, 5))
def test_a_wider_band_never_brings_a_value_inside(window, value, half, more):
    narrow, wide = window.side(value, half), window.side(value, half + more)
    if narrow is not Side.INSIDE:
        assert wide is not Side.INSIDE
    if narrow.outside:
        assert wide is narrow


@pytest.mark.parametrize(
    ("past", "side"), [(0.0, ""), (TOLERANCE / 2, ""), (3 * TOLERANCE, "over"), (0.001, "over")]
)
def test_an_edge_belongs_to_its_window_down_to_the_last_bits(past, side):
    assert str(Window(high=1.0).side(1.0 + past)) == side
    mirrored = {"over": "under", "": ""}[side]
    assert str(Window(low=1.0).side(1.0 - past)) == mirrored


@given(VALUES, st.floats(0, 5))
def test_nothing_misses_an_open_window(value, half):
    assert OPEN.side(value, half) is Side.INSIDE
    assert Window(aim=3.0).side(value, half) is Side.INSIDE
    assert Window(aim=3.0).miss(value) == 0


@given(windows(), VALUES)
def test_a_floor_only_ever_raises_the_lower_edge(window, floor):
    raised = window.over_floor(floor)
    assert raised.low == max(v for v in (floor, window.low) if v is not None)
    assert (raised.aim, raised.high) == (window.aim, window.high)
    assert raised.over_floor(floor) == raised


def test_what_is_bounded_and_what_is_open():
    for low, aim, high in product((None, 1.0), (None, 1.5), (None, 2.0)):
        window = Window(low, aim, high)
        assert window.is_open == (low is aim is high is None)
        assert window.is_bounded == (low is not None or high is not None)


@given(windows(), st.one_of(st.none(), VALUES))
def test_no_result_misses_every_edge_by_all_there_is(window, value):
    miss = worst_miss(value, window)
    if value is not None:
        assert miss == window.miss(value)
    else:
        assert miss == (math.inf if window.low is not None or window.high is not None else 0.0)
