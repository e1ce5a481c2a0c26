"""A survey of a sixteen-cylinder block with 500 points and all its bands, beside one least-squares fit of it."""

from __future__ import annotations

import numpy as np
import pytest

from support.timing import WHOLE, median
from zygometra.core.faces.model import Point, Spot, Survey
from zygometra.core.faces.survey import survey

pytestmark = pytest.mark.timing


def deck(points: int, *, scattered: bool) -> Survey:
    """A deck of eight holes with a wedge, a twist and grain."""
    rng = np.random.default_rng(16)
    if scattered:
        x, y = rng.uniform(0, 1000, points), rng.uniform(-90, 90, points)
    else:
        across = 10
        grid = np.meshgrid(np.linspace(0, 1000, points // across), np.linspace(-90, 90, across))
        x, y = (axis.ravel() for axis in grid)
    z = 300 + 1e-4 * x + 2e-4 * y + 1e-6 * (x - 500) * y + rng.normal(0, 0.01, len(x))
    corners = {
        name: Spot(a, b) for name, a, b in (("a", 0, -90), ("b", 1000, -90), ("c", 1000, 90), ("d", 0, 90))
    }
    return Survey(
        "deck",
        tuple(Point(*at, 0.003) for at in zip(x.tolist(), y.tolist(), z.tolist(), strict=True)),
        corners,
        {i + 1: Spot(62.0 + 125 * i, 0.0) for i in range(8)},
        flatness_limit=0.05,
        flatness_150_limit=0.03,
    )


@pytest.mark.parametrize("kind", ["grid", "cloud"])
def test_both_decks_of_a_sixteen_in_under_50_ms(kind: str) -> None:
    scattered = kind == "cloud"
    whole, half = deck(500, scattered=scattered), deck(250, scattered=scattered)
    x, y, z, _ = (np.array(column) for column in zip(*whole.points, strict=True))
    fit = median(lambda: np.linalg.lstsq(np.stack([np.ones_like(x), x, y], axis=1), z, rcond=None), 9)
    one, two = median(lambda: survey(whole), 9), median(lambda: [survey(half), survey(half)], 9)
    print(
        f"\n500 points of one deck {1e3 * one:.1f} ms, two decks of 250 {1e3 * two:.1f} ms"
        f" (at most 50); one fit by least squares {1e3 * fit:.2f} ms"
    )
    assert not WHOLE or max(one, two) < 0.050
