"""A made-up shelf of any size: engine families that never were, and parts that nearly fit them.

The same number and seed give the same shelf. Our five families come first, the rest are
drawn; most parts suit their family, some are off by a step (a pin, a journal, a bolt
pattern, a figure not known), as on any real shelf.
"""

# long: made-up families and the makers of their parts, mostly tables
from __future__ import annotations

import random
from dataclasses import dataclass
from typing import Any, NamedTuple

from zygometra.core.mix.parts import Part

_SHARES = {
    "crank": 0.17,
    "rod": 0.20,
    "piston": 0.25,
    "gasket": 0.12,
    "head": 0.11,
    "bearing": 0.05,
    "ring_set": 0.05,
    "pushrod": 0.02,
    "fastener": 0.02,
}
_SUPPLIERS = (
    "Fenwright Supply",
    "Cold Harbour Castings",
    "Marlbeck Forge",
    "Tidewell Pistons",
    "Osier & Daughter",
    "North Quay Spares",
    "the back shelf",
)
# Words that are nothing: no place, no maker and no person is called so.
_ROOTS = (
    "Alzor",
    "Brivel",
    "Cazun",
    "Duvrik",
    "Elquar",
    "Fexol",
    "Gavrix",
    "Haxil",
    "Inquel",
    "Kezlin",
    "Lozvin",
    "Mizrel",
    "Navquo",
    "Orvix",
    "Pezlar",
    "Ruvell",
    "Scozar",
    "Thuvin",
    "Ulqar",
    "Wezlin",
    "Yavrel",
    "Zexor",
)
_ENDS = (
    "ade",
    "ander",
    "ebrin",
    "ixon",
    "olt",
    "umbra",
    "enqua",
    "astre",
    "oril",
    "uvane",
    "ettle",
    "issem",
)
_JOURNALS = (38.0, 42.0, 45.0, 48.0, 50.0, 52.0, 54.0, 57.0, 60.0)
_MAINS = (48.0, 52.0, 55.0, 58.0, 60.0, 63.5, 66.0, 70.0)
_PINS = (18.0, 20.0, 21.0, 22.0, 23.0, 24.0, 25.0, 27.0)
_WIDTHS = (20.5, 22.2, 24.2, 26.0, 28.5)


@dataclass(frozen=True, slots=True)
class _Family:
    name: str
    layout: str
    cylinders: int
    banks: int
    height: float
    bore: float
    stroke: float
    rod: float
    compression: float
    crown: float
    thickness: float
    chamber: float
    journal: float
    width: float
    main: float
    thrust: float
    pin: float
    snout: float
    seal: float
    flange: str
    balance: str
    trigger: str
    pattern: str
    inch: bool = False


_OURS = (
    _Family(
        "Tarnbeck",
        "inline",
        4,
        1,
        height=225.4,
        bore=92.0,
        stroke=86.0,
        rod=148.0,
        compression=34.2,
        crown=4.5,
        thickness=1.2,
        chamber=52.0,
        journal=50.0,
        width=24.2,
        main=60.0,
        thrust=28.0,
        pin=22.0,
        snout=32.0,
        seal=84.0,
        flange="6 bolt",
        balance="internal",
        trigger="24 teeth",
        pattern="TB-10",
    ),
    _Family(
        "Quillon",
        "vee",
        8,
        2,
        height=239.4,
        bore=99.0,
        stroke=88.0,
        rod=154.0,
        compression=40.6,
        crown=-6.2,
        thickness=1.04,
        chamber=66.0,
        journal=54.0,
        width=22.2,
        main=66.0,
        thrust=31.0,
        pin=24.0,
        snout=35.0,
        seal=92.0,
        flange="8 bolt",
        balance="external",
        trigger="36 teeth",
        pattern="QN-17",
    ),
    _Family(
        "Veldrin",
        "inline",
        6,
        1,
        height=245.1,
        bore=88.0,
        stroke=100.0,
        rod=154.94,
        compression=39.93,
        crown=15.1,
        thickness=1.12,
        chamber=58.5,
        journal=52.0,
        width=26.0,
        main=63.5,
        thrust=30.0,
        pin=23.0,
        snout=34.0,
        seal=88.0,
        flange="6 bolt",
        balance="internal",
        trigger="none",
        pattern="VD-14",
        inch=True,
    ),
    _Family(
        "Pellam",
        "inline",
        1,
        1,
        height=158.0,
        bore=80.0,
        stroke=79.5,
        rod=95.0,
        compression=23.61,
        crown=-11.5,
        thickness=0.8,
        chamber=54.0,
        journal=38.0,
        width=20.5,
        main=48.0,
        thrust=24.0,
        pin=18.0,
        snout=25.0,
        seal=60.0,
        flange="taper",
        balance="internal",
        trigger="none",
        pattern="PL-4",
    ),
    _Family(
        "Ottermoor",
        "flat",
        4,
        2,
        height=201.3,
        bore=85.5,
        stroke=69.0,
        rod=131.0,
        compression=35.6,
        crown=0.0,
        thickness=0.9,
        chamber=45.0,
        journal=50.0,
        width=22.2,
        main=55.0,
        thrust=26.0,
        pin=22.0,
        snout=30.0,
        seal=80.0,
        flange="5 bolt",
        balance="internal",
        trigger="24 teeth",
        pattern="OM-8",
    ),
)


