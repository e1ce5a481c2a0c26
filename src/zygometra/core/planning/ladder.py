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
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..windows import TOLERANCE
from .chances import YieldEstimates, inside_one
from .cut_bank import CutBank, extremes_of
from .distinct import SURE, Flags, distinct, most_chance
from .figure_samples import FigureSamples
from .moves import EPSILON, Move
from .patterns import FittedBank
from .quasi_random import Table
from .rows import (
    DECK,
    GASKET,
    HEAD,
    OPEN,
    Configurations,
    CrownWork,
    CutAmounts,
    DeckRanges,
    DrawnCandidates,
    LowerBound,
    UndrawnCandidates,
)

# How many steps a ladder has at the least and at the most.
FEWEST, MOST = 5, 9
# How much more likely holes may end near one another than they are thought to.
_GUESSED = 0.15
# Of each extreme the one that leaves most room.
_BEST = (np.max, np.min, np.max, np.min, np.max, np.min)
# How much wider the crown's ranges are taken than the mean of the holes gives, in mm.
_HOLES_DIFFER = 0.01


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
    truth, drawn : FigureSamples
        For what gaskets come to and operations miss.
    """

    def __init__(self, standing: FittedBank, truth: FigureSamples, drawn: FigureSamples) -> None:
        self.standing = standing
        self.moves, self.wanted, self.taken = standing.moves, standing.wanted, standing.taken
        self._chances = YieldEstimates(standing, truth, drawn)
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
            self._laid[crown] = laid, reach.take(of == at)

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
        uncut, move = self.standing.stated, self.moves.deck
        wedge, opened = self.standing.columns
        shares = wedge[:, None, None] * self.standing.shares[:, None]
        side, rows = uncut.cut(np.zeros(1)), []
        for kept in (True, False):
            found = extremes_of(side, self.wanted, shares, opened[:, :, None], kept=kept)
            # What every gasket could meet at the best of all patterns: a range too wide is no harm.
            rows.append([one(column) for one, column in zip(_BEST, found, strict=True)])
        index, thick, held, _ = self._listed()
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
            room = most + over + held + self._opens() + self.moves.bowl / self._per_mm
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
        """Return the points of the bank that are inside the windows as stated; None where there are none.

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
        reach = reach.take(worthy(reach.cost, reach.metal, reach.kinds, reach.chance))
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
        many = many.take(worth)
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
        waits = self._waits()[rows.gasket[many.row]]
        keep = distinct(
            cost,
            metal,
            waits=waits,
            kinds=kinds,
            likely=proxy,
            apart=(self.moves.cost_step, self.moves.metal_step),
            bins=bins,
        )
        return UndrawnCandidates(
            rows=rows, many=many, cost=cost, metal=metal, kinds=kinds, likely=likely, ratio=ratio, gap=gap
        ).take(keep)

    def drawn(self, points: UndrawnCandidates, crown: Table, bowl: Table) -> DrawnCandidates:
        """Return points with the draws in which they are inside.

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
        return rows if good.all() else rows.take(good)

    def _laid_out(self, crowns: int, patterns: int) -> list[NDArray[Any]]:
        """Every crown cut with every gasket and pattern: their places, thickness, volume and price of the gasket."""
        laid = self.moves.laid
        if (crowns, patterns) not in laid:
            listed, gaskets = self._listed(), len(self.moves.gaskets)
            at = np.repeat(np.arange(crowns), gaskets * patterns)
            pattern = np.tile(np.arange(patterns), crowns * gaskets)
            index, *known = (np.tile(np.repeat(column, patterns), crowns) for column in listed)
            laid[crowns, patterns] = [at, index.astype(np.int64), pattern, *known]
        return laid[crowns, patterns]

    def _listed(self) -> list[Table]:
        """The gaskets in columns: place, thickness and volume as stated (nought for the one there), price."""
        moves = self.moves
        if not moves.listed:
            stated = [[table[0] for table in self._chances.gasket(*one)] for one in moves.gaskets]
            prices = [gasket.price if gasket is not None else 0.0 for _, gasket in moves.gaskets]
            columns = [[float(index) for index, _ in moves.gaskets], *zip(*stated, strict=True), prices]
            moves.listed.extend(np.array(column, dtype=float) for column in columns)
        return moves.listed

    def _waits(self) -> Table:
        """How long each listed gasket is waited for, in days; not at all for the one there, the last."""
        days = {index: gasket.days for index, gasket in self.moves.gaskets if gasket is not None}
        return np.array([*(days.get(i, 0.0) for i in range(max(days, default=-1) + 1)), 0.0])

    # -- points: a row with a deck cut, a head cut, an opening ----------------------

    @property
    def _per_mm(self) -> float:
        return self.standing.per_mm

    def _reach(self, rows: Configurations) -> DeckRanges:
        """Between which deck cuts, midway between their ends, rows keep quench and clearance inside as stated.

        Each with the least that it takes and the most that it can yield.
        """
        gap, clearance, move = self.wanted.gap, self.wanted.clearance, self.moves.deck
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
        move = self.moves.deck
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
        count = count if width else 1
        amounts = low[:, None] + (high - low)[:, None] * np.linspace(0.0, 1.0, count)
        off = np.zeros((len(low), 1)) if half is None else half[:, None]
        return move.rounded_all(amounts - off, low[:, None] - off, high[:, None] - off) + off

    def _rest(
        self, rows: Configurations, row: NDArray[np.int64], deck: Table
    ) -> tuple[NDArray[np.int64], Table, Table, Table]:
        """Head cuts and uniform openings that bring the ratio inside, with each row and deck cut."""
        head, opening, per_mm = self.moves.head, self.moves.opening, self._per_mm
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

    def _at_least(self, rows: Configurations, row: NDArray[np.int64], deck: Table) -> CutAmounts:
        """Rows with deck cuts and the least that must be milled or opened to bring the ratio inside."""
        shift = rows.volume[row] / self._per_mm - deck
        none = np.zeros(len(row))
        more, cuts = np.maximum(-(rows.low[row] + shift), 0.0), np.maximum(rows.high[row] + shift, 0.0)
        return CutAmounts(
            row,
            deck,
            self.taken.depth(cuts * self._per_mm) if self.moves.head is not None and self.taken else none,
            more * self._per_mm if self.moves.opening is not None else none,
        )

    def _bins(
        self, rows: Configurations, row: NDArray[np.int64], ratio: Table, gap: Table
    ) -> NDArray[np.int64] | None:
        """Which points may stand for one another where banks must agree: in gasket, in ratio, in quench."""
        parts = [rows.gasket[row]] if self.moves.one_gasket else []
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
