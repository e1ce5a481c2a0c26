"""What may be done to one bank, once parts and crowns are decided: its candidates, and how likely each ends inside.

Given the piston set and the crown cut the banks are independent. What a bank shares (a cut, a gasket, a
uniform opening) only shifts the extremes of its holes, so these are found once for each levelling and each
pattern of openings, and every candidate after that is a comparison of columns.

In order: the columns that candidates are laid out in; what the draws say of the bank whatever is fitted; the bank with
parts fitted, and the patterns that level it; how likely its candidates end inside; the candidates.

Every table has a row for each hole and a column for each draw here: extremes are taken over rows.
Lengths in mm, volumes in cc.
"""

# long: one idea, from levellings and openings to draws: in pieces each had to know the others' columns
from __future__ import annotations

import math
from collections.abc import Callable, Hashable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any, NamedTuple, TypeVar

import numpy as np
from numpy.typing import NDArray

from ..build.model import Gasket
from ..quantity import Source
from ..stack.arithmetic import cylinder_volume, ratio_of
from ..stack.fitting import with_gasket
from ..windows import TOLERANCE
from .costs import Costs
from .cut_bank import BankExtremes, CutBank, MilledVolume, UncutBank, extremes_of
from .decisions import EPSILON, BankDecisions, DecisionSpace, Move
from .distinct import SURE, Flags, distinct, most_chance
from .figure_samples import FigureSamples, gasket_tables, missed_by
from .quasi_random import Table
from .results import PlanTargets

Made = TypeVar("Made")
# A tuple of columns, an entry each of which belong together.
Columns = TypeVar("Columns", bound=tuple[Any, ...])
# Of so many draws one is asked for how extremes move.
SPARSE = 4
# How many steps a ladder has at the least and at the most.
FEWEST, MOST = 5, 9
# How much more likely holes may end near one another than they are thought to.
_GUESSED = 0.15
# Of each extreme the one that leaves most room.
_BEST = (np.max, np.min, np.max, np.min, np.max, np.min)
# How much wider the crown's ranges are taken than the mean of the holes gives, in mm.
_HOLES_DIFFER = 0.01


# -- columns ----------------------------------------------------------------------


def taken(columns: Columns, which: NDArray[np.int64] | Flags) -> Columns:
    """Return some of what lies in columns.

    Parameters
    ----------
    columns : tuple of array
        An entry each for what belongs together, in their units.
    which : array
        Places, or a flag for each; no unit.
    """
    return columns._make(column[which] for column in columns)  # type: ignore[attr-defined, no-any-return]


class LowerBound(NamedTuple):
    """The least that a bank costs in money and metal, and the most that it can yield, a share of 1."""

    cost: float
    metal: float
    chance: float


# Least and most of something in each draw, for each point.
Ends = NDArray[np.float32]


class DrawnCandidates(NamedTuple):
    """Points of one bank, an entry each: which gasket (−1: the one there), the cuts, what they take, the draws."""

    gasket: NDArray[np.int64]
    first: Table
    last: Table
    head: Table
    opened: Table
    cost: Table
    metal: Table
    kinds: NDArray[np.int64]
    ok: Flags
    # Ratio and quench, least and most of the bank, for the spreads between holes: as stated, and in each draw
    # where other banks must be near.
    ratio: Table
    gap: Table
    ratio_drawn: Ends
    gap_drawn: Ends

    @property
    def size(self) -> int:
        """How many there are; no unit."""
        return len(self.cost)

    @property
    def bound(self) -> LowerBound:
        """The least that they take, and the most that they yield."""
        return LowerBound(float(self.cost.min()), float(self.metal.min()), float(self.ok.mean(axis=1).max()))


class Configurations(NamedTuple):
    """A crown cut with a pattern and a gasket, an entry each; extremes as stated.

    ``at`` tells which crown cut; ``least`` and ``most`` gap without a listed gasket, ``low`` and ``high`` room to
    the volume's edges, ``up`` and ``down`` the least and most clearance; all in mm.
    """

    at: NDArray[np.int64]
    gasket: NDArray[np.int64]
    pattern: NDArray[np.int64]
    thickness: Table
    volume: Table
    price: Table
    least: Table
    most: Table
    low: Table
    high: Table
    up: Table
    down: Table
    wedge: Table
    opened: Table

    @property
    def size(self) -> int:
        """How many there are; no unit."""
        return len(self.price)

    @property
    def extremes(self) -> tuple[Table, ...]:
        """What :meth:`YieldEstimates.rooms` asks for, in mm."""
        return self.least, self.most, self.low, self.high, self.up, self.down


class DeckRanges(NamedTuple):
    """Rows with deck cuts from ``bottom`` to ``top`` in mm: the least they take, the most that they can yield."""

    row: NDArray[np.int64]
    bottom: Table
    top: Table
    cost: Table
    metal: Table
    kinds: NDArray[np.int64]
    chance: Table


class WindowBound(NamedTuple):
    """An edge of a window: whether a deck cut nears it, and which of a row's extremes meets it."""

    window: str
    lower: bool
    of: int


class CutAmounts(NamedTuple):
    """Points, an entry each: the row, mean deck cut, head cut in mm, what every chamber is opened more in cc."""

    row: NDArray[np.int64]
    deck: Table
    cuts: Table
    more: Table


class UndrawnCandidates(NamedTuple):
    """Points of one bank at one crown cut before they are drawn; ``likely`` stands in for their yield."""

    rows: Configurations
    many: CutAmounts
    cost: Table
    metal: Table
    kinds: NDArray[np.int64]
    likely: Table
    ratio: Table
    gap: Table

    def take(self, which: NDArray[np.int64] | Flags) -> UndrawnCandidates:
        """Return some of the points.

        Parameters
        ----------
        which : array
            Their places, or a flag for each; no unit.
        """
        return UndrawnCandidates._make(
            [self.rows, taken(self.many, which), *(column[which] for column in self[2:])]
        )


class CrownWork(NamedTuple):
    """What is done to the crowns: so many mm come off, so many cc are sunk into them."""

    crown: float = 0.0
    bowl: float = 0.0


# -- the bank, whatever is fitted ------------------------------------------------


