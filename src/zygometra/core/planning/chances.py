"""How likely the points of a bank are to end inside its windows: guessed at first, then draw by draw.

Every table has a row for each hole and a column for each draw: extremes are taken over rows.
Lengths in mm, volumes in cc.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..build.model import Gasket
from ..quantity import Source
from ..stack.arithmetic import cylinder_volume, ratio_of
from ..stack.fitting import with_gasket
from ..windows import TOLERANCE
from .cut_bank import BankExtremes, CutBank, extremes_of
from .distinct import Flags
from .figure_samples import FigureSamples, gasket_tables, missed_by
from .moves import Move
from .patterns import ExtremesMoved, FittedBank
from .quasi_random import Table
from .rows import Configurations, CutAmounts, Ends, WindowBound

# Of so many draws one is asked for how extremes move.
SPARSE = 4


class YieldEstimates:
    """What doubts do to the points of one bank.

    Parameters
    ----------
    standing : FittedBank
        The bank with its parts.
    truth, drawn : FigureSamples
        For what gaskets come to and operations miss.
    """

    def __init__(self, standing: FittedBank, truth: FigureSamples, drawn: FigureSamples) -> None:
        self.standing, self.truth, self.drawn_truth = standing, truth, drawn
        self.moves, self.wanted, self.taken = standing.moves, standing.wanted, standing.taken

    @property
    def _per_mm(self) -> float:
        return self.standing.per_mm

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
            none = np.zeros(1 + self.drawn_truth.rows)
            return none, none
        key = (index, id(self.drawn_truth))
        if key not in self.moves.shifts:
            number, build = self.moves.bank.cylinders[0], self.drawn_truth.build
            name = missed_by("gasket", self.moves.bank.name if build.levers.gasket_per_bank else None)
            columns = []
            for truth in (self.truth, self.drawn_truth):
                sources = {n: truth.sources[n] for n in truth.holes}
                sources[number] = with_gasket(sources[number], name, gasket, number)
                at = truth.holes.index(number)
                columns.append([table[:, at] for table in gasket_tables(truth, sources)])
            thickness, volume = (np.concatenate(pair) for pair in zip(*columns, strict=True))
            self.moves.shifts[key] = thickness, volume
        return self.moves.shifts[key]

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
            :attr:`~.rows.Configurations.extremes`, in mm.
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
        """Return what head cut and uniform opening give the volume, in mm of deck.

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
        """Return how likely the holes of points are not too far apart; shares of 1.

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
        if not self.moves.wander:
            side = self.standing.drawn
            full = side.cut(np.zeros(1)).full(side.clearance) + side.gasket_volume
            known = (
                side if not np.isnan(side.gasket).any() else side._replace(gasket=np.ones_like(side.gasket))
            )
            for values in (side.swept / np.where(np.isnan(full), 1.0, full), side.clearance + known.gasket):
                apart = np.ptp(values - values.mean(axis=1, keepdims=True), axis=0)
                self.moves.wander.append((float(apart.mean()), max(float(apart.std()), 1e-6)))
        return self.moves.wander

    def expected(self, rows: Configurations, row: NDArray[np.int64]) -> tuple[list[Table], list[Table]]:
        """Return the extremes that rows are expected to have, and the spread of each edge's, in mm.

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
        standing, kept = self.standing, self.moves.moved
        doubts = (table[0].std() for table in (standing.drawn.clearance, standing.drawn.closed))
        key = (*standing.stands, *(round(float(value), 5) for value in doubts))
        if key not in kept:
            kept[key] = self._found_moved()
        return kept[key]

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
        index, gasket = self.moves.gaskets[-1]
        thickness, volume = (float(pair[1:].std()) for pair in self.gasket(index, gasket))
        deck, hole = self.moves.deck, self.moves.bank.cylinders[0]
        missed = (
            float(self._missed(deck, missed_by("deck_cut", self.moves.bank.name), hole).std())
            if deck
            else 0.0
        )
        shared = np.array([thickness, thickness, volume / self._per_mm, volume / self._per_mm, 0.0, 0.0])
        spread = np.sqrt(np.nan_to_num(spread) ** 2 + np.nan_to_num(shared) ** 2 + missed**2)
        return ExtremesMoved(np.nan_to_num(off), np.maximum(spread, 1e-6))

    def _missed_openings(self, opened: Table) -> Table:
        """What each chamber is opened in each draw."""
        move, known = self.moves.opening, self.moves.opened
        key = opened.tobytes()
        if key in known:
            return known[key]
        if move is None or not opened.any():
            known[key] = np.zeros((len(opened), self.drawn_truth.rows))
            return known[key]
        keys = [missed_by("open_chamber", None, number) for number in self.moves.bank.cylinders]
        off = np.stack(
            [self._missed(move, key, n) for key, n in zip(keys, self.moves.bank.cylinders, strict=True)]
        )
        known[key] = np.asarray(opened[:, None] + off * (opened > 0)[:, None])
        return known[key]

    def _missed(self, move: Move, key: str, number: int) -> Table:
        """What an operation may miss, in mm or cc; however much it takes, it misses by its lever's tolerance."""
        known = self.moves.missed
        if key not in known:
            known[key] = self.drawn_truth.error(
                Source(key, move.quantity(max(move.low, move.step, 0.01))), number
            )
        return known[key]

    # long: the same shift for every edge and every end
    def inside(self, side: CutBank, rows: Configurations, many: CutAmounts) -> tuple[Flags, Ends, Ends]:
        """Return in which draws every hole is inside its windows, for each point; the ends of ratio and quench.

        Parameters
        ----------
        side : CutBank
            The bank drawn, crowns as they are cut, in mm and cc.
        rows : Configurations
            Of the bank.
        many : CutAmounts
            The points.
        """
        moves, name, hole = self.moves, self.moves.bank.name, self.moves.bank.cylinders[0]
        row, listed = many.row, dict(self.moves.gaskets)
        index = rows.gasket[row]
        pairs = {int(i): self.gasket(int(i), listed[int(i)]) for i in np.unique(index)}
        thickness, volume = (np.stack([pairs[int(i)][which][1:] for i in index]) for which in (0, 1))
        down = np.broadcast_to(many.deck[:, None], thickness.shape)
        if moves.deck is not None:
            some = (many.deck > 0) | (rows.wedge[row] != 0)
            down = down + np.outer(some, self._missed(moves.deck, missed_by("deck_cut", name), hole))
        given = self.given(many.cuts, many.more)[:, None]
        if moves.head is not None and self.taken is not None and (many.cuts > 0).any():
            rates = np.array([self.taken.rate(cut) if cut else 0.0 for cut in many.cuts])
            given = given - np.outer(
                rates / self._per_mm, self._missed(moves.head, missed_by("head_cut", name), hole)
            )
        if moves.opening is not None and (many.more > 0).any():
            # Each chamber is opened by itself; here what one is missed by stands for all.
            missed = self._missed(moves.opening, missed_by("open_chamber", None, hole), hole)
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
            ratio = np.empty((len(row), 2, self.drawn_truth.rows))
            for i, key in enumerate(keys):
                which = np.nonzero(at == i)[0]
                ratio[which] = self._ratio_ends(side, int(key), shift[which])
            ok &= ratio[:, 1] - ratio[:, 0] <= self.wanted.ratio_spread + TOLERANCE
        if not self.moves.others:
            return ok, nothing, nothing
        return ok, ratio.astype(np.float32), gap.astype(np.float32)

    def _drawn(self, side: CutBank, keys: NDArray[np.int64], some: slice = slice(None)) -> BankExtremes:
        """The extremes of the bank in each draw, a row for each key: twice the pattern, and one with its own gasket."""
        patterns = [self.standing.patterns[key // 2] for key in keys]
        wedge = np.array([pattern.wedge for pattern in patterns])
        shares = wedge[:, None, None] * self.standing.shares[:, None]
        opened = np.stack([self._missed_openings(pattern.opened)[:, some] for pattern in patterns])
        return extremes_of(side, self.wanted, shares, opened, kept=(keys % 2 == 1)[:, None, None])

    def _ratio_ends(self, side: CutBank, key: int, shift: Table) -> Table:
        """Least and most ratio of the bank in each draw, for points of one pattern."""
        pattern = self.standing.patterns[key // 2]
        clearance = side.clearance - (pattern.wedge * self.standing.shares)[:, None]
        full = side.full(clearance) + self._missed_openings(pattern.opened)
        if key % 2:
            full = full + side.gasket_volume
        every = full[:, None, :] + (shift * self._per_mm)[None, :, :]
        ratio = ratio_of(side.swept[:, None, :], every)
        return np.stack([ratio.min(axis=0), ratio.max(axis=0)], axis=1)

    def stated(self, side: CutBank, rows: Configurations, many: CutAmounts) -> tuple[Table, Table]:
        """Return least and most of ratio (no unit) and quench (mm) as stated, for each point.

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
