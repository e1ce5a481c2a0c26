"""Why there is no plan: which windows conflict, and by how little one edge must move for one to open."""

# long: one question: every edge that may move, and how it is told
from __future__ import annotations

import itertools
import math
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np

from ..build.document import midway, read_gasket
from ..build.lever_table import FIT, LEVER, SWAP
from ..build.means import PartChoice
from ..build.model import Build, Operation
from ..house_rules import HouseRules
from ..sentence import Sentence, sentence
from ..units import Kind
from ..windows import OPEN, Window
from ..written import Limit, Number, Volume
from .crowns import above_the_rim, bowl_limit, crown_limit
from .cut_bank import MilledVolume
from .figure_samples import FigureSamples
from .moves import EPSILON, NOTHING_FIXED, FixedDecisions, moves_of
from .programme import (
    BOWL,
    NEW_GASKET,
    QUENCH_LOW,
    QUENCH_SPREAD,
    RATIO_HIGH,
    RATIO_LOW,
    RATIO_SPREAD,
    PlanMilp,
    Slack,
    Subproblem,
    span_of,
    subproblems_of,
)
from .results import PlanTargets, inside, results

WINDOWS = ("compression_ratio", "quench", "deck_clearance", RATIO_SPREAD, QUENCH_SPREAD)
# What counts as the width of a window with one edge.
_ONE_EDGED = {"compression_ratio": 0.2, "quench": 0.1, "deck_clearance": 0.1}
# Between near values of volume over swept the spread of ratios is a line.
_SPAN = 0.004
# So many ranges at the most where holes can be brought, and so many on either side.
_FINE, _COARSE = 16, 2
# A relaxation is stated with so many digits, rounded to the open side.
_DIGITS = 5


class Relaxation(NamedTuple):
    """One way to open a plan: the windows that conflict, what moves by how much, and what is to be typed in.

    ``by`` in mm, cc or ratio, ``share`` of the window's width or the lever's limit; both None where no single edge
    opens one. ``relaxation`` as it stands in a build file, None where there is none.
    """

    windows: tuple[str, ...]
    says: Sentence
    by: float | None
    share: float | None
    relaxation: dict[str, Any] | None
    edge: str = ""


