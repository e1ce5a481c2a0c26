"""A second way of planning: documents drawn at random, and every plan of a grid weighed by plain arithmetic.

Nothing of the planner is used here: holes are worked out with columns of numbers, from the typed figures.
"""

from __future__ import annotations

import itertools
import math

import numpy as np
from hypothesis import strategies as st
from scipy.interpolate import PchipInterpolator

COUNT = 8000


# long: one build file
def document(  # noqa: PLR0913 - what a file holds
    *,
    clearances,
    chambers,
    banks=(("A", (1, 2, 3, 4)),),
    targets=None,
    levers=None,
    planning=None,
    u_clearance=0.01,
    **more,
):
    """A build that was mocked up and filled hole by hole, as a build file has it."""
    numbers = [n for _, holes in banks for n in holes]
    layout = "inline" if len(banks) == 1 else "vee"
    engine = {
        "layout": layout,
        "bore_pitch": 100.0,
        "banks": [{"name": n, "cylinders": list(h)} for n, h in banks],
    }
    if layout == "vee":
        engine["bank_angle"] = 90
    return {
        "format": "zygometra.build",
        "version": 1,
        "name": "Drawn",
        "unstated_doubt": "zero",
        "engine": engine,
        "parts": {
            "block": {"deck_height": 230.0, "bore": 92.0},
            "crank": {"stroke": 90.0},
            "rod": {"length": 150.0, "material": "steel"},
            "piston": {
                "compression_height": {"value": 34.7, "plus_minus": 0.02},
                "crown_volume": {"value": 6.0, "plus_minus": 0.3},
                "dish_area": 2000,
                "above_rim": 0,
            },
            "gasket": {"thickness": {"value": 1.3, "plus_minus": 0.04}, "bore": 94.0},
            "head": {"chamber_volume": 52.0, "opening_area": 4200},
        },
        "cylinders": {
            str(n): {
                "deck_clearance": {"value": c, "u": u_clearance, "basis": "mock-up"},
                "chamber_volume": {"value": v, "u": 0.15, "basis": "measured"},
            }
            for n, c, v in zip(numbers, clearances, chambers, strict=True)
        },
        "targets": targets or {},
        "levers": levers or {},
        "planning": planning or {},
        **more,
    }


