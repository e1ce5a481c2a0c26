"""Small shelves for the tests of the mix: every dimension from a few values, so that parts meet."""

from __future__ import annotations

import itertools

from hypothesis import strategies as st

from zygometra.core.mix.judge import judge
from zygometra.core.mix.parts import MAKING, STAND_INS, Part
from zygometra.core.mix.placeholders import with_stand_ins
from zygometra.core.mix.question import PRIORITIES, WANTED, MixQuestion
from zygometra.core.mix.shelf import Block, shelf_of
from zygometra.core.mix.usual import USUAL
from zygometra.core.windows import Window

# The recipe of one nominal part of each kind, as a page names it.
KEY = "~".join(f"{kind}-0" for kind in MAKING)
# Windows that this recipe meets.
WINDOWS = "quench-min=1.0&quench-max=1.6&compression_ratio-min=9&compression_ratio-max=10.5"
BLOCK = Part(
    "block",
    "B1",
    figures={
        "deck_height": 225.4,
        "bore": 92.0,
        "largest_bore": 93.5,
        "cylinders": 4,
        "banks": 1,
        "main_diameter": 60.0,
        "thrust_width": 28.0,
        "snout_diameter": 32.0,
        "seal_diameter": 84.0,
        "swing_room": 84.0,
        "big_end_room": 82.0,
    },
    texts={"head_pattern": "T10", "flange": "six", "balance": "internal", "trigger": "24"},
)
CRANK = {
    "stroke": 86.0,
    "pin_diameter": 50.0,
    "pin_width": 24.2,
    "main_diameter": 60.0,
    "thrust_width": 28.0,
    "snout_diameter": 32.0,
    "seal_diameter": 84.0,
    "counterweight_radius": 70.0,
}
ROD = {
    "length": 148.0,
    "journal_diameter": 50.0,
    "big_end_width": 24.0,
    "pin_bore": 22.0,
    "big_end_radius": 36.0,
}
PISTON = {
    "compression_height": 34.2,
    "crown_volume": 4.5,
    "bore": 92.0,
    "pin_diameter": 22.0,
    "pin_bore": 22.0,
    "dome_height": 0.0,
    "dish_area": 0.0,
    "skirt_length": 30.0,
}
GASKET = {"thickness": 1.2, "bore": 93.5}
HEAD = {"chamber_volume": 52.0, "dome_room": 10.0}
WORDS = {
    "crank": {"flange": "six", "balance": "internal", "trigger": "24"},
    "rod": {"material": "steel"},
    "gasket": {"head_pattern": "T10"},
    "head": {"head_pattern": "T10"},
}
NOMINAL = {"crank": CRANK, "rod": ROD, "piston": PISTON, "gasket": GASKET, "head": HEAD}


def part(
    kind: str,
    code: str,
    *,
    words: dict | None = None,
    price: int | None = 10_000,
    on_shelf: int = 0,
    state: str = "idea",
    **figures: object,
) -> Part:
    """A part as the nominal one, but for what is said; a figure of None is not known."""
    known = {k: v for k, v in ({**NOMINAL[kind], **figures}).items() if v is not None}
    return Part(
        kind,
        code,
        figures=known,
        texts={**WORDS.get(kind, {}), **(words or {})},
        price=price,
        on_shelf=on_shelf,
        state=state,
    )


def shelf(*parts: Part, block: Part = BLOCK):
    """A shelf of these parts; of a kind that is not among them, the nominal one."""
    present = {p.kind for p in parts}
    rest = [part(kind, f"{kind}-0") for kind in MAKING if kind not in present]
    return shelf_of([block, *parts, *rest])


def _some(*values: object) -> st.SearchStrategy:
    return st.sampled_from(values)


