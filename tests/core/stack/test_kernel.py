"""The kernel in each of its columns: floats, arrays, values that carry slopes, and what is derived from it."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zygometra.core.linear import Linear
from zygometra.core.stack.in_hole import PLACES, worked
from zygometra.core.stack.kernel import SLOPED, Cuts, Figures, KernelResults, hole
from zygometra.core.uncertainty import Sources, Term, in_hole, joined, of_terms

RANGES = {
    "bore": (70, 110),
    "stroke": (60, 110),
    "rod_length": (130, 200),
    "compression_height": (25, 45),
    "deck_height": (200, 280),
    "gasket_thickness": (0.4, 2),
    "chamber_volume": (30, 90),
    "crown_volume": (-8, 12),
}
MAYBE = {
    "read_clearance": (-0.5, 1.5),
    "other_volume": (-1, 2),
    "pocket_area": (0, 2500),
    "swept_volume": (300, 900),
    "intake_closes": (20, 80),
}
# What comes together, or one of several.
GASKETS = ({"gasket_bore": (72, 112)}, {"gasket_opening": (4500, 9000)}, {"gasket_volume": (3, 15)})
LANDS = ({}, {"land_diameter": (68, 109), "land_height": (3, 9)})
CROWNS = (
    {},
    {"dish_area": (100, 2500)},
    {"above_rim": (0.05, 0.6), "above_area": (300, 2000)},
    {"dish_area": (100, 2500), "above_rim": (0.05, 0.6), "above_area": (300, 2000)},
)
EDGES = ({}, {"edge_width": (0.05, 1.2), "edge_angle": (20, 70)})
HEADS = (
    {"removal_rate": (2, 8)},
    {"opening_area": (2500, 6000)},
    {"opening_area": (2500, 6000), "opening_perimeter": (150, 300), "wall_draft": (0, 25)},
    {"filled": (0, 4)},
)


@st.composite
def holes(draw):
    """Any hole whose figures are known, under any cuts."""
    ranges = dict(RANGES)
    ranges |= {name: ends for name, ends in MAYBE.items() if draw(st.booleans())}
    for some in (GASKETS, LANDS, CROWNS, EDGES, HEADS):
        ranges |= draw(st.sampled_from(some))
    if "read_clearance" in ranges:
        ranges = {n: e for n, e in ranges.items() if n not in ("deck_height", "compression_height")}
    figures = Figures(**{name: draw(st.floats(*ends)) for name, ends in ranges.items()})
    amounts = st.none() | st.floats(0, 1.2)
    return figures, Cuts(*(draw(amounts) for _ in Cuts._fields))


def numbers(results):
    return [getattr(value, "value", value) for value in results]


@given(holes())
def test_every_column_gives_the_same_and_all_slopes_agree(drawn):
    figures, cuts = drawn
    plain = hole(figures, cuts)
    found = worked(figures, cuts)
    assert list(found.results) == pytest.approx(list(plain), rel=1e-12, abs=1e-12, nan_ok=True)

    # As columns of three, the last a little larger.
    column = [None if v is None else np.array([v, v, v * 1.01]) for v in (*figures, *cuts)]
    many = hole(Figures(*column[: len(figures)]), Cuts(*column[len(figures) :]))
    for one, of_many in zip(plain, many, strict=True):
        assert np.broadcast_to(of_many, 3)[0] == pytest.approx(one, rel=1e-12, abs=1e-12, nan_ok=True)

    # As values that carry their slopes.
    names = (
        *(PLACES.get(name, name) for name in Figures._fields),
        "deck_cut",
        "head_cut",
        "crown_cut",
        "open_chamber",
        "bowl",
    )
    carrying = [None if v is None else Linear.of(n, v) for n, v in zip(names, (*figures, *cuts), strict=True)]
    linear = hole(Figures(*carrying[: len(figures)]), Cuts(*carrying[len(figures) :]))
    assert numbers(linear) == pytest.approx(list(plain), rel=1e-12, abs=1e-12, nan_ok=True)
    derived = dict(found.slopes)
    for at, result in enumerate(linear[:SLOPED]):
        for name in names:
            slope = derived.get(name, (0.0,) * SLOPED)[at]
            carried = result.slopes.get(name, 0.0) if isinstance(result, Linear) else 0.0
            assert slope == pytest.approx(carried, rel=1e-9, abs=1e-12), (KernelResults._fields[at], name)


def test_shared_sources_add_up_and_each_holes_own_do_not():
    both = [Term("gauge", 0.3), Term("gauge", -0.1), Term("pieces", 0.3, each=True)]
    assert of_terms(joined(both)).u == pytest.approx(math.hypot(0.2, 0.3))
    apart = [in_hole(term, n).times(sign) for n, sign in ((1, 1.0), (2, -1.0)) for term in both]
    assert of_terms(joined(apart)).u == pytest.approx(math.hypot(0.3, 0.3))


def test_few_readings_on_one_scatter_count_as_one():
    """Two of 4 and 3 on one scatter of 5 degrees beside 12 that is sure: ν = 13⁴/(5⁴/5) by hand."""
    terms = [Term("a", 4.0, 5, "s"), Term("b", 3.0, 5, "s"), Term("c", 12.0)]
    found = Sources(terms).moving([1.0, 1.0, 1.0])
    assert found.u == pytest.approx(13.0)
    assert found.dof == pytest.approx(13**4 / (5**4 / 5))
    alone = Sources([terms[0], terms[1]._replace(pool="t"), terms[2]]).moving([1.0, 1.0, 1.0])
    assert alone.dof == pytest.approx(13**4 / (4**4 / 5 + 3**4 / 5))
