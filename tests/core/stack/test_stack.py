"""The stack's expressions: one figure and a column of them give the same; inverse pairs; the vectors' numbers."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zygometra.core.stack.arithmetic import (
    circle_area,
    clearance_volume_for,
    cylinder_volume,
    deck_clearance,
    ratio_of,
    ring_around,
    stroke_for,
)

LENGTHS = st.floats(1, 500)


@given(LENGTHS, LENGTHS, LENGTHS, LENGTHS)
def test_the_stroke_that_meets_a_clearance_meets_it(height, stroke, rod, compression):
    clearance = deck_clearance(height, stroke, rod, compression)
    assert stroke_for(height, clearance, rod, compression) == pytest.approx(stroke, abs=1e-9)


@given(st.floats(1, 5000), st.floats(1.01, 40))
def test_the_volume_for_a_ratio_gives_that_ratio(swept, ratio):
    assert ratio_of(swept, clearance_volume_for(swept, ratio)) == pytest.approx(ratio, rel=1e-12)


@given(st.lists(st.tuples(LENGTHS, LENGTHS, LENGTHS, LENGTHS), min_size=1, max_size=20))
def test_a_column_gives_what_single_figures_give(rows):
    columns = [np.array(column) for column in zip(*rows, strict=True)]
    assert deck_clearance(*columns).tolist() == [deck_clearance(*row) for row in rows]
    assert circle_area(columns[0]).tolist() == [circle_area(row[0]) for row in rows]
    crevices = cylinder_volume(ring_around(*columns[:2]), columns[2])
    assert crevices.tolist() == [cylinder_volume(ring_around(*row[:2]), row[2]) for row in rows]


def test_a_crevice_of_no_gap_or_no_height_is_nought():
    assert cylinder_volume(ring_around(92.0, 92.0), 6.0) == 0
    assert cylinder_volume(ring_around(92.0, 91.0), 0.0) == 0


def test_a_stack_worked_by_hand():
    # 225.40 − (43.00 + 148.00 + 34.20) = 0.20 mm down; a stroke of 86.4 takes all of it.
    assert deck_clearance(225.4, 86.0, 148.0, 34.2) == pytest.approx(0.2)
    assert stroke_for(225.4, 0.0, 148.0, 34.2) == pytest.approx(86.4)
