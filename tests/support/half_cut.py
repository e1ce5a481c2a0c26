"""Builds that are half cut, drawn whole: readings, a plan, passes; and what they come to, worked plainly."""

from __future__ import annotations

from typing import Any

from hypothesis import strategies as st

from zygometra.exchange.build_file import check

STROKE, ROD, HEIGHT, CROWN, BORE, CHAMBER, OPENING = 90.0, 145.0, 39.6, 4.0, 92.0, 50.0, 4200.0


def moment(minute: int) -> str:
    """A time of one morning."""
    return f"2026-05-02T{8 + minute // 60:02d}:{minute % 60:02d}:00Z"


def document(**more: Any) -> dict[str, Any]:
    """An inline four without any doubt, its clearances read before anything was cut."""
    return {
        "format": "zygometra.build",
        "version": 1,
        "name": "half cut",
        "unstated_doubt": "zero",
        "engine": {
            "layout": "inline",
            "bore_pitch": 97,
            "banks": [{"name": "A", "cylinders": [1, 2, 3, 4]}],
        },
        "parts": {
            "block": {"deck_height": 230.0, "bore": BORE},
            "crank": {"stroke": STROKE},
            "rod": {"length": ROD},
            "piston": {"compression_height": HEIGHT, "crown_volume": CROWN, "above_rim": 0},
            "gasket": {"name": "g", "thickness": 1.2, "bore": 93},
            "head": {"chamber_volume": CHAMBER, "opening_area": OPENING},
        },
        "readings": [
            {
                "id": f"r{n}",
                "figure": "deck_clearance",
                "cylinder": n,
                "value": 0.42 + 0.01 * n,
                "at": moment(0),
            }
            for n in (1, 2, 3, 4)
        ],
        "targets": {"quench": {"min": 1.2, "max": 1.5}},
        "levers": {
            "deck_cut": {"max": 0.6, "step": 0.01, "tolerance": {"value": 0, "plus_minus": 0.015}},
            "gaskets": [{"name": "thick", "thickness": 1.4, "bore": 93}],
        },
        **more,
    }


def deck_passes(*depths: float, start: int = 30, op: str = "deck_cut") -> list[dict[str, Any]]:
    """Passes over the bank, ten minutes apart."""
    return [
        {"id": f"{op}-{i}", "op": op, "bank": "A", "number": i, "depth": depth, "at": moment(start + 10 * i)}
        for i, depth in enumerate(depths, start=1)
    ]


def planned(amount: float, op: str = "deck_cut") -> list[dict[str, Any]]:
    """One cut of the bank, missed by no more than the lever says."""
    return [{"op": op, "bank": "A", "amount": {"value": amount, "unit": "mm", "plus_minus": 0.015}}]


def built(doc: dict[str, Any]) -> Any:
    """The build of a document."""
    return check(doc)


DEPTHS = st.lists(st.floats(0.005, 0.12).map(lambda mm: round(mm, 3)), min_size=1, max_size=6)


@st.composite
def logs(draw: Any) -> tuple[dict[str, Any], dict[str, Any]]:
    """A document with passes over deck and head, crowns cut piece by piece, readings before, between and after.

    The second is the same told plainly: what comes off each hole in all, and since it was read.
    """
    deck, head = draw(DEPTHS), draw(st.lists(st.floats(0.01, 0.2), max_size=3))
    crowns = {n: draw(st.lists(st.floats(0.01, 0.2), max_size=2)) for n in (1, 2, 3, 4)}
    doc = document(passes=[], planned=planned(draw(st.floats(0.0, 0.6).map(lambda mm: round(mm, 3))) or 0.01))
    doc["passes"] = deck_passes(*deck) + deck_passes(*head, start=200, op="head_cut")
    for n, cuts in crowns.items():
        doc["passes"] += [
            {
                "id": f"c{n}-{i}",
                "op": "crown_cut",
                "cylinder": n,
                "number": i,
                "depth": d,
                "at": moment(300 + i),
            }
            for i, d in enumerate(cuts, start=1)
        ]
    told: dict[str, Any] = {"deck": {}, "head": sum(head), "crown": {n: sum(c) for n, c in crowns.items()}}
    told["made"] = sum(deck)
    for n in (1, 2, 3, 4):
        read_after = draw(st.integers(0, len(deck)))
        told["deck"][n] = (0.42 + 0.01 * n, sum(deck))
        if read_after:
            value = draw(st.floats(-0.3, 0.6).map(lambda mm: round(mm, 3)))
            at = moment(30 + 10 * read_after + 5)
            doc["readings"].append(
                {"id": f"s{n}", "figure": "deck_clearance", "cylinder": n, "value": value, "at": at}
            )
            told["deck"][n] = (value, sum(deck[read_after:]))
    # Facts come as they come: neither passes nor readings need stand in the order in which they were made.
    doc["passes"] = draw(st.permutations(doc["passes"]))
    return doc, told


FILLS = [{"depth": d, "below": v} for d, v in ((0, 50.0), (0.5, 48.1), (1.0, 46.4), (1.6, 44.6), (2.4, 42.5))]
SHAPES = [{"opening_perimeter": 240, "wall_draft": 9.0}, {"step_fills": FILLS}, {}]
CROWNS = [
    {},
    {"dish_area": 1500, "crown_volume": 6.0},
    {"above_rim": 0.25, "above_rim_area": 1100},
    {"dish_area": 900, "crown_volume": 5.0, "above_rim": 0.1, "above_rim_area": 700},
]
LANDS = [{}, {"top_land_height": 6.0, "top_land_diameter": 91.4}]


@st.composite
def engines_of_any_kind(draw):
    """An inline four with any crown, land, chamber and block, doubtful or not, its clearances read or not."""
    doc = document(unstated_doubt=draw(st.sampled_from(["zero", "house"])))
    doc["parts"]["piston"] |= draw(st.sampled_from(CROWNS)) | draw(st.sampled_from(LANDS))
    doc["parts"]["head"] |= draw(st.sampled_from(SHAPES))
    if draw(st.booleans()):
        doc["parts"]["block"]["pocket_area"] = 900
    if draw(st.booleans()):
        doc["readings"] = []
    doc["cam"] = {"intake_closes": 50}
    doc["levers"] |= {op: {"tolerance": {"value": 0, "plus_minus": 0.02}} for op in ("head_cut", "crown_cut")}
    return doc