# long: one made-up family, dimension by dimension
def _families(rng: random.Random, parts: int) -> list[_Family]:
    found = list(_OURS)
    names = [root + end for root in _ROOTS for end in _ENDS]
    rng.shuffle(names)
    for name in names[: max(round(4 * parts**0.25) - len(found), 1)]:
        layout, cylinders = rng.choice(
            (("inline", 4), ("inline", 4), ("inline", 6), ("inline", 3), ("vee", 8), ("vee", 6), ("flat", 4))
        )
        bore, stroke = rng.randrange(700, 1060, 5) / 10, rng.randrange(660, 1060, 5) / 10
        rod = round(stroke * rng.uniform(1.5, 1.85), 1)
        compression = round(bore * rng.uniform(0.33, 0.44), 1)
        thickness = rng.choice((0.8, 1.0, 1.2, 1.3, 1.5))
        height = round(stroke / 2 + rod + compression + rng.uniform(0.05, 0.6), 1)
        crown = round(rng.choice((0.0, 0.0, rng.uniform(2, 16), -rng.uniform(2, 10))), 1)
        swept = 0.7854 * bore * bore * stroke / 1000
        room = (
            swept / rng.uniform(7.6, 9.6)
            - crown
            - 0.7854 * bore * bore * (height - stroke / 2 - rod - compression + thickness) / 1000
        )
        found.append(
            _Family(
                name,
                layout,
                cylinders,
                1 if layout == "inline" else 2,
                height=height,
                bore=bore,
                stroke=stroke,
                rod=rod,
                compression=compression,
                crown=crown,
                thickness=thickness,
                chamber=round(max(room, 18.0), 1),
                journal=rng.choice(_JOURNALS),
                width=rng.choice(_WIDTHS),
                main=rng.choice(_MAINS),
                thrust=rng.choice((24.0, 26.0, 28.0, 30.0, 31.0)),
                pin=rng.choice(_PINS),
                snout=rng.choice((25.0, 28.0, 30.0, 32.0, 35.0)),
                seal=rng.choice((70.0, 80.0, 84.0, 88.0, 92.0)),
                flange=rng.choice(("5 bolt", "6 bolt", "8 bolt")),
                balance=rng.choice(("internal", "internal", "external")),
                trigger=rng.choice(("24 teeth", "36 teeth", "none")),
                pattern=f"{name[:2].upper()}-{rng.choice((10, 12, 14, 17))}",
            )
        )
    return found


def demo_shelf(parts: int, seed: int) -> list[Part]:
    """Return a made-up shelf.

    Parameters
    ----------
    parts : int
        How many, 60 or more.
    seed : int
        Of the draw.

    Returns
    -------
    list of Part
        About so many parts: a block for each family, and the rest in the shares of a
        usual shelf.

    Raises
    ------
    ValueError
        With fewer than 60 parts: there is no shelf to speak of.
    """
    if parts < 60:
        raise ValueError(f"{parts} parts; at least 60 are wanted")
    rng = random.Random(seed)
    families = _families(rng, parts)
    made = [_block(family, number) for number, family in enumerate(families, 1)]
    rest = parts - len(made)
    makers = {
        "crank": _crank,
        "rod": _rod,
        "piston": _piston,
        "gasket": _gasket,
        "head": _head,
        "bearing": _bearing,
        "ring_set": _ring_set,
        "pushrod": _pushrod,
        "fastener": _fastener,
    }
    total = sum(_SHARES.values())
    for kind, share in _SHARES.items():
        for number in range(1, round(rest * share / total) + 1):
            # Each family has its own part first; then they come as they come.
            family = families[number - 1] if number <= len(families) else _drawn(rng, families)
            made.append(makers[kind](rng, family, number, own=number <= len(families)))
    return made


