"""Why there is no plan: which windows conflict, and by how little one edge must move for one to open."""

# long: one question: every edge that may move, and how it is told
from __future__ import annotations

import itertools
import math
from collections.abc import Iterator
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np

from ..build.lever_table import LEVER
from ..build.model import Build, Operation
from ..build.parts_record import GASKET_CHOICE, gasket_of
from ..house_rules import HouseRules
from ..sentence import Sentence, sentence
from ..units import Kind
from ..windows import OPEN, Window
from ..written import Limit, Number, Volume
from .crowns import above_the_rim
from .decisions import EPSILON, NOTHING_FIXED, DecisionSpace, FixedDecisions
from .figure_samples import FigureSamples
from .milp import Solution, total
from .plan_milp import (
    NEW_GASKET,
    QUENCH_LOW,
    QUENCH_SPREAD,
    RATIO_HIGH,
    RATIO_LOW,
    RATIO_SPREAD,
    Movable,
    PlanMilp,
    Slack,
    Subproblem,
    span_of,
    subproblems_of,
)
from .results import PlanTargets, inside, results

WINDOWS = ("compression_ratio", "quench", "deck_clearance", RATIO_SPREAD.name, QUENCH_SPREAD.name)
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
    opens one. ``typed`` as it stands in a build file, None where there is none.
    """

    windows: tuple[str, ...]
    says: Sentence
    by: float | None
    share: float | None
    typed: dict[str, Any] | None
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
    fixed : FixedDecisions
        What was fixed by hand.
    """

    def __init__(
        self, build: Build, rules: HouseRules, wanted: PlanTargets, fixed: FixedDecisions = NOTHING_FIXED
    ) -> None:
        self.build, self.rules, self.wanted, self.fixed = build, rules, wanted, fixed
        self.stated = FigureSamples(build)
        self.space = DecisionSpace(build, rules, fixed)

    # -- a plan where the ladders found none ---------------------------------------

    def plan(self) -> tuple[Operation, ...] | None:
        """Return a plan that is inside every window as stated, on steps where it can be; None where there is none."""
        for programme in self._programmes(self.wanted):
            found = programme.milp.solve(programme.effort)
            if found is None:
                continue
            polished = self._polished(
                programme, {one: float(round(value)) for one, value in found.items() if one.whole}
            )
            if polished is not None:
                return polished
        return None

    def _polished(self, programme: PlanMilp, whole: Solution) -> tuple[Operation, ...] | None:
        """The plan with its amounts on steps, one after another as far as they stay inside."""
        milp, fixed = programme.milp, dict(whole)
        found = milp.solve(programme.effort, fixed)
        if found is None:
            return None
        for variable, near in programme.stepped(found):
            for at in near(found[variable]):
                if not variable.low <= at <= variable.high:
                    continue
                trial = milp.solve(programme.effort, {**fixed, variable: at})
                if trial is not None:
                    fixed[variable], found = at, trial
                    break
        planned = programme.operations(found)
        return planned if bool(inside(results(self.stated, planned), self.wanted)[0]) else None

    def _programmes(self, wanted: PlanTargets) -> Iterator[PlanMilp]:
        for subproblem in subproblems_of(self.space):
            for span in spans_of(self.stated, self.space, wanted, subproblem):
                yield PlanMilp(self.stated, self.space, wanted=wanted, subproblem=subproblem, span=span)

    # -- why -------------------------------------------------------------------

    def reasons(self) -> tuple[Relaxation, ...]:
        """Return every single edge that opens a plan when it alone is moved, the smallest share first.

        Where none does, one reason: the least common share of all edges, or none at all.
        """
        windows = self.windows()
        best: dict[Movable, tuple[float, PlanMilp, Solution]] = {}
        for programme in self._programmes(self.wanted):
            for slack in programme.slacks:
                found = _least(programme, slack)
                if found is not None and (slack.of not in best or found[0] < best[slack.of][0] - 1e-12):
                    best[slack.of] = found[0], programme, found[1]
        told = [
            reason
            for moved, (by, programme, values) in best.items()
            if (reason := self._told(moved, by, programme=programme, values=values, windows=windows))
            is not None
        ]
        told = [reason for reason in told if self._holds(reason)]
        told.sort(key=lambda reason: (reason.share if reason.share is not None else math.inf, reason.edge))
        return tuple(told) or (self._together(windows),)

    def _holds(self, reason: Relaxation) -> bool:
        """Whether what is to be typed in does open a plan: asked where the programme was not exact."""
        if self.wanted.ratio_spread is None:
            return True
        build, wanted = relaxed(self.build, self.wanted, reason.typed or {})
        return Infeasibility(build, self.rules, wanted, self.fixed).plan() is not None

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
        return any(programme.milp.solve(total({})) is not None for programme in self._programmes(wanted))

    def _opens_in_truth(self, share: float) -> bool:
        """Whether a plan is there once every window is so much wider, as the evaluation has it."""
        wanted = _widened(self.wanted, share)
        return Infeasibility(self.build, self.rules, wanted, self.fixed).plan() is not None

    # -- in words --------------------------------------------------------------

    # long: one edge after another, each in its own words
    def _told(
        self,
        moved: Movable,
        by: float,
        *,
        programme: PlanMilp,
        values: Solution,
        windows: tuple[str, ...],
    ) -> Relaxation | None:
        if moved == NEW_GASKET:
            return self._gasket(programme, values, windows)
        if moved.kind == "lever":
            return self._limit(moved, by, programme, windows)
        wanted = self.wanted
        if moved == RATIO_SPREAD:
            further = self._spread_of_ratio()
            return (
                None if further is None else self._spread(moved, wanted.ratio_spread or 0.0, further, windows)
            )
        if moved == QUENCH_SPREAD:
            return self._spread(moved, wanted.quench_spread or 0.0, by, windows)
        what, up = moved.of, moved.upper
        window: Window = {
            "compression_ratio": wanted.ratio,
            "quench": wanted.quench,
            "deck_clearance": wanted.clearance,
        }[what]
        edge = window.high if up else window.low
        assert edge is not None
        if moved == RATIO_HIGH:
            by = 1 + 1 / (1 / (edge - 1) - by) - edge
        elif moved == RATIO_LOW:
            by = edge - (1 + 1 / (1 / (edge - 1) + by))
        value = _outward(edge + by if up else edge - by, up=up)
        if moved == QUENCH_LOW:
            value = max(value, wanted.floor)
        by = abs(value - edge)
        share = by / (window.span or _ONE_EDGED[what])
        typed = {"targets": {what: {"max" if up else "min": value}}}
        words = {"compression_ratio": "a ratio", "quench": "{quench}", "deck_clearance": "a deck clearance"}[
            what
        ]
        way = "up to" if up else "down to"
        written: Any = Number(value, 3) if what == "compression_ratio" else Limit(value)
        off: Any = Number(by, 3) if what == "compression_ratio" else Limit(by)
        says = sentence(
            "With " + words + " " + way + " {edge}, {by} further, there is a plan.", edge=written, by=off
        )
        return Relaxation(windows=windows, says=says, by=by, share=share, typed=typed, edge=moved.name)

    def _spread(self, moved: Movable, now: float, by: float, windows: tuple[str, ...]) -> Relaxation:
        value = _outward(now + by, up=True)
        by = value - now
        written: Any = Number(value, 3) if moved == RATIO_SPREAD else Limit(value)
        says = sentence(
            "With holes up to {edge} apart in "
            + ("ratio" if moved == RATIO_SPREAD else "{quench}")
            + " there is a plan.",
            edge=written,
        )
        share = by / now if now else math.inf
        return Relaxation(
            windows=windows,
            says=says,
            by=by,
            share=share,
            typed={"targets": {"spread": {moved.of: value}}},
            edge=moved.name,
        )

    def _spread_of_ratio(self) -> float | None:
        """The least further spread of ratio: its row is a line only near the present one, so it is walked to."""
        now = self.wanted.ratio_spread or 0.0
        further = 0.0
        for _ in range(12):
            wanted = self.wanted._replace(ratio_spread=now + further)
            found = [
                one[0]
                for programme in self._programmes(wanted)
                for slack in programme.slacks
                if slack.of == RATIO_SPREAD and (one := _least(programme, slack)) is not None
            ]
            if not found:
                return None
            further += min(found)
            if min(found) < 1e-7:
                break
        return further

    def _limit(
        self, moved: Movable, allowance: float, programme: PlanMilp, windows: tuple[str, ...]
    ) -> Relaxation | None:
        op, bank = moved.of, moved.bank
        where = bank or self.build.banks[0].name
        move = self.space.move(op, "" if LEVER[op].reach == "set" else where)
        if move is None or not move.may_rest:
            return None
        now, by = move.high, allowance
        if op == "head_cut":
            taken = programme.milled[where]
            by = taken.depth(np.array(taken.volume(np.array(now)) + by)).item() - now
        value = _outward(now + by, up=True)
        if value > self._piston_floor(op, programme) + EPSILON:
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
        typed = {"levers": {op: {"banks": {bank: inner}} if bank else inner}}
        return Relaxation(
            windows=windows,
            says=says,
            by=by,
            share=by / now if now else math.inf,
            typed=typed,
            edge=moved.name,
        )

    def _piston_floor(self, op: str, programme: PlanMilp) -> float:
        """What metal that must remain leaves of a cut in the pistons; no end for others."""
        floor = {"crown_cut": self.space.crown_floor, "bowl": self.space.bowl_floor}.get(op)
        return math.inf if floor is None else max(floor(piston.part) for piston in programme.pistons)

    def _gasket(self, programme: PlanMilp, values: Solution, windows: tuple[str, ...]) -> Relaxation | None:
        """A gasket that is not listed: as one that is, but so much thicker or thinner."""
        for bank in self.build.banks:
            for one in programme.gaskets_of(bank.name):
                if values[one.near] < 0.5:
                    continue
                at = self.stated.holes.index(bank.cylinders[0])
                more = values[one.more] - values[one.less]
                near = float(programme.pistons[0].base.gasket[0, at])
                if one.gasket is not None and one.gasket.thickness is not None:
                    near = one.gasket.thickness.value
                thickness = _outward(near + more, up=more > 0)
                bore = self._bore(bank.name, one.place)
                if bore is None or thickness <= 0:
                    return None
                fresh = {"name": f"{thickness:.2f} mm", "thickness": thickness, **bore}
                width = self.wanted.quench.span or _ONE_EDGED["quench"]
                by = abs(thickness - near)
                says = sentence("With a gasket of {edge} there is a plan.", edge=Limit(thickness))
                listed = [_gasket_as_typed(known) for known in self.build.levers.gaskets]
                return Relaxation(
                    windows=windows,
                    says=says,
                    by=by,
                    share=by / width,
                    typed={"levers": {"gaskets": [*listed, fresh]}},
                    edge=NEW_GASKET.name,
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
            return Relaxation(windows=windows, says=says, by=None, share=None, typed=None)
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
            typed={"targets": _targets(_widened(self.wanted, share))},
        )