_MONEY = {
    "price": _some(None, 1000, 5000, 5000, 20_000),
    "on_shelf": _some(0, 1, 4),
    "state": _some("idea", "ordered", "accepted"),
}
_FIGURES = {
    "crank": {
        "stroke": _some(86.0, 88.0, 92.0, None),
        "pin_diameter": _some(50.0, 52.0, 54.0, None),
        "pin_width": _some(24.2, 23.5, None),
        "main_diameter": _some(60.0, 60.0, 61.5, 50.0, None),
        "snout_diameter": _some(32.0, 33.0, 30.0, None),
        "counterweight_radius": _some(70.0, 83.0, None),
    },
    "rod": {
        "length": _some(146.0, 148.0, 150.5),
        "journal_diameter": _some(50.0, 50.0, 48.0),
        "big_end_width": _some(24.0, 25.5, 22.0),
        "pin_bore": _some(22.0, 21.0, 20.0, 22.01, 21.97, None),
        "big_end_radius": _some(36.0, 37.0, 38.0, None),
    },
    "piston": {
        "compression_height": _some(34.2, 31.0, 34.9, 36.0),
        "crown_volume": _some(4.5, 12.0, -3.0, None),
        "bore": _some(92.0, 92.0, 92.5, 94.0, None),
        "pin_diameter": _some(22.0, 21.0),
        "pin_bore": _some(22.0, None, 21.8),
        "dome_height": _some(0.0, 9.5, None),
        "skirt_length": _some(30.0, 34.5, None),
        "dish_area": _some(None, 3000.0),
        "top_land_height": _some(None, 6.0, 3.4),
        "crown_thickness": _some(None, 6.5, 5.2),
        "top_land_diameter": _some(None, 91.4),
    },
    "gasket": {
        "thickness": _some(0.6, 1.2, 1.6, None),
        "bore": _some(93.5, 92.2, None),
        "opening_area": _some(None, 6900.0),
    },
    "head": {"chamber_volume": _some(48.0, 52.0, 60.0, None), "dome_room": _some(10.0, None)},
}
_TEXTS = {
    "crank": {
        "flange": _some("six", "eight", ""),
        "balance": _some("internal", "external"),
        "trigger": _some("24", ""),
    },
    "rod": {"material": _some("steel", "aluminium", ""), "pin": _some("floating", "pressed", "")},
    "gasket": {"head_pattern": _some("T10", "T10", "V14")},
    "head": {"head_pattern": _some("T10", "T10", "V14", "")},
    "piston": {"pin": _some("floating", "pressed", ""), "crown": _some("flat", "dish", "dome", "")},
}


def _some_of(draw, choices: dict, most: int) -> dict:
    names = draw(st.lists(st.sampled_from(sorted(choices)), max_size=most, unique=True)) if choices else []
    return {name: draw(choices[name]) for name in names}


@st.composite
def shelves(draw):
    """A block and up to three parts of each kind."""
    made = [BLOCK]
    for kind in MAKING:
        # Of gaskets and heads there may be none yet.
        least = 0 if kind in STAND_INS and draw(st.integers(0, 4)) == 0 else 1
        for number in range(draw(st.integers(least, 3 if least else 1))):
            # The nominal part but for a few things: else hardly any two would meet.
            figures = _some_of(draw, _FIGURES[kind], 3)
            words, money = _some_of(draw, _TEXTS[kind], 1), _some_of(draw, _MONEY, 3)
            made.append(part(kind, f"{kind}-{number}", words=words, **money, **figures))
    return with_stand_ins(shelf_of(made))


_EDGES = {
    "deck_clearance": (-0.5, 0.0, 0.2, 0.5, 2.0),
    "quench": (0.9, 1.2, 1.4, 1.7, 3.0),
    "compression_ratio": (8.0, 9.0, 10.0, 11.0),
    "displacement": (2250.0, 2287.0, 2400.0, 2500.0),
    "rod_ratio": (1.6, 1.7, 1.75),
    "piston_speed": (15.0, 15.8, 16.5, 17.0),
    "cost": (100.0, 500.0, 1000.0, 3000.0),
}


@st.composite
def windows(draw):
    """Some windows, each with or without an aim and with one or two edges."""
    out = {}
    for wanted in WANTED:
        if draw(st.integers(0, 2)):
            continue
        edges = _EDGES[wanted.key]
        low, high = draw(_some(*edges[: len(edges) // 2 + 1])), draw(_some(*edges[len(edges) // 2 :]))
        aim = draw(_some(None, (low + high) / 2))
        out[wanted.key] = Window(draw(_some(None, low)), aim, draw(_some(None, high, high)))
    return out


@st.composite
def questions(draw):
    """A question about that block."""
    machining = draw(
        _some(None, None, frozenset(), frozenset({"offset-grind", "face-crown", "bore", "hone-small-end"}))
    )
    return MixQuestion(
        "B1",
        draw(windows()),
        priority=draw(_some(*PRIORITIES)),
        best=draw(_some(1, 3, 1000)),
        only_in_hand=draw(st.sampled_from((False, False, False, True))),
        machining=machining,
        quench_floor={"": 0.9, "aluminium": 1.4},
    )


def all_verdicts(shelf, question, rules=USUAL):
    """Every recipe there could be, judged one by one."""
    block = Block(shelf, question.block)
    every = itertools.product(*(range(len(shelf.tables[kind])) for kind in MAKING))
    return [judge(shelf, block, rules=rules, question=question, recipe=recipe) for recipe in every]
