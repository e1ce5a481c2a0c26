"""Chamber models: each held against its own slope, its own inverse, and small slices summed by hand."""

from __future__ import annotations

import math

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from zygometra.core.errors import NoAnswer
from zygometra.core.stack.chamber import DraftedChamber, RateChamber, StepFilledChamber

RATES = st.floats(0.5, 20)
CUTS = st.floats(0, 2.5)


@st.composite
def drafted(draw):
    area, perimeter = draw(st.floats(2000, 9000)), draw(st.floats(180, 400))
    return DraftedChamber(area, perimeter, draw(st.floats(0, 30)))


@st.composite
def stepped(draw):
    """Fills that shrink with depth, as any chamber does."""
    count = draw(st.integers(3, 7))
    depth, below, depths, volumes = 0.0, draw(st.floats(40, 80)), [], []
    for _ in range(count):
        depths.append(depth)
        volumes.append(below)
        depth += draw(st.floats(0.3, 1.0))
        below -= draw(st.floats(0.4, 3.0))
    return StepFilledChamber(tuple(depths), tuple(volumes))


def slices(model, cut, count=2000):
    """The removal as a sum of thin slices, each by the rate at its middle."""
    step = cut / count
    return math.fsum(model.rate((n + 0.5) * step) * step for n in range(count))


@given(RATES, CUTS)
def test_a_known_rate_takes_in_proportion(rate, cut):
    model = RateChamber(rate)
    assert model.removed(cut) == pytest.approx(rate * cut)
    assert model.removed(cut) == pytest.approx(slices(model, cut, 50))
    assert model.cut_for(model.removed(cut)) == pytest.approx(cut)


@given(drafted(), CUTS)
def test_a_drafted_wall_takes_the_sum_of_its_slices(model, cut):
    assert model.removed(cut) == pytest.approx(slices(model, cut), rel=1e-6, abs=1e-9)


@given(drafted(), CUTS)
def test_a_drafted_opening_shrinks_by_its_perimeter(model, cut):
    opening = model.opening_area - model.opening_perimeter * math.tan(math.radians(model.wall_draft)) * cut
    assert model.rate(cut) * 1000 == pytest.approx(opening)
    assert model.rate(cut + 0.1) <= model.rate(cut)


@given(drafted(), CUTS)
def test_a_cut_for_a_volume_takes_that_volume(model, cut):
    assume(model.rate(cut) > 0)
    assert model.cut_for(model.removed(cut)) == pytest.approx(cut, abs=1e-9)


@given(drafted(), CUTS, CUTS)
def test_two_cuts_take_what_one_of_their_sum_takes(model, first, second):
    together = model.removed(first + second)
    shrunk = DraftedChamber(
        model.opening_area - model.closing * first, model.opening_perimeter, model.wall_draft
    )
    assume(shrunk.opening_area > 0)
    assert model.removed(first) + shrunk.removed(second) == pytest.approx(together)


def test_more_than_the_wall_leaves_open_is_no_answer():
    model = DraftedChamber(4000.0, 300.0, 45.0)
    deepest = 4000 / 300
    assert model.removed(deepest) == pytest.approx(4000 * deepest / 2 / 1000)
    with pytest.raises(NoAnswer):
        model.cut_for(model.removed(deepest) * 1.001)


@pytest.mark.parametrize("rate", [0.0, -1.0])
def test_a_rate_of_nought_has_no_answer(rate):
    with pytest.raises(NoAnswer):
        RateChamber(rate).cut_for(1.0)


@given(stepped())
def test_steps_are_met_where_they_were_filled(model):
    for depth, below in zip(model.depths, model.volumes, strict=True):
        assert model.removed(depth) == pytest.approx(model.volumes[0] - below, abs=1e-9)


@given(stepped(), st.floats(0, 1), st.floats(0, 1))
def test_more_cut_never_takes_less(model, one, other):
    deep, shallow = (model.depths[-1] * share for share in sorted((one, other), reverse=True))
    assert model.removed(deep) >= model.removed(shallow) - 1e-9
    assert model.rate(deep) >= -1e-9


@given(stepped(), st.floats(0.02, 0.98))
def test_a_cut_between_steps_is_found_again(model, share):
    cut = model.depths[-1] * share
    assert model.removed(model.cut_for(model.removed(cut))) == pytest.approx(model.removed(cut), abs=1e-7)


@given(stepped(), st.floats(0.05, 0.95))
def test_the_slope_of_steps_is_that_of_their_curve(model, share):
    cut, hair = model.depths[-1] * share, 1e-5
    assume(min(abs(cut - depth) for depth in model.depths) > 10 * hair)
    slope = (model.removed(cut + hair) - model.removed(cut - hair)) / (2 * hair)
    assert model.rate(cut) == pytest.approx(slope, rel=1e-3, abs=1e-3)