class Infeasibility:
    """A build without a plan.

    Parameters
    ----------
    build : Build
        With levers and windows.
    rules : HouseRules
        For limits and floors.
    wanted : PlanTargets
        Its windows.
    pins : FixedDecisions
        What was fixed by hand.
    """

    def __init__(
        self, build: Build, rules: HouseRules, wanted: PlanTargets, pins: FixedDecisions = NOTHING_FIXED
    ) -> None:
        self.build, self.rules, self.wanted, self.pins = build, rules, wanted, pins
        self.stated = FigureSamples(build)
        self.frames = subproblems_of(build, pins)

    # -- a plan where the ladders found none ---------------------------------------

    def plan(self) -> tuple[Operation, ...] | None:
        """Return a plan that is inside every window as stated, on steps where it can be; None where there is none."""
        for layout in self._layouts(self.wanted):
            found = layout.programme.solve(_effort(layout))
            if found is None:
                continue
            whole = {name: round(found[name]) for name in layout.programme.whole}
            polished = self._polished(layout, {name: float(value) for name, value in whole.items()})
            if polished is not None:
                return polished
        return None

    def _polished(self, layout: PlanMilp, whole: dict[str, float]) -> tuple[Operation, ...] | None:
        """The plan with its amounts on steps, one after another as far as they stay inside."""
        fixed = dict(whole)
        found = layout.programme.solve(_effort(layout), fixed)
        if found is None:
            return None
        for name, near in _stepped(layout, found):
            for at in near(found[name]):
                low, high = layout.programme.bounds[name]
                trial = (
                    layout.programme.solve(_effort(layout), {**fixed, name: at})
                    if low <= at <= high
                    else None
                )
                if trial is not None:
                    fixed[name], found = at, trial
                    break
        planned = _operations(layout, found)
        return planned if bool(inside(results(self.stated, planned), self.wanted)[0]) else None

    def _layouts(self, wanted: PlanTargets) -> Iterator[PlanMilp]:
        for frame in self.frames:
            spans = (
                [None]
                if wanted.ratio_spread is None
                else spans_of(self.stated, self.rules, wanted=wanted, frame=frame, pins=self.pins)
            )
            for span in spans:
                yield PlanMilp(
                    stated=self.stated,
                    rules=self.rules,
                    wanted=wanted,
                    frame=frame,
                    pins=self.pins,
                    span=span,
                )

    # -- why -------------------------------------------------------------------

    def reasons(self) -> tuple[Relaxation, ...]:
        """Return every single edge that opens a plan when it alone is moved, the smallest share first.

        Where none does, one reason: the least common share of all edges, or none at all.
        """
        windows = self.windows()
        best: dict[tuple[str, str], tuple[float, PlanMilp, dict[str, float]]] = {}
        for layout in self._layouts(self.wanted):
            for edge in layout.edges:
                found = self._least(layout, edge)
                key = edge.name, edge.bank
                if found is not None and (key not in best or found[0] < best[key][0] - 1e-12):
                    best[key] = found[0], layout, found[1]
        told = [
            reason
            for (name, bank), (allowance, layout, values) in best.items()
            if (
                reason := self._reason(
                    name, bank, allowance=allowance, layout=layout, values=values, windows=windows
                )
            )
            is not None
        ]
        told = [reason for reason in told if self._holds(reason)]
        told.sort(key=lambda reason: (reason.share if reason.share is not None else math.inf, reason.edge))
        return tuple(told) or (self._together(windows),)

    def _holds(self, reason: Relaxation) -> bool:
        """Whether what is to be typed in does open a plan: asked where the programme was not exact."""
        if self.wanted.ratio_spread is None:
            return True
        build, wanted = relaxed(self.build, self.wanted, reason.relaxation or {})
        return Infeasibility(build, self.rules, wanted, self.pins).plan() is not None

    def _least(self, layout: PlanMilp, edge: Slack) -> tuple[float, dict[str, float]] | None:
        """The least allowance of one edge that opens a plan in one frame."""
        put = layout.programme
        layout.ask(edge, edge.most)
        found = put.solve({edge.allowance: 1.0})
        layout.ask(edge, 0.0)
        if found is None or found[edge.allowance] > edge.most - EPSILON:
            return None
        return max(found[edge.allowance], 0.0), found

    def windows(self) -> tuple[str, ...]:
        """Return windows that conflict, none of which could be left out of the conflict."""
        asked = [name for name in WINDOWS if _is_asked(self.wanted, name)]
        left = list(asked)
        for name in asked:
            without = [one for one in left if one != name]
            if not self._opens(_without(self.wanted, set(asked) - set(without))):
                left = without
        return tuple(left)

    def _opens(self, wanted: PlanTargets) -> bool:
        return any(layout.programme.solve({}) is not None for layout in self._layouts(wanted))

    def _opens_in_truth(self, share: float) -> bool:
        """Whether a plan is there once every window is so much wider, as the evaluation has it."""
        wanted = _widened(self.wanted, share)
        return Infeasibility(self.build, self.rules, wanted, self.pins).plan() is not None

    # -- in words --------------------------------------------------------------

    # long: one edge after another, each in its own words
    def _reason(
        self,
        name: str,
        bank: str,
        allowance: float,
        layout: PlanMilp,
        values: dict[str, float],
        windows: tuple[str, ...],
    ) -> Relaxation | None:
        if name == NEW_GASKET:
            return self._gasket(layout, values, windows)
        if name.split(".")[0] in LEVER:
            return self._limit(name, bank, allowance=allowance, layout=layout, windows=windows)
        wanted = self.wanted
        if name == RATIO_SPREAD:
            by = self._spread_of_ratio()
            if by is None:
                return None
            return self._spread(name, wanted.ratio_spread or 0.0, by, windows)
        if name == QUENCH_SPREAD:
            return self._spread(name, wanted.quench_spread or 0.0, allowance, windows)
        what, end = name.rsplit(".", 1)
        window: Window = {
            "compression_ratio": wanted.ratio,
            "quench": wanted.quench,
            "deck_clearance": wanted.clearance,
        }[what]
        edge = window.low if end == "min" else window.high
        assert edge is not None
        by = allowance
        if name == RATIO_HIGH:
            by = 1 + 1 / (1 / (edge - 1) - allowance) - edge
        elif name == RATIO_LOW:
            by = edge - (1 + 1 / (1 / (edge - 1) + allowance))
        up = end == "max"
        value = _outward(edge + by if up else edge - by, up=up)
        if name == QUENCH_LOW:
            value = max(value, wanted.floor)
        by = abs(value - edge)
        share = by / (window.span or _ONE_EDGED[what])
        relaxation = {"targets": {what: {end: value}}}
        words = {"compression_ratio": "a ratio", "quench": "{quench}", "deck_clearance": "a deck clearance"}[
            what
        ]
        way = "up to" if up else "down to"
        written: Any = Number(value, 3) if what == "compression_ratio" else Limit(value)
        off: Any = Number(by, 3) if what == "compression_ratio" else Limit(by)
        says = sentence(
            "With " + words + " " + way + " {edge}, {by} further, there is a plan.", edge=written, by=off
        )
        return Relaxation(windows=windows, says=says, by=by, share=share, relaxation=relaxation, edge=name)

    def _spread(self, name: str, now: float, by: float, windows: tuple[str, ...]) -> Relaxation:
        value = _outward(now + by, up=True)
        by = value - now
        what = name.split(".")[1]
        written: Any = Number(value, 3) if name == RATIO_SPREAD else Limit(value)
        says = sentence(
            "With holes up to {edge} apart in "
            + ("ratio" if name == RATIO_SPREAD else "{quench}")
            + " there is a plan.",
            edge=written,
        )
        share = by / now if now else math.inf
        return Relaxation(
            windows=windows,
            says=says,
            by=by,
            share=share,
            relaxation={"targets": {"spread": {what: value}}},
            edge=name,
        )

    def _spread_of_ratio(self) -> float | None:
        """The least further spread of ratio: its row is a line only near the present one, so it is walked to."""
        now = self.wanted.ratio_spread or 0.0
        total = 0.0
        for _ in range(12):
            wanted = self.wanted._replace(ratio_spread=now + total)
            found = [
                one[0]
                for layout in self._layouts(wanted)
                for edge in layout.edges
                if edge.name == RATIO_SPREAD and (one := self._least(layout, edge)) is not None
            ]
            if not found:
                return None
            total += min(found)
            if min(found) < 1e-7:
                break
        return total

    def _limit(
        self, name: str, bank: str, allowance: float, layout: PlanMilp, windows: tuple[str, ...]
    ) -> Relaxation | None:
        op = name.split(".")[0]
        banks = [one for one in self.build.banks if not bank or one.name == bank]
        where = None if LEVER[op].reach == "set" else banks[0]
        move = moves_of(self.build, self.rules, op=op, bank=where, pins=self.pins)  # type: ignore[arg-type]
        if move is None or not move.may_rest:
            return None
        now, by = move.high, allowance
        if op == "head_cut":
            taken = layout.taken[banks[0].name]
            by = taken.depth(np.array(taken.volume(np.array(now)) + allowance)).item() - now
        value = _outward(now + by, up=True)
        if value > self._piston_floor(op, layout) + EPSILON:
            return None
        by = value - now
        # A limit of a crown cut counts what goes off below the rim.
        above = above_the_rim(None, self.build, self.rules) if op == "crown_cut" else 0.0
        now, value = now - above, value - above
        inner: dict[str, Any] = {"max": _with_unit(op, value)}
        says = sentence(
            "With a "
            + op.replace("_", " ").replace("open chamber", "chamber opening")
            + " of up to {edge}"
            + (" below the rim" if above else "")
            + " there is a plan.",
            edge=Volume(value) if LEVER[op].kind is Kind.VOLUME else Limit(value),
        )
        relaxation = {"levers": {op: {"banks": {bank: inner}} if bank else inner}}
        return Relaxation(
            windows=windows,
            says=says,
            by=by,
            share=by / now if now else math.inf,
            relaxation=relaxation,
            edge=name,
        )

    def _piston_floor(self, op: str, layout: PlanMilp) -> float:
        """What metal that must remain leaves of a cut in the pistons; no end for others."""
        floor = {"crown_cut": crown_limit, "bowl": bowl_limit}.get(op)
        if floor is None:
            return math.inf
        pistons = (None if piston is None else piston.part for piston in layout.frame.pistons)
        return max(floor(part, self.build, self.rules) for part in pistons)

    def _gasket(
        self, layout: PlanMilp, values: dict[str, float], windows: tuple[str, ...]
    ) -> Relaxation | None:
        """A gasket that is not listed: as one that is, but so much thicker or thinner."""
        for bank in self.build.banks:
            key = bank.name if layout.per_bank else "all"
            for index, gasket in layout.gaskets[bank.name]:
                if values.get(f"near {key} {index}", 0.0) < 0.5:
                    continue
                base = layout.bases[0]
                at = self.stated.holes.index(bank.cylinders[0])
                more = values[f"more {key} {index}"] - values[f"less {key} {index}"]
                near = float(base.gasket[0, at])
                if gasket is not None and gasket.thickness is not None:
                    near = gasket.thickness.value
                thickness = _outward(near + more, up=more > 0)
                bore = self._bore(bank.name, index)
                if bore is None or thickness <= 0:
                    return None
                fresh = {"name": f"{thickness:.2f} mm", "thickness": thickness, **bore}
                width = self.wanted.quench.span or _ONE_EDGED["quench"]
                by = abs(thickness - near)
                says = sentence("With a gasket of {edge} there is a plan.", edge=Limit(thickness))
                listed = [_gasket_as_typed(one) for one in self.build.levers.gaskets]
                return Relaxation(
                    windows=windows,
                    says=says,
                    by=by,
                    share=by / width,
                    relaxation={"levers": {"gaskets": [*listed, fresh]}},
                    edge=NEW_GASKET,
                )
        return None

    def _bore(self, bank: str, index: int) -> dict[str, Any] | None:
        """The opening of the gasket that a new one is like."""
        if index >= 0:
            gasket = self.build.levers.gaskets[index]
            if gasket.opening_area is not None:
                return {"opening_area": gasket.opening_area.as_typed}
            if gasket.bore is not None:
                return {"bore": gasket.bore.as_typed}
        for name in ("opening_area", "bore"):
            for path in (f"banks.{bank}.gasket.{name}", f"parts.gasket.{name}"):
                if (quantity := self.build.figures.get(path)) is not None:
                    return {name: quantity.as_typed}
        return None

    def _together(self, windows: tuple[str, ...]) -> Relaxation:
        """No single edge opens a plan: by what common share would all of them?"""
        low, high = 0.0, 1.0
        if not self._opens_in_truth(high):
            says = Sentence(
                "No window alone, nor all of them twice as wide, opens a plan: another part is wanted."
            )
            return Relaxation(windows=windows, says=says, by=None, share=None, relaxation=None)
        for _ in range(14):
            middle = (low + high) / 2
            low, high = (low, middle) if self._opens_in_truth(middle) else (middle, high)
        share = math.ceil(high * 1000) / 1000
        says = Sentence(
            f"No edge alone opens a plan; with every window {share * 100:.1f} % wider at each end there is one."
        )
        return Relaxation(
            windows=windows,
            says=says,
            by=None,
            share=share,
            relaxation={"targets": _targets(_widened(self.wanted, share))},
        )


