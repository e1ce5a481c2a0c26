"""Every component in every state, from made-up figures."""

from __future__ import annotations

from typing import Any

from zygometra.core.findings.said import Finding
from zygometra.core.gates import GATES
from zygometra.core.place import Place
from zygometra.core.windows import OPEN, Window
from zygometra.core.wording import Reader
from zygometra.drawing.bands import Axis, Estimate, bands
from zygometra.drawing.field import Axis as MapAxis
from zygometra.drawing.field import Point, field_map
from zygometra.drawing.marks import BASIS_WORDS
from zygometra.drawing.recipes import Stack, stacks_drawing

from ..build.fragments import WORDS, ReckoningRow, Stop
from ..figures.view import FigureCell
from ..forms.form import FormSlot
from ..mix.said import MixSaid
from ..work.released import ReleasedLine, ReleaseShown
from ..work.view import GateShown

_NOTHING = Estimate(None, 0)
_FAULT = "Found the unit 'thuo'; wanted one of mm, in, thou, such as 0.76 mm."


# long: every component in every state, one by one
def view(reader: Reader) -> dict[str, Any]:
    """Return what the page of patterns shows."""
    samples = _bands()
    return {
        "bands": samples,
        "path": [
            Stop(
                key=state,
                label=state.capitalize(),
                href="#",
                letter="",
                state=state,
                says=f"a station that is {state}",
            )
            for state in ("done", "part", "due", "blocked")
        ],
        "findings": [
            Finding(
                severity=severity,
                code="sample",
                where=Place.hole(1),
                says=f"Hole 1: what a {severity} says.",
                why="Why it matters.",
                do="What to do about it.",
            )
            for severity in ("stop", "warn", "note")
        ],
        "bases": list(BASIS_WORDS.items()),
        "rows": [
            ReckoningRow(number=1, band=samples[1][1], now="9.50", planned="9.75", mark="", says=""),
            ReckoningRow(
                number=2, band=samples[3][1], now="9.10", planned="11.00", mark="▲", says="above the window"
            ),
        ],
        "verdicts": [("stop", "Stop"), ("warn", "Check"), ("fine", "Fine")],
        "stacks": stacks_drawing(_stacks(), (-0.1, 0.5), reader),
        "field": _map(),
        "said": [
            MixSaid("stop", "One thing that is said."),
            MixSaid("note", "One with more behind it.", ("a line of 0.5 mm", "another")),
        ],
        "severity_words": WORDS,
        "cells": [
            FigureCell(
                where="whole engine",
                path="",
                value="92.00 mm",
                beside="3.622 in",
                basis=name,
                mark=name,
                says=f"3.622 in · {name} · u 0.006 mm",
            )
            for name in BASIS_WORDS
        ],
        "slots": [
            FormSlot("p1", "Plain", "0.76 mm"),
            FormSlot("p2", "With a hint", hint="such as 30 thou"),
            FormSlot("p3", "At fault", "30 thuo", _FAULT),
        ],
        "choices": [("a", "catalogue"), ("b", "measured")],
        "table_rows": [("finished bore", "92.00 mm"), ("stroke", "86.00 mm")],
        "leaves": [("finished bore", "92.0 mm", "92.5 mm"), ("stroke", "nothing", "86 mm")],
        "fault": _FAULT,
        "gates_open": _gates(),
        "sheet_releases": _releases(),
    }


def _gates() -> list[GateShown]:
    return [
        GateShown(
            gate=gate,
            value=f"{gate.number}:sample",
            before="the deck of bank A",
            state="open",
            fails=("hole 2 was not read",),
            signed=None,
            lapsed=(),
        )
        for gate in GATES[:2]
    ]


def _releases() -> list[ReleaseShown]:
    why = ReleasedLine("Hole 2 was not read.", "unread:2")
    signed = "Hole 2 was not read. — accepted by M. Oru, 2031-05-02: “its neighbours were”"
    return [
        ReleaseShown("released", (), (), (signed,)),
        ReleaseShown("to check first", (why,), (why,), ()),
        ReleaseShown("not released", (why, ReleasedLine("Gate 6 is open.", "")), (why,), ()),
    ]


def _bands() -> list[tuple[str, str]]:
    window, scale = Window(9.6, 9.75, 9.9), Axis(9.4, 10.1)
    asked, open_ = bands(scale, window), bands(scale, OPEN)
    return [
        ("inside, as it stands", asked.draw(Estimate(9.74, 0.05), _NOTHING, changed=False)),
        ("moved into the window", asked.draw(Estimate(9.5, 0.1), Estimate(9.75, 0.04), changed=True)),
        ("crosses the edge", asked.draw(Estimate(9.88, 0.09), _NOTHING, changed=False)),
        ("far outside", asked.draw(Estimate(9.1, 0.05), Estimate(11.0, 0.05), changed=True)),
        ("no window", open_.draw(Estimate(9.7, 0.03), _NOTHING, changed=False)),
        ("no value", asked.draw(_NOTHING, _NOTHING, changed=False)),
    ]


def _stacks() -> list[Stack]:
    def stack(number: int, clearance: float, state: str, out: str = "") -> Stack:
        return Stack(
            key=f"recipe-{number}",
            title=f"{number} · {state or 'plain'}",
            deck_height=225.4,
            bore=92,
            stroke=86,
            rod=148,
            compression=34.4 - clearance,
            clearance=clearance,
            half=0.08,
            thickness=1.2,
            crown=4.5,
            chamber_depth=18,
            state=state,
            out=out,
        )

    return [
        stack(1, 0.2, "chosen"),
        stack(2, 0.35, "pinned"),
        stack(3, 3.1, "", "deck clearance"),
        stack(4, -1.9, "", "quench"),
    ]


def _map() -> str:
    points = [
        Point("p1", 2287, 0.2, "inside", state="in", machined=False),
        Point("p2", 2310, 0.3, "inside, to be machined", state="in", machined=True),
        Point("p3", 2400, 2.0, "outside", state="out", machined=False),
        Point("p4", 2250, 0.4, "pinned", state="pinned", machined=False),
        Point("p5", 2350, 0.1, "chosen", state="chosen", machined=False),
    ]
    across = MapAxis(
        key="displacement",
        label="displacement, cc",
        window=Window(2240, 2287, 2360),
        decimals=0,
        per_shown=1.0,
    )
    up = MapAxis(
        key="deck_clearance",
        label="deck clearance, mm",
        window=Window(-0.1, 0.2, 0.5),
        decimals=2,
        per_shown=1.0,
    )
    return field_map(points, across, up)
