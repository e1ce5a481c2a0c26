"""A probe's file: the block found again however it lay, and every damage told by its line."""

from __future__ import annotations

import math
import random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zygometra.core.errors import BuildFaults, QuantityError
from zygometra.core.faces.probing import circle_through
from zygometra.exchange.build_file import check
from zygometra.exchange.probe_file import MOST_BYTES, read_probe
from zygometra.gauges.probe import HiddenDeck, probe_file

DECK = HiddenDeck(
    bank="A",
    holes=(1, 2, 3, 4),
    pitch=97.0,
    bore=88.0,
    height=231.4,
    half_width=78.0,
    wedge=0.12,
    lean=-0.05,
    twist=0.06,
)


@given(
    st.sampled_from(["left", "right"]),
    st.integers(0, 10**6),
    st.integers(1, 6),
    st.floats(-0.3, 0.3),
    st.floats(-0.3, 0.3),
    st.floats(-180, 180),
)
@settings(max_examples=40, deadline=None)
def test_however_it_lay_the_block_is_found_again(
    side: str, seed: int, holes: int, wedge: float, twist: float, angle: float
) -> None:
    deck = HiddenDeck(
        bank="B",
        holes=tuple(range(1, holes + 1)),
        pitch=101.5,
        bore=92.0,
        height=268.9,
        half_width=81.0,
        wedge=wedge,
        lean=0.07,
        twist=twist,
        side=side,
    )
    found = read_probe(probe_file(deck, str(seed), scatter=0.0, step=1e-6, angle=angle))
    assert found.bank == "B"
    assert found.bent < 1e-4
    for point in found.entry["points"]:
        assert point["z"]["value"] == pytest.approx(deck.at(point["x"], point["y"]), abs=5e-5)
    assert found.entry["rail_slope"] == pytest.approx({"along": 0.0, "across": 0.0}, abs=2e-4)
    for i, bore in enumerate(found.entry["bores"]):
        assert (bore["x"], bore["y"], bore["diameter"]) == pytest.approx((101.5 * i, 0.0, 92.0), abs=5e-5)
        assert bore["out_of_round"] == pytest.approx(0.0, abs=1e-4)
    front, rear = deck.ends
    assert found.entry["corners"]["front intake"] == pytest.approx([front, 81.0], abs=5e-5)
    assert found.entry["corners"]["rear exhaust"] == pytest.approx([rear, -81.0], abs=5e-5)


def test_inches_say_the_same() -> None:
    text = probe_file(DECK, "7", scatter=0.0, step=1e-6)
    rows = []
    for row in text.splitlines():
        name, *words = row.split()
        if name in ("crank", "intake", "rail", "point", "hole"):
            words = [f"{float(w) / 25.4:.9f}" for w in words]
        elif name in ("rotation", "corner", "bore"):
            words = [words[0], *(f"{float(w) / 25.4:.9f}" for w in words[1:])]
        rows.append(" ".join([name, *words]))
    inches = read_probe("\n".join(rows).replace("unit mm", "unit in")).entry
    for one, other in zip(inches["points"], read_probe(text).entry["points"], strict=True):
        assert (one["x"], one["z"]["value"]) == pytest.approx((other["x"], other["z"]["value"]), abs=1e-4)


def test_what_a_probe_found_is_a_survey_of_a_build() -> None:
    from tests.support.cases import vector

    entry = {"id": "s1", **read_probe(probe_file(DECK, "3")).entry}
    document = vector("tarnbeck-plain")["build"]
    bank = document["engine"]["banks"][0]["name"]
    build = check({**document, "surveys": [{**entry, "bank": bank}]})
    assert len(build.surveys[0].points) == len(entry["points"])
    assert build.surveys[0].points[0].u == pytest.approx(0.002)


@pytest.mark.parametrize("angle", [0.0, 30.0, 45.0, 90.0, -120.0])
@pytest.mark.parametrize("axis", [0, 1, 2])
def test_no_mirrored_axis_goes_unseen(angle: float, axis: int) -> None:
    """Whatever angle the rotation's point has: a block of the other hand is no block."""
    rows = []
    for row in probe_file(DECK, "5", scatter=0.0, step=1e-6, angle=angle).splitlines():
        words = row.split()
        if len(words) > 3:
            words[axis - 3] = f"{-float(words[axis - 3]):.6f}"
        rows.append(" ".join(words))
    with pytest.raises(BuildFaults, match="mirrored"):
        read_probe("\n".join(rows))