def spans_of(
    stated: FigureSamples,
    rules: HouseRules,
    wanted: PlanTargets,
    frame: Subproblem,
    pins: FixedDecisions = NOTHING_FIXED,
) -> list[tuple[float, float] | None]:
    """Return ranges of volume over swept volume: the spread of ratios is a line only between near ends.

    They are narrow where the levers can bring the holes, and wide where an edge would have to be moved for it.

    Parameters
    ----------
    stated : FigureSamples
        The stated values.
    rules : HouseRules
        For limits.
    wanted : PlanTargets
        With a spread of ratios; no unit.
    frame : Subproblem
        What is fitted.
    pins : FixedDecisions
        What was fixed by hand.
    """
    low, high = span_of(wanted)
    reached = PlanMilp(
        stated=stated, rules=rules, wanted=wanted._replace(ratio_spread=None), frame=frame, pins=pins
    ).reach()
    if reached is None:
        edges = np.geomspace(low, high, _COARSE + 1)
        return list(itertools.pairwise(edges.tolist()))
    first, last = (min(max(value, low), high) for value in reached)
    # The largest volume may lie as far above any other as the spread lets it.
    last = min(last / max(1 - (wanted.ratio_spread or 0.0) * last, 0.5), high)
    fine = min(max(2, math.ceil((last - first) / _SPAN)), _FINE)
    parts = [(low, first, _COARSE), (first, last, fine), (last, high, _COARSE)]
    found: list[tuple[float, float] | None] = []
    for start, end, count in parts:
        if end > start * (1 + 1e-9):
            found += itertools.pairwise(np.geomspace(start, end, count + 1).tolist())
    return found or [(low, high)]


