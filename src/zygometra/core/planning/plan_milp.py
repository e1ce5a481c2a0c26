"""Everything that may be done to a build as one mixed-integer programme on its stated values.

Deck cuts, what milling takes, openings and crown cuts are its variables; gaskets and pistons are chosen
by yes or no. The windows are its constraints, each with an allowance by which its edge may be moved. It answers what
the search's ladders cannot: that there is no plan at all, which windows conflict, and by how little one of
them must move. Lengths in mm, volumes in cc.
"""

# long: one programme: its variables, its constraints, and a solution read back as a plan
from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np

from ..build.lever_table import FIT, SWAP
from ..build.means import FittedPart, PartChoice
from ..build.model import Gasket, Operation, midway
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
from .cut_bank import MilledVolume
from .decisions import EPSILON, BankDecisions, DecisionSpace, Move
from .figure_samples import FigureSamples, UncutHoles, dish_depth
from .milp import Expression, Milp, Solution, Variable, total
from .quasi_random import Table
from .results import PlanTargets

# Further than any lever goes, in mm and in cc; thicker or thinner than any gasket, in mm.
_FAR, _FAR_CC, _THICK = 50.0, 500.0, 20.0
# A gasket of which the thickness is not known fits nothing.
_NEVER = 1e3
# What a plan takes, roughly, of which the least is asked for: by length, by what is milled and what is opened in cc.
_LENGTH, _MILLED, _OPENED = 1.0, 0.1, 0.01


@dataclass(frozen=True)
class Movable:
    """What may be moved to open a plan.

    An end of a window, the spread of a result, the most of a lever (of all banks, or of one), or a gasket that is not
    listed; ``of`` names the result or the lever.
    """

    kind: Literal["window", "spread", "lever", "gasket"]
    of: str = ""
    upper: bool = True
    bank: str = ""

    @property
    def name(self) -> str:
        """What it is called in a file."""
        end = "max" if self.upper else "min"
        return {
            "window": f"{self.of}.{end}",
            "spread": f"spread.{self.of}",
            "lever": f"{self.of}.max",
            "gasket": "gasket",
        }[self.kind]


RATIO_LOW = Movable("window", "compression_ratio", upper=False)
RATIO_HIGH = Movable("window", "compression_ratio")
QUENCH_LOW, QUENCH_HIGH = Movable("window", "quench", upper=False), Movable("window", "quench")
CLEARANCE_LOW, CLEARANCE_HIGH = (
    Movable("window", "deck_clearance", upper=False),
    Movable("window", "deck_clearance"),
)
RATIO_SPREAD, QUENCH_SPREAD = Movable("spread", "compression_ratio"), Movable("spread", "quench")
NEW_GASKET = Movable("gasket")


class Slack(NamedTuple):
    """By how much something may be moved at the most, and the variable that tells by how much it is."""

    of: Movable
    most: float
    variable: Variable


class CrownVariables(NamedTuple):
    """What comes off one piston's crown, in mm: of what stands above its rim, of rim and dish, past the dish."""

    above: Variable
    rim: Variable
    past: Variable

    @property
    def off(self) -> Expression:
        """All that comes off; in mm."""
        return total(dict.fromkeys(self, 1.0))


class PistonVariables(NamedTuple):
    """A piston that may be chosen: the holes with it, whether it is, and what comes off its crown."""

    choice: PartChoice | None
    base: UncutHoles
    chosen: Variable
    crown: CrownVariables | None

    @property
    def part(self) -> FittedPart | None:
        """The piston; None for the one that is there."""
        return None if self.choice is None else self.choice.part


class BankVariables(NamedTuple):
    """What is done to a bank: its deck at both ends in mm, what milling takes in cc, each chamber's opening in cc."""

    first: Variable
    last: Variable
    milled: Variable
    opened: dict[int, Variable]


class GasketVariables(NamedTuple):
    """A gasket that may be chosen: whether it is, or one like it that is so much thicker or thinner in mm."""

    place: int
    gasket: Gasket | None
    chosen: Variable
    near: Variable
    more: Variable
    less: Variable


