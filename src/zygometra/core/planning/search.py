"""The search for plans: parts and crowns first, then bank by bank, then the banks together.

Jobs (what is fitted, which way the heads lie, how far the crowns are cut) are taken by price and dropped
once the plans found so far cover the least that they would cost. Within a job every bank has its ladder of
points; what all banks come to together is one product of their draws.
"""

# long: one search, from jobs to plans
from __future__ import annotations

import heapq
import itertools
import math
from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..build.document import midway
from ..build.lever_table import FIT, SWAP, OpName
from ..build.model import Bank, Build, Operation
from ..house_rules import HouseRules
from ..quantity import Quantity
from ..stack.results import Source
from ..windows import EDGE
from .archive import Archive, Worth
from .draws import COARSE, Draws, Table
from .moves import (
    HAIR,
    Choice,
    Move,
    Pins,
    choices_of,
    crown_limit,
    gaskets_of,
    moves_of,
)
from .points import DECK, GASKET, HEAD, OPEN, BankMoves, Ladder, Points
from .results import Wanted, inside, results, wanted_of
from .sides import Edges, Side, Taken, edges
from .truth import Truth

# How much of what plans must lie apart the search may use; ladders and the last sorting share the rest.
SEARCHES = 0.4
# Steps of the crown's ladder, and how often it is refined round what was found.
CROWN_STEPS, REFINEMENTS = 9, 2
# So many points of a bank meet those of the others.
_MOST_POINTS = 260
_MOST_FOUND = 40


_BITS: tuple[tuple[int, OpName], ...] = ((DECK, "deck_cut"), (HEAD, "head_cut"), (OPEN, "open_chamber"))


class Found(NamedTuple):
    """A plan that was found: its operations, and what it is weighed by on the coarse draws."""

    planned: tuple[Operation, ...]
    worth: Worth


class Job(NamedTuple):
    """What is decided before the banks: what is fitted, and what comes off the crowns in mm."""

    choice: Choice
    crown: float


@dataclass
class Banks:
    """Points of several banks together; ``at`` tells which point of each bank, −1 for those to come."""

    at: NDArray[np.int64]
    cost: Table
    metal: Table
    kinds: NDArray[np.int64]
    lead: Table
    gasket: NDArray[np.int64]
    ok: NDArray[np.float32]
    ratio: Table
    gap: Table