class BankDraws:
    """One bank of one search: what may be done to it, and what the draws say of it whatever is fitted.

    Parameters
    ----------
    space : DecisionSpace
        What may be done to the build.
    bank : BankDecisions
        The bank.
    costs : Costs
        What it takes.
    stated, drawn : FigureSamples
        For what gaskets come to and operations miss.

    Notes
    -----
    The same gaskets, patterns and misses come again with every part that may be fitted: they are worked out once.
    """

    def __init__(
        self,
        space: DecisionSpace,
        bank: BankDecisions,
        costs: Costs,
        stated: FigureSamples,
        drawn: FigureSamples,
    ) -> None:
        self.bank, self.costs, self.stated, self.drawn = bank, costs, stated, drawn
        planning, several = space.build.planning, len(space.banks)
        # Lowest cost and metal that a step of a ladder may not exceed.
        self.cost_step = max(planning.apart.cost, 1e-9) / (4 * several)
        self.metal_step = max(planning.apart.metal_cc, 1e-9) / (4 * several)
        # What may be sunk into the crowns at the most, in cc.
        self.bowl = space.bowl.high if space.bowl is not None else 0.0
        self.one_gasket, self.others = space.one_gasket, several > 1
        self._known: dict[tuple[Hashable, ...], Any] = {}

    def once(self, key: tuple[Hashable, ...], make: Callable[[], Made]) -> Made:
        """Return what belongs to a key, made when first asked for.

        Parameters
        ----------
        key : tuple
            What it hangs on; no unit.
        make : callable
            Makes it.
        """
        if key not in self._known:
            self._known[key] = make()
        made: Made = self._known[key]
        return made

    def gasket(self, index: int, gasket: Gasket | None) -> tuple[Table, Table]:
        """Return thickness in mm and volume in cc of a listed gasket: as stated, then in each draw.

        Parameters
        ----------
        index : int
            Its place in the list; no unit.
        gasket : Gasket or None
            None for the one there: nought is added.
        """
        if gasket is None:
            none = np.zeros(1 + self.drawn.rows)
            return none, none

        def found() -> tuple[Table, Table]:
            number, per_bank = self.bank.bank.cylinders[0], self.drawn.build.levers.gasket_per_bank
            name = missed_by("gasket", self.bank.bank.name if per_bank else None)
            columns = []
            for truth in (self.stated, self.drawn):
                sources = {n: truth.sources[n] for n in truth.holes}
                sources[number] = with_gasket(sources[number], name, gasket=gasket, number=number)
                at = truth.holes.index(number)
                columns.append([table[:, at] for table in gasket_tables(truth, sources)])
            thickness, volume = (np.concatenate(pair) for pair in zip(*columns, strict=True))
            return thickness, volume

        return self.once(("gasket", index), found)

    @cached_property
    def listed(self) -> list[Table]:
        """The gaskets in columns: place, thickness and volume as stated (nought for the one there), price."""
        gaskets = self.bank.gaskets
        stated = [[table[0] for table in self.gasket(*one)] for one in gaskets]
        prices = [gasket.price if gasket is not None else 0.0 for _, gasket in gaskets]
        columns = [[float(index) for index, _ in gaskets], *zip(*stated, strict=True), prices]
        return [np.array(column, dtype=float) for column in columns]

    @cached_property
    def waits(self) -> Table:
        """How long each listed gasket is waited for, in days; not at all for the one there, the last."""
        days = {index: gasket.days for index, gasket in self.bank.gaskets if gasket is not None}
        return np.array([*(days.get(i, 0.0) for i in range(max(days, default=-1) + 1)), 0.0])

    def missed(self, move: Move, key: str, number: int) -> Table:
        """Return what an operation may miss: however much it takes, it misses by its lever's tolerance.

        Parameters
        ----------
        move : Move
            The lever.
        key : str
            What is drawn; no unit.
        number : int
            The hole; no unit.

        Returns
        -------
        array
            In mm or cc, in each draw.
        """

        def found() -> Table:
            return self.drawn.error(Source(key, move.quantity(max(move.low, move.step, 0.01))), number)

        return self.once(("missed", key), found)

    def missed_openings(self, opened: Table) -> Table:
        """Return what each chamber is opened in each draw, in cc (trade.md 11).

        Parameters
        ----------
        opened : array
            What each is to be opened, in cc.
        """

        def found() -> Table:
            move, holes = self.bank.opening, self.bank.bank.cylinders
            if move is None or not opened.any():
                return np.zeros((len(opened), self.drawn.rows))
            keys = [missed_by("open_chamber", None, number) for number in holes]
            off = np.stack([self.missed(move, key, n) for key, n in zip(keys, holes, strict=True)])
            return np.asarray(opened[:, None] + off * (opened > 0)[:, None])

        return self.once(("opened", opened.tobytes()), found)


# -- the bank with parts fitted --------------------------------------------------


class ExtremesMoved(NamedTuple):
    """How the extremes of patterns lie in the draws: by how much their mean is off what is stated, and their spread.

    A row for each pattern with a gasket that is listed, then with the one there: twice its place and one.
    """

    off: Table
    spread: Table


class CutPattern(NamedTuple):
    """A levelling with a pattern of openings: last end less first in mm, cc by hole."""

    wedge: float
    opened: Table