def _least(programme: PlanMilp, slack: Slack) -> tuple[float, Solution] | None:
    """The least by which one thing must move for a plan of one subproblem."""
    programme.ask(slack, slack.most)
    found = programme.milp.solve(total({slack.variable: 1.0}))
    programme.ask(slack, 0.0)
    if found is None or found[slack.variable] > slack.most - EPSILON:
        return None
    return max(found[slack.variable], 0.0), found


def spans_of(
    stated: FigureSamples, space: DecisionSpace, wanted: PlanTargets, subproblem: Subproblem
) -> list[tuple[float, float] | None]:
    """Return ranges of volume over swept volume: the spread of ratios is a line only between near ends (trade.md 11).

    They are narrow where the levers can bring the holes, and wide where an edge would have to be moved for it.

    Parameters
    ----------
    stated : FigureSamples
        The stated values.
    space : DecisionSpace
        What may be done.
    wanted : PlanTargets
        The windows.
    subproblem : Subproblem
        What is fitted.

    Returns
    -------
    list
        Pairs without a unit; None alone where no spread of ratios is asked for.
    """
    if wanted.ratio_spread is None:
        return [None]
    low, high = span_of(wanted)
    reached = PlanMilp(
        stated, space, wanted=wanted._replace(ratio_spread=None), subproblem=subproblem
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
            one = one.with_(high=float(str(given["max"]).split()[0]))
        for bank, limits in (given.get("banks") or {}).items():
            low = one.banks.get(bank, (None, None))[0]
            one = one.with_(banks={**one.banks, bank: (low, float(str(limits["max"]).split()[0]))})
        means[op] = one
    gaskets = build.levers.gaskets
    if "gaskets" in levers:
        gaskets = tuple(gasket_of(GASKET_CHOICE.read(raw, build.unstated_doubt)) for raw in levers["gaskets"])
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
        RATIO_SPREAD.name: wanted.ratio_spread is not None,
        QUENCH_SPREAD.name: wanted.quench_spread is not None,
    }[name]


def _without(wanted: PlanTargets, dropped: set[str]) -> PlanTargets:
    """The windows without some of them; the floor of the quench stays."""
    return wanted._replace(
        ratio=OPEN if "compression_ratio" in dropped else wanted.ratio,
        quench=OPEN if "quench" in dropped else wanted.quench,
        clearance=OPEN if "deck_clearance" in dropped else wanted.clearance,
        ratio_spread=None if RATIO_SPREAD.name in dropped else wanted.ratio_spread,
        quench_spread=None if QUENCH_SPREAD.name in dropped else wanted.quench_spread,
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
