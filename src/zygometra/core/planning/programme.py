"""Everything that may be done to a build as one mixed-integer programme on its stated values.

Deck cuts, what milling takes, openings and crown cuts are its variables; gaskets and pistons are chosen
by yes or no. The windows are its rows, each with an allowance by which its edge may be moved. It answers what
the search's ladders cannot: that there is no plan at all, which windows conflict, and by how little one of
them must move. Lengths in mm, volumes in cc.
"""

# long: one programme: its variables, then its rows
from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np

from ..build.means import PartChoice
from ..build.model import Build, Gasket
from ..house_rules import HouseRules
from ..linear import Linear
from ..stack.arithmetic import circle_area, clearance_volume_for, cylinder_volume
from ..stack.kernel import (
    Chamfer,
    Crown,
    FlatCut,
    HoleVolumes,
    chord,
    closed_by,
    held_by_gasket,
    with_crown_cut,
    with_deck_cut,
)
from .crowns import bowl_limit, crown_limit, more_above_rim
from .cut_bank import MilledVolume
from .figure_samples import FigureSamples, UncutHoles, dish_depth
from .moves import (
    EPSILON,
    NOTHING_FIXED,
    FixedDecisions,
    Move,
    fittings_of,
    gaskets_of,
    moves_of,
)
from .quasi_random import Table
from .results import PlanTargets

# What is sunk into every crown, in cc.
BOWL = "bowl sunk"

# Names of the edges that may be moved; a limit of one bank's lever has the bank behind it.
RATIO_LOW, RATIO_HIGH = "compression_ratio.min", "compression_ratio.max"
QUENCH_LOW, QUENCH_HIGH = "quench.min", "quench.max"
CLEARANCE_LOW, CLEARANCE_HIGH = "deck_clearance.min", "deck_clearance.max"
RATIO_SPREAD, QUENCH_SPREAD = "spread.compression_ratio", "spread.quench"
NEW_GASKET = "gasket"

_NEVER = 1e3


class Constraint(NamedTuple):
    """One row: what stands before each variable, and between what the sum must lie."""

    of: dict[str, float]
    low: float
    high: float


@dataclass
class Milp:
    """Variables with their bounds, rows, and which variables are whole."""

    bounds: dict[str, tuple[float, float]] = field(default_factory=dict)
    whole: set[str] = field(default_factory=set)
    rows: list[Constraint] = field(default_factory=list)

    def variable(self, name: str, low: float, high: float, *, whole: bool = False) -> str:
        """Put a variable in and return its name.

        Parameters
        ----------
        name : str
            Its name.
        low, high : float
            Between which values it lies, in the unit of what it stands for.
        whole : bool
            True for yes or no.
        """
        self.bounds[name] = (low, high)
        if whole:
            self.whole.add(name)
        return name

    def row(self, of: Mapping[str, float], low: float = -math.inf, high: float = math.inf) -> None:
        """Put a row in.

        Parameters
        ----------
        of : Mapping
            What stands before each variable.
        low, high : float
            Between what the sum must lie, in its unit.
        """
        self.rows.append(Constraint(dict(of), low, high))

    # long: one programme, handed to the solver with whole numbers or without
    def solve(
        self, least: Mapping[str, float], fixed: Mapping[str, float] | None = None
    ) -> dict[str, float] | None:
        """Return the values that make a sum least; None where no values suit.

        Parameters
        ----------
        least : Mapping
            What stands before each variable in that sum.
        fixed : Mapping, optional
            Variables that are held: with these a linear programme is left, solved to the last digits.

        Returns
        -------
        dict or None
            By variable.
        """
        from scipy.optimize import Bounds, LinearConstraint, linprog, milp

        names = list(self.bounds)
        at = {name: i for i, name in enumerate(names)}
        costs = np.zeros(len(names))
        for name, value in least.items():
            costs[at[name]] = value
        low, high = (np.array([self.bounds[name][i] for name in names]) for i in (0, 1))
        for name, value in (fixed or {}).items():
            low[at[name]] = high[at[name]] = value
        matrix = np.zeros((len(self.rows), len(names)))
        for r, row in enumerate(self.rows):
            for name, value in row.of.items():
                matrix[r, at[name]] += value
        bottom, top = np.array([row.low for row in self.rows]), np.array([row.high for row in self.rows])
        if np.isnan(matrix).any() or np.isnan(bottom).any() or np.isnan(top).any():
            return None  # what hangs on a figure that nobody knows is inside no window
        if fixed is None or not self.whole <= set(fixed):
            whole = np.array([name in self.whole for name in names], dtype=int)
            found = milp(
                costs,
                integrality=whole,
                bounds=Bounds(low, high),
                constraints=LinearConstraint(matrix, bottom, top),
                options={"mip_rel_gap": 1e-9, "time_limit": 20.0},
            )
        else:
            upper, lower = np.isfinite(top), np.isfinite(bottom)
            found = linprog(
                costs,
                A_ub=np.concatenate([matrix[upper], -matrix[lower]]),
                b_ub=np.concatenate([top[upper], -bottom[lower]]),
                bounds=np.stack([low, high], axis=1),
                method="highs",
                options={"primal_feasibility_tolerance": 1e-10, "dual_feasibility_tolerance": 1e-10},
            )
        if found.x is None or found.status not in (0, 1):
            return None
        return dict(zip(names, map(float, found.x), strict=True))


