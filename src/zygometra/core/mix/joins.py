"""The joins of the search: which crank, rod, piston, gasket and head meet, without trying them all.

Parts that are alike in an interface share a class, and rules are asked once for each
pair of classes. Within a class, pistons lie in the order of their compression height,
gaskets of their thickness, heads of their volume: what a window leaves of them is one
run, found by bisection. Rows are made stage by stage, a run at a time, never the whole
product; the edges of a run are a hair wide, and every result is judged on its own.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..build import Window
from ..stack import circle_area, crevice_volume, deck_clearance, stroke_for
from .judge import NEEDED
from .parts import MAKING, needed_of
from .question import EDGE, Question
from .rules import BORE, FACE_CROWN, OFFSET_GRIND, FitRule, FitRules, judge_columns
from .shelf import Block, Floats, Ints, Rows, Shelf, Signature

Bools = NDArray[np.bool_]

HAIR = 1e-6
MOST_ROWS = 1_500_000
# The stages at which kinds join, and the pairs whose rules are asked by class.
_PAIRS = (("crank", "rod"), ("rod", "piston"), ("piston", "gasket"), ("piston", "head"))
# In least-machining, a hundredth of machining outweighs any price.
_OUTWEIGHS = 10**9
# What of each kind the arithmetic of the stack asks for, besides what rules ask.
_COUNTED = {
    "crank": ("stroke",), "rod": ("length",),
    "piston": ("compression_height", "bore", "crown_volume", "dish_area", "top_land_height", "top_land_diameter"),
    "gasket": ("thickness", "bore", "opening_area"), "head": ("chamber_volume",),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Candidates:
    """The parts of one kind that could be in a recipe, each with its weight.

    ``rows`` are places in the table, ``key`` what the part adds to what is to be least,
    ``cost`` its share of the money in hundredths, ``bored`` pistons for which the block
    is bored, ``times`` how many parts alike each stands for.
    """

    rows: Ints
    key: Ints
    cost: Ints
    bored: Bools
    times: Ints

    def taken(self, keep: Bools | Ints) -> Candidates:
        """Return those that are kept, or those at some places."""
        return Candidates(
            self.rows[keep], self.key[keep], self.cost[keep], self.bored[keep], self.times[keep]
        )


@dataclass(frozen=True, slots=True)
class Sieve:
    """Why parts of one kind are in or out: rows missing a figure, and rules that say no."""

    missing: Mapping[str, Bools]
    refused: Mapping[str, Bools]
    left: Bools


@dataclass(frozen=True, slots=True)
class Meeting:
    """Which classes of one kind meet which of another: after what machining, with what throw shift."""

    first: Ints
    second: Ints
    start: Ints
    count: Ints
    machining: Ints
    shift: Floats


class Bench:
    """A shelf laid out for one question: candidates, classes, and what meets what."""

    def __init__(self, shelf: Shelf, block: Block, rules: FitRules, question: Question) -> None:
        self.shelf, self.block, self.rules, self.question = shelf, block, rules, question
        self.faces = question.allows(FACE_CROWN) and FACE_CROWN in rules.machinings
        self.face_cost = self._job_cost(FACE_CROWN) if self.faces else 0
        self.weight = _OUTWEIGHS if question.priority == "least-machining" else 0
        self.candidates = {kind: self._candidates(kind) for kind in MAKING}
        self._by_class: dict[str, list[FitRule]] = {second: [] for _, second in _PAIRS}
        self.by_row: dict[str, list[FitRule]] = {kind: [] for kind in MAKING}
        for rule in rules.rules:
            if len(rule.kinds) == 2 and rule.kinds in _PAIRS and "crank.stroke" not in rule.places:
                self._by_class[rule.kinds[1]].append(rule)
            elif len(rule.kinds) > 1:
                self.by_row[rule.kinds[-1]].append(rule)
        self.meetings = {second: self._meeting(first, second) for first, second in _PAIRS}

    # -- parts on their own -----------------------------------------------------

    def _job_cost(self, key: str) -> int:
        machining = self.rules.machinings[key]
        if machining.part == "block":
            return machining.cost
        return machining.cost * needed_of(machining.part, self.block.cylinders, self.block.banks)

    def _band_costs(self, rule: FitRule) -> Ints:
        """The cost of each band of a rule, and of none at the end (band −1)."""
        keys = [rule.otherwise] if rule.same else [band.machining for band in rule.bands]
        return np.array([*(self._job_cost(key) if key else 0 for key in keys), 0], np.int64)

    def column(self, place: str) -> Floats:
        """Return the whole column of a place, or the block's figure as a column of one."""
        kind, _, name = place.partition(".")
        if kind == "block":
            return np.array([self.block.number(name)])
        return self.shelf.tables[kind].column(name, self.shelf.numbers)

    def sieve(self, kind: str) -> Sieve:
        """Tell which parts of a kind are out on their own, and by which rule or missing figure."""
        table = self.shelf.tables[kind]
        own = [rule for rule in self.rules.rules if rule.kinds == (kind,)]
        needed = [f"{kind}.{name}" for name in NEEDED[kind]]
        for rule in self.rules.rules:
            if rule.needed:
                needed += [p for p in rule.places if p.startswith(f"{kind}.") and p not in needed]
        missing = {place: np.isnan(self.column(place)) for place in needed}
        more = needed_of(kind, self.block.cylinders, self.block.banks) - table.in_hand
        missing[f"{kind}.price"] = (table.price < 0) & (more > 0)
        refused: dict[str, Bools] = {}
        for rule in own:
            fits, _ = judge_columns(rule, self.column, self.question.allows)
            refused[rule.key] = np.broadcast_to(~fits, (len(table),))
        if (code := self.question.use.get(kind)) is not None:
            wanted = np.ones(len(table), bool)
            if code in table.place:
                wanted[table.place[code]] = False
            refused["use"] = wanted
        if self.question.only_in_hand:
            refused["in hand"] = more > 0
        left = np.ones(len(table), bool)
        for out in (*missing.values(), *refused.values()):
            left &= ~out
        return Sieve(missing, refused, left)

    def _candidates(self, kind: str) -> Candidates:
        table = self.shelf.tables[kind]
        rows = np.flatnonzero(self.sieve(kind).left)
        machining = np.zeros(len(rows), np.int64)
        bored = np.zeros(len(rows), bool)

        def look(place: str) -> Floats:
            column = self.column(place)
            return column if place.startswith("block.") else column[rows]

        for rule in self.rules.rules:
            if rule.kinds == (kind,):
                _, band = judge_columns(rule, look, self.question.allows)
                machining += self._band_costs(rule)[band]
                if any(b.machining == BORE for b in rule.bands):
                    bored |= np.array([*(b.machining == BORE for b in rule.bands), False])[band]
        more = np.maximum(needed_of(kind, self.block.cylinders, self.block.banks) - table.in_hand[rows], 0)
        cost = more * np.maximum(table.price[rows], 0) + machining
        return Candidates(rows, cost + self.weight * machining, cost, bored, np.ones(len(rows), np.int64))

    def alike(self, kind: str, with_cost: bool) -> Candidates:
        """Return candidates of which those that nothing sets apart are one, standing for so many.

        Parameters
        ----------
        kind : str
            The kind.
        with_cost : bool
            True where their cost sets them apart too.

        Returns
        -------
        Candidates
            Enough to count with; which part a row names is one of those alike.
        """
        taken = self.candidates[kind]
        names = {place.partition(".")[2] for rules in self.by_row.values() for rule in rules
                 for place in rule.places if place.startswith(f"{kind}.")}  # fmt: skip
        columns = [self.column(f"{kind}.{name}")[taken.rows] for name in sorted(names | set(_COUNTED[kind]))]
        for first, second in _PAIRS:
            if kind in (first, second):
                other = second if kind == first else first
                columns.append(self.signature(kind, other).of_part[taken.rows].astype(float))
        if kind == "rod":
            columns.append(self.floors(taken.rows))
        columns.append(taken.bored.astype(float))
        if with_cost:
            columns.append(taken.cost.astype(float))
        if not len(taken.rows):
            return taken
        _, at, times = np.unique(
            np.nan_to_num(np.stack(columns, axis=1), nan=np.inf),
            axis=0,
            return_index=True,
            return_counts=True,
        )
        one_each = taken.taken(at)
        return Candidates(one_each.rows, one_each.key, one_each.cost, one_each.bored, times.astype(np.int64))

    def floors(self, rods: Ints) -> Floats:
        """Return the house's least quench for each rod, by its material, in mm."""
        words = self.shelf.tables["rod"].words["material"]
        known = {word: self.question.floor(word) for word in set(words)}
        if len(set(known.values())) == 1:
            return np.full(len(rods), next(iter(known.values())))
        return np.array([known[words[row]] for row in rods])

    # -- pairs of classes ---------------------------------------------------------

    def signature(self, kind: str, with_kind: str) -> Signature:
        """Return the classes of a kind towards another."""
        second = with_kind if (kind, with_kind) in _PAIRS else kind
        names = sorted(
            {
                p.partition(".")[2]
                for r in self._by_class[second]
                for p in r.places
                if p.startswith(f"{kind}.")
            }
        )
        return self.shelf.tables[kind].signature(tuple(names), self.shelf.numbers)

    def _meeting(self, first: str, second: str) -> Meeting:
        rules = self._by_class[second]
        sides = {}
        for kind, other in ((first, second), (second, first)):
            signature = self.signature(kind, other)
            names = sorted({p.partition(".")[2] for r in rules for p in r.places if p.startswith(f"{kind}.")})
            present = np.unique(signature.of_part[self.candidates[kind].rows])
            sides[kind] = (signature.distinct[present], names, present)
        (a, a_names, a_ids), (b, b_names, b_ids) = sides[first], sides[second]

        def look(place: str) -> Floats:
            kind, _, name = place.partition(".")
            if kind == first:
                return a[:, a_names.index(name)][:, None]
            if kind == second:
                return b[:, b_names.index(name)][None, :]
            return np.array([[self.block.number(name)]])

        ok = np.ones((len(a), len(b)), bool)
        machining = np.zeros(ok.shape, np.int64)
        shift = np.full(ok.shape, np.nan)
        for rule in rules:
            fits, band = judge_columns(rule, look, self.question.allows)
            ok &= fits
            machining += self._band_costs(rule)[band]
            if any(item.machining == OFFSET_GRIND for item in rule.bands):
                ground = np.array([*(item.machining == OFFSET_GRIND for item in rule.bands), False])[band]
                moved = (
                    look("crank.pin_diameter") - look("rod.journal_diameter")
                ) / 2 - self.question.clean_up
                shift = np.where(ground, np.maximum(moved, 0.0), shift)
        at_a, at_b = np.nonzero(ok)
        begins = np.searchsorted(at_a, np.arange(len(a) + 1))
        start = np.zeros(int(a_ids.max()) + 1 if len(a_ids) else 0, np.int64)
        count = np.zeros_like(start)
        start[a_ids], count[a_ids] = begins[:-1], np.diff(begins)
        return Meeting(a_ids[at_a], b_ids[at_b], start, count, machining[at_a, at_b], shift[at_a, at_b])


