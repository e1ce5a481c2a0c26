"""The arithmetic of the trade once more, plainly and without doubt.

Written for the tests from the formulas, not from the product's code: it is the
second derivation that results are compared with, and the baseline of the timings.
What cannot be computed for want of a figure is None.
"""

from __future__ import annotations

import math
from typing import NamedTuple

_HOLE = {
    "deck_height": "parts.block.deck_height",
    "bore": "parts.block.bore",
    "stroke": "parts.crank.stroke",
    "rod_length": "parts.rod.length",
    "compression_height": "parts.piston.compression_height",
    "crown_volume": "parts.piston.crown_volume",
    "chamber_volume": "parts.head.chamber_volume",
}


def _figures(build, bank: str, number: int) -> dict[str, float]:
    values = {path: q.value for path, q in build.figures.items() if path.startswith(("parts.", "cam."))}
    for name in ("deck_height", "gasket.thickness", "gasket.bore", "gasket.volume"):
        q = build.figures.get(f"banks.{bank}.{name}")
        if q is not None:
            values["parts.block.deck_height" if name == "deck_height" else f"parts.{name}"] = q.value
    for name, path in _HOLE.items():
        q = build.figures.get(f"cylinders.{number}.{name}")
        if q is not None:
            values[path] = q.value
    read = build.figures.get(f"cylinders.{number}.deck_clearance")
    if read is not None:
        values["read"] = read.value
    return values


def _edge(of, bore: float, deck: float) -> float:
    """What a bore's edge chamfer holds after a deck cut: a frustum of a cone less the bore inside it."""
    width, angle = of("block.edge_chamfer.width", 0.0), of("block.edge_chamfer.angle", 45.0)
    deep = width * math.tan(math.radians(angle)) - deck
    if not width or deep <= 0:
        return 0.0
    low = bore / 2
    high = low + deep / math.tan(math.radians(angle))
    return math.pi * deep * ((low * low + low * high + high * high) / 3 - low * low) / 1000


class Guess(NamedTuple):
    """What the house guesses where nobody told: how much wider a gasket is, how conical a dish, a ring in cc."""

    wider: float = 1.0
    to_cone: float = 0.0
    ring: float = 0.0


# long: the second way of the stack's arithmetic, on purpose in one piece
def _hole(v: dict[str, float], ops, guess: Guess | None) -> dict[str, float | None]:
    nan, house = math.nan, guess is not None
    guess = guess or Guess()
    cuts = dict.fromkeys(("deck_cut", "head_cut", "crown_cut", "open_chamber"), 0.0)
    for op in ops:
        if op.gasket is None:
            cuts[op.op] += op.amount.value
            continue
        for name in ("thickness", "bore"):
            q = getattr(op.gasket, name)
            if q is not None:
                v[f"parts.gasket.{name}"] = q.value
    deck, head, crown = cuts["deck_cut"], cuts["head_cut"], cuts["crown_cut"]

    def of(path, otherwise=nan):
        return v.get(f"parts.{path}", otherwise)

    b, s, rod = of("block.bore"), of("crank.stroke"), of("rod.length")
    area = math.pi / 4 * b * b
    c = v.get("read", of("block.deck_height") - (s / 2 + rod + of("piston.compression_height")))
    # What stands above the rim comes off first, then the rim with its dish, which has a floor.
    above = of("piston.above_rim", 0.0)
    off_top, off_rim = min(crown, above), max(crown - above, 0.0)
    c += off_rim - deck
    top = of("piston.crown_volume")
    if above and off_top:
        top += of("piston.above_rim_area") * off_top / 1000
    dish = of("piston.dish_area", 0.0) * off_rim / 1000
    held = of("piston.crown_volume") + (of("piston.above_rim_area") * above / 1000 if above else 0.0)
    lost = min(dish, held) if held > 0 else dish
    if house and held > 0 and dish:
        # A cone of that opening and volume, cut to the same depth: what it keeps, by similar solids.
        deep = 3 * held * 1000 / of("piston.dish_area")
        lost -= guess.to_cone * (lost - held * (1 - max(1 - off_rim / deep, 0) ** 3))
    top -= lost
    if house and off_rim > 0 and held > 0.02 and "parts.piston.dish_area" not in v:
        top = nan
    t, g = of("gasket.thickness"), of("gasket.bore")
    if house and not v.keys() & {f"parts.gasket.{name}" for name in ("bore", "opening_area", "volume")}:
        g = b + guess.wider
    gasket = math.pi / 4 * g * g * t / 1000
    if math.isnan(gasket):
        gasket = of("gasket.volume")
    vs = area * s / 1000
    if math.isnan(vs):
        vs = of("block.swept_volume")
    draft = of("head.opening_perimeter", 0.0) * math.tan(math.radians(of("head.wall_draft", 0.0)))
    removed = (of("head.opening_area") * head - 0.5 * draft * head * head) / 1000 if head else 0.0
    if draft and head > of("head.opening_area") / draft:
        removed = nan
    chamber = of("head.chamber_volume") + cuts["open_chamber"] - removed
    if head and chamber < 0:
        chamber = nan
    chamber -= of("block.pocket_area", 0.0) * deck / 1000
    if chamber < 0 and deck and of("block.pocket_area", 0.0):
        chamber = nan
    crevice = 0.0
    if "parts.piston.top_land_diameter" in v and "parts.piston.top_land_height" in v:
        left = v["parts.piston.top_land_height"] - off_rim
        ring = math.pi / 4 * (b * b - v["parts.piston.top_land_diameter"] ** 2)
        crevice = ring * left / 1000 if left > 0 or (left == 0 and not crown) else nan
    vc = chamber + gasket + (area * c / 1000 if c else 0.0) + top + crevice + _edge(of, b, deck)
    effective = nan
    if "cam.intake_closes" in v and not math.isnan(s * rod):
        phi, r = math.radians(180 + v["cam.intake_closes"]), s / 2
        x = r * (1 - math.cos(phi)) + rod - math.sqrt(rod * rod - (r * math.sin(phi)) ** 2)
        effective = (area * x / 1000 + vc) / vc
    if "parts.piston.top_land_height" not in v or "parts.piston.top_land_diameter" not in v:
        vc += guess.ring
    ratio = (vs + vc) / vc
    out = {"clearance": c, "quench": c + t, "swept": vs, "volume": vc, "ratio": ratio, "effective": effective}
    if vc <= 0 or math.isnan(ratio):
        out |= {"ratio": nan, "effective": nan}
    return {name: None if math.isnan(value) else value for name, value in out.items()}


def plain_evaluation(build, guess: Guess | None = None) -> dict[str, list[dict[str, float | None]]]:
    """Every hole's results, now and planned, bank by bank, as plain floats."""
    out: dict[str, list[dict[str, float | None]]] = {"now": [], "planned": []}
    for bank in build.banks:
        for number in bank.cylinders:
            v = _figures(build, bank.name, number)
            own = (guess or Guess()) if build.unstated_doubt == "house" else None
            out["now"].append(_hole(dict(v), (), own))
            ops = [
                op for op in build.planned if op.bank in (None, bank.name) and op.cylinder in (None, number)
            ]
            out["planned"].append(_hole(v, ops, own))
    return out