def _drawn(rng: random.Random, families: list[_Family]) -> _Family:
    """Our own five turn up more often than the rest."""
    return rng.choice(families[:5]) if rng.random() < 0.25 else rng.choice(families)


def _length(rng: random.Random, value: float, family: _Family, tolerance: float) -> Any:
    """A length as catalogues, drawings and benches give it."""
    basis = rng.choices(("catalogue", "advertised", "measured", "assumed"), (68, 10, 20, 2))[0]
    if basis == "measured":
        read = value + rng.gauss(0, tolerance / 3)
        return {"value": round(read, 3), "unit": "mm", "basis": "measured", "plus_minus": 0.01}
    if family.inch:
        return {"value": round(value / 25.4, 4), "unit": "in", "basis": basis}
    if rng.random() < 0.5:
        return {"value": round(value, 3), "unit": "mm", "basis": basis, "plus_minus": tolerance}
    return {"value": round(value, 3), "unit": "mm", "basis": basis}


def _volume(rng: random.Random, value: float) -> Any:
    if rng.random() < 0.25:
        return {
            "unit": "cc",
            "basis": "measured",
            "readings": [round(value + rng.gauss(0, 0.12), 1) for _ in range(3)],
            "resolution": 0.1,
        }
    basis = rng.choice(("catalogue", "advertised"))
    return {"value": round(value, 1), "unit": "cc", "basis": basis, "plus_minus": rng.choice((0.5, 0.8, 1.0))}


class _Lot(NamedTuple):
    """What lies on the shelf: its kind and number, its name, what one costs, how many one engine takes."""

    kind: str
    number: int
    name: str
    price: float
    pieces: int


def _stock(rng: random.Random, lot: _Lot, figures: dict[str, Any], texts: dict[str, str]) -> Part:
    kind, number, name, price, pieces = lot
    state = rng.choices(("idea", "ordered", "received", "measured", "accepted"), (86, 3, 3, 4, 4))[0]
    on_shelf = (
        rng.choice((pieces, pieces, max(pieces - 1, 1)))
        if state in ("received", "measured", "accepted")
        else 0
    )
    prefix = {
        "crank": "CR",
        "rod": "RD",
        "piston": "PS",
        "gasket": "GS",
        "head": "HD",
        "bearing": "BR",
        "ring_set": "RS",
        "pushrod": "PR",
        "fastener": "FS",
    }[kind]
    # Now and then a figure is not known.
    if rng.random() < 0.03 and figures:
        lost = rng.choice(sorted(figures))
        figures = {name: typed for name, typed in figures.items() if name != lost}
    cents = round(price * rng.uniform(0.8, 1.35) * 20) * 5
    return Part(
        kind=kind,
        code=f"{prefix}-{number:05d}",
        name=name,
        figures=figures,
        texts=texts,
        supplier=rng.choice(_SUPPLIERS),
        price=cents,
        state=state,
        on_shelf=on_shelf,
        lead_days=rng.choice((2, 5, 7, 10, 14, 21, 30, 60)),
    )


def _block(f: _Family, number: int) -> Part:
    def drawn(value: float, tolerance: float) -> dict[str, Any]:
        return {"value": value, "unit": "mm", "basis": "catalogue", "plus_minus": tolerance}

    figures: dict[str, Any] = {
        "deck_height": drawn(f.height, 0.1),
        "bore": drawn(f.bore, 0.02),
        "largest_bore": f"{f.bore + 1.5} mm",
        "cylinders": f.cylinders,
        "banks": f.banks,
        "main_bearings": f.cylinders + 1 if f.layout == "flat" else f.cylinders // f.banks + 1,
        "main_diameter": f"{f.main} mm",
        "thrust_width": f"{f.thrust} mm",
        "snout_diameter": f"{f.snout} mm",
        "seal_diameter": f"{f.seal} mm",
        "swing_room": f"{_counterweight(f) + 4.0:.1f} mm",
        "big_end_room": f"{f.stroke / 2 + 0.72 * f.journal + 9.0:.1f} mm",
    }
    texts = {
        "head_pattern": f.pattern,
        "flange": f.flange,
        "balance": f.balance,
        "trigger": f.trigger,
        "layout": f.layout,
        "family": f.name,
    }
    return Part(
        kind="block",
        code=f"BL-{number:03d}",
        name=f"{f.name} block",
        figures=figures,
        texts=texts,
        supplier="the back shelf",
        price=0,
        state="accepted",
        on_shelf=1,
        lead_days=0,
    )


def _counterweight(f: _Family) -> float:
    """A counterweight that clears the skirt of the family's own piston at the bottom."""
    return f.rod - f.stroke / 2 - 0.33 * f.bore - 3.0