def relaxed(build: Build, wanted: PlanTargets, relaxation: dict[str, Any]) -> tuple[Build, PlanTargets]:
    """Return a build and its windows with a relaxation typed in.

    Parameters
    ----------
    build : Build
        As it is.
    wanted : PlanTargets
        Its windows.
    relaxation : dict
        As it stands in a file.
    """
    targets, levers = relaxation.get("targets") or {}, relaxation.get("levers") or {}
    windows: dict[str, Any] = {}
    for name, own in (("compression_ratio", "ratio"), ("quench", "quench"), ("deck_clearance", "clearance")):
        given = targets.get(name) or {}
        window: Window = getattr(wanted, own)
        windows[own] = replace(window, low=given.get("min", window.low), high=given.get("max", window.high))
    spread = targets.get("spread") or {}
    windows["ratio_spread"] = spread.get("compression_ratio", wanted.ratio_spread)
    windows["quench_spread"] = spread.get("quench", wanted.quench_spread)
    means = dict(build.levers.means)
    for op, given in levers.items():
        if op == "gaskets":
            continue
        one = means[op]
        if "max" in given:
            one = replace(one, high=float(str(given["max"]).split()[0]))
        for bank, limits in (given.get("banks") or {}).items():
            low = one.banks.get(bank, (None, None))[0]
            one = replace(one, banks={**one.banks, bank: (low, float(str(limits["max"]).split()[0]))})
        means[op] = one
    gaskets = build.levers.gaskets
    if "gaskets" in levers:
        gaskets = tuple(read_gasket(raw, build.unstated_doubt) for raw in levers["gaskets"])
    changed = replace(build, levers=replace(build.levers, means=means, gaskets=gaskets))
    return changed, wanted._replace(**windows)


