"""What the windows leave of rows: which lie inside, and within which bounds the others could be brought."""

from __future__ import annotations

import copy
from collections.abc import Callable, Mapping

import numpy as np

from ..stack.arithmetic import circle_area, deck_clearance
from ..windows import TOLERANCE, Window
from .facing import ring_stays_down
from .laid_out import QueryTables
from .machining import Bottoms, strokes_left, wanted_clearance
from .runs import HAIR
from .shelf import Bools, Floats, Rows


class WindowFilter:
    """Windows that rows must lie in, and what they leave.

    ``filters`` may be narrower than the question's own windows, which alone decide how far
    a journal is ground or a crown is faced. ``grinds`` tells whether any journal is ground;
    ``moves``, whether its stroke waits for gasket and head because a ratio is asked for.
    """

    def __init__(self, laid_out: QueryTables, filters: Mapping[str, Window]) -> None:
        self.laid_out, self.filters = laid_out, filters
        self.grinds = bool(np.isfinite(laid_out.meetings["rod"].shift).any())
        self.moves = laid_out.question.window("compression_ratio").is_bounded and self.grinds

    def narrowed(self, filters: Mapping[str, Window]) -> WindowFilter:
        """Return the same with windows drawn in.

        Parameters
        ----------
        filters : Mapping
            Windows in place of those there are.
        """
        out = copy.copy(self)
        out.filters = filters
        return out

    def settled(self) -> WindowFilter:
        """Return the same with every stroke where it was settled: none waits for the ratio."""
        out = copy.copy(self)
        out.moves = False
        return out

    @property
    def is_drawn_in(self) -> bool:
        """True where the window of ratio lies inside the one asked for: no stroke that was moved to its edge counts."""
        asked, filtered = (
            of.get("compression_ratio", Window()) for of in (self.laid_out.question.windows, self.filters)
        )
        lows = asked.low is None or (filtered.low is not None and filtered.low > asked.low + TOLERANCE)
        highs = asked.high is None or (filtered.high is not None and filtered.high < asked.high - TOLERANCE)
        return lows and highs

    def is_within_question(self) -> bool:
        """True where rows must lie inside every window that was asked for."""
        return all(
            (asked.low is None or self.low(key) >= asked.low)
            and (asked.high is None or self.high(key) <= asked.high)
            for key, asked in self.laid_out.question.windows.items()
        )

    def low(self, key: str) -> float:
        """Return the lower edge of a result's window, in its unit; minus infinity where there is none.

        Parameters
        ----------
        key : str
            Name of a result, such as ``quench``.
        """
        low = self.filters.get(key, Window()).low
        return -np.inf if low is None else low

    def high(self, key: str) -> float:
        """Return the upper edge of a result's window, in its unit; infinity where there is none.

        Parameters
        ----------
        key : str
            Name of a result, such as ``quench``.
        """
        high = self.filters.get(key, Window()).high
        return np.inf if high is None else high

    def within(self, key: str, values: Floats) -> Bools:
        """Tell which values of a result lie inside its window.

        Parameters
        ----------
        key : str
            Name of a result, such as ``quench``.
        values : array of float
            In the result's unit.
        """
        return (values >= self.low(key) - TOLERANCE) & (values <= self.high(key) + TOLERANCE)

    def free(self, rows: Rows) -> Bools:
        """Return which rows have a stroke that still waits for the ratio.

        None where the window of ratio is drawn in: what is moved comes to the edge that was asked for.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        if not self.moves or self.is_drawn_in:
            return np.zeros(len(rows["stroke"]), bool)
        return rows["high"] > rows["low"]

    def stops_inside(self, rows: Rows) -> Bools:
        """Tell where the piston stops inside the windows of clearance and quench, and not over the floor.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        return (
            self.within("deck_clearance", rows["clearance"])
            & self.within("quench", rows["quench"])
            & (rows["quench"] >= rows["floor"] - TOLERANCE)
            & ring_stays_down(rows["land"], rows["cut"], rows["clearance"])
        )

    def in_place(self, rows: Rows) -> Bools:
        """Tell which rows stop inside, or still may.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        return self.stops_inside(rows) | self.free(rows)

    def travels(self, rows: Rows) -> Bools:
        """Tell which rows lie inside the windows that the stroke alone decides (trade.md 13).

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        return (
            self.within("displacement", rows["swept"] * self.laid_out.block.cylinders)
            & self.within("rod_ratio", rows["rod_ratio"])
            & self.within("piston_speed", rows["speed"])
        )

    def strokes(self, rows: Rows) -> tuple[Floats, Floats]:
        """Return between which strokes displacement, rod ratio and piston speed lie inside their windows, row by row.

        See trade.md 13.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        shortest, longest = rows["shortest"], rows["longest"]
        if not self.grinds:
            return shortest, longest
        per_mm = circle_area(rows["bore"]) * self.laid_out.block.cylinders / 1000
        speed = self.laid_out.question.rpm / 30_000
        low = np.maximum(self.low("displacement") / per_mm, self.low("piston_speed") / speed)
        high = np.minimum(self.high("displacement") / per_mm, self.high("piston_speed") / speed)
        # The longer the stroke, the smaller the ratio.
        low = np.maximum(low, rows["length"] / max(self.high("rod_ratio"), HAIR))
        if (least := self.low("rod_ratio")) > 0:
            high = np.minimum(high, rows["length"] / least)
        return np.maximum(shortest, low - HAIR), np.minimum(longest, high + HAIR)

    def reached(self, rows: Rows) -> tuple[Floats, Floats]:
        """Return how far up and as far down as grinding and facing could bring pistons inside the windows, in mm.

        What no stroke brings inside has its ends the wrong way round.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        height = np.array(self.laid_out.block.values["deck_height"])
        shortest, longest = self.strokes(rows)
        up: Floats = deck_clearance(height, longest, rows["length"], rows["height"])
        down: Floats = deck_clearance(height, shortest, rows["length"], rows["height"])
        if self.laid_out.faces:
            down = down + rows["most_off"]
        return np.maximum(up, self.low("deck_clearance")), np.minimum(down, self.high("deck_clearance"))

    def thicknesses(self, rows: Rows) -> tuple[Floats, Floats, Floats]:
        """Return for rows of crank, rod and piston the floor of quench, and between which thicknesses a gasket must be.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        floors = self.laid_out.floors(rows["rod"])
        up, down = self.reached(rows)
        return floors, np.maximum(floors, self.low("quench")) - down - HAIR, self.high("quench") - up + HAIR

    def goes_for(self, rows: Rows, floors: Floats) -> Callable[[float], Bools | bool]:
        """Return what tells for each thickness which rows could stop inside the window of clearance.

        Where the wanted clearance lies outside it, only what cannot come so near does.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        floors : array of float
            Quench floor of each row in mm.
        """
        question = self.laid_out.question
        if (self.moves and not self.is_drawn_in) or not self.is_within_question() or not self.grinds:
            return lambda _: True
        bottoms = self.bottoms(rows | {"thickness": floors, "floor": floors})
        least, most = strokes_left(question, bottoms)
        up, down = (
            deck_clearance(bottoms.height, stroke, bottoms.length, bottoms.compression)
            for stroke in (np.minimum(rows["longest"], most), np.maximum(rows["shortest"], least))
        )
        low, high = self.low("deck_clearance"), self.high("deck_clearance")

        levels, of = np.unique(floors, return_inverse=True)

        def which(thickness: float) -> Bools | bool:
            want = wanted_clearance(question, np.full(len(levels), thickness), levels)
            if want is None:
                return True
            lowest = max(low, self.low("quench") - thickness) - HAIR
            highest = min(high, self.high("quench") - thickness) + HAIR
            not_under, not_over = want >= lowest, want <= highest
            if not_under.all() and not_over.all():
                return True
            return (not_under[of] | (up >= lowest)) & (not_over[of] | (down <= highest))

        return which

    def bottoms(self, rows: Rows) -> Bottoms:
        """Return what decides where pistons stop, row by row (trade.md 13).

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        # What has stopped once only asks where another stroke would stop.
        shortest, longest = (rows.get(name, rows["length"]) for name in ("shortest", "longest"))
        return Bottoms(
            height=np.array(self.laid_out.block.values["deck_height"]),
            shortest=shortest,
            longest=longest,
            length=rows["length"],
            compression=rows["height"],
            thickness=rows["thickness"],
            floor=rows["floor"],
            per_mm=circle_area(rows["bore"]) * self.laid_out.block.cylinders / 1000,
            most_off=rows["most_off"],
            land=rows["land"],
        )