class Subproblem(NamedTuple):
    """What holds for one programme: a part that is no piston, the way the heads lie, the pistons to choose from."""

    fixed: PartChoice | None
    swapped: bool
    pistons: tuple[PartChoice | None, ...]

    @property
    def parts(self) -> tuple[FittedPart, ...]:
        """The part that is fitted beside a piston."""
        return () if self.fixed is None else (self.fixed.part,)


def subproblems_of(space: DecisionSpace) -> list[Subproblem]:
    """Return the programmes that together hold everything that may be done.

    Parameters
    ----------
    space : DecisionSpace
        What may be done.
    """
    found = []
    for way in sorted({fitting.swapped for fitting in space.fittings}):
        parts = [fitting.part for fitting in space.fittings if fitting.swapped == way]
        pistons = tuple(part for part in parts if part is None or part.part.kind == "piston")
        if pistons:
            found.append(Subproblem(fixed=None, swapped=way, pistons=pistons))
        found += [
            Subproblem(fixed=part, swapped=way, pistons=(None,))
            for part in parts
            if part is not None and part.part.kind != "piston"
        ]
    return found


class PlanMilp:
    """The programme of one subproblem.

    Parameters
    ----------
    stated : FigureSamples
        The stated values.
    space : DecisionSpace
        What may be done.
    wanted : PlanTargets
        The windows; those that are not to count are open in it.
    subproblem : Subproblem
        What is fitted and to choose from.
    span : tuple of float, optional
        Between which values of clearance volume over swept volume the ratios of all holes lie; no unit.
    """

    def __init__(
        self,
        stated: FigureSamples,
        space: DecisionSpace,
        wanted: PlanTargets,
        subproblem: Subproblem,
        span: tuple[float, float] | None = None,
    ) -> None:
        self.stated, self.space, self.build = stated, space, stated.build
        self.wanted, self.subproblem = wanted, subproblem
        self.milp = Milp()
        self.slacks: list[Slack] = []
        self.span = span or span_of(wanted)
        self.milled: dict[str, MilledVolume] = {}
        self.banks: dict[str, BankVariables] = {}
        self._gaskets: dict[str, list[GasketVariables]] = {}
        self._new_gaskets: list[Variable] = []
        self.per_bank = self.build.levers.gasket_per_bank
        self._deepest = max((bank.deck.high for bank in space.banks if bank.deck is not None), default=0.0)
        self.pistons = self._pistons()
        self._crowns()
        self.bowl = self._bowl()
        for bank in space.banks:
            self._bank(bank)
        self._windows()

    def reach(self) -> tuple[float, float] | None:
        """Return between which volumes over swept volume the first hole can be brought; None where nothing is.

        See trade.md 11.

        No unit.
        """
        bank = self.space.banks[0]
        at = self._at(bank)
        _, _, volume = self._terms(at, bank)
        swept = float(self.pistons[0].base.swept[0, at])
        ends = []
        for sign in (1.0, -1.0):
            found = self.milp.solve(volume * sign)
            if found is None:
                return None
            ends.append(valued(volume, found) / swept)
        return ends[0], ends[1]

    def gaskets_of(self, bank: str) -> list[GasketVariables]:
        """Return the gaskets that a bank may be given.

        Parameters
        ----------
        bank : str
            Its name.
        """
        return self._gaskets[bank if self.per_bank else ""]

    def ask(self, slack: Slack, most: float) -> None:
        """Let something move by so much at most; nought holds it again.

        Parameters
        ----------
        slack : Slack
            What.
        most : float
            In mm, cc, or of 1/(CR − 1).
        """
        slack.variable.low, slack.variable.high = 0.0, most
        if slack.of == NEW_GASKET:
            for new in self._new_gaskets:
                new.low, new.high = 0.0, 1.0 if most else 0.0

    # -- what may be done --------------------------------------------------------

    def _at(self, bank: BankDecisions) -> int:
        """The first hole of a bank, among those of the build."""
        return self.stated.holes.index(bank.bank.cylinders[0])

    def _slack(self, of: Movable, most: float) -> Expression:
        """By how much something is moved: nought until it is asked for."""
        known = next((slack for slack in self.slacks if slack.of == of), None)
        if known is None:
            known = Slack(of, most, self.milp.variable(0.0, 0.0))
            self.slacks.append(known)
        return Linear.of(known.variable)

    def _pistons(self) -> list[PistonVariables]:
        milp, found = self.milp, []
        fixed = self.subproblem.parts
        for piston in self.subproblem.pistons:
            base = self.stated.base(
                fixed if piston is None else (*fixed, piston.part), swapped=self.subproblem.swapped
            )
            known = not np.isnan(base.clearance + base.closed).any()
            chosen = milp.variable(0.0, 1.0 if known else 0.0, whole=True)
            found.append(PistonVariables(choice=piston, base=base, chosen=chosen, crown=None))
        milp.constrain(total({one.chosen: 1.0 for one in found}), 1.0, 1.0)
        return found

    def _crowns(self) -> None:
        """What comes off the crowns: first what stands above the rim, then the rim with its dish, then past it."""
        milp, move, space = self.milp, self.space.crown, self.space
        if move is None:
            return
        off, floors, more = Linear[Variable](0.0), Linear[Variable](0.0), Linear[Variable](0.0)
        for p, piston in enumerate(self.pistons):
            chosen = Linear.of(piston.chosen)
            crown = self._crown(piston)
            self.pistons[p] = piston._replace(crown=crown)
            floors = floors + chosen * min(space.crown_floor(piston.part), _FAR)
            # The lever's limit counts what goes off below the rim.
            more = more + chosen * (space.more_above_rim(piston.part) if move.may_rest else 0.0)
            off = off + crown.off
        milp.constrain(off - floors, high=0.0)
        allow = self._slack(Movable("lever", "crown_cut"), _FAR)
        milp.constrain(off - more - allow, low=-math.inf if move.may_rest else move.high, high=move.high)
        self._at_least(move, off, _FAR)

    def _crown(self, piston: PistonVariables) -> CrownVariables:
        milp, base = self.milp, piston.base
        highest = float(base.above_rim.max())
        depth = float(dish_depth(base.dish_area, base.dish).min())
        off = CrownVariables(
            milp.variable(0.0, highest), milp.variable(0.0, min(depth, _FAR)), milp.variable(0.0, _FAR)
        )
        above, rim, past = map(Linear.of, off)
        milp.constrain(off.off - Linear.of(piston.chosen) * _FAR, high=0.0)
        if highest > 0:
            # The rim is cut only once all is off that stands above it.
            reached = Linear.of(milp.variable(0.0, 1.0, whole=True))
            milp.constrain(above - reached * highest, low=0.0)
            milp.constrain(rim + past - reached * _FAR, high=0.0)
        if depth < _FAR:
            through = Linear.of(milp.variable(0.0, 1.0, whole=True))
            milp.constrain(rim - through * depth, low=0.0)
            milp.constrain(past - through * _FAR, high=0.0)
        else:
            off.past.hold(0.0)
        return off

    def _at_least(self, move: Move, amount: Expression, most: float) -> None:
        """Nought, or the least of a lever and more."""
        if move.low and move.may_rest:
            on = Linear.of(self.milp.variable(0.0, 1.0, whole=True))
            self.milp.constrain(amount - on * move.low, low=0.0)
            self.milp.constrain(amount - on * most, high=0.0)

    def _bowl(self) -> Variable:
        """What is sunk into the crowns, the same into each."""
        milp, move = self.milp, self.space.bowl
        bowl = milp.variable(0.0, 0.0 if move is None else _FAR_CC)
        if move is None:
            return bowl
        floors = {piston.chosen: min(self.space.bowl_floor(piston.part), _FAR_CC) for piston in self.pistons}
        sunk = Linear.of(bowl)
        milp.constrain(sunk - total(floors), high=0.0)
        allow = self._slack(Movable("lever", "bowl"), _FAR_CC)
        milp.constrain(sunk - allow, low=-math.inf if move.may_rest else move.high, high=move.high)
        self._at_least(move, sunk, _FAR_CC)
        return bowl

    def _bank(self, bank: BankDecisions) -> None:
        milp, name, deck = self.milp, bank.bank.name, bank.deck
        first, last = (milp.variable(0.0, _FAR if deck is not None else 0.0) for _ in range(2))
        if deck is not None:
            self._limited(deck, bank, [Linear.of(first), Linear.of(last)])
            if bank.ends is not None:
                first.hold(bank.ends[0])
                last.hold(bank.ends[1])
            elif not bank.levels:
                milp.constrain(Linear.of(first) - Linear.of(last), 0.0, 0.0)
        milled = milp.variable(0.0, 0.0)
        if bank.head is not None:
            self._head(bank.head, bank, milled)
        opened = {}
        for number in bank.bank.cylinders:
            opened[number] = milp.variable(0.0, _FAR_CC if bank.opening is not None else 0.0)
            if bank.opening is not None:
                self._limited(bank.opening, bank, [Linear.of(opened[number])])
        self.banks[name] = BankVariables(first=first, last=last, milled=milled, opened=opened)
        self._gasket(bank)

    def _limited(self, move: Move, bank: BankDecisions, amounts: list[Expression]) -> None:
        """Nought, or between the limits of a lever; its upper one may be moved."""
        milp, op = self.milp, move.means.op
        allow = self._slack(_most_of(move, bank), self._room(move, bank))
        for amount in amounts:
            milp.constrain(amount - allow, high=move.high)
        if not move.may_rest and op == "open_chamber":
            for amount in amounts:
                milp.constrain(amount, low=move.high)
        elif move.low:
            on = Linear.of(milp.variable(0.0, 1.0, whole=True))
            for amount in amounts:
                milp.constrain(amount - on * move.low, low=0.0)
                milp.constrain(amount - on * (move.high + 5.0), high=0.0)

    def _room(self, move: Move, bank: BankDecisions) -> float:
        """How far a limit may be moved before metal that must remain is gone."""
        least = self.build.facing.least_deck_height
        if move.means.op != "deck_cut" or least is None:
            return _FAR
        figures = self.build.figures
        height = figures.get(f"banks.{bank.bank.name}.deck_height") or figures.get("parts.block.deck_height")
        return max((_FAR if height is None else height.value - least) - move.high, 0.0)

    def _head(self, head: Move, bank: BankDecisions, milled: Variable) -> None:
        at = self._at(bank)
        # Some way past the limit, so that it can be moved.
        volumes = MilledVolume.of(
            self.stated, self.subproblem.parts, columns=slice(at, at + 1), deepest=head.high + 2.0
        )
        if volumes is None:
            return
        self.milled[bank.bank.name] = volumes
        milp, all_of = self.milp, float(volumes.volumes[-1])
        most = float(volumes.volume(np.array(head.high)))
        milled.low, milled.high = 0.0, all_of
        allow, taken = self._slack(_most_of(head, bank), all_of - most), Linear.of(milled)
        milp.constrain(taken - allow, low=most if not head.may_rest else -math.inf, high=most)
        if head.low and head.may_rest:
            on = Linear.of(milp.variable(0.0, 1.0, whole=True))
            milp.constrain(taken - on * float(volumes.volume(np.array(head.low))), low=0.0)
            milp.constrain(taken - on * all_of, high=0.0)

    def _gasket(self, bank: BankDecisions) -> None:
        """Which gasket: the one there, one of those listed, or, where that is allowed, one that is not listed."""
        milp, key = self.milp, bank.bank.name if self.per_bank else ""
        if key in self._gaskets:
            return
        chosen = [milp.variable(0.0, 1.0, whole=True) for _ in bank.gaskets]
        # Not listed, it is there only where that edge is asked for.
        new = milp.variable(0.0, 0.0, whole=True)
        self._new_gaskets.append(new)
        milp.constrain(total(dict.fromkeys([*chosen, new], 1.0)), 1.0, 1.0)
        allow, known = self._slack(NEW_GASKET, _THICK), list[GasketVariables]()
        for (index, gasket), one in zip(bank.gaskets, chosen, strict=True):
            near, off = milp.variable(0.0, 1.0, whole=True), list[Variable]()
            for _ in range(2):
                # How much thicker or thinner than the listed one it is.
                off.append(milp.variable(0.0, _THICK))
                milp.constrain(Linear.of(off[-1]) - Linear.of(near) * _THICK, high=0.0)
                milp.constrain(Linear.of(off[-1]) - allow, high=0.0)
            known.append(
                GasketVariables(place=index, gasket=gasket, chosen=one, near=near, more=off[0], less=off[1])
            )
        milp.constrain(total({one.near: 1.0 for one in known}) - Linear.of(new), 0.0, 0.0)
        self._gaskets[key] = known

    # -- windows ---------------------------------------------------------------

    def _terms(self, at: int, bank: BankDecisions) -> tuple[Expression, Expression, Expression]:
        """What clearance, gap and clearance volume of a hole are made of.

        The kernel's own lines, run on variables in place of figures. Pistons are chosen by yes or no, so that
        each brings in its hole as often as it is chosen.
        """
        h, own = self._chosen(at), self.banks[bank.bank.name]
        for piston in self.pistons:
            if piston.crown is not None:
                uncut = one_hole(piston.base, at)
                h = with_crown_cut(
                    h._replace(ring=uncut.ring, shape=uncut.shape),
                    self._crown_off(piston.base, piston.crown, at),
                )
        given = Linear.of(own.opened[self.stated.holes[at]]) + Linear.of(self.bowl) - Linear.of(own.milled)
        h = with_deck_cut(h._replace(chamber=h.chamber + given), self._deck(at, bank, own))
        thickness, held = Linear[Variable](0.0), Linear[Variable](0.0)
        for one in self.gaskets_of(bank.bank.name):
            thick, holds, opening = self._gasket_at(at, one.gasket)
            other = Linear.of(one.more) - Linear.of(one.less)
            listed = Linear.of(one.chosen) + Linear.of(one.near)
            thickness = thickness + listed * thick + other
            held = held + listed * holds + held_by_gasket(opening, other)
        return closed_by(h, thickness, held)

    def _chosen(self, at: int) -> HoleVolumes:
        """A hole with whichever piston is chosen, before anything is cut; one that is not known cannot be chosen."""
        base = self.pistons[0].base
        first = one_hole(base, at)
        clearance, closed = Linear[Variable](0.0), Linear[Variable](0.0)
        for piston in self.pistons:
            own, chosen = one_hole(piston.base, at), Linear.of(piston.chosen)
            known = not math.isnan(own.clearance + own.closed)
            clearance = clearance + chosen * (own.clearance if known else 0.0)
            closed = closed + chosen * (own.closed if known else 0.0)
        pocket = first.pocket
        if base.edge is not None:
            edge = Chamfer(*(float(column[0, at]) for column in base.edge))
            pocket += chord(edge, max(self._deepest, 0.01))
        return first._replace(clearance=clearance, chamber=closed, pocket=pocket, edge=None)

    def _crown_off(self, base: UncutHoles, off: CrownVariables, at: int) -> FlatCut:
        """What comes off the crown of one piston, by the variables of its pieces of metal."""
        above, rim, past = map(Linear.of, off)
        return FlatCut(above, rim + past, cylinder_volume(float(base.dish_area[0, at]), rim))

    def _deck(self, at: int, bank: BankDecisions, own: BankVariables) -> Expression:
        """What comes off a deck at a hole: between its ends along a straight line."""
        place, count = at - self._at(bank), len(bank.bank.cylinders)
        share = place / (count - 1) if count > 1 else 0.5
        return total({own.first: 1 - share, own.last: share})

    def _gasket_at(self, at: int, gasket: Gasket | None) -> tuple[float, float, float]:
        """Thickness, volume and opening of a gasket over a hole; a thickness that is not known fits nothing."""
        base = self.pistons[0].base
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

    def _windows(self) -> None:
        milp, wanted = self.milp, self.wanted
        allow = self._allowances()
        widest = None if wanted.quench_spread is None else milp.variable(-100.0, 100.0)
        largest = None if wanted.ratio_spread is None else milp.variable(*self.span)
        at = 0
        for bank in self.space.banks:
            for _ in bank.bank.cylinders:
                stands, shown, volume = self._terms(at, bank)
                swept = float(self.pistons[0].base.swept[0, at])
                at += 1
                self._between(shown, (QUENCH_LOW, wanted.gap.low), (QUENCH_HIGH, wanted.gap.high), allow)
                clearance = wanted.clearance
                self._between(stands, (CLEARANCE_LOW, clearance.low), (CLEARANCE_HIGH, clearance.high), allow)
                # The more volume the less ratio.
                low, high = (
                    None if ratio is None else clearance_volume_for(swept, ratio)
                    for ratio in (wanted.ratio.high, wanted.ratio.low)
                )
                self._between(volume, (RATIO_HIGH, low), (RATIO_LOW, high), allow, scale=swept)
                # No engine without room above its piston.
                milp.constrain(volume, low=1e-6)
                if widest is not None and wanted.quench_spread is not None:
                    most = Linear.of(widest)
                    milp.constrain(shown - most, high=0.0)
                    milp.constrain(shown - most + allow[QUENCH_SPREAD], low=-wanted.quench_spread)
                if largest is not None and wanted.ratio_spread is not None:
                    start, slope, by = _secant(wanted.ratio_spread, *self.span)
                    most = Linear.of(largest)
                    milp.constrain(volume - most * swept, high=0.0)
                    milp.constrain(
                        volume - most * (swept * slope) + allow[RATIO_SPREAD] * (swept * by),
                        low=swept * start,
                    )

    def _allowances(self) -> dict[Movable, Expression]:
        """By how much the windows' edges are moved; a floor is not."""
        wanted = self.wanted
        quench, clearance, ratio = wanted.quench, wanted.clearance, wanted.ratio
        known: list[tuple[Movable, float]] = []
        if quench.low is not None and quench.low > wanted.floor:
            known.append((QUENCH_LOW, quench.low - wanted.floor))
        known += [
            (of, _THICK)
            for of, edge in (
                (QUENCH_HIGH, quench.high),
                (CLEARANCE_LOW, clearance.low),
                (CLEARANCE_HIGH, clearance.high),
            )
            if edge is not None
        ]
        # The ratio's edges move as 1/(CR − 1) does.
        if ratio.low is not None:
            known.append((RATIO_LOW, 50.0))
        if ratio.high is not None:
            known.append((RATIO_HIGH, 1 / (ratio.high - 1) - 1 / 59))
        spreads = (RATIO_SPREAD, wanted.ratio_spread), (QUENCH_SPREAD, wanted.quench_spread)
        known += [(of, _THICK) for of, most in spreads if most is not None]
        return {of: self._slack(of, most) for of, most in known}

    def _between(
        self,
        of: Expression,
        lower: tuple[Movable, float | None],
        upper: tuple[Movable, float | None],
        allow: dict[Movable, Expression],
        *,
        scale: float = 1.0,
    ) -> None:
        none = Linear[Variable](0.0)
        if lower[1] is not None:
            self.milp.constrain(of + allow.get(lower[0], none) * scale, low=lower[1])
        if upper[1] is not None:
            self.milp.constrain(of - allow.get(upper[0], none) * scale, high=upper[1])

    # -- a solution ------------------------------------------------------------

    @property
    def effort(self) -> Expression:
        """What a plan takes, roughly: the least of it is asked for, no unit."""
        parts: dict[Variable, float] = {}
        for piston in self.pistons:
            parts |= dict.fromkeys(piston.crown or (), _LENGTH)
        parts[self.bowl] = _OPENED
        for bank in self.banks.values():
            parts |= {bank.first: _LENGTH, bank.last: _LENGTH, bank.milled: _MILLED}
            parts |= dict.fromkeys(bank.opened.values(), _OPENED)
        return total(parts)

    def stepped(self, found: Solution) -> Iterator[tuple[Variable, Callable[[float], list[float]]]]:
        """Yield the amounts that are cut on steps, in the order in which they are settled.

        Parameters
        ----------
        found : dict
            A solution.

        Yields
        ------
        tuple
            The variable, and what gives the steps next to a value of it, in mm or cc.
        """
        crown, bowl = self.space.crown, self.space.bowl
        off = next(piston.crown for piston in self.pistons if found[piston.chosen] > 0.5)
        if crown is not None and crown.step and off is not None and found[off.rim] > EPSILON:
            yield off.rim, _around(crown.step, found[off.above] + found[off.past])
        if bowl is not None and bowl.step:
            yield self.bowl, _around(bowl.step)
        for bank in self.space.banks:
            own = self.banks[bank.bank.name]
            if bank.deck is not None and bank.deck.step:
                yield own.first, _around(bank.deck.step)
                yield own.last, _around(bank.deck.step)
            if bank.head is not None and bank.head.step and bank.bank.name in self.milled:
                yield own.milled, self._milled_around(bank.head.step, bank.bank.name)
            if bank.opening is not None and bank.opening.step:
                for opened in own.opened.values():
                    yield opened, _around(bank.opening.step)

    def _milled_around(self, step: float, bank: str) -> Callable[[float], list[float]]:
        """The volumes of the depths on steps next to the depth of a volume."""
        deepest = self.milled[bank].depths[-1]

        def near(value: float) -> list[float]:
            at = self.milled_depth(bank, value) / step if value > EPSILON else 0.0
            depths = np.array([math.floor(at + 1e-7) * step, math.ceil(at - 1e-7) * step])
            return [self._milled_volume(bank, depth) for depth in depths.clip(0.0, deepest).tolist()]

        return near

    def operations(self, found: Solution) -> tuple[Operation, ...]:
        """Return a solution as a plan; amounts in mm and cc.

        Parameters
        ----------
        found : dict
            The solution.
        """
        space, planned = self.space, list[Operation]()
        if self.subproblem.swapped:
            planned.append(Operation(SWAP))
        chosen = [piston.part for piston in self.pistons if found[piston.chosen] > 0.5]
        planned += [
            Operation(FIT, part=part) for part in (*self.subproblem.parts, *chosen) if part is not None
        ]
        planned += self._planned_gaskets(found)
        for bank in space.banks:
            planned += self._planned_cuts(found, bank)
        crown = valued(self.off("crown_cut"), found)
        if space.crown is not None and crown > EPSILON:
            planned.append(Operation("crown_cut", amount=space.crown.quantity(crown)))
        if space.bowl is not None and found[self.bowl] > EPSILON:
            planned.append(Operation("bowl", amount=space.bowl.quantity(found[self.bowl])))
        return tuple(planned)

    def _planned_gaskets(self, found: Solution) -> Iterator[Operation]:
        chosen = {
            bank.bank.name: one.gasket
            for bank in self.space.banks
            for one in self.gaskets_of(bank.bank.name)
            if found[one.chosen] > 0.5 and one.gasket is not None
        }
        if len(chosen) == len(self.space.banks) and len({id(gasket) for gasket in chosen.values()}) == 1:
            yield Operation("gasket", gasket=next(iter(chosen.values())))
        else:
            yield from (Operation("gasket", bank, gasket=gasket) for bank, gasket in chosen.items())

    def _planned_cuts(self, found: Solution, bank: BankDecisions) -> Iterator[Operation]:
        name, own = bank.bank.name, self.banks[bank.bank.name]
        first, last, milled = found[own.first], found[own.last], found[own.milled]
        if bank.deck is not None and max(first, last) > EPSILON:
            ends = bank.deck.quantity(max(first, 0.0)), bank.deck.quantity(max(last, 0.0))
            if abs(first - last) < EPSILON:
                yield Operation("deck_cut", name, amount=ends[0])
            else:
                yield Operation("deck_cut", name, amount=midway(*ends), first=ends[0], last=ends[1])
        if bank.head is not None and milled > EPSILON and name in self.milled:
            yield Operation("head_cut", name, amount=bank.head.quantity(self.milled_depth(name, milled)))
        for number, opened in own.opened.items():
            if bank.opening is not None and found[opened] > EPSILON:
                yield Operation("open_chamber", cylinder=number, amount=bank.opening.quantity(found[opened]))

    # -- one lever -------------------------------------------------------------

    def off(self, op: str, bank: str = "") -> Expression:
        """Return what a lever takes off: in mm; of a head the volume in cc; of a deck at its first hole.

        Parameters
        ----------
        op : {"deck_cut", "head_cut", "crown_cut"}
            The lever.
        bank : str
            Where; empty for the crowns.
        """
        if op == "deck_cut":
            return Linear.of(self.banks[bank].first)
        if op == "head_cut":
            return Linear.of(self.banks[bank].milled)
        return total({one: 1.0 for piston in self.pistons for one in piston.crown or ()})

    def keep_parallel(self, bank: str, least: float, most: float) -> None:
        """Let a deck come off alike at both ends, within limits.

        Parameters
        ----------
        bank : str
            Whose deck.
        least, most : float
            In mm.
        """
        own = self.banks[bank]
        self.milp.constrain(Linear.of(own.first) - Linear.of(own.last), 0.0, 0.0)
        self.milp.constrain(Linear.of(own.first), least, most)

    def depth_of(self, op: str, bank: str, value: float) -> float:
        """Return how deep a cut is, in mm.

        Parameters
        ----------
        op : str
            The lever.
        bank : str
            Where.
        value : float
            Of :meth:`off`, in its unit.
        """
        if op != "head_cut":
            return value
        return self.milled_depth(bank, value) if bank in self.milled and value > EPSILON else 0.0

    def _milled_volume(self, bank: str, depth: float) -> float:
        """What a depth takes from a chamber of a bank, in cc."""
        at = self._at(self.space.of(bank))
        taken = self.stated.removed(self.subproblem.parts, np.full((1, 1), depth), slice(at, at + 1))
        return float(taken[0, 0])

    def milled_depth(self, bank: str, volume: float) -> float:
        """Return the depth in mm that takes a volume from a chamber of a bank, to the last digits.

        Parameters
        ----------
        bank : str
            Whose head.
        volume : float
            In cc.
        """
        from scipy.optimize import brentq

        deepest = float(self.milled[bank].depths[-1])
        if self._milled_volume(bank, deepest) <= volume:
            return deepest
        return float(
            brentq(lambda depth: self._milled_volume(bank, depth) - volume, 0.0, deepest, xtol=1e-13)
        )


def _most_of(move: Move, bank: BankDecisions) -> Movable:
    """The most of a lever: of one bank alone where that bank has a limit of its own."""
    alone = move.means.banks.get(bank.bank.name, (None, None))[1] is not None
    return Movable("lever", move.means.op, bank=bank.bank.name if alone else "")


def _around(step: float, less: float = 0.0) -> Callable[[float], list[float]]:
    """What gives the steps next to a value, counted from so much before it."""

    def near(value: float) -> list[float]:
        at = (value + less) / step
        return [math.floor(at + 1e-7) * step - less, math.ceil(at - 1e-7) * step - less]

    return near


def valued(expression: Expression, found: Solution) -> float:
    """Return what an expression comes to (trade.md 11).

    Parameters
    ----------
    expression : Linear
        In any unit.
    found : dict
        A solution.

    Returns
    -------
    float
        In the unit of the expression.
    """
    return expression.value + math.fsum(slope * found[one] for one, slope in expression.slopes.items())


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
    """Return between which values of clearance volume over swept volume holes may lie; no unit.

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