class Slack(NamedTuple):
    """An edge that may be moved by an allowance: how far at most, and what one unit of it is worth.

    ``bank`` for the limit of one bank's lever alone.
    """

    name: str
    most: float
    bank: str = ""

    @property
    def allowance(self) -> str:
        """The name of its variable."""
        return f"allow {self.name} {self.bank}".strip()


class Subproblem(NamedTuple):
    """What holds for one programme: a part that is no piston, the way the heads lie, the pistons to choose from."""

    fixed: PartChoice | None
    swapped: bool
    pistons: tuple[PartChoice | None, ...]


def subproblems_of(build: Build, pins: FixedDecisions = NOTHING_FIXED) -> list[Subproblem]:
    """Return the programmes that together hold everything that may be done.

    Parameters
    ----------
    build : Build
        With its levers.
    pins : FixedDecisions
        What was fixed by hand.
    """
    choices = fittings_of(build, pins)
    frames = []
    for way in sorted({choice.swapped for choice in choices}):
        parts = [choice.part for choice in choices if choice.swapped == way]
        pistons = tuple(part for part in parts if part is None or part.part.kind == "piston")
        if pistons:
            frames.append(Subproblem(None, way, pistons))
        frames += [
            Subproblem(part, way, (None,))
            for part in parts
            if part is not None and part.part.kind != "piston"
        ]
    return frames