class Search:
    """One search.

    Parameters
    ----------
    build : Build
        With its levers and windows.
    rules : HouseRules
        For floors and limits.
    pins : Pins
        What was fixed by hand.
    """

    def __init__(self, build: Build, rules: HouseRules, pins: Pins) -> None:
        self.build, self.rules, self.pins = build, rules, pins
        self.wanted: Wanted = wanted_of(build, rules)
        self.stated = Truth(build)
        self.draws = Draws(build.planning.seed, COARSE)
        self.drawn = Truth(build, self.draws)
        self.archive = Archive(build.planning, SEARCHES)
        self.found: list[Found] = []
        self.surest: Found | None = None
        self.crown = moves_of(build, rules, "crown_cut", None, pins)
        self.banks = [self._bank_moves(i) for i in range(len(build.banks))]
        self._bounds: dict[int, float] = {}
        self._wander: tuple[float, ...] | None = None
        self._taken: dict[tuple[int, int], Taken | None] = {}
        self._done: set[tuple[int, float]] = set()

    def _bank_moves(self, i: int) -> BankMoves:
        build, pins, bank = self.build, self.pins, self.build.banks[i]
        start = sum(len(one.cylinders) for one in build.banks[:i])
        planning, several = build.planning, len(build.banks)
        listed = [
            (-1 if index is None else index, gasket) for index, gasket in gaskets_of(build, bank.name, pins)
        ]
        fixed = pins.cuts.get(("deck_cut", bank.name))
        return BankMoves(
            bank,
            slice(start, start + len(bank.cylinders)),
            self._move("deck_cut", bank),
            self._move("head_cut", bank),
            self._move("open_chamber", bank),
            listed,
            cost_step=max(planning.apart_cost, 1e-9) / (4 * several),
            metal_step=max(planning.apart_metal, 1e-9) / (4 * several),
            ends=fixed if fixed is not None and fixed[0] != fixed[1] else None,
            one_gasket=several > 1 and not build.levers.gasket_per_bank,
            others=several > 1,
        )

    def _move(self, op: OpName, bank: Bank) -> Move | None:
        """A lever of a bank; None where it is not there or was fixed at nought."""
        return moves_of(self.build, self.rules, op, bank, self.pins)

    # -- jobs ------------------------------------------------------------------

    def run(self) -> Iterator[Found]:
        """Yield plans as they are found; of what was found all counts in the end."""
        choices = choices_of(self.build, self.pins)
        counter = itertools.count()
        jobs: list[tuple[float, int, Job]] = []
        ladders: dict[int, list[float]] = {}
        for i, choice in enumerate(choices):
            ladders[i] = self._crowns(choice)
            for crown in ladders[i]:
                job = Job(choice, crown)
                heapq.heappush(jobs, (self._least(job).cost, next(counter), job))
        for round_of in range(REFINEMENTS + 1):
            while jobs:
                job = heapq.heappop(jobs)[2]
                yield from self._job(job)
            if self.crown is None or round_of == REFINEMENTS:
                break
            for i, choice in enumerate(choices):
                for crown in self._between(choice, ladders[i]):
                    job = Job(choice, crown)
                    heapq.heappush(jobs, (self._least(job).cost, next(counter), job))

    def _crowns(self, choice: Choice) -> list[float]:
        """What may come off the crowns of a piston set: nothing, or some of what windows and floors leave."""
        move = self.crown
        if move is None:
            return [0.0]
        if ("crown_cut", "") in self.pins.cuts and not any(self.pins.cuts["crown_cut", ""]):
            return [0.0]
        piston = choice.part.part if choice.part is not None and choice.part.part.kind == "piston" else None
        limit = min(move.high, crown_limit(piston, self.build, self.rules))
        out = [0.0] if move.may_rest else []
        if limit < move.low - HAIR or limit <= 0:
            return out
        base = self.stated.base(choice.parts, swapped=choice.swapped)
        bottom, top = self._range(choice, float(base.above_rim.max()))
        bottom, top = max(bottom, move.low, move.step or HAIR), min(top, limit)
        if not move.may_rest:
            return [move.high] if move.high <= limit + HAIR else []
        if bottom > top + EDGE:
            return out
        amounts = np.linspace(bottom, max(top, bottom), CROWN_STEPS)
        return sorted({*out, *(move.rounded(float(amount), bottom, max(top, bottom)) for amount in amounts)})

    def _range(self, choice: Choice, above: float) -> tuple[float, float]:
        """Between which crown cuts some gasket and some deck cut could bring quench and clearance inside."""
        base = self.stated.base(choice.parts, swapped=choice.swapped)
        low, high = 0.0, math.inf
        gap, clearance = self.wanted.gap, self.wanted.clearance
        for moves in self.banks:
            side = Side.of(base, moves.columns, np.zeros(1))
            if np.isnan(side.clearance).any():
                continue
            thick = [
                float(side.gasket.max())
                if gasket is None or gasket.thickness is None
                else gasket.thickness.value
                for _, gasket in moves.gaskets
            ]
            most = moves.deck.high if moves.deck is not None else 0.0
            if gap.low is not None:
                low = max(low, gap.low - float(side.clearance.min()) - max(thick))
            if gap.high is not None:
                high = min(high, gap.high - float(side.clearance.max()) - min(thick) + most)
            if clearance.low is not None:
                low = max(low, clearance.low - float(side.clearance.min()))
            if clearance.high is not None:
                high = min(high, clearance.high - float(side.clearance.max()) + most)
        # What stands above the rim comes off first, and moves neither.
        return (low + above if low > 0 else 0.0), high + above

    def _between(self, choice: Choice, ladder: list[float]) -> list[float]:
        """Crown cuts half-way between those that gave plans and their neighbours."""
        move = self.crown
        assert move is not None
        used = {
            op.amount.value
            for one in self.found
            if _choice_of(one.planned) == (choice.part.part if choice.part else None, choice.swapped)
            for op in one.planned
            if op.op == "crown_cut" and op.amount is not None
        }
        fresh = []
        for low, high in itertools.pairwise(ladder):
            if low <= 0 or not used & {low, high}:
                continue
            middle = move.rounded((low + high) / 2, low, high)
            if middle not in ladder:
                fresh.append(middle)
        ladder[:] = sorted({*ladder, *fresh})
        return fresh

    def _least(self, job: Job) -> Worth:
        """The least that a job can cost, take and last, and the most that it can yield."""
        levers, (choice, crown) = self.build.levers, job
        names = list(choice.part.needs) if choice.part is not None else []
        cost = choice.part.price if choice.part is not None else 0.0
        days, lead, metal = 0.0, choice.part.days if choice.part is not None else 0.0, 0.0
        if choice.swapped:
            means = levers.means[SWAP]
            cost, days, names = cost + means.fixed, days + means.days, [*names, *means.needs]
        if crown and self.crown is not None:
            means = self.crown.means
            cost, days = cost + self.crown.cost(crown), days + means.days
            metal, names = means.metal * crown, [*names, *means.needs]
        for name in dict.fromkeys(names):
            cost, days = cost + levers.set_ups[name].cost, days + levers.set_ups[name].days
        return Worth(cost, metal, days + lead, 1.0)

    def _job(self, job: Job) -> Iterator[Found]:
        least = self._least(job)
        key = (id(job.choice.part), job.choice.swapped)
        if self.archive.covers(least):
            return
        bound = self._bound(job.choice)
        if bound <= 0 or self.archive.covers(least._replace(chance=bound)):
            return
        if (hash(key), job.crown) in self._done:
            return
        self._done.add((hash(key), job.crown))
        joint: Banks | None = None
        ladders = self._ladders(job)
        every: list[Points] = []
        for i, ladder in enumerate(ladders):
            points = ladder.points()
            if points is None:
                return
            points = self._worth_joining(points, least, alone=len(ladders) == 1)
            if points is None:
                return
            every.append(points)
            joint = self._first(points, len(ladders)) if joint is None else self._join(joint, points, i)
            if joint is None:
                return
        assert joint is not None
        yield from self._weigh(job, joint, every)

    def _bound(self, choice: Choice) -> float:
        """The most that any cut can yield with these parts: the deepest overlap of what draws allow each bank.

        Every draw allows a bank a range of gaps and a range of volumes; nothing can be inside in more
        draws than overlap somewhere.
        """
        key = id(choice.part) * 2 + choice.swapped
        if key not in self._bounds:
            base = self.drawn.base(choice.parts, swapped=choice.swapped)
            best = 1.0
            for moves in self.banks:
                side = Side.of(base, moves.columns, np.zeros(1))
                if np.isnan(side.clearance).any() or np.isnan(side.closed).any():
                    return 0.0
                best = min(best, self._bank_bound(side, moves))
            self._bounds[key] = best
        return self._bounds[key]

    def _bank_bound(self, side: Side, moves: BankMoves) -> float:
        """The deepest overlap for one bank, levelled and its chambers alike as far as that can be."""
        count = len(moves.bank.cylinders)
        clearance = side.clearance
        if moves.deck is not None and moves.deck.means.level and count > 1:
            shares = (np.arange(count) / (count - 1) - 0.5)[:, None]
            wedge = float(np.median((shares * clearance).sum(axis=0) / (shares * shares).sum()))
            clearance = clearance - wedge * shares
        opened = np.zeros((count, 1))
        if moves.opening is not None:
            share = np.median(side.closed / side.swept, axis=1)
            opened = np.maximum((share.max() - share) * np.median(side.swept, axis=1), 0.0)[:, None]
        level = side._replace(clearance=clearance)
        found: Edges = edges(level, self.wanted, np.zeros((count, 1)), opened, kept=False)
        gap = self.wanted.gap
        low = found.most - gap.high if gap.high is not None else np.full(len(found.most), -math.inf)
        high = found.least - gap.low if gap.low is not None else np.full(len(found.most), math.inf)
        across = _grid(low, high)
        down = _grid(found.high, found.low)
        inside_gap = ((across[:, None] >= low) & (across[:, None] <= high)).astype(np.float32)
        inside_volume = ((down[:, None] >= found.high) & (down[:, None] <= found.low)).astype(np.float32)
        depth = float((inside_gap @ inside_volume.T).max()) / self.draws.points
        # Between the lines of the grid a little more may lie.
        return min(1.0, depth + 0.02)

    def _ladders(self, job: Job) -> list[Ladder]:
        parts = job.choice.parts
        stated = self.stated.base(parts, swapped=job.choice.swapped)
        drawn = self.drawn.base(parts, swapped=job.choice.swapped)
        off = np.zeros(self.draws.points)
        if job.crown and self.crown is not None:
            off = self.drawn.error(
                Source("crown_cut", self.crown.quantity(job.crown)), self.build.cylinders[0]
            )
        crown, missed = np.full(1, job.crown), job.crown + off if job.crown else off
        return [
            Ladder(
                moves,
                Side.of(stated, moves.columns, crown),
                Side.of(drawn, moves.columns, missed),
                self.wanted,
                self.stated,
                self.drawn,
                self._milling(job, i),
                partial(self._still_worth, self._least(job), self._opened(job)),
            )
            for i, moves in enumerate(self.banks)
        ]

    def _milling(self, job: Job, i: int) -> Taken | None:
        moves = self.banks[i]
        if moves.head is None:
            return None
        key = (id(job.choice.part) if job.choice.part and job.choice.part.part.kind == "head" else 0, i)
        if key not in self._taken:
            self._taken[key] = Taken.of(self.stated, job.choice.parts, moves.columns, moves.head.high)
        return self._taken[key]

    # -- banks -----------------------------------------------------------------

    def _worth_joining(self, points: Points, least: Worth, *, alone: bool) -> Points | None:
        """The points of a bank that could still be part of a plan worth having."""
        chance = points.ok.mean(axis=1)
        keep = chance > 0
        if not alone:
            keep &= chance >= min(self.build.planning.least_yield, 1.0) - EDGE
        days = np.full(points.size, least.days)
        keep &= ~self.archive.covered(least.cost + points.cost, least.metal + points.metal, days, chance)
        if not keep.any():
            best = int(np.argmax(chance))
            if self.surest is not None and (self.found or chance[best] <= self.surest.worth.chance):
                return None
            keep[best] = True
        points, chance = points.take(keep), chance[keep]
        if points.size > _MOST_POINTS:
            # Ranks in cost and in chance together: the ends of both stay.
            order = np.argsort(np.argsort(points.cost + points.metal)) - np.argsort(np.argsort(chance))
            points = points.take(np.argsort(order, kind="stable")[:_MOST_POINTS])
        return points

    def _first(self, points: Points, banks: int) -> Banks:
        at = np.full((points.size, banks), -1)
        at[:, 0] = np.arange(points.size)
        return Banks(
            at, points.cost, points.metal, points.kinds, self._lead(points), points.gasket,
            points.ok.astype(np.float32), points.ratio, points.gap,
        )  # fmt: skip

    def _lead(self, points: Points) -> Table:
        waits = np.array([*(gasket.days for gasket in self.build.levers.gaskets), 0.0])
        return np.asarray(waits[points.gasket])

    # long: every pair of points and what both come to together
    def _join(self, joint: Banks, points: Points, i: int) -> Banks | None:
        """Every pair of what the banks before come to and a point of the next that are inside together."""
        fits = np.ones((len(joint.cost), points.size), dtype=bool)
        if self.banks[i].one_gasket:
            fits &= joint.gasket[:, None] == points.gasket[None, :]
        for ours, theirs, most in (
            (joint.ratio, points.ratio, self.wanted.ratio_spread),
            (joint.gap, points.gap, self.wanted.quench_spread),
        ):
            if most is not None:
                top = np.maximum(ours[:, None, 1], theirs[None, :, 1])
                bottom = np.minimum(ours[:, None, 0], theirs[None, :, 0])
                fits &= top - bottom <= most + EDGE
        a, b = np.nonzero(fits)
        if not len(a):
            return None
        ok = points.ok.astype(np.float32)
        chance = (joint.ok @ ok.T)[a, b] / self.draws.points
        cost, metal = joint.cost[a] + points.cost[b], joint.metal[a] + points.metal[b]
        keep = np.arange(len(a))
        last = i == len(self.banks) - 1
        if len(a) > _MOST_POINTS and not last:
            order = np.argsort(np.argsort(cost + metal)) - np.argsort(np.argsort(chance))
            keep = np.argsort(order, kind="stable")[:_MOST_POINTS]
        a, b = a[keep], b[keep]
        at = joint.at[a].copy()
        at[:, i] = b
        return Banks(
            at,
            cost[keep],
            metal[keep],
            joint.kinds[a] | points.kinds[b],
            np.maximum(joint.lead[a], self._lead(points)[b]),
            points.gasket[b],
            # Of the last bank only the chance is asked for.
            chance[keep][:, None].astype(np.float32) if last else joint.ok[a] * ok[b],
            np.stack(
                [
                    np.minimum(joint.ratio[a, 0], points.ratio[b, 0]),
                    np.maximum(joint.ratio[a, 1], points.ratio[b, 1]),
                ],
                axis=1,
            ),
            np.stack(
                [
                    np.minimum(joint.gap[a, 0], points.gap[b, 0]),
                    np.maximum(joint.gap[a, 1], points.gap[b, 1]),
                ],
                axis=1,
            ),
        )

    def _weigh(self, job: Job, joint: Banks, every: list[Points]) -> Iterator[Found]:
        """The plans of a job that are not covered yet, surest first."""
        chance = joint.ok.mean(axis=1).astype(float)
        cost, metal, days = self._whole(job, joint)
        spreads = self.wanted.ratio_spread is not None or self.wanted.quench_spread is not None
        exact = np.full(len(cost), not spreads or len(self.banks) == 1)
        one_bank = joint.ratio[:, 1] - joint.ratio[:, 0], joint.gap[:, 1] - joint.gap[:, 0]
        open_ = np.ones(len(cost), dtype=bool)
        for width, most in zip(one_bank, (self.wanted.ratio_spread, self.wanted.quench_spread), strict=True):
            if most is not None:
                open_ &= width <= most + EDGE
        if not exact.all():
            chance = np.minimum(chance, self._near(joint))
        least = self.build.planning.least_yield
        tried = 0
        while open_.any() and tried < _MOST_FOUND:
            open_ &= ~self.archive.covered(cost, metal, days, chance)
            left = np.nonzero(open_)[0]
            if not len(left):
                return
            best = left[np.lexsort((metal[left], cost[left], -np.round(chance[left], 3)))[0]]
            planned = self._operations(job, joint.at[best], every)
            if not exact[best]:
                tried += 1
                chance[best] = float(inside(results(self.drawn, planned), self.wanted).mean())
                exact[best] = True
                continue
            worth = Worth(float(cost[best]), float(metal[best]), float(days[best]), float(chance[best]))
            open_[best] = False
            found = Found(planned, worth)
            if self.surest is None or worth.chance > self.surest.worth.chance:
                self.surest = found
            if worth.chance < least - EDGE:
                if not exact.all():
                    continue
                return
            self.archive.add(worth)
            self.found.append(found)
            yield found

    def _near(self, joint: Banks) -> Table:
        """The most that the spreads between all holes leave, by how far inside them plans are as stated."""
        from scipy.special import ndtr

        out = np.ones(len(joint.cost))
        if self._wander is None:
            base = results(self.drawn, ())
            self._wander = tuple(
                max(float(np.nanstd(values.max(axis=1) - values.min(axis=1))), 1e-6)
                for values in (base.ratio, base.quench)
            )
        for ends, most, spread in zip(
            (joint.ratio, joint.gap),
            (self.wanted.ratio_spread, self.wanted.quench_spread),
            self._wander,
            strict=True,
        ):
            if most is not None:
                out = np.minimum(out, ndtr((most - ends[:, 1] + ends[:, 0]) / spread) + 0.05)
        return np.minimum(out, 1.0)

    def _opened(self, job: Job) -> tuple[Table, Table]:
        """What set-ups and working days cost beyond the job's own, by what is done to the banks."""
        levers = self.build.levers
        own = list(job.choice.part.needs) if job.choice.part is not None else []
        if job.choice.swapped:
            own += levers.means[SWAP].needs
        if job.crown and self.crown is not None:
            own += self.crown.means.needs
        costs, days = np.zeros(16), np.zeros(16)
        for mask in range(16):
            names: list[str] = []
            for bit, op in _BITS:
                if mask & bit and op in levers.means:
                    names += levers.means[op].needs
                    days[mask] += levers.means[op].days
            if mask & GASKET:
                names += levers.gasket_needs
            for name in dict.fromkeys(name for name in names if name not in own):
                costs[mask] += levers.set_ups[name].cost
                days[mask] += levers.set_ups[name].days
        return costs, days

    def _still_worth(
        self,
        least: Worth,
        opened: tuple[Table, Table],
        cost: Table,
        metal: Table,
        kinds: NDArray[np.int64],
        chance: Table,
    ) -> NDArray[np.bool_]:
        """Which points of a bank may still be part of a plan that is not covered."""
        whole = least.cost + cost + opened[0][kinds]
        return ~self.archive.covered(whole, least.metal + metal, least.days + opened[1][kinds], chance)

    def _whole(self, job: Job, joint: Banks) -> tuple[Table, Table, Table]:
        """Cost, metal and days of whole plans: with what the job itself takes, set-ups once."""
        least = self._least(job)
        costs, days = self._opened(job)
        part_lead = job.choice.part.days if job.choice.part is not None else 0.0
        lead = np.maximum(joint.lead, part_lead) - part_lead
        return (
            least.cost + joint.cost + costs[joint.kinds],
            least.metal + joint.metal,
            least.days + lead + days[joint.kinds],
        )

    def _operations(self, job: Job, at: NDArray[np.int64], every: list[Points]) -> tuple[Operation, ...]:
        """The plan of a job and one point of each bank."""
        planned: list[Operation] = []
        if job.choice.swapped:
            planned.append(Operation(SWAP))
        if job.choice.part is not None:
            planned.append(Operation(FIT, part=job.choice.part.part))
        gaskets = [int(points.gasket[k]) for points, k in zip(every, at, strict=True)]
        listed = self.build.levers.gaskets
        if len(set(gaskets)) == 1 and gaskets[0] >= 0:
            planned.append(Operation("gasket", gasket=listed[gaskets[0]]))
        for moves, points, k, gasket in zip(self.banks, every, at, gaskets, strict=True):
            name = moves.bank.name
            if gasket >= 0 and len(set(gaskets)) > 1:
                planned.append(Operation("gasket", name, gasket=listed[gasket]))
            first, last = float(points.first[k]), float(points.last[k])
            if moves.deck is not None and max(first, last) > 0:
                ends = moves.deck.quantity(first), moves.deck.quantity(last)
                planned.append(_deck(name, *ends))
            if moves.head is not None and points.head[k] > 0:
                planned.append(Operation("head_cut", name, amount=moves.head.quantity(float(points.head[k]))))
            for number, amount in zip(moves.bank.cylinders, points.opened[k], strict=True):
                if moves.opening is not None and amount > 0:
                    quantity = moves.opening.quantity(float(amount))
                    planned.append(Operation("open_chamber", cylinder=number, amount=quantity))
        if job.crown and self.crown is not None:
            planned.append(Operation("crown_cut", amount=self.crown.quantity(job.crown)))
        return tuple(planned)


def _deck(bank: str, first: Quantity, last: Quantity) -> Operation:
    if abs(first.value - last.value) < HAIR:
        return Operation("deck_cut", bank, amount=first)
    return Operation("deck_cut", bank, amount=midway(first, last), first=first, last=last)


def _choice_of(planned: tuple[Operation, ...]) -> tuple[object, bool]:
    part = next((op.part for op in planned if op.part is not None), None)
    return part, any(op.op == SWAP for op in planned)


def _grid(low: Table, high: Table) -> Table:
    """Places between the ends of ranges: where most of them overlap."""
    ends = [
        float(np.percentile(edge, share)) for edge, share in ((low, 99), (high, 1)) if math.isfinite(edge[0])
    ]
    if not ends:
        return np.zeros(1)
    if len(ends) == 1:
        return np.array(ends)
    spread = float(np.std(low)) + float(np.std(high)) + abs(ends[1] - ends[0])
    return np.linspace(min(ends) - spread, max(ends) + spread, 41)
