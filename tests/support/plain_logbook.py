"""What readings come to, once more and differently: every source drawn out, slopes by complex steps.

Nothing of the program's core is used. A result's doubt is a sum over named sources of (slope · amplitude)²; the
slopes come from moving each dimension in the plain arithmetic of one hole.
"""

from __future__ import annotations

import math
from collections import defaultdict

from scipy.stats import t as student

ALPHA = {
    "block": 11e-6,
    "crank": 11.5e-6,
    "rod": 11.5e-6,
    "piston": 21e-6,
    "gasket": 11.5e-6,
    "head": 22e-6,
    "steel": 11.5e-6,
    "carbide": 6e-6,
    "invar": 1.5e-6,
}
PART = {
    "deck_height": "block",
    "bore": "block",
    "stroke": "crank",
    "length": "rod",
    "compression_height": "piston",
    "top_land_height": "piston",
    "top_land_diameter": "piston",
    "thickness": "gasket",
    "gasket_bore": "gasket",
}
PLACES = {
    "deck_height": ("block", "deck_height"),
    "bore": ("block", "bore"),
    "stroke": ("crank", "stroke"),
    "length": ("rod", "length"),
    "compression_height": ("piston", "compression_height"),
    "crown_volume": ("piston", "crown_volume"),
    "top_land_height": ("piston", "top_land_height"),
    "top_land_diameter": ("piston", "top_land_diameter"),
    "thickness": ("gasket", "thickness"),
    "gasket_bore": ("gasket", "bore"),
    "chamber_volume": ("head", "chamber_volume"),
}
RESULTS = ("deck_clearance_mm", "quench_mm", "clearance_cc", "compression_ratio")


def hole_results(x: dict[str, float]) -> dict[str, float]:
    """One hole by hand."""
    clearance = x.get("deck_clearance")
    if clearance is None:
        clearance = x["deck_height"] - x["stroke"] / 2 - x["length"] - x["compression_height"]
    area = math.pi / 4 * x["bore"] ** 2
    volume = (
        x["chamber_volume"]
        + math.pi / 4 * x["gasket_bore"] ** 2 * x["thickness"] / 1000
        + area * clearance / 1000
        + x["crown_volume"]
        + (area - math.pi / 4 * x["top_land_diameter"] ** 2) * x["top_land_height"] / 1000
    )
    swept = area * x["stroke"] / 1000
    ratio = (swept + volume) / volume
    return dict(zip(RESULTS, (clearance, clearance + x["thickness"], volume, ratio), strict=True))