class PlanMilp:
    """The programme of one frame.

    Parameters
    ----------
    stated : FigureSamples
        The stated values.
    rules : HouseRules
        For limits and floors.
    wanted : PlanTargets
        The windows; those that are not to count are open in it.
    frame : Subproblem
        What is fitted and to choose from.
    pins : FixedDecisions
        What was fixed by hand.
    span : tuple of float, optional
        Between which values of clearance volume over swept volume the ratios of all holes lie.
    """

    def __init__(
        self,
        stated: FigureSamples,
        rules: HouseRules,
        wanted: PlanTargets,
        frame: Subproblem,
        pins: FixedDecisions = NOTHING_FIXED,
        span: tuple[float, float] | None = None,
    ) -> None:
        self.stated, self.build, self.rules = stated, stated.build, rules
        self.wanted, self.frame, self.pins = wanted, frame, pins
        self.programme = Milp()
        self.edges: list[Slack] = []
        self.span = span or span_of(wanted)
        self.bases: list[UncutHoles] = []
        self.taken: dict[str, MilledVolume] = {}
        self.gaskets: dict[str, list[tuple[int, Gasket | None]]] = {}
        self.per_bank = self.build.levers.gasket_per_bank
        decks = [self._move("deck_cut", bank.name) for bank in self.build.banks]
        self._deepest = max((move.high for move in decks if move is not None), default=0.0)
        self._pistons()
        self._crown()
        self._bowl()
        for bank in self.build.banks:
            self._bank(bank.name)
        self._windows()

    def reach(self) -> tuple[float, float] | None:
        """Return between which volumes over swept volume the first hole can be brought; None where nothing is."""
        bank = self.build.banks[0]
        _, _, volume = self._terms(self.stated.holes.index(bank.cylinders[0]), bank.name)
        swept = float(self.bases[0].swept[0, self.stated.holes.index(bank.cylinders[0])])
        ends = []
        for sign in (1.0, -1.0):
            found = self.programme.solve({name: sign * part for name, part in volume.items()})
            if found is None:
                return None
            ends.append(math.fsum(part * found[name] for name, part in volume.items()) / swept)
        return ends[0], ends[1]

    # -- what may be done --------------------------------------------------------

    def _edge(self, name: str, most: float, bank: str = "") -> str:
        """An edge's allowance: nought until it is asked for."""
        edge = Slack(name, most, bank)
        if edge.allowance not in self.programme.bounds:
            self.edges.append(edge)
            self.programme.variable(edge.allowance, 0.0, 0.0)
        return edge.allowance

    def ask(self, edge: Slack, most: float) -> None:
        """Let an edge move by so much at most; nought holds it again.

        Parameters
        ----------
        edge : Slack
            Which.
        most : float
            In mm, cc, or of 1/(CR − 1).
        """
        put = self.programme
        put.bounds[edge.allowance] = (0.0, most)
        if edge.name == NEW_GASKET:
            for name in put.bounds:
                if name.startswith("new gasket"):
                    put.bounds[name] = (0.0, 1.0 if most else 0.0)

    def _pistons(self) -> None:
        put = self.programme
        fixed = () if self.frame.fixed is None else (self.frame.fixed.part,)
        for p, piston in enumerate(self.frame.pistons):
            parts = fixed if piston is None else (*fixed, piston.part)
            self.bases.append(self.stated.base(parts, swapped=self.frame.swapped))
            known = not np.isnan(self.bases[-1].clearance + self.bases[-1].closed).any()
            put.variable(f"piston {p}", 0.0, 1.0 if known else 0.0, whole=True)
        put.row({f"piston {p}": 1.0 for p in range(len(self.frame.pistons))}, 1.0, 1.0)

    def _crown(self) -> None:
        """What comes off the crowns: first what stands above the rim, then the rim with its dish, then past it."""
        put, move = (
            self.programme,
            moves_of(self.build, self.rules, op="crown_cut", bank=None, pins=self.pins),
        )
        self.crown: Move | None = move
        if self.crown is None:
            return
        move, floors, total, more = self.crown, {}, {}, {}
        for p, piston in enumerate(self.frame.pistons):
            base = self.bases[p]
            above, depth = float(base.above_rim.max()), float(dish_depth(base.dish_area, base.dish).min())
            part = None if piston is None else piston.part
            floors[f"piston {p}"] = min(crown_limit(part, self.build, self.rules), 50.0)
            # The lever's limit counts what goes off below the rim.
            more[f"piston {p}"] = -more_above_rim(part, self.build, self.rules) if move.may_rest else 0.0
            for name, most in ((f"above {p}", above), (f"rim {p}", min(depth, 50.0)), (f"past {p}", 50.0)):
                put.variable(name, 0.0, most)
                total[name] = 1.0
            put.row({f"above {p}": 1, f"rim {p}": 1, f"past {p}": 1, f"piston {p}": -50.0}, high=0.0)
            if above > 0:
                put.variable(f"reached {p}", 0.0, 1.0, whole=True)
                put.row({f"above {p}": 1.0, f"reached {p}": -above}, low=0.0)
                put.row({f"rim {p}": 1.0, f"past {p}": 1.0, f"reached {p}": -50.0}, high=0.0)
            if depth < 50.0:
                put.variable(f"through {p}", 0.0, 1.0, whole=True)
                put.row({f"rim {p}": 1.0, f"through {p}": -depth}, low=0.0)
                put.row({f"past {p}": 1.0, f"through {p}": -50.0}, high=0.0)
            else:
                put.bounds[f"past {p}"] = (0.0, 0.0)
        put.row({**total, **{name: -floor for name, floor in floors.items()}}, high=0.0)
        allow = self._edge("crown_cut.max", 50.0)
        fixed = -math.inf if move.may_rest else move.high
        put.row({**total, **more, allow: -1.0}, low=fixed, high=move.high)
        if move.low and move.may_rest:
            put.variable("crown on", 0.0, 1.0, whole=True)
            put.row({**total, "crown on": -move.low}, low=0.0)
            put.row({**total, "crown on": -50.0}, high=0.0)

    def _bowl(self) -> None:
        """What is sunk into the crowns, the same into each."""
        put, move = self.programme, moves_of(self.build, self.rules, op="bowl", bank=None, pins=self.pins)
        self.bowl: Move | None = move
        put.variable(BOWL, 0.0, 0.0 if move is None else 500.0)
        if move is None:
            return
        floors = {
            f"piston {p}": min(
                bowl_limit(None if piston is None else piston.part, self.build, self.rules), 500.0
            )
            for p, piston in enumerate(self.frame.pistons)
        }
        put.row({BOWL: 1.0, **{name: -floor for name, floor in floors.items()}}, high=0.0)
        allow = self._edge("bowl.max", 500.0)
        put.row({BOWL: 1.0, allow: -1.0}, low=-math.inf if move.may_rest else move.high, high=move.high)
        if move.low and move.may_rest:
            put.variable("bowl on", 0.0, 1.0, whole=True)
            put.row({BOWL: 1.0, "bowl on": -move.low}, low=0.0)
            put.row({BOWL: 1.0, "bowl on": -500.0}, high=0.0)

    def _bank(self, bank: str) -> None:
        put, own = self.programme, next(one for one in self.build.banks if one.name == bank)
        deck = self._move("deck_cut", bank)
        for end in ("first", "last"):
            put.variable(f"{end} {bank}", 0.0, 50.0 if deck is not None else 0.0)
        if deck is not None:
            self._limited(deck, bank, [{f"first {bank}": 1.0}, {f"last {bank}": 1.0}])
            fixed = self.pins.cuts.get(("deck_cut", bank))
            if fixed is not None:
                for end, value in zip(("first", "last"), fixed, strict=True):
                    put.bounds[f"{end} {bank}"] = (value, value)
            elif not deck.means.level or len(own.cylinders) < 2:
                put.row({f"first {bank}": 1.0, f"last {bank}": -1.0}, 0.0, 0.0)
        head = self._move("head_cut", bank)
        put.variable(f"milled {bank}", 0.0, 0.0)
        if head is not None:
            self._head(head, bank)
        opening = self._move("open_chamber", bank)
        for number in own.cylinders:
            put.variable(f"opened {number}", 0.0, 500.0 if opening is not None else 0.0)
            if opening is not None:
                self._limited(opening, bank, [{f"opened {number}": 1.0}], str(number))
        self._gasket(bank)

    def _move(self, op: Any, bank: str) -> Move | None:
        own = next(one for one in self.build.banks if one.name == bank)
        return moves_of(self.build, self.rules, op=op, bank=own, pins=self.pins)

    def _limited(self, move: Move, bank: str, amounts: list[dict[str, float]], of: str = "") -> None:
        """Nought, or between the limits of a lever; its upper one may be moved."""
        put, name = self.programme, move.means.op
        alone = bank if move.means.banks.get(bank, (None, None))[1] is not None else ""
        allow = self._edge(f"{name}.max", self._floor(move, bank), alone)
        for amount in amounts:
            put.row({**amount, allow: -1.0}, high=move.high)
        if not move.may_rest and name == "open_chamber":
            for amount in amounts:
                put.row(amount, low=move.high)
        elif move.low:
            on = put.variable(f"{name} on {of or bank}", 0.0, 1.0, whole=True)
            for amount in amounts:
                put.row({**amount, on: -move.low}, low=0.0)
                put.row({**amount, on: -move.high - 5.0}, high=0.0)

    def _floor(self, move: Move, bank: str) -> float:
        """How far a limit may be moved before metal that must remain is gone."""
        if move.means.op != "deck_cut" or self.build.facing.least_deck_height is None:
            return 50.0
        height = self.build.figures.get(f"banks.{bank}.deck_height") or self.build.figures.get(
            "parts.block.deck_height"
        )
        left = 50.0 if height is None else height.value - self.build.facing.least_deck_height
        return max(left - move.high, 0.0)

    def _head(self, head: Move, bank: str) -> None:
        put = self.programme
        start = self.stated.holes.index(next(b for b in self.build.banks if b.name == bank).cylinders[0])
        parts = () if self.frame.fixed is None else (self.frame.fixed.part,)
        # Some way past the limit, so that it can be moved.
        taken = MilledVolume.of(self.stated, parts, slice(start, start + 1), head.high + 2.0)
        if taken is None:
            return
        self.taken[bank] = taken
        most = float(taken.volume(np.array(head.high)))
        put.bounds[f"milled {bank}"] = (0.0, float(taken.volumes[-1]))
        alone = bank if head.means.banks.get(bank, (None, None))[1] is not None else ""
        allow = self._edge("head_cut.max", float(taken.volumes[-1]) - most, alone)
        put.row({f"milled {bank}": 1.0, allow: -1.0}, low=most if not head.may_rest else -math.inf, high=most)
        if head.low and head.may_rest:
            put.variable(f"head on {bank}", 0.0, 1.0, whole=True)
            low = float(taken.volume(np.array(head.low)))
            put.row({f"milled {bank}": 1.0, f"head on {bank}": -low}, low=0.0)
            put.row({f"milled {bank}": 1.0, f"head on {bank}": -float(taken.volumes[-1])}, high=0.0)

    def _gasket_key(self, bank: str) -> str:
        return bank if self.per_bank else "all"

    def _gasket(self, bank: str) -> None:
        """Which gasket: the one there, one of those listed, or, where that is allowed, one that is not listed."""
        put, key = self.programme, self._gasket_key(bank)
        listed = gaskets_of(self.build, bank, self.pins)
        self.gaskets[bank] = [(-1 if index is None else index, gasket) for index, gasket in listed]
        if f"new gasket {key}" in put.bounds:
            return
        names = {}
        for index, _ in self.gaskets[bank]:
            names[put.variable(f"gasket {key} {index}", 0.0, 1.0, whole=True)] = 1.0
        new = put.variable(f"new gasket {key}", 0.0, 1.0, whole=True)
        put.row({**names, new: 1.0}, 1.0, 1.0)
        allow = self._edge(NEW_GASKET, 20.0)
        near = {}
        for index, _ in self.gaskets[bank]:
            near[put.variable(f"near {key} {index}", 0.0, 1.0, whole=True)] = 1.0
            for way in ("more", "less"):
                # How much thicker or thinner than the listed one it is.
                off = put.variable(f"{way} {key} {index}", 0.0, 20.0)
                put.row({off: 1.0, f"near {key} {index}": -20.0}, high=0.0)
                put.row({off: 1.0, allow: -1.0}, high=0.0)
        put.row({**near, new: -1.0}, 0.0, 0.0)
        # Not listed, it is there only where that edge is asked for.
        put.bounds[new] = (0.0, 0.0)

    # -- windows ---------------------------------------------------------------

    def _terms(self, at: int, bank: str) -> tuple[dict[str, float], dict[str, float], dict[str, float]]:
        """What clearance, gap and clearance volume of a hole are made of: what stands before each variable.

        The kernel's own lines, run on variables in place of figures. Pistons are chosen by yes or no, so that
        each brings in its hole as often as it is chosen.
        """
        h = self._chosen(at)
        for p, base in enumerate(self.bases if self.crown is not None else ()):
            own = one_hole(base, at)
            h = with_crown_cut(h._replace(ring=own.ring, shape=own.shape), self._crown_off(p, base, at))
        taken = Linear.of(f"opened {self.stated.holes[at]}") + Linear.of(BOWL) - Linear.of(f"milled {bank}")
        h = with_deck_cut(h._replace(chamber=h.chamber + taken), self._deck(at, bank))
        thickness, held = Linear[str](0.0), Linear[str](0.0)
        key = self._gasket_key(bank)
        for index, gasket in self.gaskets[bank]:
            thick, holds, opening = self._gasket_at(at, gasket)
            other = Linear.of(f"more {key} {index}") - Linear.of(f"less {key} {index}")
            listed = Linear.of(f"gasket {key} {index}") + Linear.of(f"near {key} {index}")
            thickness = thickness + listed * thick + other
            held = held + listed * holds + held_by_gasket(opening, other)
        clearance, gap, volume = closed_by(h, thickness, held)
        return clearance.slopes, gap.slopes, volume.slopes

    def _chosen(self, at: int) -> HoleVolumes:
        """A hole with whichever piston is chosen, before anything is cut; one that is not known cannot be chosen."""
        first = one_hole(self.bases[0], at)
        clearance, closed = Linear[str](0.0), Linear[str](0.0)
        for p, base in enumerate(self.bases):
            own, chosen = one_hole(base, at), Linear.of(f"piston {p}")
            known = not math.isnan(own.clearance + own.closed)
            clearance = clearance + chosen * (own.clearance if known else 0.0)
            closed = closed + chosen * (own.closed if known else 0.0)
        pocket = first.pocket
        if self.bases[0].edge is not None:
            edge = Chamfer(*(float(column[0, at]) for column in self.bases[0].edge))
            pocket += chord(edge, max(self._deepest, 0.01))
        return first._replace(clearance=clearance, chamber=closed, pocket=pocket, edge=None)

    def _crown_off(self, p: int, base: UncutHoles, at: int) -> FlatCut:
        """What comes off the crown of one piston, by the variables of its pieces of metal."""
        rim, past = Linear.of(f"rim {p}"), Linear.of(f"past {p}")
        return FlatCut(
            Linear.of(f"above {p}"), rim + past, cylinder_volume(float(base.dish_area[0, at]), rim)
        )

    def _deck(self, at: int, bank: str) -> Linear[str]:
        """What comes off a deck at a hole: between its ends along a straight line."""
        own = next(one for one in self.build.banks if one.name == bank)
        place, count = at - self.stated.holes.index(own.cylinders[0]), len(own.cylinders)
        share = place / (count - 1) if count > 1 else 0.5
        return Linear(0.0, {f"first {bank}": 1 - share, f"last {bank}": share})

    def _gasket_at(self, at: int, gasket: Gasket | None) -> tuple[float, float, float]:
        """Thickness, volume and opening of a gasket over a hole; a thickness that is not known fits nothing."""
        base = self.bases[0]
        thickness, held = float(base.gasket[0, at]), float(base.gasket_volume[0, at])
        if gasket is not None:
            thickness = gasket.thickness.value if gasket.thickness is not None else thickness
            opening = held * 1000 / thickness if thickness else 0.0
            if base.gasket[0, at]:
                opening = float(base.gasket_volume[0, at]) * 1000 / float(base.gasket[0, at])
            if gasket.opening_area is not None:
                opening = gasket.opening_area.value
            elif gasket.bore is not None:
                opening = circle_area(gasket.bore.value)
            held = held_by_gasket(opening, thickness)
            if gasket.volume is not None and math.isnan(held):
                held = gasket.volume.value
        else:
            opening = held * 1000 / thickness if thickness else 0.0
        if math.isnan(thickness + held):
            return _NEVER, _NEVER, 0.0
        return thickness, held, opening

    # long: what it puts together is told field by field, a line each
    def _windows(self) -> None:
        put, wanted = self.programme, self.wanted
        gap, clearance, ratio = wanted.gap, wanted.clearance, wanted.ratio
        allow = self._allowances()
        if wanted.quench_spread is not None:
            put.variable("widest gap", -100.0, 100.0)
        if wanted.ratio_spread is not None:
            put.variable("largest volume", *self.span)
        at = 0
        for bank in self.build.banks:
            for _ in bank.cylinders:
                stands, shown, volume = self._terms(at, bank.name)
                swept = float(self.bases[0].swept[0, at])
                at += 1
                self._between(
                    shown,
                    gap.low,
                    high=gap.high,
                    allow_low=allow.get(QUENCH_LOW),
                    allow_high=allow.get(QUENCH_HIGH),
                    scale=1.0,
                )
                self._between(
                    stands,
                    clearance.low,
                    high=clearance.high,
                    allow_low=allow.get(CLEARANCE_LOW),
                    allow_high=allow.get(CLEARANCE_HIGH),
                    scale=1.0,
                )
                low = clearance_volume_for(swept, ratio.high) if ratio.high is not None else None
                high = clearance_volume_for(swept, ratio.low) if ratio.low is not None else None
                self._between(
                    volume,
                    low,
                    high=high,
                    allow_low=allow.get(RATIO_HIGH),
                    allow_high=allow.get(RATIO_LOW),
                    scale=swept,
                )
                # No engine without room above its piston.
                put.row(volume, low=1e-6)
                if wanted.quench_spread is not None:
                    put.row({**shown, "widest gap": -1.0}, high=0.0)
                    put.row(
                        {**shown, "widest gap": -1.0, allow[QUENCH_SPREAD]: 1.0}, low=-wanted.quench_spread
                    )
                if wanted.ratio_spread is not None:
                    start, slope, by = _secant(wanted.ratio_spread, *self.span)
                    put.row({**volume, "largest volume": -swept}, high=0.0)
                    put.row(
                        {**volume, "largest volume": -swept * slope, allow[RATIO_SPREAD]: swept * by},
                        low=swept * start,
                    )

    def _allowances(self) -> dict[str, str]:
        """The allowances of the windows' edges, by name; of a floor there is none."""
        wanted, out = self.wanted, {}
        quench, floor = wanted.quench, wanted.floor
        if quench.low is not None and quench.low > floor:
            out[QUENCH_LOW] = self._edge(QUENCH_LOW, quench.low - floor)
        if quench.high is not None:
            out[QUENCH_HIGH] = self._edge(QUENCH_HIGH, 20.0)
        if wanted.clearance.low is not None:
            out[CLEARANCE_LOW] = self._edge(CLEARANCE_LOW, 20.0)
        if wanted.clearance.high is not None:
            out[CLEARANCE_HIGH] = self._edge(CLEARANCE_HIGH, 20.0)
        # The ratio's edges move as 1/(CR − 1) does.
        if wanted.ratio.low is not None:
            out[RATIO_LOW] = self._edge(RATIO_LOW, 50.0)
        if wanted.ratio.high is not None:
            out[RATIO_HIGH] = self._edge(RATIO_HIGH, 1 / (wanted.ratio.high - 1) - 1 / 59)
        if wanted.ratio_spread is not None:
            out[RATIO_SPREAD] = self._edge(RATIO_SPREAD, 20.0)
        if wanted.quench_spread is not None:
            out[QUENCH_SPREAD] = self._edge(QUENCH_SPREAD, 20.0)
        return out

    def _between(
        self,
        of: dict[str, float],
        low: float | None,
        high: float | None,
        allow_low: str | None,
        allow_high: str | None,
        scale: float,
    ) -> None:
        if low is not None:
            self.programme.row(of if allow_low is None else {**of, allow_low: scale}, low=low)
        if high is not None:
            self.programme.row(of if allow_high is None else {**of, allow_high: -scale}, high=high)