@dataclass
class FittedBank:
    """One bank with parts fitted: what is the same however far the crowns are cut.

    Parameters
    ----------
    shared : BankDraws
        The bank whatever is fitted: its levers, and what the draws say of it.
    wanted : PlanTargets
        The windows.
    stated, drawn : UncutBank
        The bank as it is stated and as it is drawn.
    taken : MilledVolume or None
        What milling takes.
    """

    shared: BankDraws
    wanted: PlanTargets
    stated: UncutBank
    drawn: UncutBank
    taken: MilledVolume | None

    @property
    def bank(self) -> BankDecisions:
        """What may be done to the bank."""
        return self.shared.bank

    @property
    def is_known(self) -> bool:
        """Whether every figure is known that decides where the holes stand, whatever gasket lies between."""
        return not bool(np.isnan(self.stated.clearance + self.stated.closed + self.stated.swept).any())

    @cached_property
    def shares(self) -> Table:
        """Where each hole stands between the bank's ends: −½ at the first, ½ at the last, no unit (trade.md 7)."""
        count = len(self.bank.bank.cylinders)
        return np.arange(count) / (count - 1) - 0.5 if count > 1 else np.zeros(1)

    @cached_property
    def per_mm(self) -> float:
        """What one mm of deck takes from the volume, in cc (trade.md 3)."""
        return float((self.stated.area + self.stated.pocket).mean()) / 1000

    @cached_property
    def patterns(self) -> list[CutPattern]:
        """Every levelling with every pattern of openings: the same for all parts that leave holes alike."""
        return self.shared.once(("patterns", self.stands), self._found_patterns)

    def _found_patterns(self) -> list[CutPattern]:
        return [CutPattern(wedge, opened) for wedge in self._wedges() for opened in self._openings(wedge)]

    @cached_property
    def columns(self) -> tuple[Table, Table]:
        """Wedges and openings of the patterns, a row each; in mm and cc."""
        return (
            np.array([pattern.wedge for pattern in self.patterns]),
            np.stack([pattern.opened for pattern in self.patterns]),
        )

    @cached_property
    def stands(self) -> tuple[float, ...]:
        """How holes stand to one another, rounded to what no gauge shows: patterns and their extremes hang on it.

        In mm, cc and mm².
        """
        side = self.stated
        full = self._full(side.clearance)
        columns = (side.clearance - side.clearance.mean(), full - full.mean(), side.swept, side.area)
        return tuple(np.round(np.concatenate(columns, axis=0).ravel(), 7).tolist())

    def _full(self, clearance: Table) -> Table:
        """The volume above the pistons without gaskets as stated, in cc."""
        return self.stated.cut(np.zeros(1)).full(clearance)

    def _wedges(self) -> list[float]:
        """Last end less first of a levelling cut: none, or some of what levels the bank."""
        deck = self.bank.deck
        if self.bank.fixed_wedge is not None:
            return [self.bank.fixed_wedge]
        if deck is None or not self.bank.levels:
            return [0.0]
        rooms = [self.stated.clearance[:, 0]]
        if not self.wanted.ratio.is_open or self.wanted.ratio_spread is not None:
            # What levels the volumes is another wedge than what levels the deck, where chambers differ.
            full = self._full(rooms[0][:, None])[:, 0]
            level = full / self.stated.swept[:, 0]
            rooms.append((level - level.mean()) * self.stated.swept[:, 0] / self.per_mm)
        step = 2 * deck.step
        parts = [_flattest(self.shares, room) * part for room in rooms for part in (0.5, 1.0)]
        if step:
            parts = [round(part / step) * step for part in parts]
        return list(dict.fromkeys([0.0, *(part for part in parts if not math.isnan(part))]))

    def _openings(self, wedge: float) -> Iterator[Table]:
        """What each chamber is opened: nothing, or the smallest raised step by step until all are alike."""
        count = len(self.bank.bank.cylinders)
        yield np.zeros(count)
        move = self.bank.opening
        if move is None or count == 1:
            return
        # Of everything that is shared nothing counts: only how holes stand to one another.
        full = self._full(self.stated.clearance - wedge * self.shares[:, None])[:, 0]
        share = full / self.stated.swept[:, 0]
        if not np.isfinite(share).all():
            # What nobody knows cannot be made alike.
            return
        seen: set[tuple[float, ...]] = set()
        for part in (0.5, 1.0):
            level = share.min() + part * (share.max() - share.min())
            # As far as it may go, where that is not far enough.
            wanted = np.clip((level - share) * self.stated.swept[:, 0], 0.0, move.high)
            opened = np.array([_opening(move, one) for one in wanted])
            key = tuple(opened)
            if key not in seen and (opened.any() or part == 1.0):
                seen.add(key)
                yield opened


def _opening(move: Move, wanted: float) -> float:
    """An opening that can be made: nothing for less than half the least."""
    if wanted < max(move.low, move.step) / 2:
        return 0.0
    return move.rounded(max(wanted, move.low), move.low, move.high)


def _flattest(along: Table, heights: Table) -> float:
    """The slope that leaves least between the highest and the lowest: it is the slope of some two of them."""
    first, second = np.triu_indices(len(along), 1)
    slopes = (heights[second] - heights[first]) / (along[second] - along[first])
    left = heights - slopes[:, None] * along
    return float(slopes[np.argmin(np.ptp(left, axis=1))])


# -- how likely candidates end inside --------------------------------------------


