"""Engines that nobody built: true dimensions that are hidden, and a shop that reads them with its faults.

Everything is drawn from one seed. What is drawn here is drawn by the rules of the trade and not by the
program: pieces about their paper figures, gauges with a bias, zeros, shots, temperatures.
"""

from __future__ import annotations

import copy
import math
import random
from dataclasses import dataclass, field

PAPER = {
    "deck_height": (220.0, 0.10),
    "stroke": (80.0, 0.05),
    "length": (140.0, 0.05),
    "compression_height": (39.6, 0.05),
    "bore": (88.0, 0.02),
    "chamber_volume": (45.0, 1.0),
    "crown_volume": (5.0, 0.30),
    "thickness": (1.2, 0.06),
    "gasket_bore": (90.0, 0.2),
    "top_land_height": (6.0, 0.2),
    "top_land_diameter": (87.4, 0.05),
}
# How pieces of a set differ, and a deck along its bank, per mm.
PIECES = {
    "deck_height": 0.01,
    "stroke": 0.012,
    "length": 0.012,
    "compression_height": 0.012,
    "bore": 0.008,
    "chamber_volume": 0.35,
}
SLOPE, PITCH, IRON = 0.1 / 1000, 96.0, 11e-6
# Gauge of each figure: step, own doubt and scatter from–to.
GAUGES = {
    "deck_clearance": ("depth-1", (0.001, 0.01), (0.001, 0.004), (0.003, 0.006)),
    "bore": ("bore-1", (0.002, 0.005), (0.001, 0.003), (0.0015, 0.003)),
    "compression_height": ("height-1", (0.005, 0.005), (0.003, 0.006), (0.004, 0.006)),
    "length": ("rods-1", (0.005, 0.005), (0.003, 0.005), (0.004, 0.005)),
}
SHOT, SHOT_U, RANDOM, PART_U = 2.5, 0.01, 0.015, 0.06


@dataclass
class Engine:
    """One engine: what is true, what its document says, and how it is read."""

    document: dict
    truth: dict[tuple[str, int], float]
    gauges: dict[str, tuple[str, float, float, float]]
    bias: dict[str, float]
    zeros: dict[str, float]
    temperature: float
    believed: float
    shot: float
    holes: tuple[int, ...]
    rng: random.Random
    sag: float = 0.0
    count: int = field(default=0)

    def reading(self, figure: str, hole: int, *, tipped: bool = False, zero: str = "z1") -> dict:
        """Read one figure once, as a hand would."""
        self.count += 1
        entry = {"id": f"r{self.count}", "figure": figure, "cylinder": hole}
        if figure == "chamber_volume":
            return entry | {"shots": self._shots(self.truth[figure, hole])}
        name, step, _, scatter = self.gauges[figure]
        true = self.truth[figure, hole]
        entry["gauge"] = name
        if figure == "deck_clearance":
            entry |= {"zero": zero, "on": "rim", "axis": "pin"}
            shown = true + self.sag + self.bias[name] - self.zeros[zero]
            if tipped:
                rock = abs(self.rng.gauss(0.04, 0.01))
                sides = [shown + side * rock + self.rng.gauss(0, scatter) for side in (-1, 1)]
                entry.pop("axis")
                return entry | {"tipped": [_stepped(side, step) for side in sides]}
            return entry | {"value": _stepped(shown + self.rng.gauss(0, scatter), step)}
        # The part is warm; what is written down is what the thermometer said.
        warm = true * (1 + IRON * (self.temperature - 20)) if figure == "bore" else true
        entry["temperature"] = self.believed if figure == "bore" else 20.0
        return entry | {"value": _stepped(warm + self.bias[name] + self.rng.gauss(0, scatter), step)}

    def _shots(self, volume: float) -> dict:
        whole = int((volume - 0.2) / self.shot)
        delivered = whole * self.shot + math.sqrt(whole) * self.rng.gauss(0, RANDOM)
        part = volume - delivered + self.rng.gauss(0, PART_U)
        return {
            "count": whole,
            "size": {"value": SHOT, "unit": "cc", "u": SHOT_U},
            "random": {"value": RANDOM, "unit": "cc"},
            "part": {"value": round(max(part, 0.0), 3), "unit": "cc", "u": PART_U},
        }

    def read_all(self, figures: tuple[str, ...], repeats: int, *, tipped: bool = False) -> Engine:
        """Read figures of every hole so often, and note it."""
        for _ in range(repeats):
            for figure in figures:
                for hole in self.holes:
                    self.document["readings"].append(
                        self.reading(figure, hole, tipped=tipped and figure == "deck_clearance")
                    )
        return self

    def copy(self) -> Engine:
        """The same engine with a logbook of its own."""
        other = copy.copy(self)
        other.document = copy.deepcopy(self.document)
        return other


def _stepped(value: float, step: float) -> float:
    return round(round(value / step) * step, 6)