def _damaged(change: str) -> str:
    rows = probe_file(DECK, "5").splitlines()
    if change == "cut short":
        rows = rows[:-4]
    elif change == "mirrored":
        # One axis of the machine the other way round, in every entry that has three figures.
        def mirrored(row: str) -> str:
            words = row.split()
            if len(words) < 4:
                return row
            words[-2] = f"{-float(words[-2]):.6f}"
            return " ".join(words)

        rows = [mirrored(row) for row in rows]
    elif change == "two on a circle":
        kept = [row for row in rows if not row.startswith("bore 3")]
        rows = [*kept[:-1], *[row for row in rows if row.startswith("bore 3")][:2]]
        rows.append(f"end {len(rows) - 1}")
    elif change.startswith("no "):
        rows = [row for row in rows if not row.startswith(change[3:])]
        rows[-1] = f"end {len(rows) - 2}"
    return "\n".join(rows)


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ("cut short", r"line \d+: found the last line without an end: the file was cut short"),
        ("mirrored", r"line \d+: found a deck that comes to lie -\d.* no axis mirrored"),
        ("two on a circle", r"line \d+: found 2 points on the circle of bore 3; wanted three or more"),
        ("no hole", r"line \d+: found no hole in the datum chain; wanted hole -42\.5"),
        ("no crank", r"line \d+: found no crank in the datum chain"),
        ("no rotation", r"line \d+: found no rotation in the datum chain"),
        ("no side", r"line \d+: found no side in the datum chain"),
    ],
)
def test_damage_is_told_by_line(change: str, says: str) -> None:
    with pytest.raises(BuildFaults, match=says):
        read_probe(_damaged(change))


HEAD = "zygometra-probe 1\n"


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "line 1: found nothing; wanted zygometra-probe 1"),
        ("\n\nzygometra-probe 2\n", "line 3: found 'zygometra-probe 2'"),
        (HEAD + "unit furlong\n", "line 2: found the unit 'furlong'; wanted mm or in"),
        (HEAD + "point 1 2\n", "line 2: found point with 2 figures; wanted point 12.5"),
        (HEAD + "point 1 2 nan\n", "line 2: found 'nan'"),
        (HEAD + "point 1 2 9e999\n", "line 2: found"),
        (HEAD + "point 1 2 30000\n", "line 2: found"),
        (HEAD + "wall 1 2 3\n", "line 2: found the entry 'wall'"),
        (HEAD + "crank 0 0 0\nunit mm\n", "line 3: found a unit after figures"),
        (HEAD + "side up\n", "line 2: found the side 'up'"),
        (HEAD + "hole 0 1 2 3\nhole 0 1 2 3\n", r"line 3: found hole twice \(line 2\)"),
        (HEAD + "bore 0 1 2 3\n", "line 2: found"),
        (HEAD + "corner a 0 0 1\ncorner a 0 0 1\n", "line 3: found the corner 'a' twice"),
        (HEAD + "end 0\npoint 1 2 3\n", "line 3: found point after the end"),
        (HEAD + "end 3\n", "line 2: found end 3 after 0 entries"),
        (HEAD + "point " + "1" * 300 + " 2 3\n", "line 2: found"),
    ],
)
def test_a_slip_is_told_by_line(text: str, says: str) -> None:
    with pytest.raises(BuildFaults, match=says):
        read_probe(text)


def test_what_is_no_text_or_too_much_is_refused_whole() -> None:
    with pytest.raises(BuildFaults, match="bytes that are not text"):
        read_probe(b"\xff\xfe\x00z")
    with pytest.raises(BuildFaults, match="at most 1 MB"):
        read_probe(b"x" * (MOST_BYTES + 1))
    with pytest.raises(BuildFaults, match="20003 lines; wanted at most 20000"):
        read_probe(HEAD + "\n" * 20_000 + "\n")


@given(st.binary(max_size=400))
@settings(max_examples=60)
def test_whatever_comes_is_read_or_refused_in_words(data: bytes) -> None:
    with pytest.raises(BuildFaults):
        read_probe(HEAD.encode() + data)


@given(st.floats(-50, 50), st.floats(-50, 50), st.floats(5, 80), st.integers(3, 12), st.integers(0, 999))
@settings(max_examples=60)
def test_a_circle_goes_through_its_points(x: float, y: float, r: float, n: int, seed: int) -> None:
    draw = random.Random(seed)
    start = draw.uniform(0, 6)
    angles = [start + 2 * math.pi * (i + draw.uniform(-0.3, 0.3)) / n for i in range(n)]
    found = circle_through([(x + r * math.cos(a), y + r * math.sin(a)) for a in angles])
    assert (found.x, found.y, found.diameter) == pytest.approx((x, y, 2 * r), abs=1e-7)


@pytest.mark.parametrize("spots", [[(0, 0), (1, 1)], [(0, 0), (1, 1), (2, 2), (5, 5)], [(3, 3)] * 4])
def test_no_circle_goes_through_a_line(spots: list[tuple[float, float]]) -> None:
    with pytest.raises(QuantityError, match="circle"):
        circle_through(spots)
