"""What may be done to one bank, once parts and crowns are decided: points on ladders of cuts, each with its draws.

Given the piston set and the crown cut the banks are independent. What a bank shares (a cut, a gasket, a
uniform opening) only shifts the extremes of its holes, so these are found once for each levelling and each
pattern of openings, and every point after that is a comparison of columns.

Every table has a row for each hole and a column for each draw here: extremes are taken over rows.
Lengths in mm, volumes in cc.
"""

# long: one ladder, from levellings and openings to the draws of its points
from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..build.model import Bank, Gasket
from ..stack.fitting import with_gasket
from ..stack.results import Source
from ..windows import EDGE
from .distinct import Flags, distinct, most_chance
from .draws import Table
from .moves import HAIR, Move
from .results import Wanted
from .sides import Side, Taken, edges
from .truth import Truth, gasket_tables

# How many steps a ladder has at the least and at the most.
FEWEST, MOST = 6, 13


class Points(NamedTuple):
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
    # Stated ratio and quench, least and most of the bank, for the spreads between holes.
    ratio: Table
    gap: Table

    def take(self, which: NDArray[np.int64] | Flags) -> Points:
        """Return some of the points.

        Parameters
        ----------
        which : array
            Their places, or a flag for each; no unit.
        """
        return Points._make(column[which] for column in self)

    @property
    def size(self) -> int:
        """How many there are."""
        return len(self.cost)


def joined(several: list[Points]) -> Points | None:
    """Return points one after another; None where there are none.

    Parameters
    ----------
    several : list of Points
        Of one bank.
    """
    known = [points for points in several if points.size]
    return Points._make(np.concatenate(columns) for columns in zip(*known, strict=True)) if known else None


# What a point does, as bits: they tell which set-ups and days a plan takes.
DECK, HEAD, OPEN, GASKET = 1, 2, 4, 8


@dataclass
class BankMoves:
    """What may be done to a bank: its levers, and the gaskets with their place among those listed."""

    bank: Bank
    columns: slice
    deck: Move | None
    head: Move | None
    opening: Move | None
    gaskets: list[tuple[int, Gasket | None]]
    # Lowest cost and metal a step of a ladder may not exceed.
    cost_step: float = math.inf
    metal_step: float = math.inf
    # A levelling cut that was fixed by hand.
    ends: tuple[float, float] | None = None
    # Whether other banks must have the same gasket, and whether there are any.
    one_gasket: bool = False
    others: bool = False
    shifts: dict[tuple[int, int], tuple[Table, Table]] = field(default_factory=dict)
    missed: dict[str, Table] = field(default_factory=dict)
    spreads: list[float] = field(default_factory=list)
    wander: list[float] = field(default_factory=list)


class _Rows(NamedTuple):
    """A levelling with a pattern of openings and a gasket, an entry each; extremes as stated.

    ``least`` and ``most`` gap without a listed gasket, ``low`` and ``high`` room to the volume's edges,
    ``up`` and ``down`` the least and most clearance; all in mm.
    """

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
    full: Flags

    @property
    def size(self) -> int:
        """How many there are."""
        return len(self.price)

    @property
    def extremes(self) -> tuple[Table, ...]:
        """What :meth:`Ladder._rooms` asks for."""
        return self.least, self.most, self.low, self.high, self.up, self.down

    def take(self, which: Flags) -> _Rows:
        """Return some of them."""
        return _Rows._make(column[which] for column in self)


class _Many(NamedTuple):
    """Points, an entry each: the row, mean deck cut, head cut in mm, what every chamber is opened more in cc."""

    row: NDArray[np.int64]
    deck: Table
    cuts: Table
    more: Table

    def take(self, which: NDArray[np.int64] | Flags) -> _Many:
        """Return some of them."""
        return _Many._make(column[which] for column in self)