# long: one engine, figure by figure
def engine(
    seed: int,
    *,
    holes: int = 4,
    banks: int = 1,
    register: float = 1.0,
    coarse: bool = False,
    sag: bool = False,
) -> Engine:
    """Draw an engine: true dimensions about its paper figures, gauges, a zero, a warm shop.

    ``register`` is what the register's repeatability is, times the true one; ``coarse`` takes the
    coarser of each gauge's steps; ``sag`` hangs the pistons low on the bench. Of two banks each has the
    odd or the even numbers, and a deck of its own.
    """
    rng = random.Random(seed)
    numbers = tuple(range(1, holes + 1))
    of_banks = [numbers[i::banks] for i in range(banks)]
    off = {name: rng.uniform(-t, t) for name, (_, t) in PAPER.items()}
    slope = rng.gauss(0, SLOPE)
    stated_height, tolerance = PAPER["deck_height"]
    decks = [(off["deck_height"], slope)]
    decks += [(rng.uniform(-tolerance, tolerance), rng.gauss(0, SLOPE)) for _ in range(banks - 1)]
    truth: dict[tuple[str, int], float] = {}
    for name, (stated, _) in PAPER.items():
        for hole in numbers:
            own = rng.gauss(0, PIECES.get(name, 0.0)) if name in PIECES else 0.0
            truth[name, hole] = stated + off[name] + own
            if name == "deck_height":
                bank = of_banks[(hole - 1) % banks]
                by, along = decks[(hole - 1) % banks]
                at = PITCH * (bank.index(hole) - (len(bank) - 1) / 2)
                truth[name, hole] = stated_height + by + own + along * at
    for hole in numbers:
        height, stroke, rod, piston = (
            truth[n, hole] for n in ("deck_height", "stroke", "length", "compression_height")
        )
        truth["deck_clearance", hole] = height - stroke / 2 - rod - piston
    gauges, bias = {}, {}
    for figure, (name, steps, own, scatter) in GAUGES.items():
        u = rng.uniform(*own)
        gauges[figure] = (name, steps[1] if coarse else steps[0], u, rng.uniform(*scatter))
        bias[name] = rng.gauss(0, u)
    zero_scatter = gauges["deck_clearance"][3]
    zeros = {f"z{i}": _stepped(rng.gauss(0, zero_scatter), gauges["deck_clearance"][1]) for i in range(1, 9)}
    temperature = rng.uniform(15, 30)
    document = _document(of_banks, gauges, register)
    return Engine(
        document=document,
        truth=truth,
        gauges=gauges,
        bias=bias,
        zeros=zeros,
        temperature=temperature,
        believed=round(temperature + rng.gauss(0, 2), 1),
        shot=SHOT + rng.gauss(0, SHOT_U),
        holes=numbers,
        rng=rng,
        sag=rng.uniform(0, 0.06) if sag else 0.0,
    )


# long: one document, part by part
def _document(banks: list[tuple[int, ...]], gauges: dict, register: float) -> dict:
    def q(name: str, unit: str = "mm") -> dict:
        value, tolerance = PAPER[name]
        return {"value": value, "unit": unit, "plus_minus": tolerance, "basis": "catalogue"}

    return {
        "format": "zygometra.build",
        "version": 1,
        "name": "a drawn engine",
        "unstated_doubt": "zero",
        "engine": {
            "layout": "inline" if len(banks) == 1 else "vee",
            "bank_angle": 0 if len(banks) == 1 else 90,
            "bore_pitch": PITCH,
            "banks": [{"name": name, "cylinders": list(own)} for name, own in zip("AB", banks, strict=False)],
        },
        "parts": {
            "block": {"deck_height": q("deck_height"), "bore": q("bore")},
            "crank": {"stroke": q("stroke")},
            "rod": {"length": q("length"), "material": "steel"},
            "piston": {
                "compression_height": q("compression_height"),
                "crown_volume": q("crown_volume", "cc"),
                "top_land_height": q("top_land_height"),
                "top_land_diameter": q("top_land_diameter"),
            },
            "gasket": {"name": "g", "thickness": q("thickness"), "bore": q("gasket_bore")},
            "head": {"chamber_volume": q("chamber_volume", "cc"), "opening_area": 4000},
        },
        "gauges": {
            name: {
                "kind": name,
                "resolution": step,
                "u": u,
                "repeatability": scatter * register,
                "compensated": True,
            }
            for name, step, u, scatter in gauges.values()
        },
        "readings": [],
    }


def true_results(made: Engine, hole: int) -> dict[str, float]:
    """What a hole truly comes to, by plain arithmetic on the hidden dimensions; shared stroke as stated."""
    t = {name: made.truth[name, hole] for name in (*PAPER, "deck_clearance")}
    clearance = t["deck_clearance"]
    area = math.pi / 4 * t["bore"] ** 2
    ring = (area - math.pi / 4 * t["top_land_diameter"] ** 2) * t["top_land_height"] / 1000
    gasket = math.pi / 4 * t["gasket_bore"] ** 2 * t["thickness"] / 1000
    volume = t["chamber_volume"] + gasket + area * clearance / 1000 + t["crown_volume"] + ring
    swept = area * t["stroke"] / 1000
    return {
        "deck_clearance": clearance,
        "quench": clearance + t["thickness"],
        "compression_ratio": (swept + volume) / volume,
    }