class YieldEstimates:
    """What doubts do to the points of one bank.

    Parameters
    ----------
    standing : FittedBank
        The bank with its parts.
    """

    def __init__(self, standing: FittedBank) -> None:
        self.standing, self.shared, self.bank = standing, standing.shared, standing.bank
        self.wanted, self.taken = standing.wanted, standing.taken

    @property
    def _per_mm(self) -> float:
        return self.standing.per_mm

    @cached_property
    def edges(self) -> list[WindowBound]:
        """Which edge each of :meth:`rooms` is about, in their order."""
        wanted = self.wanted
        known = (
            (wanted.gap.low, WindowBound("gap", lower=True, of=0)),
            (wanted.gap.high, WindowBound("gap", lower=False, of=1)),
            (wanted.ratio.high, WindowBound("ratio", lower=True, of=2)),
            (wanted.ratio.low, WindowBound("ratio", lower=False, of=3)),
            (wanted.clearance.low, WindowBound("clearance", lower=True, of=4)),
            (wanted.clearance.high, WindowBound("clearance", lower=False, of=5)),
        )
        return [edge for value, edge in known if value is not None]

    def paired(self, i: int) -> bool:
        """Tell whether an edge is the lower of a window whose upper edge follows.

        Parameters
        ----------
        i : int
            Its place in :attr:`extremes_of`; no unit.
        """
        edge, after = self.edges[i], self.edges[i + 1 : i + 2]
        return edge.lower and bool(after) and after[0].window == edge.window

    def rooms(
        self, extremes: Sequence[Table], thickness: Table, shift: Table, deck: Table
    ) -> Iterator[Table]:
        """Yield how far inside each edge points are, in mm: nought or more is inside.

        Parameters
        ----------
        extremes : sequence of array
            :attr:`Configurations.extremes`, in mm.
        thickness, shift, deck : array
            Of the gasket, what gasket, cut and opening give the volume, the deck cut; all in mm.
        """
        gap, clearance = self.wanted.gap, self.wanted.clearance
        least, most, low, high, up, down = extremes
        if gap.low is not None:
            yield least + thickness - deck - gap.low
        if gap.high is not None:
            yield gap.high - (most + thickness - deck)
        if self.wanted.ratio.high is not None:
            yield low + shift
        if self.wanted.ratio.low is not None:
            yield -(high + shift)
        if clearance.low is not None:
            yield up - deck - clearance.low
        if clearance.high is not None:
            yield clearance.high - (down - deck)

    def given(self, cuts: Table, more: Table) -> Table:
        """Return what head cut and uniform opening give the volume, in mm of deck (trade.md 11).

        Parameters
        ----------
        cuts, more : array
            Head cuts in mm, openings in cc.
        """
        milled = self.taken.volume(cuts) if self.taken is not None else 0.0
        return np.asarray((more - milled) / self._per_mm)

    def likely(self, rows: Configurations, many: CutAmounts, *, volume: bool = True) -> tuple[Table, Table]:
        """Return how likely points are to be inside their worst window, and inside all; shares of 1.

        Parameters
        ----------
        rows : Configurations
            Of the bank.
        many : CutAmounts
            The points.
        volume : bool
            False leaves the ratio out.

        Notes
        -----
        Their yield is no more than the first; the second stands in for it. The edges of a window are taken
        as if they were missed independently: who misses one is the less likely to miss the other.
        See trade.md 11.
        """
        extremes, spreads = self.expected(rows, many.row)
        thickness, held = rows.thickness[many.row], rows.volume[many.row]
        shift = held / self._per_mm - many.deck + self.given(many.cuts, many.more)
        rooms = self.rooms(extremes, thickness, shift, many.deck)
        found = {edge.window: np.ones(len(many.row)) for edge in self.edges}
        for edge, room, spread in zip(self.edges, rooms, spreads, strict=True):
            if volume or edge.window != "ratio":
                found[edge.window] = found[edge.window] * inside_one(room / spread)
        worst = every = np.ones(len(many.row))
        for one in found.values():
            worst, every = np.minimum(worst, one), every * one
        return worst, every

    def meeting(self, ratio: Table, gap: Table) -> Table:
        """Return how likely the holes of points are not too far apart; shares of 1 (trade.md 11).

        Parameters
        ----------
        ratio, gap : array
            Least and most ratio (no unit) and quench (mm) of each point, as stated.
        """
        likely = np.ones(len(ratio))
        for ends, most, (apart, moves) in zip(
            (ratio, gap), (self.wanted.ratio_spread, self.wanted.quench_spread), self._wander(), strict=True
        ):
            if most is not None:
                likely = likely * inside_one((most - np.hypot(ends[:, 1] - ends[:, 0], apart)) / moves)
        return likely

    def _wander(self) -> list[tuple[float, float]]:
        """How far apart equal holes are drawn, in ratio and in quench, and how far that moves from draw to draw."""
        return self.shared.once(("wander",), self._found_wander)

    def _found_wander(self) -> list[tuple[float, float]]:
        side, found = self.standing.drawn, []
        full = side.cut(np.zeros(1)).full(side.clearance) + side.gasket_volume
        known = side if not np.isnan(side.gasket).any() else side._replace(gasket=np.ones_like(side.gasket))
        for values in (side.swept / np.where(np.isnan(full), 1.0, full), side.clearance + known.gasket):
            apart = np.ptp(values - values.mean(axis=1, keepdims=True), axis=0)
            found.append((float(apart.mean()), max(float(apart.std()), 1e-6)))
        return found

    def expected(self, rows: Configurations, row: NDArray[np.int64]) -> tuple[list[Table], list[Table]]:
        """Return the extremes that rows are expected to have, and the spread of each edge's, in mm (trade.md 11).

        Parameters
        ----------
        rows : Configurations
            Of the bank.
        row : array
            Which of them; no unit.
        """
        key = rows.pattern[row] * 2 + (rows.gasket[row] < 0)
        off, spread = self._moved
        extremes = [column[row] + off[key, i] for i, column in enumerate(rows.extremes)]
        return extremes, [spread[key, edge.of] for edge in self.edges]

    @cached_property
    def _moved(self) -> ExtremesMoved:
        """How the extremes of every pattern lie in some of the draws, crowns uncut; the same for parts as doubtful."""
        standing = self.standing
        doubts = (table[0].std() for table in (standing.drawn.clearance, standing.drawn.closed))
        key = (*standing.stands, *(round(float(value), 5) for value in doubts))
        return self.shared.once(("moved", key), self._found_moved)

    def _found_moved(self) -> ExtremesMoved:
        patterns = self.standing.patterns
        keys = np.arange(2 * len(patterns))
        stated, some = self.standing.stated.cut(np.zeros(1)), slice(None, None, SPARSE)
        drawn = self.standing.drawn.some(some).cut(np.zeros(1))
        found = np.stack(self._drawn(drawn, keys, some), axis=1)
        wedge = np.array([patterns[key // 2].wedge for key in keys])[:, None, None]
        opened = np.stack([patterns[key // 2].opened for key in keys])[:, :, None]
        kept = (keys % 2 == 1)[:, None, None]
        meant = np.stack(
            extremes_of(stated, self.wanted, wedge * self.standing.shares[:, None], opened, kept=kept), axis=1
        )
        with np.errstate(invalid="ignore"):
            off, spread = found.mean(axis=2) - meant[:, :, 0], found.std(axis=2)
        # What is shared, on top: the gasket's doubt and what the deck cut may miss.
        index, gasket = self.bank.gaskets[-1]
        thickness, volume = (float(pair[1:].std()) for pair in self.shared.gasket(index, gasket))
        deck, hole = self.bank.deck, self.bank.bank.cylinders[0]
        missed = (
            float(self.shared.missed(deck, missed_by("deck_cut", self.bank.bank.name), hole).std())
            if deck
            else 0.0
        )
        shared = np.array([thickness, thickness, volume / self._per_mm, volume / self._per_mm, 0.0, 0.0])
        spread = np.sqrt(np.nan_to_num(spread) ** 2 + np.nan_to_num(shared) ** 2 + missed**2)
        return ExtremesMoved(np.nan_to_num(off), np.maximum(spread, 1e-6))

    # long: the same shift for every edge and every end
    def inside(self, side: CutBank, rows: Configurations, many: CutAmounts) -> tuple[Flags, Ends, Ends]:
        """Return in which draws every hole is inside its windows, for each point; the ends of ratio and quench.

        See trade.md 11.

        Parameters
        ----------
        side : CutBank
            The bank drawn, crowns as they are cut, in mm and cc.
        rows : Configurations
            Of the bank.
        many : CutAmounts
            The points.
        """
        bank, name, hole = self.bank, self.bank.bank.name, self.bank.bank.cylinders[0]
        row, listed = many.row, dict(self.bank.gaskets)
        index = rows.gasket[row]
        pairs = {int(i): self.shared.gasket(int(i), listed[int(i)]) for i in np.unique(index)}
        thickness, volume = (np.stack([pairs[int(i)][which][1:] for i in index]) for which in (0, 1))
        down = np.broadcast_to(many.deck[:, None], thickness.shape)
        if bank.deck is not None:
            some = (many.deck > 0) | (rows.wedge[row] != 0)
            down = down + np.outer(some, self.shared.missed(bank.deck, missed_by("deck_cut", name), hole))
        given = self.given(many.cuts, many.more)[:, None]
        if bank.head is not None and self.taken is not None and (many.cuts > 0).any():
            rates = np.array([self.taken.rate(cut) if cut else 0.0 for cut in many.cuts])
            given = given - np.outer(
                rates / self._per_mm, self.shared.missed(bank.head, missed_by("head_cut", name), hole)
            )
        if bank.opening is not None and (many.more > 0).any():
            # Each chamber is opened by itself; here what one is missed by stands for all.
            missed = self.shared.missed(bank.opening, missed_by("open_chamber", None, hole), hole)
            given = given + np.outer(many.more > 0, missed) / self._per_mm
        shift = volume / self._per_mm - down + given
        keys, at = np.unique(rows.pattern[row] * 2 + (index < 0), return_inverse=True)
        extremes = [column[at] for column in self._drawn(side, keys)]
        ok = np.ones(thickness.shape, dtype=bool)
        for room in self.rooms(extremes, thickness, shift, down):
            ok &= room >= -TOLERANCE
        nothing: Ends = np.empty((len(row), 2, 0), dtype=np.float32)
        ratio: Table = nothing.astype(float)
        gap = ratio
        if self.wanted.quench_spread is not None:
            gap = np.stack([extremes[0] + thickness - down, extremes[1] + thickness - down], axis=1)
            ok &= gap[:, 1] - gap[:, 0] <= self.wanted.quench_spread + TOLERANCE
        if self.wanted.ratio_spread is not None:
            ratio = np.empty((len(row), 2, self.shared.drawn.rows))
            for i, key in enumerate(keys):
                which = np.nonzero(at == i)[0]
                ratio[which] = self._ratio_ends(side, int(key), shift[which])
            ok &= ratio[:, 1] - ratio[:, 0] <= self.wanted.ratio_spread + TOLERANCE
        if not self.shared.others:
            return ok, nothing, nothing
        return ok, ratio.astype(np.float32), gap.astype(np.float32)

    def _drawn(self, side: CutBank, keys: NDArray[np.int64], some: slice = slice(None)) -> BankExtremes:
        """The extremes of the bank in each draw, a row for each key: twice the pattern, and one with its own gasket."""
        patterns = [self.standing.patterns[key // 2] for key in keys]
        wedge = np.array([pattern.wedge for pattern in patterns])
        shares = wedge[:, None, None] * self.standing.shares[:, None]
        opened = np.stack([self.shared.missed_openings(pattern.opened)[:, some] for pattern in patterns])
        return extremes_of(side, self.wanted, shares, opened, kept=(keys % 2 == 1)[:, None, None])

    def _ratio_ends(self, side: CutBank, key: int, shift: Table) -> Table:
        """Least and most ratio of the bank in each draw, for points of one pattern."""
        pattern = self.standing.patterns[key // 2]
        clearance = side.clearance - (pattern.wedge * self.standing.shares)[:, None]
        full = side.full(clearance) + self.shared.missed_openings(pattern.opened)
        if key % 2:
            full = full + side.gasket_volume
        every = full[:, None, :] + (shift * self._per_mm)[None, :, :]
        ratio = ratio_of(side.swept[:, None, :], every)
        return np.stack([ratio.min(axis=0), ratio.max(axis=0)], axis=1)

    def stated(self, side: CutBank, rows: Configurations, many: CutAmounts) -> tuple[Table, Table]:
        """Return least and most of ratio (no unit) and quench (mm) as stated, for each point (trade.md 11).

        Parameters
        ----------
        side : CutBank
            The bank as stated, crowns as they are cut, in mm and cc.
        rows : Configurations
            Of the bank.
        many : CutAmounts
            The points.
        """
        if self.wanted.ratio_spread is None and self.wanted.quench_spread is None:
            none = np.zeros((len(many.row), 2))
            return none, none
        row = many.row
        # The bank as it is with each point's crown cut: a row for each point.
        wide = (np.broadcast_to(table, side.clearance.shape) for table in side)
        side = CutBank(*(table.T[rows.at[row]] for table in wide))
        shares = rows.wedge[row][:, None] * self.standing.shares
        clearance = side.clearance - many.deck[:, None] - shares
        kept = (rows.gasket[row] < 0)[:, None]
        thickness = np.where(kept, side.gasket, rows.thickness[row][:, None])
        volume = np.where(kept, side.gasket_volume, rows.volume[row][:, None])
        full = side.full(clearance) + volume - cylinder_volume(side.pocket, many.deck[:, None] + shares)
        milled = self.taken.volume(many.cuts) if self.taken is not None else np.zeros(len(row))
        every = full + rows.opened[row] + many.more[:, None] - milled[:, None]
        return _ends(ratio_of(side.swept, every)), _ends(clearance + thickness)


def inside_one(margin: Table) -> Table:
    """Return the chance to be inside an edge; shares of 1.

    Parameters
    ----------
    margin : array
        How far inside it lies, in standard deviations; no unit.
    """
    from scipy.special import ndtr

    return np.asarray(ndtr(margin))


def _ends(values: Table) -> Table:
    return np.stack([values.min(axis=1), values.max(axis=1)], axis=1)


# -- candidates ------------------------------------------------------------------


class _Laid(NamedTuple):
    """Several crown cuts laid out together: the bank with each, and the rows."""

    side: CutBank
    rows: Configurations


# From cost, metal, what is done and the most that could be yielded: which may still be part of a plan worth having.
Worthy = Callable[[Table, Table, NDArray[np.int64], Table], Flags]


class BankCandidates:
    """Everything that may be done to one bank with some parts, crown cut by crown cut.

    Parameters
    ----------
    standing : FittedBank
        The bank with its parts.
    """

    def __init__(self, standing: FittedBank) -> None:
        self.standing, self.shared, self.bank = standing, standing.shared, standing.bank
        self.wanted, self.taken = standing.wanted, standing.taken
        self._chances = YieldEstimates(standing)
        self._laid: dict[CrownWork, tuple[_Laid, DeckRanges]] = {}

    def lay(self, crowns: Sequence[CrownWork]) -> None:
        """Lay out what is done to the crowns together: one by one they take as long each.

        Parameters
        ----------
        crowns : sequence of CrownWork
            In mm and cc.
        """
        side = self.standing.stated.cut(*np.array(crowns, dtype=float).reshape(-1, 2).T)
        rows = self._rows(side, len(crowns))
        laid = _Laid(side, rows)
        reach = self._reach(rows)
        of = rows.at[reach.row]
        for at, crown in enumerate(crowns):
            self._laid[crown] = laid, taken(reach, of == at)

    # long: what gap, clearance and volume leave of a crown cut, one after another
    def crowns(self) -> list[tuple[float, float]]:
        """Return between which crown cuts some row could bring the bank inside, in mm; ranges apart, in order.

        Notes
        -----
        With s = crown − deck the gap leaves s a range, and the volume, in mm of deck, asks that
        s − k·crown + what is opened or milled lies in another: k is what crown and ring give back. A crown
        that is cut by what stands above its rim changes neither gap nor, as far as it is judged here, volume.
        See trade.md 11.
        """
        uncut, move = self.standing.stated, self.bank.deck
        wedge, opened = self.standing.columns
        shares = wedge[:, None, None] * self.standing.shares[:, None]
        side, rows = uncut.cut(np.zeros(1)), []
        for kept in (True, False):
            found = extremes_of(side, self.wanted, shares, opened[:, :, None], kept=kept)
            # What every gasket could meet at the best of all patterns: a range too wide is no harm.
            rows.append([one(column) for one, column in zip(_BEST, found, strict=True)])
        index, thick, held, _ = self.shared.listed
        least_gap, most_gap, over, under, up, down = np.where(
            index < 0, *(np.array(r)[:, None] for r in rows)
        )
        gap, clearance = self.wanted.gap, self.wanted.clearance
        least, most = np.full(len(index), -math.inf), np.full(len(index), math.inf)
        if gap.low is not None:
            least = gap.low - least_gap - thick
        if gap.high is not None:
            most = gap.high - most_gap - thick
        if clearance.low is not None:
            least = np.maximum(least, clearance.low - up)
        if clearance.high is not None:
            most = np.minimum(most, clearance.high - down)
        low, high = least, most + (move.high if move is not None else 0.0)
        above = float(uncut.above_rim.max())
        if not above:
            area = uncut.area + uncut.pocket
            both = (uncut.dish_area + uncut.ring) / area
            # Once the dish is cut away the ring alone gives room.
            shallow = float((uncut.ring / area if np.isfinite(uncut.dish).any() else both).min())
            held = held / self._per_mm
            short = least + under + held - self._mills()
            room = most + over + held + self._opens() + self.shared.bowl / self._per_mm
            with np.errstate(divide="ignore", invalid="ignore"):
                low = np.where(short > TOLERANCE, np.maximum(low, short / float(both.max())), low)
                high = np.where(
                    room < -TOLERANCE,
                    -math.inf,
                    np.where(shallow > 0, np.minimum(high, room / shallow), high),
                )
        # What holes differ in was taken at its mean.
        low, high = low - _HOLES_DIFFER, high + _HOLES_DIFFER
        fits = (low <= high) & (high >= 0)
        return [
            (first + above if first > 0 else 0.0, last + above)
            for first, last in _merged(low[fits], high[fits])
        ]

    def _reached(self, crown: CrownWork) -> tuple[_Laid, DeckRanges]:
        if crown not in self._laid:
            self.lay([crown])
        return self._laid[crown]

    def bound(self, crown: CrownWork) -> LowerBound | None:
        """Return the least that the bank takes; None where nothing is inside the windows as stated.

        Parameters
        ----------
        crown : CrownWork
            What is done to the crowns.
        """
        _, reach = self._reached(crown)
        if not reach.row.size:
            return None
        return LowerBound(float(reach.cost.min()), float(reach.metal.min()), float(reach.chance.max()))

    # long: what it puts together is told field by field, a line each
    def undrawn(self, crown: CrownWork, worthy: Worthy, *, every: bool = False) -> UndrawnCandidates | None:
        """Return the points of the bank that are inside the windows as stated; None where there are none (trade.md 11).

        Parameters
        ----------
        crown : CrownWork
            What is done to the crowns.
        worthy : callable
            Tells which may still be part of a plan worth having.
        every : bool
            True keeps points that others beat as well.
        """
        (side, rows), reach = self._reached(crown)
        reach = taken(reach, worthy(reach.cost, reach.metal, reach.kinds, reach.chance))
        if not reach.row.size:
            return None
        row, deck = self._decks(rows, reach)
        least = self._at_least(rows, row, deck)
        worth = worthy(
            *self._bill(rows, least), most_chance(self._chances.likely(rows, least, volume=False)[0])
        )
        row, deck, cuts, more = self._rest(rows, row[worth], deck[worth])
        if not len(row):
            return None
        many = CutAmounts(row, deck, cuts, more)
        cost, metal, kinds = self._bill(rows, many)
        likely, proxy = self._chances.likely(rows, many)
        worth = worthy(cost, metal, kinds, most_chance(likely))
        if not worth.any():
            return None
        many = taken(many, worth)
        cost, metal, kinds = cost[worth], metal[worth], kinds[worth]
        likely, proxy = likely[worth], proxy[worth]
        ratio, gap = self._chances.stated(side, rows, many)
        near = self._chances.meeting(ratio, gap)
        # How near holes end is guessed less well than the rest.
        likely, proxy = np.minimum(likely, near + _GUESSED), proxy * near
        if every:
            return UndrawnCandidates(
                rows=rows, many=many, cost=cost, metal=metal, kinds=kinds, likely=likely, ratio=ratio, gap=gap
            )
        bins = self._bins(rows, many.row, ratio, gap)
        waits = self.shared.waits[rows.gasket[many.row]]
        keep = distinct(
            cost,
            metal,
            waits=waits,
            kinds=kinds,
            likely=proxy,
            apart=(self.shared.cost_step, self.shared.metal_step),
            bins=bins,
        )
        return UndrawnCandidates(
            rows=rows, many=many, cost=cost, metal=metal, kinds=kinds, likely=likely, ratio=ratio, gap=gap
        ).take(keep)

    def drawn(self, points: UndrawnCandidates, crown: Table, bowl: Table) -> DrawnCandidates:
        """Return points with the draws in which they are inside (trade.md 11).

        Parameters
        ----------
        points : UndrawnCandidates
            Of one crown cut.
        crown, bowl : array
            What comes off the crowns in each draw, in mm, and what is sunk into them, in cc.
        """
        rows, many = points.rows, points.many
        ok, ratio_drawn, gap_drawn = self._chances.inside(self.standing.drawn.cut(crown, bowl), rows, many)
        half = rows.wedge[many.row] / 2
        return DrawnCandidates(
            gasket=rows.gasket[many.row],
            first=many.deck - half,
            last=many.deck + half,
            head=many.cuts,
            opened=rows.opened[many.row] + many.more[:, None],
            cost=points.cost,
            metal=points.metal,
            kinds=points.kinds,
            ok=ok,
            ratio=points.ratio,
            gap=points.gap,
            ratio_drawn=ratio_drawn,
            gap_drawn=gap_drawn,
        )

    # -- rows: a crown cut with a pattern and a gasket ------------------------------

    def _rows(self, side: CutBank, crowns: int) -> Configurations:
        """Every crown cut with every pattern, with the gasket there and with each of those listed."""
        wedge, opened = self.standing.columns
        shares = wedge[:, None, None] * self.standing.shares[:, None]
        # A row for each pattern, a column for each crown cut.
        every = [
            extremes_of(side, self.wanted, shares, opened[:, :, None], kept=kept) for kept in (True, False)
        ]
        at, index, pattern, *known = self._laid_out(crowns, len(wedge))
        extremes = [
            np.where(index < 0, kept[pattern, at], bare[pattern, at])
            for kept, bare in zip(*every, strict=True)
        ]
        rows = Configurations._make([at, index, pattern, *known, *extremes, wedge[pattern], opened[pattern]])
        good = ~np.isnan(
            rows.thickness + rows.volume + rows.least + np.where(np.isinf(rows.low), 0.0, rows.low)
        )
        return rows if good.all() else taken(rows, good)

    def _laid_out(self, crowns: int, patterns: int) -> list[NDArray[Any]]:
        """Every crown cut with every gasket and pattern: their places, thickness, volume and price of the gasket."""

        def laid() -> list[NDArray[Any]]:
            gaskets = len(self.bank.gaskets)
            at = np.repeat(np.arange(crowns), gaskets * patterns)
            pattern = np.tile(np.arange(patterns), crowns * gaskets)
            index, *known = (np.tile(np.repeat(column, patterns), crowns) for column in self.shared.listed)
            return [at, index.astype(np.int64), pattern, *known]

        return self.shared.once(("laid out", crowns, patterns), laid)

    # -- points: a row with a deck cut, a head cut, an opening ----------------------

    @property
    def _per_mm(self) -> float:
        return self.standing.per_mm

    def _reach(self, rows: Configurations) -> DeckRanges:
        """Between which deck cuts, midway between their ends, rows keep quench and clearance inside as stated.

        Each with the least that it takes and the most that it can yield.
        """
        gap, clearance, move = self.wanted.gap, self.wanted.clearance, self.bank.deck
        low, high = np.full(rows.size, -math.inf), np.full(rows.size, math.inf)
        if gap.high is not None:
            low = rows.most + rows.thickness - gap.high
        if gap.low is not None:
            high = rows.least + rows.thickness - gap.low
        # Clearance itself has no gasket in it.
        low = np.maximum(low, rows.down - clearance.high) if clearance.high is not None else low
        high = np.minimum(high, rows.up - clearance.low) if clearance.low is not None else high
        fits = high >= low - TOLERANCE
        rest = np.nonzero(fits & (low <= TOLERANCE) & (high >= -TOLERANCE) & (rows.wedge == 0))[0]
        none = np.zeros(len(rest))
        if move is None:
            return self._reaching(rows, rest, none, none)
        half = np.abs(rows.wedge) / 2
        if not move.may_rest:
            fixed = move.high - half
            here = np.nonzero(fits & (low - TOLERANCE <= fixed) & (fixed <= high + TOLERANCE))[0]
            return self._reaching(rows, here, fixed[here], fixed[here])
        least = np.where(
            rows.wedge == 0, max(move.low, move.step, EPSILON), np.maximum(half, move.low - half)
        )
        bottom = np.maximum(low, least)
        # Shallower than milling can make up, or deeper than the ratio can stand, is never wanted.
        bottom = np.maximum(bottom, rows.high + rows.volume / self._per_mm - self._mills())
        top = np.minimum(high, move.high - half)
        top = np.minimum(top, rows.low + rows.volume / self._per_mm + self._opens())
        cut = np.nonzero(fits & (bottom <= top + TOLERANCE))[0]
        bottom, top = bottom[cut], np.maximum(top, bottom)[cut]
        if not self._must_meet:
            # Deeper than what lies furthest inside costs more and yields less.
            top = np.maximum(np.minimum(top, self._balanced(rows, cut) + move.step), bottom)
        return self._reaching(
            rows,
            np.concatenate([rest, cut]),
            np.concatenate([none, bottom]),
            np.concatenate([none, top]),
        )

    @property
    def _must_meet(self) -> bool:
        """Whether holes of other banks must be near: then another place in the window may be what meets."""
        return self.wanted.ratio_spread is not None or self.wanted.quench_spread is not None

    def _balanced(self, rows: Configurations, row: NDArray[np.int64]) -> Table:
        """The deepest deck cut at which some window's two edges lie equally far off, in standard deviations."""
        extremes, spreads = self._chances.expected(rows, row)
        volume = rows.volume[row] / self._per_mm
        rooms = list(self._chances.rooms(extremes, rows.thickness[row], volume, np.zeros(len(row))))
        deepest = np.full(len(row), -math.inf)
        for i, edge in enumerate(self._chances.edges):
            if self._chances.paired(i):
                low, high, a, b = rooms[i], rooms[i + 1], spreads[i], spreads[i + 1]
                deepest = np.maximum(deepest, (low * b - high * a) / (a + b))
            elif not edge.lower and not (i and self._chances.paired(i - 1)):
                # An upper edge alone is further inside the deeper the cut.
                deepest = np.full(len(row), math.inf)
        return deepest

    def _reaching(
        self, rows: Configurations, row: NDArray[np.int64], bottom: Table, top: Table
    ) -> DeckRanges:
        """The same with what each takes at the least and can yield at the most."""
        none = np.zeros(len(row))
        cost, metal, kinds = self._bill(rows, CutAmounts(row, bottom, none, none))
        likely = np.ones(len(row))
        if len(row):
            extremes, spreads = self._chances.expected(rows, row)
            thickness, volume = rows.thickness[row], rows.volume[row] / self._per_mm
            shallow = list(self._chances.rooms(extremes, thickness, volume - bottom, bottom))
            deep = list(self._chances.rooms(extremes, thickness, volume - top - self._mills(), top))
            gained = self._opens()
            for i, edge in enumerate(self._chances.edges):
                if self._chances.paired(i):
                    # Of the two edges of a window one lies the nearer the further the other.
                    both = (shallow[i] + shallow[i + 1]) / (spreads[i] + spreads[i + 1])
                    likely = np.minimum(likely, inside_one(both) ** 2)
                most = np.maximum(shallow[i] + (gained if edge.window == "ratio" else 0.0), deep[i])
                likely = np.minimum(likely, inside_one(most / spreads[i]))
        return DeckRanges(
            row=row, bottom=bottom, top=top, cost=cost, metal=metal, kinds=kinds, chance=most_chance(likely)
        )

    def _decks(self, rows: Configurations, reach: DeckRanges) -> tuple[NDArray[np.int64], Table]:
        """Row and deck cut, midway between its ends, on the ladder of each reach."""
        move = self.bank.deck
        if move is None or not move.may_rest:
            return reach.row, reach.bottom
        still = (reach.top == 0) & (reach.bottom == 0) & (rows.wedge[reach.row] == 0)
        rest, cut = reach.row[still], reach.row[~still]
        half = np.abs(rows.wedge[cut]) / 2
        amounts = self._ladder(reach.bottom[~still], reach.top[~still], move=move, holes=1, half=half)
        which = np.repeat(cut, amounts.shape[1])
        return np.concatenate([rest, which]), np.concatenate([np.zeros(len(rest)), amounts.reshape(-1)])

    def _mills(self) -> float:
        """What milling the head takes at the most, in mm of deck."""
        head = self.bank.head
        if head is None or self.taken is None:
            return 0.0
        return self.taken.volume(np.array(min(head.high, self.taken.depths[-1]))).item() / self._per_mm

    def _opens(self) -> float:
        """What opening all chambers alike gives back, in mm of deck."""
        move = self.bank.opening
        return move.high / self._per_mm if move is not None else 0.0

    def _ladder(self, low: Table, high: Table, move: Move, holes: int, half: Table | None = None) -> Table:
        """Amounts from low to high, a row for each pair, on steps where there are any, near enough in cost and metal.

        Of a levelling cut both ends are on steps: so is the mean less half of what they differ by.
        """
        rate, metal = move.means.per_unit * holes, move.means.metal * holes
        width = float((high - low).max(initial=0.0))
        apart = min(
            self.shared.cost_step / rate if rate else math.inf,
            self.shared.metal_step / metal if metal else math.inf,
        )
        count = min(max(FEWEST, math.ceil(width / apart) + 1 if math.isfinite(apart) else FEWEST), MOST)
        count = count if width else 1
        amounts = low[:, None] + (high - low)[:, None] * np.linspace(0.0, 1.0, count)
        off = np.zeros((len(low), 1)) if half is None else half[:, None]
        return move.rounded_all(amounts - off, low[:, None] - off, high[:, None] - off) + off

    def _rest(
        self, rows: Configurations, row: NDArray[np.int64], deck: Table
    ) -> tuple[NDArray[np.int64], Table, Table, Table]:
        """Head cuts and uniform openings that bring the ratio inside, with each row and deck cut."""
        head, opening, per_mm = self.bank.head, self.bank.opening, self._per_mm
        shift = rows.volume[row] / per_mm - deck
        low, high = rows.low[row] + shift, rows.high[row] + shift
        parts: list[tuple[NDArray[np.int64], Table, Table]] = []
        rests = head is None or head.may_rest
        if rests:
            here = np.nonzero((low >= -TOLERANCE) & (high <= TOLERANCE))[0]
            parts.append((here, np.zeros(len(here)), np.zeros(len(here))))
        if head is not None and self.taken is not None:
            ends = np.array([max(head.low, head.step, EPSILON), min(head.high, self.taken.depths[-1])])
            first, last = self.taken.volume(ends if rests else np.full(2, head.high))
            least, most = np.maximum(high * per_mm, first), np.minimum(low * per_mm, last)
            enough = self._enough(rows, row, deck)[0] * per_mm
            most = np.minimum(most, np.maximum(least, enough + self.taken.volume(np.array(head.step)).item()))
            here = np.nonzero((least <= most + TOLERANCE) & (low > 0))[0]
            bottom, top = self.taken.depth(least[here]), self.taken.depth(np.maximum(least, most)[here])
            cuts = self._ladder(bottom, top, head, 1)
            parts.append((np.repeat(here, cuts.shape[1]), cuts.reshape(-1), np.zeros(cuts.size)))
        if opening is not None and rests:
            opened = rows.opened[row].max(axis=1)
            bottom = np.where(opened > 0, opening.step or EPSILON, max(opening.low, opening.step, EPSILON))
            least = np.maximum(-low * per_mm, bottom)
            most = np.minimum(-high * per_mm, opening.high - opened)
            enough = self._enough(rows, row, deck)[1] * per_mm
            most = np.minimum(most, np.maximum(least, enough + opening.step))
            here = np.nonzero((least <= most + TOLERANCE) & (most > 0))[0]
            more = self._ladder(least[here], np.maximum(least, most)[here], opening, rows.opened.shape[1])
            parts.append((np.repeat(here, more.shape[1]), np.zeros(more.size), more.reshape(-1)))
        which, cuts, more = (np.concatenate(columns) for columns in zip(*parts, strict=True))
        return row[which], deck[which], cuts, more

    def _enough(self, rows: Configurations, row: NDArray[np.int64], deck: Table) -> tuple[Table, Table]:
        """How much less or more volume is enough, in mm of deck: beyond it more metal yields no more."""
        none = np.full(len(row), math.inf)
        if self._must_meet or self.wanted.ratio.is_open:
            return none, none
        extremes, spreads = self._chances.expected(rows, row)
        rooms = self._chances.rooms(
            extremes, rows.thickness[row], rows.volume[row] / self._per_mm - deck, deck
        )
        volume = {
            edge.lower: (room, spread)
            for edge, room, spread in zip(self._chances.edges, rooms, spreads, strict=True)
            if edge.window == "ratio"
        }
        # So far inside is as good as certain, if the other edge is not nearer before.
        less = SURE * volume[False][1] - volume[False][0] if False in volume else none
        more = SURE * volume[True][1] - volume[True][0] if True in volume else none
        if len(volume) == 2:
            (low, over), (high, under) = volume[True], volume[False]
            balance = (low * under - high * over) / (over + under)
            less, more = np.minimum(less, balance), np.minimum(more, -balance)
        # With one edge alone the other way is never wanted.
        return (less if False in volume else -none), (more if True in volume else -none)

    def _bill(self, rows: Configurations, many: CutAmounts) -> tuple[Table, Table, NDArray[np.int64]]:
        """What points cost, the metal they take, and what they do."""
        row = many.row
        return self.shared.costs.in_bank(
            self.bank,
            gasket=rows.gasket[row],
            price=rows.price[row],
            deck=many.deck,
            wedge=rows.wedge[row],
            head=many.cuts,
            opened=rows.opened[row],
            more=many.more,
        )

    def _at_least(self, rows: Configurations, row: NDArray[np.int64], deck: Table) -> CutAmounts:
        """Rows with deck cuts and the least that must be milled or opened to bring the ratio inside."""
        shift = rows.volume[row] / self._per_mm - deck
        none = np.zeros(len(row))
        more, cuts = np.maximum(-(rows.low[row] + shift), 0.0), np.maximum(rows.high[row] + shift, 0.0)
        return CutAmounts(
            row,
            deck,
            self.taken.depth(cuts * self._per_mm) if self.bank.head is not None and self.taken else none,
            more * self._per_mm if self.bank.opening is not None else none,
        )

    def _bins(
        self, rows: Configurations, row: NDArray[np.int64], ratio: Table, gap: Table
    ) -> NDArray[np.int64] | None:
        """Which points may stand for one another where banks must agree: in gasket, in ratio, in quench."""
        parts = [rows.gasket[row]] if self.shared.one_gasket else []
        for values, most in ((ratio, self.wanted.ratio_spread), (gap, self.wanted.quench_spread)):
            if most is not None:
                apart = max(most / 4, 1e-6)
                parts.append(np.round(values.mean(axis=1) / apart).astype(np.int64))
                # What is too far apart as stated stands for nothing.
                parts.append(
                    np.minimum((values[:, 1] - values[:, 0] - TOLERANCE) // apart, 4).astype(np.int64)
                )
        if not parts:
            return None
        _, bins = np.unique(np.stack(parts), axis=1, return_inverse=True)
        return np.asarray(bins).reshape(-1)


def _merged(low: Table, high: Table) -> list[tuple[float, float]]:
    """Ranges that overlap as one, in order."""
    order = np.argsort(low)
    low, high = low[order], np.maximum.accumulate(high[order])
    starts = np.ones(len(low), dtype=bool)
    starts[1:] = low[1:] > high[:-1]
    ends = np.append(starts[1:], True)
    return list(zip(low[starts].tolist(), high[ends[: len(high)]].tolist(), strict=True))