def _outward(value: float, *, up: bool) -> float:
    """A value with few digits, never on the closed side."""
    scale = 10.0**_DIGITS
    return float(math.ceil(value * scale + 0.2) if up else math.floor(value * scale - 0.2)) / scale


def _with_unit(op: str, value: float) -> float | str:
    return f"{value:.10g} cc" if LEVER[op].kind is Kind.VOLUME else value


def _gasket_as_typed(gasket: Any) -> dict[str, Any]:
    figures = {
        name: quantity.as_typed
        for name in ("thickness", "bore", "opening_area", "volume")
        if (quantity := getattr(gasket, name)) is not None
    }
    costs = {name: getattr(gasket, name) for name in ("price", "days") if getattr(gasket, name)}
    return {"name": gasket.name, **figures, **costs} if gasket.name else {**figures, **costs}


def _is_asked(wanted: PlanTargets, name: str) -> bool:
    return {
        "compression_ratio": wanted.ratio.is_bounded,
        "quench": wanted.quench.is_bounded,
        "deck_clearance": wanted.clearance.is_bounded,
        RATIO_SPREAD: wanted.ratio_spread is not None,
        QUENCH_SPREAD: wanted.quench_spread is not None,
    }[name]


def _without(wanted: PlanTargets, dropped: set[str]) -> PlanTargets:
    """The windows without some of them; the floor of the quench stays."""
    return wanted._replace(
        ratio=OPEN if "compression_ratio" in dropped else wanted.ratio,
        quench=OPEN if "quench" in dropped else wanted.quench,
        clearance=OPEN if "deck_clearance" in dropped else wanted.clearance,
        ratio_spread=None if RATIO_SPREAD in dropped else wanted.ratio_spread,
        quench_spread=None if QUENCH_SPREAD in dropped else wanted.quench_spread,
    )


