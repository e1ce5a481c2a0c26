"""Vee eights to plan: gaskets by the dozen, thirty pistons, a lever for everything."""

from __future__ import annotations

import random

from support.plain_plans import document


# long: one build file
def vee_eight(seed: int, *, head: bool = False) -> dict:
    """A mocked-up vee eight whose two decks stand apart, with what its shop can do about it."""
    of = random.Random(seed)
    banks = (("A", (1, 3, 5, 7)), ("B", (2, 4, 6, 8)))
    clearances = [
        round(level + lean * place / 3 + of.gauss(0, 0.015), 3)
        for level, lean in ((of.uniform(0.15, 0.45), of.uniform(-0.12, 0.12)) for _ in banks)
        for place in range(4)
    ]
    chambers = [round(of.gauss(52.0, 0.6), 2) for _ in range(8)]
    step, missed = "0.01 mm", {"value": 0, "plus_minus": 0.015}
    levers = {
        "deck_cut": {
            "max": 0.5,
            "step": step,
            "tolerance": missed,
            "fixed": 60,
            "per_unit": 120,
            "metal": 50,
            "minutes": 40,
            "days": 1,
            "level": True,
            "level_fixed": 25,
            "needs": ["strip"],
        },
        "crown_cut": {
            "max": 0.6,
            "step": step,
            "tolerance": missed,
            "fixed": 90,
            "per_unit": 80,
            "metal": 40,
            "days": 1,
            "needs": ["heads off"],
        },
        "open_chamber": {
            "max": "2 cc",
            "step": "0.1 cc",
            "tolerance": {"value": 0, "plus_minus": 0.1},
            "fixed": 8,
            "per_unit": 6,
            "metal": 1,
            "needs": ["heads off"],
        },
        "gaskets": [_gasket(of, i) for i in range(12)],
        "gasket_per_bank": True,
        "gasket_needs": ["heads off"],
        "parts": [_piston(of, i) for i in range(30)],
        "set_ups": {"heads off": {"cost": 50, "days": 0}, "strip": {"cost": 200, "days": 1}},
    }
    if head:
        levers["head_cut"] = levers["deck_cut"] | {"level": False, "level_fixed": 0, "needs": ["heads off"]}
    ratio, gap = of.uniform(9.4, 10.4), of.uniform(0.95, 1.15)
    targets = {
        "compression_ratio": {"min": round(ratio - 0.15, 2), "max": round(ratio + 0.15, 2)},
        "quench": {"min": round(gap - 0.08, 2), "max": round(gap + 0.08, 2)},
    }
    planning = {"priority": of.choice(["cheapest", "least metal", "surest", "soonest"])}
    return document(
        clearances=clearances,
        chambers=chambers,
        banks=banks,
        targets=targets,
        levers=levers,
        planning=planning,
    )


def _gasket(of, i):
    thickness = {"value": round(0.7 + 0.1 * i, 2), "plus_minus": 0.03}
    bore, price, days = of.choice([93.5, 94.0, 95.0]), of.choice([18, 25, 40, 65]), of.choice([0, 0, 2, 5])
    return {"name": f"G{i}", "thickness": thickness, "bore": bore, "price": price, "days": days}


def _piston(of, i):
    price, days = of.choice([240, 310, 420, 560]), of.choice([0, 3, 7, 14])
    part = {
        "name": f"P{i}",
        "compression_height": {"value": round(of.uniform(34.3, 35.1), 2), "plus_minus": 0.02},
        "crown_volume": {"value": round(of.uniform(-2, 14), 1), "plus_minus": 0.3},
        "dish_area": 2000,
        "above_rim": 0,
    }
    return {"kind": "piston", "price": price, "days": days, "needs": ["strip"], "part": part}
