"""Rebuilds that nobody made: an inline four whose truth is drawn and hidden, read with gauges, planned and cut."""

from __future__ import annotations

import math
import random

from support.plain_plans import document

BORE, STROKE, OPENING = 92.0, 90.0, 94.0
AREA = math.pi / 4 * BORE**2
# Scatter between holes, of one reading, of the gauges themselves, and what a gasket and a crown may be off.
TAU, READS, GAUGE, ZERO = 0.02, 0.010, 0.004, 0.004
CC_TAU, CC_READS, CC_GAUGE = 0.4, 0.15, 0.10
GASKET, CROWN, CUT = 0.03, 0.3, 0.015


class Rebuild:
    """One engine: what it truly is, and the file of what was read of it."""

    # long: one engine and the file of it
    def __init__(self, seed: int, repeats: int, scatter: float = 1.0, *, logbook: bool = True) -> None:
        self.random = r = random.Random(seed)
        slope, off = r.gauss(0, 0.03), r.gauss(0.30, 0.08)
        self.clearance = [off + slope * (k - 1.5) / 3 + r.gauss(0, TAU) for k in range(4)]
        middle = r.gauss(52.0, 0.8)
        self.chamber = [middle + r.gauss(0, CC_TAU) for _ in range(4)]
        self.crown = 6.0 + r.uniform(-CROWN, CROWN)
        thick = [0.9, 1.02, 1.2]
        self.gaskets = [t + r.uniform(-GASKET, GASKET) for t in thick]
        levers = {
            "deck_cut": {
                "max": 0.6,
                "step": 0.01,
                "tolerance": {"value": 0, "plus_minus": CUT},
                "fixed": 90,
                "per_unit": 40,
                "metal": 50,
            },
            "gaskets": [
                {
                    "name": f"{t}",
                    "thickness": {"value": t, "plus_minus": GASKET},
                    "bore": OPENING,
                    "price": 30 + 5 * i,
                }
                for i, t in enumerate(thick)
            ],
        }
        half, wide = r.uniform(0.06, 0.3), r.uniform(0.035, 0.15)
        # What somebody asks of such an engine: near what it comes to with the middle gasket and a gap of 1.08.
        gasket = math.pi / 4 * OPENING**2 * 1.02 / 1000
        aim = 1 + AREA * STROKE / 1000 / (52.0 + 6.0 + gasket + AREA * 0.06 / 1000) + r.gauss(0, 0.12)
        self.targets = {
            "compression_ratio": {"min": aim - half, "max": aim + half},
            "quench": {"min": 1.08 - wide, "max": 1.08 + wide},
        }
        self.document = document(
            clearances=[0] * 4,
            chambers=[0] * 4,
            targets=self.targets,
            levers=levers,
            planning={
                "least_yield": 0,
                "priority": r.choice(["surest", "cheapest"]),
                "reading": {"deck_clearance": {"u": READS}},
            },
        )
        self.document["planning"]["apart"] = {"cost": 40, "metal_cc": 20, "yield": 0.05}
        self.document["between_holes"] = {"deck_clearance": TAU * scatter, "chamber_volume": CC_TAU * scatter}
        self.document["parts"]["piston"] = {
            "compression_height": 34.7,
            "crown_volume": {"value": 6.0, "plus_minus": CROWN},
            "dish_area": 2000,
            "above_rim": 0,
        }
        (self._logbook if logbook else self._lists)(repeats)

    def _read(self, truth: float, scatter: float, shared: float, step: float) -> float:
        return round((truth + shared + self.random.gauss(0, scatter)) / step) * step

    def _logbook(self, repeats: int) -> None:
        """Readings as a shop notes them: one depth gauge, one zero, one burette."""
        self.document["cylinders"] = {}
        self.document["gauges"] = {
            "depth": {
                "kind": "depth indicator",
                "resolution": "0.002 mm",
                "u": f"{GAUGE} mm",
                "repeatability": f"{READS} mm",
            },
            "burette": {
                "kind": "burette",
                "resolution": "0.05 cc",
                "u": f"{CC_GAUGE} cc",
                "repeatability": f"{CC_READS} cc",
            },
        }
        gauge = self.random.gauss(0, GAUGE) + self.random.gauss(0, READS)
        burette, readings = self.random.gauss(0, CC_GAUGE), []
        depth = {"figure": "deck_clearance", "gauge": "depth", "zero": "z", "on": "rim", "axis": "pin"}
        poured = {"figure": "chamber_volume", "gauge": "burette"}
        for k in range(4):
            for n in range(repeats):
                c = self._read(self.clearance[k], READS, gauge, 0.002)
                v = self._read(self.chamber[k], CC_READS, burette, 0.05)
                readings.append({**depth, "id": f"c{k}-{n}", "cylinder": k + 1, "value": c})
                readings.append({**poured, "id": f"v{k}-{n}", "cylinder": k + 1, "value": v})
        self.document["readings"] = readings

    def _lists(self, repeats: int) -> None:
        """Readings as a plain list beside each figure."""
        for k in range(4):
            c = [self._read(self.clearance[k], READS, 0.0, 0.002) for _ in range(repeats)]
            v = [self._read(self.chamber[k], CC_READS, 0.0, 0.05) for _ in range(repeats)]
            self.document["cylinders"][str(k + 1)] = {
                "deck_clearance": {"readings": c, "resolution": 0.002, "basis": "mock-up"},
                "chamber_volume": {"readings": v, "resolution": 0.05, "basis": "measured"},
            }

    def missed(self) -> float:
        """What one cut is missed by."""
        return self.random.uniform(-CUT, CUT)

    def ends(self, deck: float, gasket: int | None) -> tuple[bool, bool]:
        """Whether all holes end inside, and whether one ends under the floor, with so much off the deck in truth."""
        thick = 1.3 + self.random.uniform(-0.04, 0.04) if gasket is None else self.gaskets[gasket]
        inside, under = True, False
        for k in range(4):
            c = self.clearance[k] - deck
            volume = self.chamber[k] + self.crown + math.pi / 4 * OPENING**2 * thick / 1000 + AREA * c / 1000
            ratio = 1 + AREA * STROKE / 1000 / volume
            window, gap = self.targets["compression_ratio"], self.targets["quench"]
            inside &= (
                window["min"] <= ratio <= window["max"] and max(gap["min"], 0.889) <= c + thick <= gap["max"]
            )
            under |= c + thick < 0.889
        return inside, under
