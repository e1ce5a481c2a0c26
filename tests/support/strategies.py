"""Hypothesis strategies for engines that could be."""

from __future__ import annotations

from hypothesis import strategies as st

from zygometra.core.build.document import read_document


def quantity(low: float, high: float, width: float):
    """A value with a tolerance, rounded as a person would type it."""
    return st.floats(low, high).map(
        lambda v: {"value": round(v, 4), "plus_minus": width, "basis": "measured"}
    )


# long: one document, drawn key by key
@st.composite
def documents(draw, *, planned: bool = True):
    """An inline engine with believable proportions, every figure with its doubt."""
    stroke = draw(st.floats(60, 110))
    rod = stroke * draw(st.floats(1.5, 2.0))
    height = draw(st.floats(25, 45))
    clearance = draw(st.floats(-0.5, 1.5))
    bore = draw(st.floats(70, 110))
    document = {
        "format": "zygometra.build",
        "version": 1,
        "name": "drawn",
        "unstated_doubt": draw(st.sampled_from(["zero", "zero", "house"])),
        "engine": {
            "layout": "inline",
            "bank_angle": 0,
            "bore_pitch": 100,
            "banks": [{"name": "A", "cylinders": [1, 2, 3]}],
        },
        "parts": {
            "block": {
                "deck_height": {"value": stroke / 2 + rod + height + clearance, "plus_minus": 0.05},
                "bore": {"value": bore, "plus_minus": 0.02},
            },
            "crank": {"stroke": {"value": stroke, "plus_minus": 0.03}},
            "rod": {"length": {"value": rod, "u": 0.01, "each": True}},
            "piston": {
                "compression_height": {"value": height, "readings": [height, height + 0.01, height - 0.01]},
                "crown_volume": draw(st.one_of(quantity(-5, -0.4, 0.3), quantity(0.2, 8, 0.05))),
                "top_land_height": draw(quantity(4, 8, 0.1)),
                "top_land_diameter": {"value": bore - 0.6, "plus_minus": 0.03},
                "dish_area": draw(st.sampled_from([801.3, 0, 2403.7, None])),
            },
            "gasket": {
                "thickness": draw(quantity(0.9, 1.6, 0.04)),
                "bore": {"value": bore + 1.5, "plus_minus": 0.2},
            },
            "head": {
                "chamber_volume": draw(quantity(35, 70, 0.5)),
                "opening_area": {"value": 3800, "plus_minus": 60},
                "opening_perimeter": {"value": 230, "plus_minus": 3},
                "wall_draft": {"value": 10, "plus_minus": 1},
            },
        },
        "cam": {"intake_closes": {"value": draw(st.floats(30, 80)), "plus_minus": 1}},
    }
    if document["parts"]["piston"]["dish_area"] is None:
        del document["parts"]["piston"]["dish_area"]
    if draw(st.booleans()):
        # Valves in the block: a deck cut takes this area from the chamber too.
        document["parts"]["block"]["pocket_area"] = {"value": draw(st.floats(300, 2500)), "plus_minus": 20}
    if draw(st.booleans()):
        # Narrow ones are gone once the deck is cut.
        document["parts"]["block"]["edge_chamfer"] = {
            "width": {"value": draw(st.sampled_from([0.031, 0.487, 1.013])), "plus_minus": 0.02},
            "angle": {"value": draw(st.sampled_from([29.3, 45, 61.7])), "plus_minus": 1},
        }
    above = draw(st.sampled_from([None, 0, 0.217, 1.913]))
    if above is not None:
        document["parts"]["piston"]["above_rim"] = {"value": above, "plus_minus": 0.02 if above else 0}
        if above:
            document["parts"]["piston"]["above_rim_area"] = {"value": 1207.3, "plus_minus": 20}
    if draw(st.booleans()):
        document["cylinders"] = {
            "2": {
                "deck_clearance": {"readings": [0.2, 0.22, 0.21], "resolution": 0.01},
                "chamber_volume": {"value": 50, "plus_minus": 0.2},
            }
        }
    if planned:
        document["planned"] = [
            {"op": "deck_cut", "amount": {"value": draw(st.floats(0.01, 0.5)), "plus_minus": 0.01}},
            {"op": "head_cut", "amount": {"value": draw(st.floats(0.01, 0.8)), "plus_minus": 0.01}},
            {"op": "crown_cut", "amount": {"value": draw(st.floats(0.01, 0.4)), "plus_minus": 0.01}},
            {"op": "open_chamber", "cylinder": 2, "amount": "0.6 cc"},
        ]
    return document


# Every figure of a drawn document that may be left out, by part and name.
LEAVABLE = (
    ("block", "deck_height"),
    ("block", "bore"),
    ("crank", "stroke"),
    ("rod", "length"),
    ("piston", "compression_height"),
    ("piston", "crown_volume"),
    ("piston", "top_land_height"),
    ("gasket", "thickness"),
    ("gasket", "bore"),
    ("head", "chamber_volume"),
    ("head", "opening_area"),
)


@st.composite
def partial_documents(draw):
    """A document with some figures left out, some of them given as a volume instead."""
    document = draw(documents())
    left_out = draw(st.sets(st.sampled_from(LEAVABLE), max_size=5))
    parts = {kind: dict(part) for kind, part in document["parts"].items()}
    for kind, name in left_out:
        parts[kind].pop(name, None)
    if draw(st.booleans()):
        parts["gasket"]["volume"] = {"value": 8.5, "plus_minus": 0.2}
    if draw(st.booleans()):
        parts["block"]["swept_volume"] = {"value": 500, "plus_minus": 1}
    # An emptied part is no part at all.
    return document | {"parts": {kind: part for kind, part in parts.items() if part}}


def builds(*, planned: bool = True):
    """The same as builds."""
    return documents(planned=planned).map(read_document)
