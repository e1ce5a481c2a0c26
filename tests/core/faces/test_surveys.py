"""Surveyed faces: against checked cases, a linear programme of another hand, and brute force."""

from __future__ import annotations

import itertools
import json
import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import linprog

from zygometra.core.errors import QuantityError
from zygometra.core.faces.model import Pair, Point, Spot, Survey
from zygometra.core.faces.survey import Surveyed, survey
from zygometra.core.findings.faces import survey_says
from zygometra.exchange.survey_file import read_survey, surveyed_document

VECTORS = sorted((Path(__file__).parents[2] / "vectors" / "surveys").glob("survey-*.json"))
# Of mm; the checked cases promise 1e-6.
NEAR = 1e-9
FREE_CHOICE = ("held_by", "least_cut_plane")


def _same(found: object, wanted: object, at: str) -> None:
    if isinstance(wanted, dict):
        assert isinstance(found, dict), at
        for key, value in wanted.items():
            _same(found[key], value, f"{at}.{key}")
    elif isinstance(wanted, list):
        assert isinstance(found, list), at
        assert len(found) == len(wanted), at
        for i, (one, other) in enumerate(zip(found, wanted, strict=True)):
            _same(one, other, f"{at}[{i}]")
    elif isinstance(wanted, float):
        assert found == pytest.approx(wanted, abs=NEAR), at
    else:
        assert found == wanted, at


@pytest.mark.parametrize("path", VECTORS, ids=lambda path: path.stem)
def test_a_checked_survey_comes_out_to_the_last_digit(path: Path) -> None:
    case = json.loads(path.read_text())
    found = surveyed_document(read_survey(json.dumps(case["survey"])))
    _same(found, {k: v for k, v in case["expect"].items() if k not in FREE_CHOICE}, "$")
    # Of several planes of least cut any is good: its most is what counts.
    assert found["least_cut_plane"]["most_mm"] == pytest.approx(
        case["expect"]["least_cut_plane"]["most_mm"], abs=NEAR
    )


# -- drawn faces --------------------------------------------------------------

heights = st.integers(-200, 200).map(lambda um: 280.0 + um / 1000)
doubts = st.sampled_from([0.0, 0.002, 0.01])


@st.composite
def faces(draw: st.DrawFn) -> Survey:
    kind = draw(st.sampled_from(["line", "grid", "cloud", "corners", "twist"]))
    if kind == "line":
        xs = draw(st.lists(st.integers(-300, 900), min_size=3, max_size=14))
        spots = [(float(x), 0.0) for x in xs] if len(set(xs)) > 1 else [(0.0, 0.0), (1.0, 0.0), (9.0, 0.0)]
    elif kind == "grid":
        columns, rows = draw(st.integers(2, 6)), draw(st.integers(2, 4))
        spots = [(120.0 * i, 55.0 * j - 60) for j in range(rows) for i in range(columns)]
    elif kind == "cloud":
        near = st.tuples(st.integers(0, 800), st.integers(-90, 90))
        drawn = draw(st.lists(near, min_size=3, max_size=25))
        spots = [(0.0, -80.0), (700.0, -70.0), (300.0, 85.0), *((float(a), float(b)) for a, b in drawn)]
    else:
        spots = [(0.0, -70.0), (520.0, -70.0), (520.0, 70.0), (0.0, 70.0)]
    if kind == "twist":
        by = draw(st.integers(1, 90)) / 1000
        zs = [250 + by, 250 - by, 250 + by, 250 - by]
    else:
        zs = [draw(heights) for _ in spots]
    us = [draw(doubts) for _ in spots]
    corners = dict(zip("abcd", map(Spot._make, spots), strict=True)) if len(spots) == 4 else {}
    if draw(st.booleans()):
        corners["not read"] = Spot(-17.5, 33.5)
    slope = st.one_of(st.none(), st.integers(-300, 300).map(lambda um: um * 1e-6))
    height = draw(st.one_of(st.none(), heights))
    return Survey(
        draw(st.sampled_from(["deck", "head"])),
        tuple(Point(x, y, z, u) for (x, y), z, u in zip(spots, zs, us, strict=True)),
        corners,
        {1: Spot(40.0, 0.0), 2: Spot(400.0, 0.0)},
        support_span=Pair(draw(st.sampled_from([None, 400.0])), 200.0),
        set_up=draw(st.sampled_from(["", "crank centreline", "pan rail"])),
        rail_slope=Pair(draw(slope), draw(slope)),
        allowance=0.0 if height is not None else draw(st.sampled_from([0.0, 0.02])),
        height=height,
        least_height=draw(st.one_of(st.none(), heights)),
        flatness_limit=draw(st.one_of(st.none(), st.sampled_from([0.03, 0.1]))),
    )


