"""The joins of the search: which crank, rod, piston, gasket and head meet, without trying them all.

Parts that are alike in an interface share a class, and rules are asked once for each
pair of classes. Within a class, pistons lie in the order of their compression height,
gaskets of their thickness, heads of their volume: what a window leaves of them is one
run, found by bisection. Rows are made stage by stage, a run at a time, never the whole
product; the edges of a run are a hair wide, and every result is judged on its own.
"""

# long: one search, in which every join stands on the one before
from __future__ import annotations

import copy
from collections.abc import Iterator, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from ..place import PartPlace
from ..stack.arithmetic import (
    circle_area,
    clearance_volume_for,
    cylinder_volume,
    ratio_of,
)
from ..stack.kernel import held_by_gasket
from ..windows import TOLERANCE, Window
from .below import Pistons, volume_below
from .candidates import Candidates
from .laid_out import QueryTables
from .machining import Stopped, moved_for_ratio, stopped_at, stops
from .parts import MAKING
from .rules import FitRule, judge_columns
from .runs import HAIR, Hull, Ordered, kept_rows, pieces, spread, united
from .shelf import Floats, Ints, Rows
from .window_filter import WindowFilter

# What decides where a piston stops.
_SETTLES = ("shortest", "longest", "length", "height", "bore", "floor", "most_off", "land")
_MOVED = ("stroke", "cut", "clearance", "quench", "swept", "below", "volume", "rod_ratio", "speed")
_STACK = ("longest", "shortest", "length", "height", "bore", "most_off", "land")


class Runs(NamedTuple):
    """Which parts in order suit which rows: for each run its row, its pair of classes, where it starts, how many."""

    of_row: Ints
    pair: Ints
    start: Ints
    many: Ints