def _crank(rng: random.Random, f: _Family, number: int, *, own: bool) -> Part:
    step = 0.0 if own else rng.choice((0, 0, 0, 0, 2, 4, 6, 8, 10, 12, -4, -6))
    stroke = f.stroke + step
    journal = f.journal if own or rng.random() < 0.75 else rng.choice(_JOURNALS)
    main = f.main if own or rng.random() < 0.85 else rng.choice(_MAINS)
    figures = {
        "stroke": _length(rng, stroke, f, 0.05),
        "pin_diameter": f"{journal} mm",
        "pin_width": f"{f.width if own or rng.random() < 0.9 else rng.choice(_WIDTHS)} mm",
        "main_diameter": f"{main} mm",
        "thrust_width": f"{f.thrust if own or rng.random() < 0.9 else f.thrust - 0.8} mm",
        "snout_diameter": f"{f.snout if own or rng.random() < 0.85 else f.snout + 3} mm",
        "seal_diameter": f"{f.seal if own or rng.random() < 0.85 else f.seal + 4} mm",
        "counterweight_radius": f"{_counterweight(f) + (0 if own else rng.choice((0, 0, 1.5, 3.5))):.1f} mm",
        "weight": f"{round(120 * stroke + rng.uniform(-800, 800))} g",
    }
    texts = {
        "flange": f.flange if own or rng.random() < 0.9 else rng.choice(("5 bolt", "6 bolt", "8 bolt")),
        "balance": f.balance if own or rng.random() < 0.9 else rng.choice(("internal", "external")),
        "trigger": f.trigger if own or rng.random() < 0.85 else rng.choice(("24 teeth", "36 teeth", "none")),
    }
    return _stock(
        rng,
        _Lot(
            "crank", number, f"{f.name} crank {stroke:g}", 380 + 14 * abs(step) + 60 * f.cylinders, pieces=1
        ),
        figures,
        texts,
    )


def _rod(rng: random.Random, f: _Family, number: int, *, own: bool) -> Part:
    length = f.rod + (0.0 if own else rng.choice((0, 0, 0, 1, 2, 3, 5, -1, -2, -3, -5, -8)))
    material = rng.choices(("steel", "titanium", "aluminium"), (90, 3, 7))[0] if not own else "steel"
    journal = f.journal if own or rng.random() < 0.7 else rng.choice(_JOURNALS)
    pin = f.pin if own or rng.random() < 0.75 else rng.choice(_PINS)
    figures = {
        "length": _length(rng, length, f, 0.03),
        "journal_diameter": f"{journal} mm",
        "big_end_width": f"{(f.width if own or rng.random() < 0.85 else rng.choice(_WIDTHS)) - 0.2:.1f} mm",
        "pin_bore": f"{pin + _PIN_FITS[_pin_held(pin)]:.3f} mm",
        "big_end_radius": f"{0.72 * journal:.1f} mm",
        "weight": f"{round(4.1 * length + rng.uniform(-30, 30))} g",
    }
    price = {"steel": 42.0, "titanium": 210.0, "aluminium": 88.0}[material]
    return _stock(
        rng,
        _Lot("rod", number, f"{f.name} rod {length:g}", price, pieces=f.cylinders),
        figures,
        {"material": material, "pin": _pin_held(pin)},
    )


# What the small end is bored to over the pin, by how it is held; small pins are pressed in.
_PIN_FITS = {"floating": 0.012, "pressed": -0.03}


def _pin_held(pin: float) -> str:
    return "floating" if pin >= 22 else "pressed"