class Plain:
    """The same document in plain columns: draws of everything, and what a plan comes to in each."""

    def __init__(self, doc, seed=5, count=COUNT):
        self.doc, self.count = doc, count
        self.random = np.random.default_rng(seed)
        self.banks = [(b["name"], b["cylinders"]) for b in doc["engine"]["banks"]]
        self.numbers = [n for _, holes in self.banks for n in holes]
        own = doc["cylinders"]
        self.c = self._normal([own[str(n)]["deck_clearance"] for n in self.numbers])
        self.v = self._normal([own[str(n)]["chamber_volume"] for n in self.numbers])
        self.parts = {None: doc["parts"]["piston"]}
        for i, one in enumerate(doc["levers"].get("parts") or ()):
            self.parts[i] = one["part"]
        self.crowns = {i: self._flat(part["crown_volume"]) for i, part in self.parts.items()}
        self.heights = {i: self._flat(part["compression_height"]) for i, part in self.parts.items()}
        self.gaskets = {None: doc["parts"]["gasket"]} | dict(enumerate(doc["levers"].get("gaskets") or ()))
        self.thick = {i: self._flat(gasket["thickness"]) for i, gasket in self.gaskets.items()}
        self.missed = {}

    def _normal(self, figures):
        values, us = (np.array([figure[key] for figure in figures]) for key in ("value", "u"))
        return np.vstack([values, values + us * self.random.standard_normal((self.count, len(us)))])

    def _flat(self, figure):
        value, half = (
            (figure, 0.0)
            if not isinstance(figure, dict)
            else (figure["value"], figure.get("plus_minus", 0.0))
        )
        off = half * self.random.uniform(-1, 1, self.count)
        return np.concatenate([[value], value + off])[:, None]

    def _miss(self, op, where):
        half = (self.doc["levers"][op].get("tolerance") or {}).get("plus_minus", 0.0)
        if (op, where) not in self.missed:
            off = half * self.random.uniform(-1, 1, self.count)
            self.missed[op, where] = np.concatenate([[0.0], off])[:, None]
        return self.missed[op, where]

    # long: one plan, operation by operation
    def results(self, plan):
        """Clearance, quench and ratio; the first row as stated."""
        piston, gaskets, decks, heads, crown, opened, bowl = plan
        area = math.pi / 4 * 92.0**2
        c = self.c + (self.heights[None] - self.heights[piston])
        own = self.parts[piston]
        off = crown + self._miss("crown_cut", "") if crown else np.zeros((len(c), 1))
        above = own.get("above_rim", 0)
        rim = np.maximum(off - above, 0)
        c = c + rim
        v = self.v + self.crowns[piston] - own.get("dish_area", 0) * rim / 1000
        v = v + own.get("above_rim_area", 0) * np.minimum(off, above) / 1000
        if "top_land_height" in own:
            ring = math.pi / 4 * (92.0**2 - own["top_land_diameter"] ** 2)
            v = v + ring * (own["top_land_height"] - rim) / 1000
        if bowl:
            v = v + bowl + self._miss("bowl", "")
        q, column = np.empty_like(c), 0
        same = len(set(gaskets)) == 1
        for b, (name, holes) in enumerate(self.banks):
            first, last = decks[b]
            for k, number in enumerate(holes):
                at = first + (last - first) * k / max(len(holes) - 1, 1)
                if first or last:
                    faced = at + self._miss("deck_cut", name)[:, 0]
                    c[:, column] -= faced
                    v[:, column] -= self.doc["parts"]["block"].get("pocket_area", 0) * faced / 1000
                thick = self.thick[gaskets[b]]
                if not same and gaskets[b] is not None:
                    thick = self._each(gaskets[b], name)
                g = self.gaskets[gaskets[b]]
                v[:, column] += math.pi / 4 * g["bore"] ** 2 * thick[:, 0] / 1000
                q[:, column] = c[:, column] + thick[:, 0]
                if heads[b]:
                    v[:, column] -= milled(
                        self.doc["parts"]["head"], heads[b] + self._miss("head_cut", name)[:, 0]
                    )
                more = opened.get(number, 0.0)
                if more:
                    v[:, column] += more + self._miss("open_chamber", number)[:, 0]
                column += 1
        full = v + area * c / 1000
        swept = area * 90.0 / 1000
        return c, q, (swept + full) / full

    def _each(self, gasket, bank):
        """A listed gasket fitted on one bank alone is another source there."""
        if (gasket, bank) not in self.missed:
            self.missed[gasket, bank] = self._flat(self.gaskets[gasket]["thickness"])
        return self.missed[gasket, bank]

    def inside(self, plan, floor=0.889):
        """In which rows everything is inside."""
        c, q, ratio = self.results(plan)
        targets = self.doc["targets"]
        ok = (q >= floor - 1e-9).all(axis=1)
        for name, values in (("compression_ratio", ratio), ("quench", q), ("deck_clearance", c)):
            window = targets.get(name) or {}
            if window.get("min") is not None:
                ok &= (values >= window["min"] - 1e-9).all(axis=1)
            if window.get("max") is not None:
                ok &= (values <= window["max"] + 1e-9).all(axis=1)
        for name, values in (("compression_ratio", ratio), ("quench", q)):
            most = (targets.get("spread") or {}).get(name)
            if most is not None:
                ok &= np.ptp(values, axis=1) <= most + 1e-9
        return ok

    # long: one bill, operation by operation
    def bill(self, plan):
        """Cost, metal and days."""
        piston, gaskets, decks, heads, crown, opened, bowl = plan
        levers = self.doc["levers"]
        cost = metal = days = lead = 0.0
        needs = []

        def use(op, amount, times=1):
            nonlocal cost, metal
            own = levers[op]
            cost += times * own.get("fixed", 0) + own.get("per_unit", 0) * amount
            metal += own.get("metal", 0) * amount
            needs.extend(own.get("needs", ()))

        kinds = set()
        for first, last in decks:
            if first or last:
                use("deck_cut", (first + last) / 2)
                kinds.add("deck_cut")
                if first != last:
                    cost += levers["deck_cut"].get("level_fixed", 0)
        for head in heads:
            if head:
                use("head_cut", head)
                kinds.add("head_cut")
        if crown:
            use("crown_cut", crown)
            kinds.add("crown_cut")
        if bowl:
            use("bowl", bowl)
            kinds.add("bowl")
        if opened:
            use("open_chamber", sum(opened.values()), len(opened))
            kinds.add("open_chamber")
        for gasket in gaskets:
            if gasket is not None:
                cost += levers["gaskets"][gasket].get("price", 0)
                lead = max(lead, levers["gaskets"][gasket].get("days", 0))
                needs.extend(levers.get("gasket_needs", ()))
        if piston is not None:
            part = levers["parts"][piston]
            cost, lead = cost + part.get("price", 0), max(lead, part.get("days", 0))
            needs.extend(part.get("needs", ()))
        for name in set(needs):
            one = levers["set_ups"][name]
            cost, days = cost + one.get("cost", 0), days + one.get("days", 0)
        days += lead + sum(levers[kind].get("days", 0) for kind in kinds)
        return cost, metal, days

    # long: one lever after another
    def grid(self, steps=5, crowns=9):
        """Every plan of a grid: each lever at rest or at so many amounts."""
        levers = self.doc["levers"]

        # A crown's limit counts what goes off below the rim.
        above = {i: part.get("above_rim", 0) for i, part in self.parts.items()}

        def amounts(op, count):
            own = levers.get(op)
            if own is None:
                return [0.0]
            low, most = (float(str(own.get(end, 0.0)).split()[0]) for end in ("min", "max"))
            most += max(above.values()) if op == "crown_cut" else 0
            # An amount is a multiple of its step.
            return [0.0] + [_stepped(a, own, low, most) for a in np.linspace(max(low, 1e-3), most, count)]

        banks = len(self.banks)
        decks = [(a, a) for a in amounts("deck_cut", steps)]
        if (levers.get("deck_cut") or {}).get("level"):
            decks += [(a, b) for a, b in itertools.product(amounts("deck_cut", 3), repeat=2) if a != b]
        gaskets = [None, *range(len(levers.get("gaskets") or ()))]
        if levers.get("gasket_per_bank"):
            fitted = list(itertools.product(gaskets, repeat=banks))
        else:
            fitted = [(g,) * banks for g in gaskets]
        pistons = [None, *range(len(levers.get("parts") or ()))]
        openings = [{}]
        if "open_chamber" in levers:
            own = levers["open_chamber"]
            most = float(str(own["max"]).split()[0])
            stated = self.v[0]
            for level in (0.5, 1.0):
                wanted = np.maximum(stated.min() + level * np.ptp(stated) - stated, 0)
                if wanted.max() <= most:
                    openings.append(
                        {
                            n: _stepped(a, own, 0.0, most)
                            for n, a in zip(self.numbers, wanted, strict=True)
                            if a > 0.05
                        }
                    )
            openings.append(dict.fromkeys(self.numbers, most))
        every = itertools.product(
            pistons,
            fitted,
            itertools.product(decks, repeat=banks),
            itertools.product(amounts("head_cut", steps), repeat=banks),
            amounts("crown_cut", crowns),
            openings,
            amounts("bowl", 3),
        )
        faced = float(str((levers.get("crown_cut") or {}).get("max", 0.0)).split()[0])
        yield from (plan for plan in every if plan[4] <= faced + above[plan[0]] + 1e-9)

    def stated_inside(self, plan, floor=0.889):
        """Whether a plan is inside as stated: the first row alone, so that a grid is soon gone through."""
        full = self.count
        if not hasattr(self, "_one"):
            self._one = Plain(self.doc, count=0)
        return bool(self._one.inside(plan, floor)[0]) if full else bool(self.inside(plan, floor)[0])