class Join:
    """The stages of the join over some candidates, up to a bound of what is to be least.

    ``filters`` are the windows that rows must lie in; they may be narrower than the
    question's own, which alone decide how far a journal is ground or a crown is faced.
    With ``candidates`` that stand for several alike, each row carries in ``times`` how
    many recipes it stands for.
    """

    def __init__(
        self,
        laid_out: QueryTables,
        filters: Mapping[str, Window],
        bound: int | None,
        candidates: Mapping[str, Candidates] | None = None,
    ) -> None:
        self.laid_out, self.bound = laid_out, bound
        self.left = WindowFilter(laid_out, filters)
        taken = dict(candidates or laid_out.candidates)
        least = {kind: int(taken[kind].key.min()) if len(taken[kind].key) else 0 for kind in MAKING}
        cheapest = {kind: int(taken[kind].cost.min()) if len(taken[kind].cost) else 0 for kind in MAKING}
        self.rest, self.cost_rest = (
            {kind: sum(of[later] for later in MAKING[MAKING.index(kind) + 1 :]) for kind in MAKING}
            for of in (least, cheapest)
        )
        self.lowest = sum(least.values())
        if bound is not None:
            spare = bound - self.lowest
            taken = {kind: c.taken(c.key <= least[kind] + spare) for kind, c in taken.items()}
        self.cranks = taken["crank"]
        self.rods = Ordered(laid_out, "rod", taken["rod"], None)
        self.pistons = Ordered(laid_out, "piston", taken["piston"], "compression_height")
        self.gaskets = Ordered(laid_out, "gasket", taken["gasket"], "thickness")
        self.heads = Ordered(laid_out, "head", taken["head"], "chamber_volume")
        self.thinnest, self.thickest = self._extremes()

    def narrowed(self, filters: Mapping[str, Window]) -> Join:
        """Return the same join with windows drawn in.

        Parameters
        ----------
        filters : Mapping
            Windows in place of the question's.
        """
        out = copy.copy(self)
        out.left = self.left.narrowed(filters)
        out.thinnest, out.thickest = out._extremes()
        return out

    def settled(self) -> Join:
        """Return the same join with every stroke where it was settled: none waits for the ratio."""
        out = copy.copy(self)
        out.left = self.left.settled()
        return out

    def _extremes(self) -> tuple[float, float]:
        """The thinnest and the thickest gasket with which clearance and quench can lie in their windows."""
        values = self.gaskets.values
        lowest = np.maximum(self.left.low("deck_clearance"), self.left.low("quench") - values)
        highest = np.minimum(self.left.high("deck_clearance"), self.left.high("quench") - values)
        left = values[lowest <= highest + HAIR]
        return (float(left.min()), float(left.max())) if len(left) else (np.inf, -np.inf)

    def _bounded(self, rows: Rows, kind: str) -> Rows:
        """Leave out rows that the cheapest of what is still to come would bring over the bound or the most of cost."""
        if self.bound is not None:
            rows = kept_rows(rows, rows["key"] + self.rest[kind] <= self.bound)
        if (most := self.left.high("cost")) < np.inf:
            rows = kept_rows(rows, (rows["cost"] + self.cost_rest[kind]) / 100 <= most + HAIR)
        return rows

    def ruled(self, rows: Rows, rules: Sequence[FitRule]) -> Rows:
        """Return the rows that rules asked row by row leave, the cost of machining added.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        rules : sequence of FitRule
            That must hold.
        """
        laid_out = self.laid_out

        def look(place: str) -> Floats:
            column = laid_out.column(place)
            if PartPlace.parse(place).kind == "block":
                return column
            found = column[rows[PartPlace.parse(place).kind]]
            if place == "crank.stroke":
                found = found + 2 * np.nan_to_num(rows["shift"])
            return found

        for rule in rules:
            fits, band = judge_columns(rule, look, laid_out.question.allows, laid_out.number)
            cost = laid_out.band_costs(rule)[band]
            rows = dict(rows, key=rows["key"] + cost * (1 + laid_out.weight), cost=rows["cost"] + cost)
            rows = kept_rows(rows, fits)
        return rows

    # -- stage by stage ----------------------------------------------------------

    def pairs(self) -> Iterator[Rows]:
        """Yield rows of crank and rod."""
        laid_out, meeting = self.laid_out, self.laid_out.meetings["rod"]
        cranks = self.cranks
        classes = laid_out.signature("crank", "rod").of_part[cranks.rows]
        if not len(classes) or not len(meeting.first):
            return
        crank_of, pair = spread(meeting.start[classes], meeting.count[classes])
        start, count = self.rods.runs(meeting.second[pair], -np.inf, np.inf)
        for piece in pieces(count):
            of, at = spread(start[piece], count[piece])
            crank, p = crank_of[piece][of], pair[piece][of]
            rod = self.rods.taken
            machining = meeting.machining[p]
            rows: Rows = {
                "crank": cranks.rows[crank],
                "rod": rod.rows[at],
                "shift": meeting.shift[p],
                "key": cranks.key[crank] + rod.key[at] + machining * (1 + laid_out.weight),
                "cost": cranks.cost[crank] + rod.cost[at] + machining,
                "times": cranks.times[crank] * rod.times[at],
            }
            rows = self.ruled(self._bounded(rows, "rod"), laid_out.by_row["rod"])
            stroke = laid_out.column("crank.stroke")[rows["crank"]]
            swing = 2 * np.nan_to_num(rows["shift"])
            rows |= {
                "shortest": stroke - swing,
                "longest": stroke + swing,
                "length": laid_out.column("rod.length")[rows["rod"]],
            }
            yield self.pairs_within(rows)

    def pairs_within(self, rows: Rows) -> Rows:
        """Return the rows of crank and rod that their windows leave (trade.md 13).

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        speed = self.laid_out.question.rpm / 30000
        return kept_rows(
            rows,
            (
                (rows["length"] >= (self.left.low("rod_ratio") - HAIR) * rows["shortest"])
                & (rows["length"] <= (self.left.high("rod_ratio") + HAIR) * rows["longest"])
                & (speed * rows["shortest"] <= self.left.high("piston_speed") + HAIR)
                & (speed * rows["longest"] >= self.left.low("piston_speed") - HAIR)
            ),
        )

    def _met(self, kind: str, ordered: Ordered, rows: Rows, runs: Runs) -> Iterator[tuple[Rows, Ints, Ints]]:
        """Rows joined by the parts of one kind more, some at a time; the row each comes of, and its place in order."""
        meeting, taken, weight = self.laid_out.meetings[kind], ordered.taken, self.laid_out.weight
        for piece in pieces(runs.many):
            of, at = spread(runs.start[piece], runs.many[piece])
            parent, p = runs.of_row[piece][of], runs.pair[piece][of]
            machining = meeting.machining[p]
            found = {name: column[parent] for name, column in rows.items()}
            found |= {
                kind: taken.rows[at],
                "key": found["key"] + taken.key[at] + machining * (1 + weight),
                "cost": found["cost"] + taken.cost[at] + machining,
                "times": found["times"] * taken.times[at],
            }
            yield found, parent, at

    def triples(self, rows: Rows) -> Iterator[Rows]:
        """Yield rows of crank, rod and piston from rows of crank and rod.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        yield from self.with_pistons(rows, self.piston_runs(rows))

    def piston_runs(self, rows: Rows) -> Runs:
        """Return for rows of crank and rod the runs of pistons that could suit.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        meeting = self.laid_out.meetings["piston"]
        classes = self.laid_out.signature("rod", "piston").of_part[rows["rod"]]
        if not len(classes) or not len(meeting.first) or self.thinnest > self.thickest:
            none = np.zeros(0, np.int64)
            return Runs(none, none, none, none)
        of_row, pair = spread(_at(meeting.start, classes), _at(meeting.count, classes))
        runs = [
            self.pistons.runs(meeting.second[pair], low[of_row], high[of_row])
            for low, high in self._heights(rows)
        ]
        of_run, start, count = united(runs)
        return Runs(of_row[of_run], pair[of_run], start, count)

    def with_pistons(self, rows: Rows, runs: Runs) -> Iterator[Rows]:
        """Yield rows of crank and rod with each piston of some runs, so far as rules and displacement leave them.

        See trade.md 13.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        runs : Runs
            Which parts, for which rows.
        """
        laid_out = self.laid_out
        own, taken = laid_out.column("piston.bore"), self.pistons.taken
        most_off = laid_out.most_off
        lands = np.nan_to_num(laid_out.column("piston.top_land_height"), nan=np.inf)
        for found, _, at in self._met("piston", self.pistons, rows, runs):
            found["height"] = self.pistons.values[at]
            found["most_off"], found["land"] = most_off[taken.rows[at]], lands[taken.rows[at]]
            found["bore"] = np.where(taken.bored[at], own[taken.rows[at]], laid_out.block.values["bore"])
            found = self.ruled(self._bounded(found, "piston"), laid_out.by_row["piston"])
            area = circle_area(found["bore"]) * laid_out.block.cylinders / 1000
            yield kept_rows(
                found,
                (
                    (area * found["longest"] >= self.left.low("displacement") - HAIR)
                    & (area * found["shortest"] <= self.left.high("displacement") + HAIR)
                ),
            )

    def _heights(self, rows: Rows) -> list[tuple[Floats, Floats]]:
        """Between which compression heights a piston must be for each row of crank and rod."""
        laid_out = self.laid_out
        values = np.unique(self.gaskets.values)
        band = Hull()
        for floor in np.unique(laid_out.floors(rows["rod"])):
            lows = np.maximum(self.left.low("deck_clearance"), max(self.left.low("quench"), floor) - values)
            highs = np.minimum(self.left.high("deck_clearance"), self.left.high("quench") - values)
            for at in np.flatnonzero(lows <= highs + HAIR):
                band.take(lows[at], highs[at])
        if not band.is_filled:
            return []
        faced = self._most_off()
        up, down = (
            laid_out.block.values["deck_height"] - rows[end] / 2 - rows["length"]
            for end in ("longest", "shortest")
        )
        return [(up - band.high - HAIR, down - band.low + faced + HAIR)]

    def stacks(self, rows: Rows) -> Iterator[Rows]:
        """Yield rows with a gasket and all that follows from it, from rows of crank, rod and piston.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        laid_out, meeting = self.laid_out, self.laid_out.meetings["gasket"]
        classes = laid_out.signature("piston", "gasket").of_part[rows["piston"]]
        if not len(classes) or not len(meeting.first):
            return
        floors, thin, thick = self.left.thicknesses(rows)
        of_row, pair = spread(_at(meeting.start, classes), _at(meeting.count, classes))
        start, count = self.gaskets.runs(meeting.second[pair], thin[of_row], thick[of_row])
        runs = Runs(of_row, pair, start, count)
        for found, parent, at in self._met("gasket", self.gaskets, rows, runs):
            found |= {"floor": floors[parent], "thickness": self.gaskets.values[at]}
            found = self.ruled(self._bounded(found, "gasket"), laid_out.by_row["gasket"])
            found |= self._stopped(found)
            found = self._settled(kept_rows(found, self.left.in_place(found)))
            gasket = found["gasket"]
            opening, around = (
                laid_out.column("gasket.opening_area")[gasket],
                laid_out.column("gasket.bore")[gasket],
            )
            found["gasket_volume"] = gasket_volume(opening, around, found["thickness"])
            yield found

    def at_thicknesses(self, rows: Rows, thicknesses: Floats) -> Iterator[Rows]:
        """Yield rows of crank, rod and piston with a thickness of the gasket and all that follows below it.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        thicknesses : array of float
            Compressed, in mm.
        """
        floors, thin, thick = self.left.thicknesses(rows)
        goes_for = self.left.goes_for(rows, floors)
        for thickness in thicknesses:
            there = np.flatnonzero((thickness >= thin) & (thickness <= thick) & goes_for(thickness))
            if not len(there):
                continue
            # Most fall by where the piston stops: no more than that is looked at first.
            stack = {name: rows[name][there] for name in _STACK}
            stack |= {"floor": floors[there], "thickness": np.full(len(there), thickness)}
            stack |= self._stopped(stack)
            inside = self.left.in_place(stack)
            there = there[inside]
            if len(there):
                yield self._settled(
                    {name: column[there] for name, column in rows.items()} | kept_rows(stack, inside)
                )

    def _stopped(self, rows: Rows) -> Rows:
        """Grind and face to what meets the wanted clearance: where the piston stops, and what that takes."""
        laid_out = self.laid_out
        stroke, cut, clearance, low, high = stops(
            laid_out.question, self.left.bottoms(rows), faces=laid_out.faces
        )
        found = {
            "stroke": stroke,
            "cut": cut,
            "clearance": clearance,
            "quench": clearance + rows["thickness"],
        }
        return found | {"low": low, "high": high} if self.left.moves else found

    def _most_off(self) -> float:
        """How far any crown could be faced, in mm."""
        taken = self.pistons.taken.rows
        return float(self.laid_out.most_off[taken].max(initial=0.0)) if self.laid_out.faces else 0.0

    def _settled(self, rows: Rows) -> Rows:
        """Work out all that follows from where the piston stops, but for the chamber."""
        laid_out, stroke = self.laid_out, rows["stroke"]
        if laid_out.faces:
            cost = np.where(rows["cut"] > 0, laid_out.face_cost, 0)
            rows = dict(rows, key=rows["key"] + cost * (1 + laid_out.weight), cost=rows["cost"] + cost)
        rows = rows | {
            "swept": cylinder_volume(circle_area(rows["bore"]), stroke),
            "rod_ratio": rows["length"] / stroke,
            "speed": 2 * stroke * laid_out.question.rpm / 60 / 1000,
        }
        rows = kept_rows(rows, self.left.travels(rows) | self.left.free(rows))
        rows = self._bounded(rows, "gasket")
        below = {"below": self._volume_below(rows)}
        if self.left.moves:
            for end in ("low", "high"):
                below[f"swept_{end}"], below[f"below_{end}"] = self._volumes_at(rows, rows[end])
        # What led here is not asked for again, and need not be carried into every recipe.
        settled = _SETTLES[:2] if self.left.moves else _SETTLES
        return {name: column for name, column in rows.items() if name not in settled} | below

    def _volumes_at(self, rows: Rows, stroke: Floats) -> tuple[Floats, Floats]:
        """Swept volume and the volume below the gasket at another stroke of each row."""
        cut, clearance = stopped_at(
            self.laid_out.question, self.left.bottoms(rows), stroke, faces=self.laid_out.faces
        )
        return cylinder_volume(circle_area(rows["bore"]), stroke), self._volume_at(rows, clearance, cut)

    def _volume_below(self, rows: Rows) -> Floats:
        """The volume at TDC below the gasket: down to the crown, its dish or dome, and around the land."""
        return self._volume_at(rows, rows["clearance"], rows["cut"])

    def _volume_at(self, rows: Rows, clearance: Floats, cut: Floats | float) -> Floats:
        laid_out, piston = self.laid_out, rows["piston"]
        return volume_below(
            rows["bore"],
            clearance,
            cut,
            Pistons(
                laid_out.counted("piston.crown_volume")[piston],
                laid_out.column("piston.dish_area")[piston],
                laid_out.column("piston.top_land_diameter")[piston],
                laid_out.column("piston.top_land_height")[piston],
            ),
        )

    def volumes_between(self, rows: Rows) -> tuple[Floats, Floats]:
        """Between which volumes below the gasket rows of crank, rod and piston lie, whatever is ground and faced.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        up, down = self.left.reached(rows)
        cut: Floats | float = rows["most_off"] if self.laid_out.faces else 0.0
        up = np.maximum(up, self.left.low("quench") - self.thickest)
        down = np.minimum(down, self.left.high("quench") - self.thinnest)
        # A land is faced lower and a dish shallower: what is cut only takes away.
        return self._volume_at(rows, up, cut), self._volume_at(rows, down, 0.0)

    def volumes_left(self, rows: Rows) -> tuple[Floats, Floats]:
        """Return between which volumes chamber and gasket must lie to bring each row's ratio inside its window.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        low, high = self.left.low("compression_ratio"), self.left.high("compression_ratio")
        # A ratio of (Vs + V)/V within its edges is a volume within these.
        swept, below = rows["swept"], rows["below"]
        most = (
            np.full(len(swept), np.inf) if low <= 1 else clearance_volume_for(swept, low - TOLERANCE) - below
        )
        least = -below if high == np.inf else clearance_volume_for(swept, high + TOLERANCE) - below
        if self.left.moves:
            asked = self.laid_out.question.window("compression_ratio")
            # To the edge that was asked for the stroke may move; a window drawn in holds for what comes of it.
            if asked.low is not None and low == asked.low and low > 1:
                furthest = clearance_volume_for(rows["swept_high"], low - TOLERANCE) - rows["below_high"]
                most = np.maximum(most, furthest)
            if asked.high is not None and high in (asked.high, np.inf):
                furthest = clearance_volume_for(rows["swept_low"], asked.high + TOLERANCE) - rows["below_low"]
                least = np.minimum(least, furthest)
        return least, most

    def recipes(self, rows: Rows) -> Iterator[Rows]:
        """Yield whole recipes from rows with a gasket.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        laid_out, meeting = self.laid_out, self.laid_out.meetings["head"]
        if not len(rows["piston"]) or not len(meeting.first):
            return
        classes = laid_out.signature("piston", "head").of_part[rows["piston"]]
        of_row, pair = spread(_at(meeting.start, classes), _at(meeting.count, classes))
        least, most = (volume - rows["gasket_volume"] for volume in self.volumes_left(rows))
        start, count = self.heads.runs(meeting.second[pair], least[of_row], most[of_row])
        runs = Runs(of_row, pair, start, count)
        for found, _, at in self._met("head", self.heads, rows, runs):
            found["volume"] = found["below"] + found["gasket_volume"] + self.heads.values[at]
            yield self.closed(self._bounded(self.ruled(found, laid_out.by_row["head"]), "head"))

    def closed(self, rows: Rows) -> Rows:
        """Return the rows with a volume whose ratio and cost lie inside their windows (trade.md 13).

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        if self.left.moves:
            rows = self._moved(rows)
        rows = kept_rows(rows, rows["volume"] > 0)
        rows["compression_ratio"] = ratio_of(rows["swept"], rows["volume"])
        return kept_rows(
            rows,
            (
                self.left.within("compression_ratio", rows["compression_ratio"])
                & self.left.within("cost", rows["cost"] / 100)
            ),
        )

    # long: what it puts together is told field by field, a line each
    def _moved(self, rows: Rows) -> Rows:
        """Move the strokes that wait for the ratio, now that gasket and head are known, and ask every window again."""
        window, laid_out = self.laid_out.question.window("compression_ratio"), self.laid_out
        at = np.flatnonzero(self.left.free(rows))
        if not len(at):
            return rows
        some = {name: column[at] for name, column in rows.items()}
        top = some["volume"] - some["below"]

        def ratio_at(stroke: Floats) -> Floats:
            swept, below = self._volumes_at(some, stroke)
            return np.where(
                top + below > 0, ratio_of(swept, np.where(top + below > 0, top + below, 1.0)), np.inf
            )

        still = Stopped(
            stroke=some["stroke"],
            cut=some["cut"],
            clearance=some["clearance"],
            low=some["low"],
            high=some["high"],
        )
        stroke = moved_for_ratio(window, still, ratio_at)
        cut, clearance = stopped_at(laid_out.question, self.left.bottoms(some), stroke, faces=laid_out.faces)
        swept, below = self._volumes_at(some, stroke)
        some |= {
            "stroke": stroke,
            "cut": cut,
            "clearance": clearance,
            "quench": clearance + some["thickness"],
            "swept": swept,
            "below": below,
            "volume": top + below,
            "rod_ratio": some["length"] / stroke,
            "speed": 2 * stroke * laid_out.question.rpm / 60 / 1000,
        }
        rows = {name: column.copy() for name, column in rows.items()}
        for name in _MOVED:
            rows[name][at] = some[name]
        inside = np.ones(len(rows["stroke"]), bool)
        inside[at] = self.left.travels(some) & self.left.stops_inside(some)
        return kept_rows(rows, inside)


def gasket_volume(opening: Floats, bore: Floats, thickness: Floats) -> Floats:
    """Return the volume of gaskets from the area of their opening, round where it is not known, in cc.

    Parameters
    ----------
    opening : array of float
        Opening area in mm²; not a number where it is round.
    bore : array of float
        Bore of a round opening in mm.
    thickness : array of float
        Compressed, in mm.
    """
    area = np.where(np.isnan(opening), circle_area(bore), opening)
    return np.asarray(held_by_gasket(np.nan_to_num(area), thickness))


def _at(column: Ints, classes: Ints) -> Ints:
    """Look classes up in a column that only reaches to the last class that meets anything."""
    known = classes < len(column)
    return np.where(known, column[np.where(known, classes, 0)], 0) if len(column) else np.zeros_like(classes)