def one_hole(base: UncutHoles, at: int) -> HoleVolumes:
    """Return one hole of a base as stated.

    Parameters
    ----------
    base : UncutHoles
        Every hole, one draw.
    at : int
        Which column; no unit.
    """
    h = base.hole

    def float_of(column: Table | float) -> float:
        return float(column[0, at]) if isinstance(column, np.ndarray) else column

    return h._replace(
        clearance=float_of(h.clearance),
        area=float_of(h.area),
        chamber=float_of(h.chamber),
        ring=float_of(h.ring),
        shape=Crown(*map(float_of, h.shape)),
        pocket=float(base.pocket[0, at]),
    )


def span_of(wanted: PlanTargets) -> tuple[float, float]:
    """Return between which values of clearance volume over swept volume holes may lie.

    Parameters
    ----------
    wanted : PlanTargets
        The windows.
    """
    high = wanted.ratio.high if wanted.ratio.high is not None else 60.0
    low = wanted.ratio.low if wanted.ratio.low is not None else 1.5
    return 1 / (high - 1), max(1 / (low - 1), 1 / (high - 1) + EPSILON)


def _secant(spread: float, low: float, high: float) -> tuple[float, float, float]:
    """The least volume over swept that a spread of ratio leaves, as a line of the largest; and what more of it gives.

    With U the largest V/Vs of all holes the ratio there is 1 + 1/U; the least V/Vs is U/(1 + s·U).
    """
    ends = low / (1 + spread * low), high / (1 + spread * high)
    slope = (ends[1] - ends[0]) / (high - low)
    middle = (low + high) / 2
    return ends[0] - slope * low, slope, (middle / (1 + spread * middle)) ** 2