# -- runs -------------------------------------------------------------------------


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
            cost = bench._band_costs(rule)[band]
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
        for piece in _pieces(count):
            of, at = spread(start[piece], count[piece])
            parent, p = of_row[piece][of], pair[piece][of]
            machining = meeting.machining[p]
            piston = self.pistons.taken
            found = {name: column[parent] for name, column in rows.items()}
            found |= {
                "piston": piston.rows[at],
                "key": found["key"] + piston.key[at] + machining * (1 + bench.weight),
                "cost": found["cost"] + piston.cost[at] + machining,
                "times": found["times"] * piston.times[at],
                "height": self.pistons.values[at],
                "bore": np.where(
                    piston.bored[at], bench.column("piston.bore")[piston.rows[at]], bench.block.values["bore"]
                ),
            }
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
        for piece in _pieces(count):
            of, at = spread(start[piece], count[piece])
            parent, p = of_row[piece][of], pair[piece][of]
            gasket = self.gaskets.taken
            machining = meeting.machining[p]
            found = {name: column[parent] for name, column in rows.items()}
            found |= {
                "gasket": gasket.rows[at],
                "key": found["key"] + gasket.key[at] + machining * (1 + bench.weight),
                "cost": found["cost"] + gasket.cost[at] + machining,
                "times": found["times"] * gasket.times[at],
                "floor": floors[parent],
            }
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
        bench, meeting = self.bench, self.bench.meetings["head"]
        if not len(rows["piston"]) or not len(meeting.first):
            return
        of_row, pair, start, count = self._head_runs(rows)
        for piece in _pieces(count):
            of, at = spread(start[piece], count[piece])
            parent, p = of_row[piece][of], pair[piece][of]
            head = self.heads.taken
            machining = meeting.machining[p]
            found = {name: column[parent] for name, column in rows.items()}
            found |= {
                "head": head.rows[at],
                "key": found["key"] + head.key[at] + machining * (1 + bench.weight),
                "cost": found["cost"] + head.cost[at] + machining,
                "times": found["times"] * head.times[at],
                "volume": found["besides"] + self.heads.values[at],
            }
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