def _widened(wanted: PlanTargets, share: float) -> PlanTargets:
    """Every edge moved by a share of its window's width; none past the floor, no ratio below 1."""

    def wider(window: Window, what: str) -> Window:
        by = share * (window.span or _ONE_EDGED[what])
        low = None if window.low is None else window.low - by
        high = None if window.high is None else window.high + by
        if low is not None and what == "compression_ratio":
            low = max(low, 1.01)
        return replace(window, low=low, high=high)

    return wanted._replace(
        ratio=wider(wanted.ratio, "compression_ratio"),
        quench=wider(wanted.quench, "quench"),
        clearance=wider(wanted.clearance, "deck_clearance"),
        ratio_spread=None if wanted.ratio_spread is None else wanted.ratio_spread * (1 + share),
        quench_spread=None if wanted.quench_spread is None else wanted.quench_spread * (1 + share),
    )


def _targets(wanted: PlanTargets) -> dict[str, Any]:
    """Windows as they stand in a file."""
    out: dict[str, Any] = {}
    for name, window in (
        ("compression_ratio", wanted.ratio),
        ("quench", wanted.quench),
        ("deck_clearance", wanted.clearance),
    ):
        ends = {"min": window.low, "max": window.high}
        if window.is_bounded:
            out[name] = {
                key: _outward(value, up=key == "max") for key, value in ends.items() if value is not None
            }
    spreads = {"compression_ratio": wanted.ratio_spread, "quench": wanted.quench_spread}
    if any(value is not None for value in spreads.values()):
        out["spread"] = {
            name: _outward(value, up=True) for name, value in spreads.items() if value is not None
        }
    return out


def _effort(layout: PlanMilp) -> dict[str, float]:
    """What a plan takes, roughly: the least of it is asked for."""
    out = {name: 1.0 for name in layout.programme.bounds if name.split()[0] in _AMOUNTS}
    for name in layout.programme.bounds:
        if name.startswith("opened") or name == BOWL:
            out[name] = 0.01
        elif name.startswith("milled"):
            out[name] = 0.1
    return out


_AMOUNTS = ("first", "last", "above", "rim", "past")


def _stepped(
    layout: PlanMilp, found: dict[str, float]
) -> Iterator[tuple[str, Callable[[float], list[float]]]]:
    """The amounts that are cut on steps, in the order in which they are settled, with the steps next to a value."""
    build, rules, pins = layout.build, layout.rules, layout.pins

    def around(step: float, less: float = 0.0) -> Callable[[float], list[float]]:
        def near(value: float) -> list[float]:
            at = (value + less) / step
            return [math.floor(at + 1e-7) * step - less, math.ceil(at - 1e-7) * step - less]

        return near

    def milled(taken: MilledVolume, step: float, bank: str) -> Callable[[float], list[float]]:
        def near(value: float) -> list[float]:
            at = milled_depth(layout, bank, value) / step if value > EPSILON else 0.0
            depths = np.array([math.floor(at + 1e-7) * step, math.ceil(at - 1e-7) * step])
            return [_volume(layout, bank, depth) for depth in depths.clip(0.0, taken.depths[-1]).tolist()]

        return near

    if layout.crown is not None and layout.crown.step:
        p = next(i for i in range(len(layout.frame.pistons)) if found[f"piston {i}"] > 0.5)
        above = found[f"above {p}"] + found[f"past {p}"]
        if found[f"rim {p}"] > EPSILON:
            yield f"rim {p}", around(layout.crown.step, above)
    if layout.bowl is not None and layout.bowl.step:
        yield BOWL, around(layout.bowl.step)
    for bank in build.banks:
        deck = moves_of(build, rules, op="deck_cut", bank=bank, pins=pins)
        if deck is not None and deck.step:
            yield f"first {bank.name}", around(deck.step)
            yield f"last {bank.name}", around(deck.step)
        head = moves_of(build, rules, op="head_cut", bank=bank, pins=pins)
        if head is not None and head.step and bank.name in layout.taken:
            yield f"milled {bank.name}", milled(layout.taken[bank.name], head.step, bank.name)
        opening = moves_of(build, rules, op="open_chamber", bank=bank, pins=pins)
        if opening is not None and opening.step:
            for number in bank.cylinders:
                yield f"opened {number}", around(opening.step)