def _piston(rng: random.Random, f: _Family, number: int, *, own: bool) -> Part:
    over = 0.0 if own else rng.choice((0, 0, 0.25, 0.5, 0.5, 1.0, 1.0, 1.5, 2.0))
    height = f.compression + (
        0.0 if own else rng.choice((0, 0, -1, -2, -3, -4, -5, 1, 2, rng.uniform(-6, 3)))
    )
    crown = f.crown if own else rng.choice((f.crown, 0.0, 3.0, 6.0, 9.0, 14.0, 18.0, -4.0, -8.0))
    pin = f.pin if own or rng.random() < 0.8 else rng.choice(_PINS)
    bore = f.bore + over
    figures = {
        "compression_height": _length(rng, height, f, 0.03),
        "crown_volume": _volume(rng, crown) if crown else "0 cc",
        "bore": f"{bore:g} mm",
        "pin_diameter": f"{pin} mm",
        "pin_bore": f"{pin if rng.random() < 0.96 else pin - 0.2:g} mm",
        "dome_height": f"{abs(min(crown, 0.0)) * 0.8:.1f} mm",
        "skirt_length": f"{0.33 * bore:.1f} mm",
        "top_land_height": f"{rng.choice((5.0, 6.0, 7.0))} mm",
        "top_land_diameter": f"{bore - 0.6:.1f} mm",
        "dish_area": f"{round(200 * crown) if crown > 0 else 0} mm2",
        "crown_thickness": f"{0.075 * bore + number % 3 * 0.4:.1f} mm",
        "weight": f"{round(5.2 * bore + rng.uniform(-25, 25))} g",
    }
    kind = "dish" if crown > 0 else "dome" if crown < 0 else "flat"
    return _stock(
        rng,
        _Lot(
            "piston",
            number,
            f"{f.name} piston {bore:g}/{height:.1f} {kind}",
            34 + 0.3 * abs(crown),
            pieces=f.cylinders,
        ),
        figures,
        {"crown": kind, "pin": _pin_held(pin)},
    )


def _gasket(rng: random.Random, f: _Family, number: int, *, own: bool) -> Part:
    thickness = (
        f.thickness if own else rng.choice((0.6, 0.7, 0.8, 0.9, 1.0, 1.02, 1.1, 1.2, 1.3, 1.5, 1.75, 2.0))
    )
    material = rng.choice(("composite", "layered steel", "copper"))
    figures = {
        "thickness": {"value": thickness, "unit": "mm", "basis": "catalogue", "plus_minus": 0.03},
        "bore": f"{f.bore + (1.6 if own else rng.choice((1.0, 1.6, 2.0, 3.0))):g} mm",
    }
    return _stock(
        rng,
        _Lot("gasket", number, f"{f.name} gasket {thickness:g} {material}", 28.0, pieces=f.banks),
        figures,
        {"head_pattern": f.pattern, "material": material},
    )


def _head(rng: random.Random, f: _Family, number: int, *, own: bool) -> Part:
    chamber = f.chamber + (0.0 if own else rng.choice((0, 0, -3, -6, -9, 3, 6, rng.uniform(-10, 10))))
    figures = {
        "chamber_volume": _volume(rng, max(chamber, 12.0)),
        "opening_area": f"{round(0.62 * 0.7854 * f.bore**2)} mm2",
        "dome_room": f"{rng.choice((8, 10, 12, 14))} mm",
        "weight": f"{round(9000 + 900 * f.cylinders)} g",
    }
    material = rng.choice(("iron", "aluminium"))
    return _stock(
        rng,
        _Lot("head", number, f"{f.name} head {chamber:.1f} {material}", 420.0, pieces=f.banks),
        figures,
        {"head_pattern": f.pattern, "material": material},
    )


def _bearing(rng: random.Random, f: _Family, number: int, *, own: bool) -> Part:
    place = "rod" if number % 2 else "main"
    journal = (
        (f.journal if place == "rod" else f.main)
        if own
        else rng.choice(_JOURNALS if place == "rod" else _MAINS)
    )
    return _stock(
        rng,
        _Lot("bearing", number, f"{place} bearing {journal:g}", 9.0, pieces=f.cylinders),
        {"journal": f"{journal} mm"},
        {"place": place},
    )


def _ring_set(rng: random.Random, f: _Family, number: int, *, own: bool) -> Part:
    bore = f.bore + (0.0 if own else rng.choice((0, 0.25, 0.5, 1.0, 1.5)))
    return _stock(
        rng,
        _Lot("ring_set", number, f"ring set {bore:g}", 16.0, pieces=f.cylinders),
        {"bore": f"{bore:g} mm"},
        {},
    )


def _pushrod(rng: random.Random, f: _Family, number: int, *, own: bool) -> Part:  # noqa: ARG001 - as every maker
    length = round(f.height + rng.choice((-22, -20, -18, -16)), 1)
    return _stock(
        rng,
        _Lot("pushrod", number, f"{f.name} pushrods {length:g}", 60.0, pieces=1),
        {"length": f"{length} mm"},
        {"head_pattern": f.pattern},
    )


def _fastener(rng: random.Random, f: _Family, number: int, *, own: bool) -> Part:
    place = rng.choice(("head", "head", "rod", "main")) if not own else "head"
    words = {"place": place} | ({"head_pattern": f.pattern} if place == "head" else {})
    return _stock(
        rng,
        _Lot("fastener", number, f"{f.name} {place} bolts", 75.0, pieces=1),
        {"diameter": f"{rng.choice((8, 10, 11, 12))} mm"},
        words,
    )