class PlainLogbook:
    """Every dimension of every hole with the sources of its doubt: (key, amplitude, pool, dof, rectangular)."""

    def __init__(self, document: dict) -> None:
        self.document = document
        self.readings = [r for r in document["readings"] if not self._moved(r)]
        self.gauges = document["gauges"]
        self.holes = document["engine"]["banks"][0]["cylinders"]

    def _moved(self, reading: dict) -> bool:
        zero = self.document.get("zeros", {}).get(reading.get("zero"))
        if not zero or "after" not in zero:
            return False
        step = self.document["gauges"][zero["gauge"]]["resolution"]
        return abs(zero["after"] - zero["before"]) > step + 1e-9

    @staticmethod
    def value(reading: dict) -> float:
        if "tipped" in reading:
            return sum(reading["tipped"]) / 2
        if "shots" in reading:
            shots = reading["shots"]
            return shots["count"] * shots["size"]["value"] + shots["part"]["value"]
        return reading["value"]

    @staticmethod
    def way(reading: dict) -> str:
        return "tipped" if "tipped" in reading else "shots" if "shots" in reading else "plain"

    def pool_of(self, sample: dict) -> tuple[str, float, float]:
        """Name, s_p² and degrees of freedom of everything read like a reading."""

        def like(other):
            return (other["figure"], other.get("gauge"), self.way(other)) == (
                sample["figure"],
                sample.get("gauge"),
                self.way(sample),
            )

        by_spot = defaultdict(list)
        for other in filter(like, self.readings):
            by_spot[other["cylinder"], other.get("depth"), other.get("axis")].append(self.value(other))
        squares = sum((v - sum(vs) / len(vs)) ** 2 for vs in by_spot.values() for v in vs)
        dof = sum(len(vs) - 1 for vs in by_spot.values())
        if "shots" in sample:
            shots = sample["shots"]
            usual = shots["count"] * shots["random"]["value"] ** 2 + shots["part"]["u"] ** 2
        else:
            usual = self.gauges[sample["gauge"]]["repeatability"] ** 2 / (2 if "tipped" in sample else 1)
        name = f"{sample['figure']} {sample.get('gauge')} {self.way(sample)}"
        if dof < 4:
            return name, (2 * usual + squares) / (2 + dof), dof + 2
        return name, squares / dof, dof

    def dimension(self, figure: str, hole: int) -> tuple[float, list]:
        """Value and sources of one dimension in one hole."""
        mine = [r for r in self.readings if (r["figure"], r["cylinder"]) == (figure, hole)]
        if not mine:
            part, name = PLACES[figure]
            stated = self.document["parts"][part][name]
            key = f"{figure} of {hole}" if stated.get("each") else figure
            return stated["value"], [(key, stated["plus_minus"] / math.sqrt(3), None, math.inf, True)]
        spots = defaultdict(list)
        for r in mine:
            spots[(r.get("depth"), r.get("axis")) if figure != "deck_clearance" else 0].append(r)
        m = len(spots)
        weight = {r["id"]: 1 / m / len(group) for group in spots.values() for r in group}
        value, sources = 0.0, []
        pools = [self.pool_of(r) for r in mine]
        name, dof = pools[0][0], pools[0][2]
        s2 = sum(p[1] for p in pools) / len(pools)
        gauge = self.gauges.get(mine[0].get("gauge"), {})
        shots = "shots" in mine[0]
        step = 0.0 if shots else gauge["resolution"]
        own = sum(s2 / len(group) for group in spots.values()) / m**2
        spare = max(0.0, step**2 / (24 if "tipped" in mine[0] else 12) - s2 / 2)
        sources.append((f"own {figure} {hole}", math.sqrt(own), name, dof, False))
        sources.append((f"rounding {figure} {hole}", math.sqrt(spare / m), None, math.inf, True))
        for r in mine:
            w = weight[r["id"]]
            value += w * self._at_twenty(r)
            if r.get("zero"):
                sources += self._zero(r["zero"], w)
            if shots:
                size = r["shots"]["size"]
                by = w * r["shots"]["count"] * size["u"]
                sources.append((f"size {size['value']}", by, None, math.inf, False))
            sources += self._warmth(r, w)
        if not shots:
            u = gauge.get("u_travel", gauge["u"]) if mine[0].get("zero") else gauge["u"]
            sources.append((f"gauge {mine[0]['gauge']}", u, None, math.inf, False))
        return value, sources

    def _zero(self, zero: str, weight: float) -> list:
        """A zero is one plain reading of its gauge; it rests on the scatter best known among what was read on it."""
        pools = {}
        for r in self.readings:
            if r.get("zero") == zero:
                name, s2, dof = self.pool_of(r)
                own = dof - 2 if self._joined(r) else dof
                pools.setdefault(name, (own, s2 * (2 if "tipped" in r else 1), dof, r))
        name, (_, s2, dof, r) = max(pools.items(), key=lambda item: item[1][0])
        step = self.gauges[r["gauge"]]["resolution"]
        spare = max(0.0, step**2 / 12 - s2 / 2)
        return [
            (f"zero {zero}", weight * math.sqrt(s2), name, dof, False),
            (f"zero rounding {zero}", weight * math.sqrt(spare), None, math.inf, True),
        ]

    def _joined(self, r: dict) -> bool:
        by_spot = defaultdict(int)
        for other in self.readings:
            if (other["figure"], other.get("gauge"), self.way(other)) == (
                r["figure"],
                r.get("gauge"),
                self.way(r),
            ):
                by_spot[other["cylinder"], other.get("depth"), other.get("axis")] += 1
        return sum(n - 1 for n in by_spot.values()) < 4

    def _expansions(self, r: dict) -> list[tuple[str, float, float | None]]:
        part = PART.get(r["figure"])
        if part is None or r["figure"] == "deck_clearance" or "shots" in r:
            return []
        found = [(part, -ALPHA[part], r.get("temperature"))]
        gauge = self.gauges[r["gauge"]]
        if not gauge.get("compensated"):
            found.append((r["gauge"], ALPHA[gauge.get("material", "steel")], r.get("gauge_temperature")))
        return found

    def _at_twenty(self, r: dict) -> float:
        by = sum(alpha * (told - 20) for _, alpha, told in self._expansions(r) if told is not None)
        return self.value(r) * (1 + by)

    def _warmth(self, r: dict, weight: float) -> list:
        """Two kelvin where somebody read it; nothing where the file wants unstated doubt to be nought."""
        return [
            (f"warmth {who}", weight * alpha * self.value(r) * 2.0, None, math.inf, False)
            for who, alpha, told in self._expansions(r)
            if told is not None
        ]

    def hole(self, hole: int) -> tuple[dict[str, float], dict[str, list]]:
        """Results of one hole, and for each the moved amount of every source."""
        names = list(PLACES)
        if any((r["figure"], r["cylinder"]) == ("deck_clearance", hole) for r in self.readings):
            names = [n for n in names if n not in ("deck_height", "length", "compression_height")] + [
                "deck_clearance"
            ]
        known = {name: self.dimension(name, hole) for name in names}
        x = {name: value for name, (value, _) in known.items()}
        moved = {result: [] for result in RESULTS}
        for name, (value, sources) in known.items():
            # The complex step: exact to the last digits, with no slope written by hand.
            beside = hole_results({**x, name: complex(value, 1e-30)})
            for result in RESULTS:
                slope = complex(beside[result]).imag / 1e-30
                moved[result] += [(key, slope * u, pool, dof, flat) for key, u, pool, dof, flat in sources]
        return hole_results(x), moved


def spread(moved: list) -> tuple[float, float, float]:
    """u, effective degrees of freedom and k of a list of moved amounts; the same key is the same source."""
    joined: dict[str, list] = {}
    for key, by, pool, dof, flat in moved:
        entry = joined.setdefault(key, [0.0, pool, dof, flat])
        entry[0] += by
    u2 = sum(e[0] ** 2 for e in joined.values())
    pools: dict[str, list] = {}
    for by, pool, dof, _ in joined.values():
        if pool is not None:
            pools.setdefault(pool, [0.0, dof])[0] += by**2
    fourth = sum(v**2 / dof for v, dof in pools.values())
    nu = u2**2 / fourth if fourth else math.inf
    widest = max((e[0] ** 2 for e in joined.values() if e[3]), default=0.0) / u2 if u2 else 0.0
    return math.sqrt(u2), nu, float(student.ppf(0.975, nu)) * (1 - 0.16 * widest**3) if u2 else 0.0