def milled(head, cut):
    """What milling takes from a chamber, by the way it is known."""
    if "step_fills" in head:
        fills = head["step_fills"]
        curve = PchipInterpolator([one["depth"] for one in fills], [one["below"] for one in fills])
        return fills[0]["below"] - curve(cut)
    if "removal_rate" in head:
        return head["removal_rate"] * cut
    closing = head.get("opening_perimeter", 0) * math.tan(math.radians(head.get("wall_draft", 0)))
    return (head["opening_area"] * cut - closing * cut**2 / 2) / 1000


HEADS = (
    {},
    {"opening_perimeter": 240, "wall_draft": 12},
    {"removal_rate": 4.6},
    {
        "step_fills": [
            {"depth": d, "below": v}
            for d, v in ((0, 52.0), (0.2, 51.2), (0.5, 49.9), (1.0, 47.9), (2.0, 44.4))
        ]
    },
)
CROWNS = (
    {},
    {"above_rim": 0.08, "above_rim_area": 900},
    {"above_rim": 0.3, "above_rim_area": 2500, "dish_area": 1200},
)
LANDS = ({}, {"top_land_height": 6.0, "top_land_diameter": 91.3})


@st.composite
def engines(draw, banks=1):
    """A document of :func:`documents` whose head, crown, land and block are of any kind."""
    doc = draw(documents(banks))
    doc["parts"]["head"] |= draw(st.sampled_from(HEADS))
    doc["parts"]["piston"] |= draw(st.sampled_from(CROWNS)) | draw(st.sampled_from(LANDS))
    doc["parts"]["block"] |= draw(st.sampled_from([{}, {"pocket_area": 800}]))
    return doc