@dataclass
class Ladder:
    """Everything that may be done to one bank at one crown cut.

    Parameters
    ----------
    moves : BankMoves
        The bank's levers.
    stated, drawn : Side
        The bank as it is stated and as it is drawn.
    wanted : Wanted
        The windows.
    truth, drawn_truth : Truth
        For what milling takes and what operations miss.
    taken : Taken or None
        What milling takes.
    still_worth : callable
        From cost, metal, what is done and the most that could be yielded: which points may still be part
        of a plan worth having.
    finer : int
        How many times finer the ladders are than usual; no unit.
    """

    moves: BankMoves
    stated: Side
    drawn: Side
    wanted: Wanted
    truth: Truth
    drawn_truth: Truth
    taken: Taken | None
    still_worth: Callable[[Table, Table, NDArray[np.int64], Table], Flags]
    finer: int = 1

    def points(self) -> Points | None:
        """Return the points of the bank that are inside the windows as stated; None where there are none."""
        rows = self._rows()
        if rows is None:
            return None
        row, deck = self._decks(rows)
        row, deck, cuts, more = self._rest(rows, row, deck)
        if not len(row):
            return None
        many = _Many(row, deck, cuts, more)
        cost, metal, kinds = self._bill(rows, many)
        ratio, gap = self._stated(rows, many)
        margins = self._margins(rows, many, ratio, gap)
        worth = self.still_worth(cost, metal, kinds, most_chance(margins))
        if not worth.any():
            return None
        many = many.take(worth)
        cost, metal, kinds, margins = cost[worth], metal[worth], kinds[worth], margins[worth]
        ratio, gap = ratio[worth], gap[worth]
        bins = self._bins(rows, many.row, ratio, gap)
        keep = distinct(cost, metal, kinds, margins, (self.moves.cost_step, self.moves.metal_step), bins)
        many = many.take(keep)
        ok = self._inside(rows, many)
        half = rows.wedge[many.row] / 2
        opens = rows.opened[many.row] + many.more[:, None]
        index = rows.gasket[many.row]
        return Points(
            index, many.deck - half, many.deck + half, many.cuts, opens,
            cost[keep], metal[keep], kinds[keep], ok, ratio[keep], gap[keep],
        )  # fmt: skip

    # -- levelling and openings -------------------------------------------------

    def _shares(self) -> Table:
        count = len(self.moves.bank.cylinders)
        return np.arange(count) / (count - 1) - 0.5 if count > 1 else np.zeros(1)

    def _wedges(self) -> list[float]:
        """Last end less first of a levelling cut: none, or some of what levels the bank."""
        deck = self.moves.deck
        if self.moves.ends is not None:
            return [self.moves.ends[1] - self.moves.ends[0]]
        if deck is None or not deck.means.level or len(self.moves.bank.cylinders) < 2:
            return [0.0]
        shares = self._shares()
        rooms = [self.stated.clearance[:, 0]]
        if not self.wanted.ratio.is_open or self.wanted.ratio_spread is not None:
            # What levels the volumes is another wedge than what levels the deck, where chambers differ.
            full = self.stated.closed[:, 0] + self.stated.area[:, 0] * rooms[0] / 1000
            level = full / self.stated.swept[:, 0]
            rooms.append((level - level.mean()) * self.stated.swept[:, 0] / self._per_mm)
        step = 2 * deck.step
        parts = [_flattest(shares, room) * part for room in rooms for part in (0.5, 1.0)]
        if step:
            parts = [round(part / step) * step for part in parts]
        return list(dict.fromkeys([0.0, *(part for part in parts if not math.isnan(part))]))

    def _openings(self, wedge: float) -> Iterator[tuple[Table, bool]]:
        """What each chamber is opened: nothing, or the smallest raised step by step until all are alike."""
        count = len(self.moves.bank.cylinders)
        yield np.zeros(count), count == 1
        move = self.moves.opening
        if move is None:
            return
        if count == 1:
            return
        # Of everything that is shared nothing counts: only how holes stand to one another.
        full = (
            self.stated.closed[:, 0]
            + self.stated.area[:, 0] * (self.stated.clearance[:, 0] - wedge * self._shares()) / 1000
        )
        share = full / self.stated.swept[:, 0]
        seen: set[tuple[float, ...]] = set()
        for part in (0.5, 1.0):
            level = share.min() + part * (share.max() - share.min())
            wanted = np.maximum((level - share) * self.stated.swept[:, 0], 0.0)
            opened = np.array([self._opening(move, one) for one in wanted])
            key = tuple(opened)
            if opened.max() <= move.high + HAIR and key not in seen and (opened.any() or part == 1.0):
                seen.add(key)
                yield opened, part == 1.0

    def _opening(self, move: Move, wanted: float) -> float:
        """An opening that can be made: nothing for less than half the least."""
        if wanted < max(move.low, move.step) / 2:
            return 0.0
        return move.rounded(max(wanted, move.low), move.low, max(move.high, wanted))

    # -- rows: a pattern of cuts with a gasket ------------------------------------

    def _rows(self) -> _Rows | None:
        """Every levelling and pattern of openings, with the gasket there and with each of those listed."""
        patterns = [(wedge, *opening) for wedge in self._wedges() for opening in self._openings(wedge)]
        wedge = np.array([pattern[0] for pattern in patterns])
        opened = np.stack([pattern[1] for pattern in patterns])
        full = np.array([pattern[2] for pattern in patterns])
        side = Side(*(table[:, 0] for table in self.stated))
        parts = []
        for index, gasket in self.moves.gaskets:
            thickness, volume = self._gasket(index, gasket)
            known = (0.0, 0.0) if gasket is None else (float(thickness[0]), float(volume[0]))
            parts.append((index, *known, gasket.price if gasket is not None else 0.0))
        every = [self._extremes(side, wedge, opened, kept=kept) for kept in (True, False)]
        columns: list[list[Table]] = []
        for index, thick, held, price in parts:
            extremes = every[0 if index < 0 else 1]
            same = np.full(len(patterns), 1.0)
            columns.append(
                [
                    index * same,
                    np.arange(len(patterns)) * same,
                    thick * same,
                    held * same,
                    price * same,
                    *extremes,
                ]
            )
        table = [np.concatenate(column) for column in zip(*columns, strict=True)]
        pattern = table[1].astype(np.int64)
        rows = _Rows(
            table[0].astype(np.int64), pattern, *table[2:], wedge[pattern], opened[pattern], full[pattern]
        )  # type: ignore[call-arg]
        good = ~np.isnan(
            rows.thickness + rows.volume + rows.least + np.where(np.isinf(rows.low), 0.0, rows.low)
        )
        return rows.take(good) if good.any() else None

    def _extremes(self, side: Side, wedge: Table, opened: Table, *, kept: bool) -> list[Table]:
        """Of each pattern as stated: least and most gap, room to the volume's edges, least and most clearance."""
        bare = side.clearance - wedge[:, None] * self._shares()
        shown = bare + side.gasket if kept else bare
        full = (
            side.closed
            + opened
            + side.area * bare / 1000
            - side.pocket * wedge[:, None] * self._shares() / 1000
        )
        if kept:
            full = full + side.gasket_volume
        per_mm, ratio = (side.area + side.pocket) / 1000, self.wanted.ratio
        none = np.zeros(len(wedge))
        low = (
            ((full - side.swept / (ratio.high - 1)) / per_mm).min(axis=1)
            if ratio.high is not None
            else none + math.inf
        )
        high = (
            ((full - side.swept / (ratio.low - 1)) / per_mm).max(axis=1)
            if ratio.low is not None
            else none - math.inf
        )
        return [shown.min(axis=1), shown.max(axis=1), low, high, bare.min(axis=1), bare.max(axis=1)]

    def _gasket(self, index: int, gasket: Gasket | None) -> tuple[Table, Table]:
        """Thickness and volume of a listed gasket: as stated, then in each draw; nought for the one there."""
        if gasket is None:
            none = np.zeros(1 + self.drawn_truth.rows)
            return none, none
        key = (index, id(self.drawn_truth))
        if key not in self.moves.shifts:
            number = self.moves.bank.cylinders[0]
            columns = []
            for truth in (self.truth, self.drawn_truth):
                sources = {n: truth.sources[n] for n in truth.holes}
                sources[number] = with_gasket(sources[number], f"gasket {index}", gasket)
                at = truth.holes.index(number)
                columns.append([table[:, at] for table in gasket_tables(truth, sources)])
            thickness, volume = (np.concatenate(pair) for pair in zip(*columns, strict=True))
            self.moves.shifts[key] = thickness, volume
        return self.moves.shifts[key]

    # -- points: a row with a deck cut, a head cut, an opening ----------------------

    @cached_property
    def _per_mm(self) -> float:
        """What one mm of deck takes from the volume, in cc."""
        return float((self.stated.area + self.stated.pocket).mean()) / 1000

    def _decks(self, rows: _Rows) -> tuple[NDArray[np.int64], Table]:
        """Row and deck cut, midway between its ends, that keep quench and clearance inside as stated."""
        gap, clearance, move = self.wanted.gap, self.wanted.clearance, self.moves.deck
        low, high = np.full(rows.size, -math.inf), np.full(rows.size, math.inf)
        if gap.high is not None:
            low = rows.most + rows.thickness - gap.high
        if gap.low is not None:
            high = rows.least + rows.thickness - gap.low
        # Clearance itself has no gasket in it.
        low = np.maximum(low, rows.down - clearance.high) if clearance.high is not None else low
        high = np.minimum(high, rows.up - clearance.low) if clearance.low is not None else high
        fits = high >= low - EDGE
        rest = np.nonzero(fits & (low <= EDGE) & (high >= -EDGE) & (rows.wedge == 0))[0]
        if move is None:
            return rest, np.zeros(len(rest))
        half = np.abs(rows.wedge) / 2
        if not move.may_rest:
            fixed = move.high - half
            here = np.nonzero(fits & (low - EDGE <= fixed) & (fixed <= high + EDGE))[0]
            return here, fixed[here]
        least = np.where(rows.wedge == 0, max(move.low, move.step, HAIR), np.maximum(half, move.low - half))
        bottom = np.maximum(low, least)
        # Shallower than milling can make up, or deeper than the ratio can stand, is never wanted.
        bottom = np.maximum(bottom, rows.high + rows.volume / self._per_mm - self._mills())
        top = np.minimum(high, move.high - half)
        top = np.minimum(top, rows.low + rows.volume / self._per_mm + self._opens())
        cut = np.nonzero(fits & (bottom <= top + EDGE))[0]
        amounts = self._ladder(bottom[cut], np.maximum(top, bottom)[cut], move, 1, half[cut])
        which = np.repeat(cut, amounts.shape[1])
        return np.concatenate([rest, which]), np.concatenate([np.zeros(len(rest)), amounts.reshape(-1)])

    def _mills(self) -> float:
        """What milling the head takes at the most, in mm of deck."""
        head = self.moves.head
        if head is None or self.taken is None:
            return 0.0
        return self.taken.volume(np.array(min(head.high, self.taken.depths[-1]))).item() / self._per_mm

    def _opens(self) -> float:
        """What opening all chambers alike gives back, in mm of deck."""
        move = self.moves.opening
        return move.high / self._per_mm if move is not None else 0.0

    def _ladder(self, low: Table, high: Table, move: Move, holes: int, half: Table | None = None) -> Table:
        """Amounts from low to high, a row for each pair, on steps where there are any, near enough in cost and metal.

        Of a levelling cut both ends are on steps: so is the mean less half of what they differ by.
        """
        rate, metal = move.means.per_unit * holes, move.means.metal * holes
        width = float((high - low).max(initial=0.0))
        apart = min(
            self.moves.cost_step / rate if rate else math.inf,
            self.moves.metal_step / metal if metal else math.inf,
        )
        count = min(max(FEWEST, math.ceil(width / apart) + 1 if math.isfinite(apart) else FEWEST), MOST)
        count = (count - 1) * self.finer + 1 if width else 1
        amounts = low[:, None] + (high - low)[:, None] * np.linspace(0.0, 1.0, count)
        off = np.zeros((len(low), 1)) if half is None else half[:, None]
        return move.rounded_all(amounts - off, low[:, None] - off, high[:, None] - off) + off

    def _rest(
        self, rows: _Rows, row: NDArray[np.int64], deck: Table
    ) -> tuple[NDArray[np.int64], Table, Table, Table]:
        """Head cuts and uniform openings that bring the ratio inside, with each row and deck cut."""
        head, opening, per_mm = self.moves.head, self.moves.opening, self._per_mm
        shift = rows.volume[row] / per_mm - deck
        low, high = rows.low[row] + shift, rows.high[row] + shift
        parts: list[tuple[NDArray[np.int64], Table, Table]] = []
        rests = head is None or head.may_rest
        if rests:
            here = np.nonzero((low >= -EDGE) & (high <= EDGE))[0]
            parts.append((here, np.zeros(len(here)), np.zeros(len(here))))
        if head is not None and self.taken is not None:
            ends = np.array([max(head.low, head.step, HAIR), min(head.high, self.taken.depths[-1])])
            first, last = self.taken.volume(ends if rests else np.full(2, head.high))
            least, most = np.maximum(high * per_mm, first), np.minimum(low * per_mm, last)
            here = np.nonzero((least <= most + EDGE) & (low > 0))[0]
            bottom, top = self.taken.depth(least[here]), self.taken.depth(np.maximum(least, most)[here])
            cuts = self._ladder(bottom, top, head, 1)
            parts.append((np.repeat(here, cuts.shape[1]), cuts.reshape(-1), np.zeros(cuts.size)))
        if opening is not None and rests:
            opened = rows.opened[row].max(axis=1)
            bottom = np.where(opened > 0, opening.step or HAIR, max(opening.low, opening.step, HAIR))
            least = np.maximum(-low * per_mm, bottom)
            most = np.minimum(-high * per_mm, opening.high - opened)
            here = np.nonzero((least <= most + EDGE) & (most > 0))[0]
            more = self._ladder(least[here], np.maximum(least, most)[here], opening, rows.opened.shape[1])
            parts.append((np.repeat(here, more.shape[1]), np.zeros(more.size), more.reshape(-1)))
        which, cuts, more = (np.concatenate(columns) for columns in zip(*parts, strict=True))
        return row[which], deck[which], cuts, more

    def _bill(self, rows: _Rows, many: _Many) -> tuple[Table, Table, NDArray[np.int64]]:
        """What points cost, the metal they take, and what they do."""
        moves, deck, cuts, more = self.moves, many.deck, many.cuts, many.more
        cost, metal = rows.price[many.row], np.zeros(len(deck))
        kinds = np.where(rows.gasket[many.row] >= 0, GASKET, 0)
        if moves.deck is not None:
            level = rows.wedge[many.row] != 0
            some, means = (deck > 0) | level, moves.deck.means
            cost = cost + np.where(some, means.fixed + means.per_unit * deck + means.level_fixed * level, 0.0)
            metal, kinds = metal + means.metal * deck, kinds | np.where(some, DECK, 0)
        if moves.head is not None:
            some, means = cuts > 0, moves.head.means
            cost = cost + np.where(some, means.fixed + means.per_unit * cuts, 0.0)
            metal, kinds = metal + means.metal * cuts, kinds | np.where(some, HEAD, 0)
        if moves.opening is not None:
            means, opened = moves.opening.means, rows.opened
            holes = np.where(more > 0, opened.shape[1], np.count_nonzero(opened, axis=1)[many.row])
            amount = opened.sum(axis=1)[many.row] + more * opened.shape[1]
            cost, metal = cost + means.fixed * holes + means.per_unit * amount, metal + means.metal * amount
            kinds = kinds | np.where(holes > 0, OPEN, 0)
        return cost, metal, kinds

    def _rooms(
        self, extremes: Sequence[Table], thickness: Table, shift: Table, deck: Table
    ) -> Iterator[Table]:
        """How far inside each edge points are, in mm: nought or more is inside."""
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

    def _given(self, cuts: Table, more: Table) -> Table:
        """What head cut and uniform opening give the volume, in mm of deck."""
        milled = self.taken.volume(cuts) if self.taken is not None else 0.0
        return np.asarray((more - milled) / self._per_mm)

    def _margins(self, rows: _Rows, many: _Many, ratio: Table, gap: Table) -> Table:
        """How many standard deviations points are inside their nearest edge: what stands in for their yield."""
        extremes = [column[many.row] for column in rows.extremes]
        thickness, volume = rows.thickness[many.row], rows.volume[many.row]
        shift = volume / self._per_mm - many.deck + self._given(many.cuts, many.more)
        least = np.full(len(many.row), math.inf)
        for room, spread in zip(
            self._rooms(extremes, thickness, shift, many.deck), self._spreads(), strict=True
        ):
            least = np.minimum(least, room / spread)
        for ends, most, spread in zip(
            (ratio, gap), (self.wanted.ratio_spread, self.wanted.quench_spread), self._wander(), strict=True
        ):
            if most is not None:
                least = np.minimum(least, (most - ends[:, 1] + ends[:, 0]) / spread)
        return least

    def _wander(self) -> tuple[float, float]:
        """How far the spreads of ratio and quench move from draw to draw, standard deviations."""
        if not self.moves.wander:
            side = self.drawn
            full = side.closed + side.gasket_volume + side.area * side.clearance / 1000
            known = (
                side if not np.isnan(side.gasket).any() else side._replace(gasket=np.ones_like(side.gasket))
            )
            for values in (side.swept / np.where(np.isnan(full), 1.0, full), side.clearance + known.gasket):
                self.moves.wander.append(max(float(np.std(np.ptp(values, axis=0))), 1e-6))
        return self.moves.wander[0], self.moves.wander[1]

    def _spreads(self) -> list[float]:
        """How far each edge of the bank moves from draw to draw, a standard deviation in mm."""
        if not self.moves.spreads:
            count = len(self.moves.bank.cylinders)
            index, gasket = self.moves.gaskets[-1]
            thickness, volume = (pair[1:] for pair in self._gasket(index, gasket))
            found = self._drawn(0.0, np.zeros(count), kept=index < 0)
            rooms = self._rooms(found, thickness, volume / self._per_mm, np.zeros(1))
            self.moves.spreads.extend(max(float(np.std(room)), 1e-6) for room in rooms)
        return self.moves.spreads

    def _drawn(self, wedge: float, opened: Table, *, kept: bool) -> list[Table]:
        """The extremes of the bank in each draw."""
        shares = (wedge * self._shares())[:, None]
        found = edges(self.drawn, self.wanted, shares, self._missed_openings(opened), kept=kept)
        if not self.wanted.clearance.is_bounded:
            return [*found, found.least, found.most]
        bare = self.drawn.clearance - shares
        return [*found, bare.min(axis=0), bare.max(axis=0)]

    def _missed_openings(self, opened: Table) -> Table:
        move = self.moves.opening
        if move is None or not opened.any():
            return np.zeros((len(opened), 1))
        rows = [np.full(self.drawn_truth.rows, amount) for amount in opened]
        for i, number in enumerate(self.moves.bank.cylinders):
            if opened[i]:
                amount = move.quantity(float(opened[i]))
                rows[i] = rows[i] + self.drawn_truth.error(Source(f"open_chamber {number}", amount), number)
        return np.stack(rows)

    def _missed(self, move: Move, key: str) -> Table:
        """What a cut of a bank may miss, in mm."""
        known = self.moves.missed
        if key not in known:
            number = self.moves.bank.cylinders[0]
            known[key] = self.drawn_truth.error(
                Source(key, move.quantity(max(move.low, move.step, 0.01))), number
            )
        return known[key]

    def _inside(self, rows: _Rows, many: _Many) -> Flags:
        """In which draws every hole of the bank is inside its windows, for each point."""
        ok = np.empty((len(many.row), self.drawn_truth.rows), dtype=bool)
        kept = rows.gasket[many.row] < 0
        keys = rows.pattern[many.row] * 2 + kept
        for key in np.unique(keys):
            which = np.nonzero(keys == key)[0]
            row = many.row[which[0]]
            extremes = self._drawn(float(rows.wedge[row]), rows.opened[row], kept=bool(key % 2))
            ok[which] = self._of_pattern(rows, many.take(which), extremes)
        return ok

    def _of_pattern(self, rows: _Rows, many: _Many, extremes: list[Table]) -> Flags:
        """The same for points of one pattern."""
        moves, name = self.moves, self.moves.bank.name
        listed = dict(moves.gaskets)
        pairs = {int(i): self._gasket(int(i), listed[int(i)]) for i in np.unique(rows.gasket[many.row])}
        index = rows.gasket[many.row]
        thickness, volume = (np.stack([pairs[int(i)][which][1:] for i in index]) for which in (0, 1))
        down = np.broadcast_to(many.deck[:, None], thickness.shape)
        if moves.deck is not None:
            some = (many.deck > 0) | (rows.wedge[many.row] != 0)
            down = down + np.outer(some, self._missed(moves.deck, f"deck_cut {name}"))
        given = self._given(many.cuts, many.more)[:, None]
        if moves.head is not None and self.taken is not None and (many.cuts > 0).any():
            rates = np.array([self.taken.rate(cut) if cut else 0.0 for cut in many.cuts])
            given = given - np.outer(rates / self._per_mm, self._missed(moves.head, f"head_cut {name}"))
        if moves.opening is not None and (many.more > 0).any():
            # Each chamber is opened by itself; here what one is missed by stands for all.
            missed = self._missed(moves.opening, f"open_chamber {moves.bank.cylinders[0]}")
            given = given + np.outer(many.more > 0, missed) / self._per_mm
        ok = np.ones(thickness.shape, dtype=bool)
        shift = volume / self._per_mm - down + given
        for room in self._rooms(extremes, thickness, shift, down):
            ok &= room >= -EDGE
        if self.wanted.quench_spread is not None:
            ok &= extremes[1] - extremes[0] <= self.wanted.quench_spread + EDGE
        if self.wanted.ratio_spread is not None:
            ok &= self._ratios_near(rows, many, shift)
        return ok

    def _ratios_near(self, rows: _Rows, many: _Many, shift: Table) -> Flags:
        """In which draws the ratios of the bank are no further apart than wanted, for points of one pattern."""
        row, side = many.row[0], self.drawn
        clearance = side.clearance - (rows.wedge[row] * self._shares())[:, None]
        full = side.closed + self._missed_openings(rows.opened[row]) + side.area * clearance / 1000
        if rows.gasket[row] < 0:
            full = full + side.gasket_volume
        every = full[:, None, :] + (shift * self._per_mm)[None, :, :]
        ratio = side.swept[:, None, :] / every
        return np.asarray(ratio.max(axis=0) - ratio.min(axis=0) <= (self.wanted.ratio_spread or 0.0) + EDGE)

    def _stated(self, rows: _Rows, many: _Many) -> tuple[Table, Table]:
        """Least and most of ratio and quench as stated, for each point."""
        if self.wanted.ratio_spread is None and self.wanted.quench_spread is None:
            none = np.zeros((len(many.row), 2))
            return none, none
        side, row = Side(*(table[:, 0] for table in self.stated)), many.row
        shares = rows.wedge[row][:, None] * self._shares()
        clearance = side.clearance - many.deck[:, None] - shares
        kept = (rows.gasket[row] < 0)[:, None]
        thickness = np.where(kept, side.gasket, rows.thickness[row][:, None])
        volume = np.where(kept, side.gasket_volume, rows.volume[row][:, None])
        full = side.closed + volume + side.area * clearance / 1000
        full = full - side.pocket * (many.deck[:, None] + shares) / 1000
        milled = self.taken.volume(many.cuts) if self.taken is not None else np.zeros(len(row))
        every = full + rows.opened[row] + many.more[:, None] - milled[:, None]
        return _ends(1 + side.swept / every), _ends(clearance + thickness)

    def _bins(
        self, rows: _Rows, row: NDArray[np.int64], ratio: Table, gap: Table
    ) -> NDArray[np.int64] | None:
        """Which points may stand for one another where banks must agree: in gasket, in ratio, in quench."""
        parts = [rows.gasket[row]] if self.moves.one_gasket else []
        for values, most in ((ratio, self.wanted.ratio_spread), (gap, self.wanted.quench_spread)):
            if most is not None and self.moves.others:
                parts.append(np.round(values.mean(axis=1) / max(most / 4, 1e-6)).astype(np.int64))
            if most is not None:
                # What is too far apart as stated stands for nothing.
                parts.append((values[:, 1] - values[:, 0] > most + EDGE).astype(np.int64))
        if not parts:
            return None
        _, bins = np.unique(np.stack(parts), axis=1, return_inverse=True)
        return np.asarray(bins).reshape(-1)


def _ends(values: Table) -> Table:
    return np.stack([values.min(axis=1), values.max(axis=1)], axis=1)


def _flattest(along: Table, heights: Table) -> float:
    """The slope that leaves least between the highest and the lowest: it is the slope of some two of them."""
    first, second = np.triu_indices(len(along), 1)
    slopes = (heights[second] - heights[first]) / (along[second] - along[first])
    left = heights - slopes[:, None] * along
    return float(slopes[np.argmin(np.ptp(left, axis=1))])
