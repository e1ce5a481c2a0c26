"""The joins of the search: which crank, rod, piston, gasket and head meet, without trying them all.

Parts that are alike in an interface share a class, and rules are asked once for each
pair of classes. Within a class, pistons lie in the order of their compression height,
gaskets of their thickness, heads of their volume: what a window leaves of them is one
run, found by bisection. Rows are made stage by stage, a run at a time, never the whole
product; the edges of a run are a hair wide, and every result is judged on its own.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

import numpy as np

from ..build import Window
from ..stack import circle_area, crevice_volume, deck_clearance, stroke_for
from .bench import Bench, Bools, Candidates
from .parts import MAKING
from .question import EDGE
from .rules import judge_columns
from .shelf import Floats, Ints, Rows

HAIR = 1e-6
MOST_ROWS = 1_500_000


def spread(start: Ints, count: Ints) -> tuple[Ints, Ints]:
    """Return, for runs of ``count`` places from ``start``, each place and the run it is of."""
    total = int(count.sum())
    of = np.repeat(np.arange(len(count)), count)
    ends = np.cumsum(count)
    return of, np.arange(total) - np.repeat(ends - count, count) + np.repeat(start, count)


def _pieces(count: Ints) -> Iterator[slice]:
    """Cut parents into pieces that have no more than so many children together."""
    if not len(count):
        return
    ends = np.cumsum(count)
    begin = 0
    while begin < len(count):
        before = int(ends[begin - 1]) if begin else 0
        end = max(int(np.searchsorted(ends, before + MOST_ROWS, "right")), begin + 1)
        yield slice(begin, end)
        begin = end


class Ordered:
    """Candidates of a kind in order of class and of one figure: a run of it is found by bisection."""

    def __init__(self, bench: Bench, kind: str, taken: Candidates, figure: str | None) -> None:
        first = {"rod": "crank", "piston": "rod", "gasket": "piston", "head": "piston"}[kind]
        of_class = bench.signature(kind, first).of_part[taken.rows]
        values = bench.column(f"{kind}.{figure}")[taken.rows] if figure else np.zeros(len(taken.rows))
        order = np.lexsort((values, of_class))
        self.taken = taken.taken(order)
        # How many parts lie before each place: a run's number is a difference.
        self.before = np.concatenate([[0], np.cumsum(self.taken.times)])
        self.values = values[order]
        classes = of_class[order]
        # One number a candidate, rising with class and then figure, so that one bisection finds both.
        self._levels = np.unique(values)
        self._step = len(self._levels) + 2
        self._places = classes * self._step + 1 + np.searchsorted(self._levels, self.values)

    def runs(self, classes: Ints, low: Floats | float, high: Floats | float) -> tuple[Ints, Ints]:
        """Return start and count of the candidates of each class between two figures, edges included."""
        bottom = classes * self._step + 1 + np.searchsorted(self._levels, low, "left")
        top = classes * self._step + 1 + np.searchsorted(self._levels, high, "right")
        start = np.searchsorted(self._places, bottom, "left")
        end = np.searchsorted(self._places, top, "left")
        return start, np.maximum(end - start, 0)


class Join:
    """The stages of the join over some candidates, up to a bound of what is to be least.

    ``filters`` are the windows that rows must lie in; they may be narrower than the
    question's own, which alone decide how far a journal is ground or a crown is faced.
    With ``candidates`` that stand for several alike, each row carries in ``times`` how
    many recipes it stands for.
    """

    def __init__(
        self, bench: Bench, filters: Mapping[str, Window], bound: int | None,
        candidates: Mapping[str, Candidates] | None = None,
    ) -> None:  # fmt: skip
        self.bench, self.filters, self.bound = bench, filters, bound
        taken = dict(candidates or bench.candidates)
        least = {kind: int(taken[kind].key.min()) if len(taken[kind].key) else 0 for kind in MAKING}
        self.rest = {kind: sum(least[later] for later in MAKING[MAKING.index(kind) + 1 :]) for kind in MAKING}
        if bound is not None:
            spare = bound - sum(least.values())
            taken = {kind: c.taken(c.key <= least[kind] + spare) for kind, c in taken.items()}
        self.cranks = taken["crank"]
        self.rods = Ordered(bench, "rod", taken["rod"], None)
        self.pistons = Ordered(bench, "piston", taken["piston"], "compression_height")
        self.gaskets = Ordered(bench, "gasket", taken["gasket"], "thickness")
        self.heads = Ordered(bench, "head", taken["head"], "chamber_volume")

    def _low(self, key: str) -> float:
        low = self.filters.get(key, Window()).low
        return -np.inf if low is None else low

    def _high(self, key: str) -> float:
        high = self.filters.get(key, Window()).high
        return np.inf if high is None else high

    def _bounded(self, rows: Rows, kind: str) -> Rows:
        """Leave out rows that the cheapest of what is still to come would bring over the bound."""
        if self.bound is None:
            return rows
        return kept_rows(rows, rows["key"] + self.rest[kind] <= self.bound)

    def _ruled(self, rows: Rows, kind: str) -> Rows:
        """Ask the rules that can only be asked row by row at this stage."""
        bench = self.bench

        def look(place: str) -> Floats:
            column = bench.column(place)
            if place.startswith("block."):
                return column
            found = column[rows[place.partition(".")[0]]]
            if place == "crank.stroke":
                found = found + 2 * np.nan_to_num(rows["shift"])
            return found

        for rule in bench.by_row[kind]:
            fits, band = judge_columns(rule, look, bench.question.allows)
            cost = bench.band_costs(rule)[band]
            rows = dict(rows, key=rows["key"] + cost * (1 + bench.weight), cost=rows["cost"] + cost)
            rows = kept_rows(rows, fits)
        return rows

    # -- stage by stage ----------------------------------------------------------

    def pairs(self) -> Iterator[Rows]:
        """Yield rows of crank and rod."""
        bench, meeting = self.bench, self.bench.meetings["rod"]
        cranks = self.cranks
        classes = bench.signature("crank", "rod").of_part[cranks.rows]
        if not len(classes) or not len(meeting.first):
            return
        crank_of, pair = spread(meeting.start[classes], meeting.count[classes])
        start, count = self.rods.runs(meeting.second[pair], -np.inf, np.inf)
        for piece in _pieces(count):
            of, at = spread(start[piece], count[piece])
            crank, p = crank_of[piece][of], pair[piece][of]
            rod = self.rods.taken
            machining = meeting.machining[p]
            rows: Rows = {
                "crank": cranks.rows[crank], "rod": rod.rows[at], "shift": meeting.shift[p],
                "key": cranks.key[crank] + rod.key[at] + machining * (1 + bench.weight),
                "cost": cranks.cost[crank] + rod.cost[at] + machining,
                "times": cranks.times[crank] * rod.times[at],
            }  # fmt: skip
            rows = self._ruled(self._bounded(rows, "rod"), "rod")
            stroke = bench.column("crank.stroke")[rows["crank"]]
            swing = 2 * np.nan_to_num(rows["shift"])
            rows |= {"shortest": stroke - swing, "longest": stroke + swing,
                     "length": bench.column("rod.length")[rows["rod"]]}  # fmt: skip
            speed = bench.question.rpm / 30000
            yield kept_rows(rows, (
                (rows["length"] >= (self._low("rod_ratio") - HAIR) * rows["shortest"])
                & (rows["length"] <= (self._high("rod_ratio") + HAIR) * rows["longest"])
                & (speed * rows["shortest"] <= self._high("piston_speed") + HAIR)
                & (speed * rows["longest"] >= self._low("piston_speed") - HAIR)
            ))  # fmt: skip

    def _met(
        self, kind: str, ordered: Ordered, rows: Rows, of_row: Ints, pair: Ints, start: Ints, count: Ints
    ) -> Iterator[tuple[Rows, Ints, Ints]]:
        """Rows joined by the parts of one kind more, some at a time; the row each comes of, and its place in order."""
        meeting, taken, weight = self.bench.meetings[kind], ordered.taken, self.bench.weight
        for piece in _pieces(count):
            of, at = spread(start[piece], count[piece])
            parent, p = of_row[piece][of], pair[piece][of]
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
        """Yield rows of crank, rod and piston from rows of crank and rod."""
        bench, meeting = self.bench, self.bench.meetings["piston"]
        gaskets = self.gaskets.values
        classes = bench.signature("rod", "piston").of_part[rows["rod"]]
        if not len(classes) or not len(meeting.first) or not len(gaskets):
            return
        height = bench.block.values["deck_height"]
        floors = bench.floors(rows["rod"])
        lowest = np.maximum(
            np.maximum(floors, self._low("quench")) - gaskets.max(), self._low("deck_clearance")
        )
        highest = min(self._high("quench") - gaskets.min(), self._high("deck_clearance"))
        face = bench.question.crown_limit if bench.faces else 0.0
        most = height - rows["shortest"] / 2 - rows["length"] - lowest + face + HAIR
        least = height - rows["longest"] / 2 - rows["length"] - highest - HAIR
        of_row, pair = spread(_at(meeting.start, classes), _at(meeting.count, classes))
        start, count = self.pistons.runs(meeting.second[pair], least[of_row], most[of_row])
        own, taken = bench.column("piston.bore"), self.pistons.taken
        for found, _, at in self._met("piston", self.pistons, rows, of_row, pair, start, count):
            found["height"] = self.pistons.values[at]
            found["bore"] = np.where(taken.bored[at], own[taken.rows[at]], bench.block.values["bore"])
            found = self._ruled(self._bounded(found, "piston"), "piston")
            area = circle_area(found["bore"]) * bench.block.cylinders / 1000
            yield kept_rows(found, (
                (area * found["longest"] >= self._low("displacement") - HAIR)
                & (area * found["shortest"] <= self._high("displacement") + HAIR)
            ))  # fmt: skip

    def stacks(self, rows: Rows) -> Iterator[Rows]:
        """Yield rows with a gasket and all that follows from it, from rows of crank, rod and piston."""
        bench, meeting = self.bench, self.bench.meetings["gasket"]
        classes = bench.signature("piston", "gasket").of_part[rows["piston"]]
        if not len(classes) or not len(meeting.first):
            return
        height = np.array(bench.block.values["deck_height"])
        floors = bench.floors(rows["rod"])
        # As far up and as far down as grinding and facing could bring it.
        up: Floats = deck_clearance(height, rows["longest"], rows["length"], rows["height"])
        down: Floats = deck_clearance(height, rows["shortest"], rows["length"], rows["height"])
        up, down = (
            self._ground(up, down, floors),
            self._faced(self._ground(down, up, floors, low=True), floors),
        )
        of_row, pair = spread(_at(meeting.start, classes), _at(meeting.count, classes))
        thin = (np.maximum(floors, self._low("quench")) - down - HAIR)[of_row]
        start, count = self.gaskets.runs(
            meeting.second[pair], thin, (self._high("quench") - up + HAIR)[of_row]
        )
        for found, parent, _ in self._met("gasket", self.gaskets, rows, of_row, pair, start, count):
            found["floor"] = floors[parent]
            found = self._ruled(self._bounded(found, "gasket"), "gasket")
            yield self._settled(found)

    def _tight(self, floors: Floats, *, low: bool) -> Bools:
        """Where the filters ask for more than the question's own edge of quench: there only its aim counts."""
        own = self.bench.question.window("quench")
        if low:
            return self._low("quench") > (floors if own.low is None else np.maximum(floors, own.low)) + HAIR
        high = np.inf if own.high is None else own.high
        return np.full(len(floors), self._high("quench") < high - HAIR)

    def _ground(self, end: Floats, other: Floats, floors: Floats, *, low: bool = False) -> Floats:
        """How far towards one end grinding could bring a piston that is wanted in the filters' quench."""
        aim = self.bench.question.window("deck_clearance").aim
        if aim is None:
            return end
        aimed = np.minimum(np.maximum(aim, np.minimum(end, other)), np.maximum(end, other))
        return np.where(self._tight(floors, low=low), aimed, end)

    def _faced(self, clearance: Floats, floors: Floats) -> Floats:
        """How far down facing could bring a piston that is wanted in the filters' quench."""
        question = self.bench.question
        if not self.bench.faces:
            return clearance
        furthest = clearance + question.crown_limit
        aim, low = question.window("deck_clearance").aim, question.window("deck_clearance").low
        if aim is None:
            return furthest
        goal = aim if low is None else max(aim, low)
        aimed = np.maximum(clearance, np.minimum(furthest, goal))
        return np.where(self._tight(floors, low=True), aimed, furthest)

    def _settled(self, rows: Rows) -> Rows:
        """Grind and face to what meets the wanted clearance; work out all but the chamber."""
        bench, question = self.bench, self.bench.question
        height = np.array(bench.block.values["deck_height"])
        thickness = bench.column("gasket.thickness")[rows["gasket"]]
        stroke = (rows["longest"] + rows["shortest"]) / 2
        want = self._want(thickness, rows["floor"])
        ground = ~np.isnan(rows["shift"])
        if want is not None and ground.any():
            exact = stroke_for(height, want, rows["length"], rows["height"])
            stroke = np.where(
                ground, np.minimum(np.maximum(exact, rows["shortest"]), rows["longest"]), stroke
            )
        clearance = deck_clearance(height, stroke, rows["length"], rows["height"])
        least = self._least(thickness, rows["floor"])
        cut = np.zeros(len(stroke))
        if bench.faces:
            goal = least if want is None else np.maximum(want, least)
            high = (clearance < least - EDGE) & (clearance + question.crown_limit >= least - EDGE)
            cut = np.where(high, np.minimum(goal - clearance, question.crown_limit), 0.0)
            clearance = clearance + cut
            cost = np.where(cut > 0, bench.face_cost, 0)
            rows = dict(rows, key=rows["key"] + cost * (1 + bench.weight), cost=rows["cost"] + cost)
        quench = clearance + thickness
        area = circle_area(rows["bore"])
        rows = rows | {
            "stroke": stroke, "cut": cut, "clearance": clearance, "quench": quench,
            "swept": area * stroke / 1000, "rod_ratio": rows["length"] / stroke,
            "speed": 2 * stroke * question.rpm / 60 / 1000,
        }  # fmt: skip
        rows = kept_rows(rows, (
            self._within("deck_clearance", clearance) & self._within("quench", quench)
            & (quench >= rows["floor"] - EDGE)
            & self._within("displacement", rows["swept"] * bench.block.cylinders)
            & self._within("rod_ratio", rows["rod_ratio"]) & self._within("piston_speed", rows["speed"])
        ))  # fmt: skip
        rows = self._bounded(rows, "gasket")
        rows["besides"] = self._volume_besides_chamber(rows)
        return rows

    def _want(self, thickness: Floats, floors: Floats) -> Floats | None:
        """The clearance that grinding and facing go for, row by row: :func:`judge.wanted_clearance`."""
        clearance, quench = self.bench.question.window("deck_clearance"), self.bench.question.window("quench")
        if clearance.aim is not None:
            want = np.full(len(thickness), clearance.aim)
        elif (aim := self.bench.question.aim("quench")) is not None:
            want = aim - thickness
        elif (middle := self.bench.question.aim("deck_clearance")) is not None:
            want = np.full(len(thickness), middle)
        else:
            return None
        least = self._least(thickness, floors)
        most = np.minimum(
            np.inf if clearance.high is None else clearance.high,
            np.inf if quench.high is None else quench.high - thickness,
        )
        return np.where(least <= most, np.maximum(np.minimum(want, most), least), want)

    def _least(self, thickness: Floats, floors: Floats) -> Floats:
        """The least clearance that windows and floor leave: :func:`judge.least_clearance`."""
        question = self.bench.question
        low = question.window("quench").low
        least: Floats = (floors if low is None else np.maximum(floors, low)) - thickness
        low = question.window("deck_clearance").low
        return least if low is None else np.maximum(least, low)

    def _volume_besides_chamber(self, rows: Rows) -> Floats:
        bench = self.bench
        gasket, piston = rows["gasket"], rows["piston"]
        opening = bench.column("gasket.opening_area")[gasket]
        around = circle_area(bench.column("gasket.bore")[gasket])
        land = bench.column("piston.top_land_diameter")[piston]
        land_height = bench.column("piston.top_land_height")[piston]
        crevice = np.nan_to_num(crevice_volume(rows["bore"], land, land_height - rows["cut"]))
        dish = np.nan_to_num(bench.column("piston.dish_area")[piston])
        return (
            np.where(np.isnan(opening), around, opening) * bench.column("gasket.thickness")[gasket] / 1000
            + circle_area(rows["bore"]) * rows["clearance"] / 1000
            + bench.column("piston.crown_volume")[piston]
            - dish * rows["cut"] / 1000
            + crevice
        )

    def _within(self, key: str, values: Floats) -> Bools:
        return (values >= self._low(key) - EDGE) & (values <= self._high(key) + EDGE)

    def _head_runs(self, rows: Rows) -> tuple[Ints, Ints, Ints, Ints]:
        """For rows with a gasket: row, pair of classes, start and count of the heads that suit the ratio."""
        bench, meeting = self.bench, self.bench.meetings["head"]
        classes = bench.signature("piston", "head").of_part[rows["piston"]]
        of_row, pair = spread(_at(meeting.start, classes), _at(meeting.count, classes))
        low, high = self._low("compression_ratio"), self._high("compression_ratio")
        # A ratio of (Vs + V)/V within its edges is a volume within these.
        most = np.inf if low <= 1 else rows["swept"] / (low - EDGE - 1) - rows["besides"]
        least = -rows["besides"] if high == np.inf else rows["swept"] / (high + EDGE - 1) - rows["besides"]
        top = most[of_row] if isinstance(most, np.ndarray) else most
        start, count = self.heads.runs(meeting.second[pair], least[of_row], top)
        return of_row, pair, start, count

    def number(self, rows: Rows) -> Ints:
        """Return how many recipes each row of crank, rod and piston leads to."""
        out = np.zeros(len(rows["key"]), np.int64)
        if not len(out):
            return out
        rows = rows | {"at": np.arange(len(out))}
        costs = self.filters.get("cost", Window())
        by_run = not self.bench.by_row["head"] and costs.low is None and costs.high is None
        for stacks in self.stacks(rows):
            if not len(stacks["key"]):
                continue
            if by_run:
                # No recipe needs to be made to be counted.
                of_row, _, start, count = self._head_runs(stacks)
                heads = self.heads.before[start + count] - self.heads.before[start]
                out += _sums(stacks["at"][of_row], stacks["times"][of_row] * heads, len(out))
            else:
                for recipes in self.recipes(stacks):
                    out += _sums(recipes["at"], recipes["times"], len(out))
        return out

    def recipes(self, rows: Rows) -> Iterator[Rows]:
        """Yield whole recipes from rows with a gasket."""
        if not len(rows["piston"]) or not len(self.bench.meetings["head"].first):
            return
        of_row, pair, start, count = self._head_runs(rows)
        for found, _, at in self._met("head", self.heads, rows, of_row, pair, start, count):
            found["volume"] = found["besides"] + self.heads.values[at]
            found = self._bounded(self._ruled(found, "head"), "head")
            found = kept_rows(found, found["volume"] > 0)
            found["ratio"] = (found["swept"] + found["volume"]) / found["volume"]
            yield kept_rows(found, (
                self._within("compression_ratio", found["ratio"]) & self._within("cost", found["cost"] / 100)
            ))  # fmt: skip


def _sums(at: Ints, numbers: Ints, size: int) -> Ints:
    """Sums of whole numbers by place, exact however large."""
    out = np.zeros(size, np.int64)
    np.add.at(out, at, numbers)
    return out


def kept_rows(rows: Rows, keep: Bools) -> Rows:
    """Return the rows that are kept."""
    if keep.all():
        return dict(rows)
    return {name: column[keep] for name, column in rows.items()}


def _at(column: Ints, classes: Ints) -> Ints:
    """Look classes up in a column that only reaches to the last class that meets anything."""
    known = classes < len(column)
    return np.where(known, column[np.where(known, classes, 0)], 0) if len(column) else np.zeros_like(classes)