def _columns(face: Survey) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    x, y, z, _ = (np.array(column, dtype=float) for column in zip(*face.points, strict=True))
    return x, y, z


def _stands_at(face: Survey, found: Surveyed, spot: Spot) -> float:
    """How high a face stands: the first that was read at that place, else the plane of least squares."""
    read = (point.z for point in face.points if (point.x, point.y) == spot and point.z is not None)
    return next(read, found.plane.at(*spot))


def _least_range(x: np.ndarray, y: np.ndarray, z: np.ndarray) -> float:
    """The least range over all planes, by a linear programme of another hand."""
    if len(z) < 2:
        return 0.0
    one = np.ones_like(x)
    above = np.stack([-x, -y, -one, 0 * one], axis=1)
    below = np.stack([x, y, 0 * one, one], axis=1)
    level = z - z.mean()
    done = linprog(
        [0, 0, 1, -1],
        A_ub=np.vstack([above, below]),
        b_ub=np.concatenate([-level, level]),
        bounds=[(None, None)] * 4,
    )
    assert done.success
    return float(done.fun)


@given(faces())
@settings(max_examples=100, deadline=None)
def test_flatness_and_what_holds_it_agree_with_a_linear_programme(face: Survey) -> None:
    found = survey(face)
    x, y, z = _columns(face)
    wanted = _least_range(x, y, z)
    assert found.flatness.mm == pytest.approx(wanted, abs=1e-6)
    held = list(found.held_by)
    assert len(held) <= (3 if face.is_on_axis else 4)
    assert _least_range(x[held], y[held], z[held]) == pytest.approx(wanted, abs=1e-6)
    # The plane of least cut lies under everything by the allowance, touches, and takes no more.
    above = z - np.array([found.least_cut.plane.at(a, b) for a, b in zip(x, y, strict=True)])
    assert above.min() == pytest.approx(face.allowance, abs=NEAR)
    assert above.max() == pytest.approx(wanted + face.allowance, abs=1e-6)
    assert found.over_150 <= found.flatness.mm + NEAR
    # A part tipped by its shims has that plane level; a corner loses what stands above it there.
    plane, shim, span = found.least_cut.plane, found.least_cut.shim, face.support_span
    if span.along is not None:
        assert shim.along is not None
        assert plane.along + shim.along / span.along == pytest.approx(0.0, abs=1e-12)
    if span.across is not None and plane.across is not None:
        assert shim.across is not None
        assert plane.across + shim.across / span.across == pytest.approx(0.0, abs=1e-12)
    for name, spot in face.corners.items():
        stands = _stands_at(face, found, spot)
        assert found.least_cut.corners[name] == pytest.approx(stands - plane.at(*spot), abs=NEAR)


@given(faces())
@settings(max_examples=60, deadline=None)
def test_the_worst_150_mm_agree_with_every_window_solved(face: Survey) -> None:
    x, y, z = _columns(face)
    every = [np.flatnonzero((x >= x0) & (x <= x0 + 150)) for x0 in x]
    wanted = max(_least_range(x[w], y[w], z[w]) if len(w) > 1 else 0.0 for w in every)
    assert survey(face).over_150 == pytest.approx(wanted, abs=1e-6)


@given(faces())
@settings(max_examples=60, deadline=None)
def test_plane_cut_and_verdict_agree_with_the_formulas_worked_point_by_point(face: Survey) -> None:
    found, (x, y, z) = survey(face), _columns(face)
    terms = [np.ones_like(x), x] + ([] if face.is_on_axis else [y])
    normal = np.linalg.solve(np.stack(terms) @ np.stack(terms).T, np.stack(terms) @ (z - 280))
    assert found.plane.height == pytest.approx(280 + normal[0], abs=1e-8)
    assert found.plane.along == pytest.approx(normal[1], abs=1e-10)
    rail = face.rail_slope if face.set_up == "pan rail" else Pair(0.0, 0.0)
    level = [p.z - (rail.along or 0) * p.x - (rail.across or 0) * p.y for p in face.points if p.z is not None]
    finished = min(level) - face.allowance if face.height is None else face.height
    assert found.cut.finished_height.mm == pytest.approx(finished, abs=NEAR)
    assert found.cut.least.mm == pytest.approx(min(level) - finished, abs=NEAR)
    assert found.cut.most.mm == pytest.approx(max(level) - finished, abs=NEAR)
    assert found.cut.left_slope == rail
    for name, depth in found.cut.corners.items():
        spot = face.corners[name]
        stands = _stands_at(face, found, spot) - (rail.along or 0) * spot.x - (rail.across or 0) * spot.y
        assert depth.mm == pytest.approx(stands - finished, abs=NEAR)
    stops = {one.code.key for one in survey_says(found) if one.severity == "stop"}
    assert ("face-not-reached" in stops) == (found.cut.least.mm < -NEAR)
    if face.flatness_limit is not None and found.flatness.mm <= face.flatness_limit:
        assert found.verdict == "leave"
    elif face.face == "deck" and face.least_height is not None:
        spots = [(p.x, p.y) for p in face.points] + [tuple(s) for s in face.corners.values()]
        lowest = min(
            min(level) - face.allowance + (rail.along or 0) * a + (rail.across or 0) * b for a, b in spots
        )
        assert (found.verdict == "cannot be saved") == (lowest < face.least_height)