def _operations(layout: PlanMilp, found: dict[str, float]) -> tuple[Operation, ...]:
    """A solution as a plan."""
    build, frame, planned = layout.build, layout.frame, list[Operation]()
    if frame.swapped:
        planned.append(Operation(SWAP))
    parts: list[PartChoice | None] = [frame.fixed]
    parts += [piston for p, piston in enumerate(frame.pistons) if found[f"piston {p}"] > 0.5]
    planned += [Operation(FIT, part=part.part) for part in parts if part is not None]
    planned += _gaskets(layout, found)
    for bank in build.banks:
        planned += _cuts(layout, found, bank.name)
    crown = math.fsum(
        value
        for name, value in found.items()
        if name.split()[0] in ("above", "rim", "past") and name.split()[1].isdigit()
    )
    if layout.crown is not None and crown > EPSILON:
        planned.append(Operation("crown_cut", amount=layout.crown.quantity(crown)))
    if layout.bowl is not None and found[BOWL] > EPSILON:
        planned.append(Operation("bowl", amount=layout.bowl.quantity(found[BOWL])))
    return tuple(planned)


def _gaskets(layout: PlanMilp, found: dict[str, float]) -> Iterator[Operation]:
    build = layout.build
    chosen = {}
    for bank in build.banks:
        key = bank.name if layout.per_bank else "all"
        for index, gasket in layout.gaskets[bank.name]:
            if found[f"gasket {key} {index}"] > 0.5 and gasket is not None:
                chosen[bank.name] = gasket
    if len(chosen) == len(build.banks) and len({id(gasket) for gasket in chosen.values()}) == 1:
        yield Operation("gasket", gasket=next(iter(chosen.values())))
    else:
        yield from (Operation("gasket", bank, gasket=gasket) for bank, gasket in chosen.items())


def _cuts(layout: PlanMilp, found: dict[str, float], bank: str) -> Iterator[Operation]:
    build = layout.build
    own = next(one for one in build.banks if one.name == bank)
    deck = moves_of(build, layout.rules, op="deck_cut", bank=own, pins=layout.pins)
    first, last = found[f"first {bank}"], found[f"last {bank}"]
    if deck is not None and max(first, last) > EPSILON:
        ends = deck.quantity(max(first, 0.0)), deck.quantity(max(last, 0.0))
        if abs(first - last) < EPSILON:
            yield Operation("deck_cut", bank, amount=ends[0])
        else:
            yield Operation("deck_cut", bank, amount=midway(*ends), first=ends[0], last=ends[1])
    head = moves_of(build, layout.rules, op="head_cut", bank=own, pins=layout.pins)
    milled = found[f"milled {bank}"]
    if head is not None and milled > EPSILON and bank in layout.taken:
        yield Operation("head_cut", bank, amount=head.quantity(milled_depth(layout, bank, milled)))
    opening = moves_of(build, layout.rules, op="open_chamber", bank=own, pins=layout.pins)
    for number in own.cylinders:
        if opening is not None and found[f"opened {number}"] > EPSILON:
            yield Operation(
                "open_chamber", cylinder=number, amount=opening.quantity(found[f"opened {number}"])
            )


def _volume(layout: PlanMilp, bank: str, depth: float) -> float:
    """What a depth takes from a chamber of a bank, in cc."""
    parts = () if layout.frame.fixed is None else (layout.frame.fixed.part,)
    start = layout.stated.holes.index(next(b for b in layout.build.banks if b.name == bank).cylinders[0])
    return float(layout.stated.removed(parts, np.full((1, 1), depth), slice(start, start + 1))[0, 0])


def milled_depth(layout: PlanMilp, bank: str, volume: float) -> float:
    """Return the depth in mm that takes a volume from a chamber of a bank, to the last digits.

    Parameters
    ----------
    layout : PlanMilp
        With what milling takes.
    bank : str
        Whose head.
    volume : float
        In cc.
    """
    from scipy.optimize import brentq

    deepest = float(layout.taken[bank].depths[-1])
    if _volume(layout, bank, deepest) <= volume:
        return deepest
    return float(brentq(lambda depth: _volume(layout, bank, depth) - volume, 0.0, deepest, xtol=1e-13))