def _stepped(amount, lever, low, most):
    step = lever.get("step")
    if step is None:
        return float(amount)
    step = {"1 thou": 0.0254, "0.1 cc": 0.1}.get(step, step)
    first, last = max(math.ceil(low / step - 1e-7), 1), math.floor(most / step + 1e-7)
    return float(min(max(round(amount / step), first), last) * step) if first <= last else float(amount)


def cut(low=0.0, high=0.5):
    """A lever that cuts, with or without prices, metal, time."""
    return st.fixed_dictionaries(
        {"max": st.sampled_from([high, high / 2]), "tolerance": st.just({"value": 0, "plus_minus": 0.015})},
        optional={
            "min": st.sampled_from([0.05, 0.1]),
            "step": st.sampled_from([0.01, 0.0254, "1 thou"]),
            "fixed": st.sampled_from([0, 40, 90]),
            "per_unit": st.sampled_from([0, 60, 200]),
            "metal": st.sampled_from([0, 20, 50]),
            "days": st.sampled_from([0, 1, 2]),
            "needs": st.sampled_from([["heads off"], ["strip"], ["heads off", "strip"]]),
        },
    )


# long: one file, lever by lever
@st.composite
def documents(draw, banks=1):
    """A document with any levers, windows with one edge or two, and prices or none."""
    holes = 4 if banks == 1 else 2
    layout = [("A", (1, 2, 3, 4))] if banks == 1 else [("A", (1, 3)), ("B", (2, 4))]
    clearances = [0.30 + draw(st.integers(-8, 8)) / 100 for _ in range(holes * banks)]
    chambers = [52.0 + draw(st.integers(-10, 10)) / 10 for _ in range(holes * banks)]
    levers = {}
    for op in ("deck_cut", "head_cut", "crown_cut"):
        if draw(st.integers(0, 3)):
            levers[op] = draw(cut())
    if "deck_cut" in levers and draw(st.booleans()):
        levers["deck_cut"] |= {"level": True, "level_fixed": draw(st.sampled_from([0, 25]))}
    if draw(st.booleans()):
        levers["open_chamber"] = {"max": "2 cc", "tolerance": {"value": 0, "plus_minus": 0.1}} | draw(
            st.fixed_dictionaries(
                {},
                optional={"step": st.just("0.1 cc"), "fixed": st.sampled_from([0, 6]), "metal": st.just(1)},
            )
        )
    if not draw(st.integers(0, 3)):
        levers["bowl"] = {"max": "4 cc", "tolerance": {"value": 0, "plus_minus": 0.15}} | draw(
            st.fixed_dictionaries(
                {},
                optional={
                    "min": st.just("0.5 cc"),
                    "step": st.just("0.1 cc"),
                    "fixed": st.sampled_from([0, 60]),
                    "per_unit": st.sampled_from([0, 15]),
                    "metal": st.sampled_from([0, 4]),
                    "days": st.sampled_from([0, 2]),
                    "needs": st.just(["strip"]),
                },
            )
        )
    levers["gaskets"] = [
        {"thickness": {"value": t, "plus_minus": 0.03}, "bore": 94.0}
        | draw(
            st.fixed_dictionaries(
                {}, optional={"price": st.sampled_from([0, 20, 35]), "days": st.sampled_from([0, 2])}
            )
        )
        for t in draw(st.lists(st.sampled_from([0.9, 1.02, 1.15, 1.5]), max_size=3, unique=True))
    ]
    levers["gasket_per_bank"] = draw(st.booleans())
    levers["gasket_needs"] = draw(st.sampled_from([[], ["heads off"]]))
    levers["set_ups"] = {"heads off": {"cost": 50, "days": 0}, "strip": {"cost": 120, "days": 1}}
    if draw(st.booleans()):
        levers["parts"] = [
            {
                "kind": "piston",
                "part": {
                    "name": "other",
                    "compression_height": {
                        "value": 34.7 + draw(st.integers(-20, 30)) / 100,
                        "plus_minus": 0.02,
                    },
                    "crown_volume": {"value": draw(st.sampled_from([3.0, 6.0, 9.0])), "plus_minus": 0.3},
                    "dish_area": 1500,
                    "above_rim": 0,
                },
                "price": draw(st.sampled_from([0, 200])),
                "days": draw(st.sampled_from([0, 7])),
            }
        ]
    ratio = draw(st.sampled_from([9.5, 9.7, 9.9, 10.2]))
    targets = {
        "compression_ratio": _window(draw, ratio, draw(st.sampled_from([0.15, 0.25, 0.4]))),
        "quench": _window(draw, 1.1, draw(st.sampled_from([0.08, 0.15]))),
    }
    if draw(st.booleans()):
        targets["deck_clearance"] = _window(draw, 0.1, 0.3)
    if draw(st.integers(0, 3)) == 0:
        targets["spread"] = {"compression_ratio": draw(st.sampled_from([0.15, 0.3])), "quench": 0.15}
    planning = {
        "priority": draw(
            st.sampled_from(["cheapest", "least metal", "reversible first", "surest", "soonest"])
        ),
        "least_yield": draw(st.sampled_from([0.0, 0.3, 0.5])),
    }
    return document(
        clearances=clearances,
        chambers=chambers,
        banks=layout,
        targets=targets,
        levers=levers,
        planning=planning,
    )


def _window(draw, middle, half):
    ends = draw(st.sampled_from([("min", "max"), ("min", "max"), ("min",), ("max",), ()]))
    return {end: round(middle - half if end == "min" else middle + half, 4) for end in ends}