@given(faces(), st.integers(0, 2**32 - 1))
@settings(max_examples=12, deadline=None)
def test_doubts_are_those_of_redrawn_points(face: Survey, seed: int) -> None:
    """Everything stated is linear in the heights while the same points hold it: small draws show the doubt."""
    found = survey(face)
    rng, tiny = np.random.default_rng(seed), 1e-7

    def redrawn() -> Surveyed:
        points = tuple(
            p._replace(z=p.z + tiny * p.u * rng.standard_normal()) for p in face.points if p.z is not None
        )
        return survey(Survey(**{**_fields(face), "points": points}))

    draws = [redrawn() for _ in range(100)]
    for name, u in (("height", found.plane_u[0]), ("along", found.plane_u[1])):
        spread = np.std([getattr(one.plane, name) for one in draws]) / tiny
        # 100 draws know a spread to about seven percent; heights are known to 1e-13 of tiny steps.
        assert spread == pytest.approx(u, rel=0.35, abs=2e-5)


def _fields(face: Survey) -> dict[str, object]:
    return {name: getattr(face, name) for name in face.__dataclass_fields__}


@given(st.lists(heights, min_size=4, max_size=4), st.permutations(range(4)))
@settings(max_examples=60, deadline=None)
def test_no_tilt_undercuts_the_certificate(zs: list[float], order: list[int]) -> None:
    spots = [(0.0, -70.0), (500.0, -60.0), (540.0, 80.0), (40.0, 70.0)]
    points = tuple(Point(*spots[i], zs[i]) for i in range(4))
    corners = {str(i): Spot(*spots[i]) for i in order}
    found = survey(Survey("deck", points, corners))
    assert found.certificate is not None
    assert found.certificate.mm == pytest.approx(abs(zs[0] + zs[2] - zs[1] - zs[3]) / 2, abs=1e-12)
    least = math.inf
    for along, across in itertools.product(np.linspace(-1e-3, 1e-3, 13), np.linspace(-5e-3, 5e-3, 13)):
        left = [z - along * x - across * y for (x, y), z in zip(spots, zs, strict=True)]
        least = min(least, max(left) - min(left))
    assert least >= found.certificate.mm - 1e-12
    assert found.flatness.mm == pytest.approx(found.certificate.mm, abs=1e-9)


def test_corners_that_nobody_read_give_no_certificate() -> None:
    points = tuple(Point(*at, 200.0) for at in ((0, 0), (500, 0), (500, 140), (0, 140)))
    far = {"a": Spot(0, 0), "b": Spot(500, 0), "c": Spot(500, 140), "d": Spot(0, 139)}
    assert survey(Survey("deck", points, far)).certificate is None
    bent = {**far, "d": Spot(0, 140), "c": Spot(500, 141.2)}
    assert survey(Survey("deck", points, bent)).certificate is None


@pytest.mark.parametrize(
    "spots", [[(0, 5), (10, 5), (30, 5)], [(0, 0), (10, 10), (20, 20), (30, 30)], [(5, 0), (5, 0), (5, 0)]]
)
def test_points_in_one_line_fix_no_plane(spots: list[tuple[float, float]]) -> None:
    with pytest.raises(QuantityError, match="in one line"):
        survey(Survey("deck", tuple(Point(float(x), float(y), 1.0) for x, y in spots)))


def test_the_tilt_worked_by_hand_goes_under_the_rear_support() -> None:
    """0.10 mm higher over 500 mm at the rear, supports 400 mm apart: 0.08 mm under the rear."""
    points = tuple(Point(x, y, 200 + 0.1 * x / 500) for x in (0.0, 250.0, 500.0) for y in (-60.0, 60.0))
    found = survey(Survey("deck", points, support_span=Pair(400.0, 120.0), set_up="crank centreline"))
    assert found.cut.shim.along == pytest.approx(0.08)
    assert found.cut.shim.across == pytest.approx(0.0, abs=1e-12)
    assert found.cut.most.mm == pytest.approx(0.1)
    assert found.flatness.mm == pytest.approx(0.0, abs=1e-12)
