"""How far a cut may go before no other lever brings the target back: against walks, and against itself."""

from __future__ import annotations

import math

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from support.half_cut import BORE, CHAMBER, CROWN, SHAPES, STROKE, built, deck_passes, document
from zygometra.core.build.cut_log import CutPlace
from zygometra.core.cutting.reach import reach_of
from zygometra.core.house_rules import rules_for

AREA = math.pi / 4 * BORE**2
DECK = CutPlace("deck_cut", "A")


def reached(windows, clearances, thick):
    """Whether every hole is inside with a gasket, by plain arithmetic."""
    for c in clearances:
        volume = CHAMBER + math.pi / 4 * 93**2 * thick / 1000 + AREA * c / 1000 + CROWN
        found = {
            "deck_clearance": c,
            "quench": c + thick,
            "compression_ratio": (AREA * STROKE / 1000 + volume) / volume,
        }
        for name, window in windows.items():
            if not window.get("min", -9) - 1e-9 <= found[name] <= window.get("max", 99) + 1e-9:
                return False
    return all(c + thick >= 0.889 for c in clearances)


@settings(max_examples=40)
@given(
    st.integers(1, 30),
    st.integers(1, 30),
    st.sampled_from([0.0, 0.02, 0.05, 0.12, 0.2]),
    st.sampled_from(["quench", "deck_clearance", "compression_ratio"]),
    st.sampled_from(["min", "max", "both"]),
    st.integers(0, 20),
)
def test_the_reach_of_a_levelled_cut_is_that_of_every_hole_in_its_turn(
    first, last, done, result, ends, place
):
    """Against a walk in steps of 2 µm: a hole that is to lose less is cut later, and the two gaskets are tried."""
    first, last = first / 100, last / 100
    middle = {"quench": 1.2, "deck_clearance": 0.0, "compression_ratio": 10.3}[result] + place * 0.02
    half = 0.1 if result != "compression_ratio" else 0.3
    window = {"min": middle - half, "max": middle + half}
    window = window if ends == "both" else {ends: window[ends]}
    doc = document(
        planned=[{"op": "deck_cut", "bank": "A", "first": first, "last": last}], targets={result: window}
    )
    doc["passes"] = deck_passes(done) if done else []
    found = reach_of(built(doc), DECK, rules_for(""))
    short = [max(first, last) - (first + (last - first) * i / 3) for i in range(4)]

    def inside(more):
        left = [0.43 + 0.01 * i - max(done + more - short[i], 0.0) for i in range(4)]
        return any(reached({result: window}, left, thick) for thick in (1.2, 1.4))

    walked = [x for x in (i / 500 for i in range(int((0.6 - done) * 500 + 1e-9) + 1)) if inside(x)]
    if found is None:
        # Before the face is level nothing narrower than the walk is looked for.
        assert all(x < max(short) - done for x in walked)
        return
    assert walked or found.most - found.least < 0.002
    if walked:
        assert found.most == pytest.approx(walked[-1], abs=0.0021)
        assert found.least <= max(walked[0], max(short) - done if walked[0] else 0.0) + 0.0021


ENDS = st.sampled_from([{"min": 9.9}, {"max": 10.6}, {"min": 10.0, "max": 10.5}, {}])
GAPS = st.sampled_from([{"min": 1.0}, {"max": 1.6}, {"min": 1.1, "max": 1.5}, {}])


@pytest.mark.parametrize("op", ["deck_cut", "head_cut"])
@pytest.mark.parametrize("shape", range(3))
@settings(max_examples=12)
@given(st.data())
def test_a_pass_takes_from_the_reach_just_what_it_takes_off(op, shape, data):
    """Of every lever, with every model of a chamber and any windows: the last moment does not move by cutting."""
    doc = document()
    doc["parts"]["head"] |= SHAPES[shape]
    windows = {"compression_ratio": data.draw(ENDS), "quench": data.draw(GAPS)}
    doc["targets"] = {name: window for name, window in windows.items() if window}
    own = doc["levers"]
    own |= {name: {"max": 0.9, "step": 0.01} for name in ("head_cut", "deck_cut")}
    if data.draw(st.booleans()):
        own["open_chamber"] = {"max": "2 cc"}
    if data.draw(st.booleans()):
        del own["deck_cut" if op == "head_cut" else "head_cut"]
    place, rules = CutPlace(op, "A"), rules_for("")
    before = reach_of(built(doc), place, rules)
    depth = data.draw(st.integers(1, 60)) / 100
    after = reach_of(built({**doc, "passes": deck_passes(depth, op=op)}), place, rules)
    if before is None or depth > before.most + 1e-6:
        assert after is None
    elif depth < before.most - 1e-6:
        assert after.most == pytest.approx(before.most - depth, abs=2e-4)
        # What is fitted decides: between two gaskets there may be depths that meet no window, so least may be more.
        assert max(before.least - depth, 0.0) - 2e-4 <= after.least <= after.most
