"""The arithmetic of the trade once more, plainly and without doubt.

Written for the tests from the formulas, not from the product's code: it is the
second derivation that results are compared with, and the baseline of the timings.
"""

from __future__ import annotations

import math

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
    for name in ("deck_height", "gasket.thickness", "gasket.bore"):
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


# long: the second way of the stack's arithmetic, on purpose in one piece
def _hole(v: dict[str, float], ops) -> dict[str, float | None]:
    deck = head = crown = opened = 0.0
    for op in ops:
        if op.op == "deck_cut":
            deck += op.amount.value
        elif op.op == "head_cut":
            head += op.amount.value
        elif op.op == "crown_cut":
            crown += op.amount.value
        elif op.op == "open_chamber":
            opened += op.amount.value
        elif op.gasket is not None:
            for name in ("thickness", "bore"):
                q = getattr(op.gasket, name)
                if q is not None:
                    v[f"parts.gasket.{name}"] = q.value
    b, s, rod = v["parts.block.bore"], v["parts.crank.stroke"], v["parts.rod.length"]
    area = math.pi / 4 * b * b
    c = v.get("read")
    if c is None:
        c = v["parts.block.deck_height"] - (s / 2 + rod + v["parts.piston.compression_height"])
    c += crown - deck
    t, g = v["parts.gasket.thickness"], v["parts.gasket.bore"]
    draft = math.tan(math.radians(v.get("parts.head.wall_draft", 0.0)))
    removed = v.get("parts.head.opening_area", 0.0) * head
    removed -= 0.5 * v.get("parts.head.opening_perimeter", 0.0) * draft * head * head
    crevice = 0.0
    if "parts.piston.top_land_diameter" in v and "parts.piston.top_land_height" in v:
        ring = math.pi / 4 * (b * b - v["parts.piston.top_land_diameter"] ** 2)
        crevice = ring * (v["parts.piston.top_land_height"] - crown)
    vc = (
        v["parts.head.chamber_volume"]
        - removed / 1000
        - v.get("parts.block.pocket_area", 0.0) * deck / 1000
        + opened
        + math.pi / 4 * g * g * t / 1000
        + area * c / 1000
        + v["parts.piston.crown_volume"]
        - v.get("parts.piston.dish_area", 0.0) * crown / 1000
        + crevice / 1000
    )
    vs = area * s / 1000
    effective = None
    if "cam.intake_closes" in v:
        phi, r = math.radians(180 + v["cam.intake_closes"]), s / 2
        x = r * (1 - math.cos(phi)) + rod - math.sqrt(rod * rod - (r * math.sin(phi)) ** 2)
        effective = (area * x / 1000 + vc) / vc
    return {
        "clearance": c,
        "quench": c + t,
        "swept": vs,
        "volume": vc,
        "ratio": (vs + vc) / vc,
        "effective": effective,
    }


def plain_evaluation(build) -> dict[str, list[dict[str, float | None]]]:
    """Every hole's results, now and planned, bank by bank, as plain floats."""
    out: dict[str, list[dict[str, float | None]]] = {"now": [], "planned": []}
    for bank in build.banks:
        for number in bank.cylinders:
            v = _figures(build, bank.name, number)
            out["now"].append(_hole(dict(v), ()))
            ops = [
                op for op in build.planned if op.bank in (None, bank.name) and op.cylinder in (None, number)
            ]
            out["planned"].append(_hole(v, ops))
    return out
