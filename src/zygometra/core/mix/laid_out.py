"""A shelf laid out for one question: which parts could be in a recipe, and which classes of them meet.

Parts that are alike in an interface share a class, and rules are asked once for each
pair of classes.
"""

# long: one table of a question: rows, classes, and which of them meet
from __future__ import annotations

import copy
import itertools
from collections.abc import Mapping
from dataclasses import replace
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..place import PartPlace
from .candidates import Alike, Candidates, Meeting, Sieve
from .facing import crowns, dish_is_untold, most_off
from .parts import MAKING, needed_of
from .placeholders import NO_FLOOR, STAND_FOR, UNPRICED, is_stood_in, needed_for, stood_for
from .question import MixQuestion
from .rules import FACE_CROWN, OFFSET_GRIND, FitRule, FitRules, holds_for, judge_columns, names_asked
from .shelf import Block, Bools, Floats, Ints, Shelf, Signature, alike

# The pairs of kinds whose rules are asked by class.
PAIRS = (("crank", "rod"), ("rod", "piston"), ("piston", "gasket"), ("piston", "head"))
# In least-machining, a hundredth of machining outweighs any price.
_OUTWEIGHS = 10**9
# What of each kind the arithmetic of the stack asks for, besides what rules ask.
_COUNTED = {
    "crank": ("stroke",),
    "rod": ("length",),
    "piston": (
        "compression_height",
        "bore",
        "crown_volume",
        "dish_area",
        "top_land_height",
        "top_land_diameter",
    ),
    "gasket": ("thickness", "bore", "opening_area"),
    "head": ("chamber_volume",),
}


class QueryTables:
    """A shelf laid out for one question: candidates, classes, and what meets what."""

    def __init__(self, shelf: Shelf, block: Block, rules: FitRules, question: MixQuestion) -> None:
        self.shelf, self.block, self.rules, self.question = shelf, block, rules, question
        # The operations after which the bore is the piston's.
        self.enlarging = {key for key, machining in rules.machinings.items() if machining.effect == "bore"}
        self.faces = question.allows(FACE_CROWN) and FACE_CROWN in rules.machinings
        self.face_cost = self.job_cost(FACE_CROWN) if self.faces else 0
        self.weight = _OUTWEIGHS if question.priority == "least-machining" else 0
        self.candidates = {kind: self._candidates(kind) for kind in MAKING}
        self._by_class: dict[str, list[FitRule]] = {second: [] for _, second in PAIRS}
        self.by_row: dict[str, list[FitRule]] = {kind: [] for kind in MAKING}
        for rule in rules.rules:
            if len(rule.kinds) == 2 and rule.kinds in PAIRS and "crank.stroke" not in rule.places:
                self._by_class[rule.kinds[1]].append(rule)
            elif len(rule.kinds) > 1:
                self.by_row[rule.kinds[-1]].append(rule)
        self.meetings = {second: self._meeting(first, second) for first, second in PAIRS}
        self._alike: dict[tuple[str, bool], Alike] = {}

    def asked(self, question: MixQuestion) -> QueryTables:
        """Return the shelf laid out for another question; where only windows differ, what was laid out is shared.

        Parameters
        ----------
        question : MixQuestion
            What is asked.
        """
        own = self.question
        if replace(
            question,
            windows=own.windows,
            rpm=own.rpm,
            best=own.best,
            quench_floor=own.quench_floor,
            crown_limit=own.crown_limit,
        ) != own or needed_for(question, self.shelf) != needed_for(own, self.shelf):
            return QueryTables(self.shelf, self.block, self.rules, question)
        out = copy.copy(self)
        out.question = question
        if (question.quench_floor, question.crown_limit) != (own.quench_floor, own.crown_limit):
            out._alike = {}
            vars(out).pop("most_off", None)
            vars(out).pop("rests_for_dish", None)
        return out

    # -- parts on their own -----------------------------------------------------

    @cached_property
    def most_off(self) -> Floats:
        """How far the crown of each piston may be faced, in mm."""
        table = self.shelf.tables["piston"]
        return most_off(self.question, crowns(table.values.__getitem__, table.words["crown"]))

    @cached_property
    def rests_for_dish(self) -> Bools:
        """Of which pistons the crown is not faced because nobody told the opening of its dish."""
        table = self.shelf.tables["piston"]
        of = crowns(table.values.__getitem__, table.words["crown"])
        return dish_is_untold(of) & (self.faces and self.question.crown_limit > 0)

    def job_cost(self, key: str) -> int:
        """Return what an operation costs for the whole engine, in hundredths (trade.md 13).

        Parameters
        ----------
        key : str
            Name of a result, such as ``quench``.
        """
        machining = self.rules.machinings[key]
        return machining.cost * machining.pieces(self.block.cylinders, self.block.banks)

    def band_costs(self, rule: FitRule) -> Ints:
        """The cost of each band of a rule, and of none at the end (band −1).

        Parameters
        ----------
        rule : FitRule
            The rule.
        """
        keys = [rule.otherwise] if rule.same else [band.machining for band in rule.bands]
        return np.array([*(self.job_cost(key) if key else 0 for key in keys), 0], np.int64)

    def column(self, place: str) -> Floats:
        """Return the whole column of a place, or the block's figure as a column of one.

        Parameters
        ----------
        place : str
            Kind and name, such as ``rod.length``.
        """
        kind, name = PartPlace.parse(place)
        if kind == "block":
            return np.array([self.block.number(name)])
        return self.shelf.tables[kind].column(name, self.shelf.numbers)

    def counted(self, place: str) -> Floats:
        """Return a column with what stands in the search for figures that are not known.

        Parameters
        ----------
        place : str
            Kind and name, such as ``head.chamber_volume``.
        """
        return stood_for(place, self.column(place))

    @cached_property
    def _unknown(self) -> dict[str, dict[str, Bools]]:
        """For quench and the ratio: of each kind the parts with which they are not known."""
        without = {place: np.isnan(self.column(place)) for place in STAND_FOR}
        around = np.isnan(self.column("gasket.bore")) & np.isnan(self.column("gasket.opening_area"))
        gap = without["gasket.thickness"]
        return {
            "quench": {"gasket": gap},
            "compression_ratio": {
                "piston": without["piston.crown_volume"],
                "gasket": gap | around,
                "head": without["head.chamber_volume"],
            },
        }

    def is_unknown(self, key: str, rows: Mapping[str, Ints]) -> Bools | bool:
        """Tell of which recipes a result is not known.

        Parameters
        ----------
        key : str
            Name of a result, such as ``quench``.
        rows : Mapping
            Row numbers by kind.
        """
        out: Bools | bool = False
        for kind, which in self._unknown.get(key, {}).items():
            if kind in rows and which.any():
                out = out | which[rows[kind]]
        return out

    def number(self, word: str) -> float:
        """Return the number that stands for a word on the shelf; not a number for one that no part bears.

        Parameters
        ----------
        word : str
            As parts bear it.
        """
        return self.shelf.numbers.get(word, np.nan)

    def sieve(self, kind: str) -> Sieve:
        """Tell which parts of a kind are out on their own, and by which rule or missing figure.

        Parameters
        ----------
        kind : str
            A kind of part, such as ``rod``.
        """
        table = self.shelf.tables[kind]
        own = [rule for rule in self.rules.rules if rule.kinds == (kind,)]
        more = needed_of(kind, self.block.cylinders, self.block.banks) - table.in_hand
        missing = {
            f"{kind}.{name}": (table.price < 0) & (more > 0)
            if name == "price"
            else np.isnan(self.column(f"{kind}.{name}"))
            for name in needed_for(self.question, self.shelf)[kind]
        }
        for rule in self.rules.rules:
            if rule.needed:
                self._add_missing(missing, rule, kind)
        refused: dict[str, Bools] = {}
        for rule in own:
            fits, _ = judge_columns(rule, self.column, self.question.allows, self.number)
            known = np.all(
                np.broadcast_arrays(*(~np.isnan(self.column(place)) for place in rule.places)), axis=0
            )
            refused[rule.key] = np.broadcast_to(~fits & known, (len(table),))
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

    def _add_missing(self, missing: dict[str, Bools], rule: FitRule, kind: str) -> None:
        """Add what a rule wants of a kind and some parts lack; a rule that hangs on another's word is asked later."""
        kinds = {place: PartPlace.parse(place).kind for place in rule.when}
        if not set(kinds.values()) <= {kind, "block"}:
            return
        holds = holds_for(rule.when, self.column, self.number)
        for place in rule.places:
            if PartPlace.parse(place).kind == kind:
                lacks = np.isnan(self.column(place))
                missing[place] = missing.get(place, np.zeros(len(lacks), bool)) | (lacks & holds)

    def _candidates(self, kind: str) -> Candidates:
        table = self.shelf.tables[kind]
        rows = np.flatnonzero(self.sieve(kind).left)
        machining = np.zeros(len(rows), np.int64)
        bored = np.zeros(len(rows), bool)

        def look(place: str) -> Floats:
            column = self.column(place)
            return column if PartPlace.parse(place).kind == "block" else column[rows]

        for rule in self.rules.rules:
            if rule.kinds == (kind,):
                _, band = judge_columns(rule, look, self.question.allows, self.number)
                machining += self.band_costs(rule)[band]
                enlarged = [b.machining in self.enlarging for b in rule.bands]
                if any(enlarged):
                    bored |= np.array([*enlarged, False])[band]
        more = np.maximum(needed_of(kind, self.block.cylinders, self.block.banks) - table.in_hand[rows], 0)
        unpriced = (table.price[rows] < 0) & (more > 0)
        cost = more * np.maximum(table.price[rows], 0) + UNPRICED * unpriced + machining
        return Candidates(
            rows=rows,
            key=cost + self.weight * machining,
            cost=cost,
            bored=bored,
            times=np.ones(len(rows), np.int64),
        )

    def alike(self, kind: str, *, with_cost: bool) -> Alike:
        """Return candidates of which those that nothing sets apart are one, standing for so many.

        Parameters
        ----------
        kind : str
            The kind.
        with_cost : bool
            True where their cost sets them apart too.

        Returns
        -------
        Alike
            Enough to count with, and which parts each one stands for.
        """
        if (kind, with_cost) not in self._alike:
            self._alike[kind, with_cost] = self._found_alike(kind, with_cost=with_cost)
        return self._alike[kind, with_cost]

    def _found_alike(self, kind: str, *, with_cost: bool) -> Alike:
        taken = self.candidates[kind]
        asked = names_asked(itertools.chain.from_iterable(self.by_row.values()), kind)
        columns: list[NDArray[Any]] = [
            self.column(f"{kind}.{name}")[taken.rows] for name in sorted({*asked, *_COUNTED[kind]})
        ]
        for first, second in PAIRS:
            if kind in (first, second):
                other = second if kind == first else first
                columns.append(self.signature(kind, other).of_part[taken.rows])
        if kind == "rod":
            columns.append(self.floors(taken.rows))
        if kind == "piston":
            columns.append(self.most_off[taken.rows])
        columns.append(taken.bored)
        if with_cost:
            columns.append(taken.cost)
        none = np.zeros(0, np.int64)
        if not len(taken.rows):
            return Alike(taken, none, none, none)
        at, of_part = alike(columns)
        times = np.bincount(of_part)
        order = np.argsort(of_part, kind="stable")
        start = np.cumsum(times) - times
        standing = Candidates(
            rows=taken.rows[at],
            key=np.minimum.reduceat(taken.key[order], start),
            cost=np.minimum.reduceat(taken.cost[order], start),
            bored=taken.bored[at],
            times=times.astype(np.int64),
        )
        return Alike(standing, order, start, times.astype(np.int64))

    def floors(self, rods: Ints) -> Floats:
        """Return the house's least quench for each rod, by its material, in mm.

        Parameters
        ----------
        rods : array of int
            Row numbers of rods; no unit.
        """
        if is_stood_in(self.shelf, "gasket"):
            return np.full(len(rods), NO_FLOOR)
        words = self.shelf.tables["rod"].words["material"]
        known = {word: self.question.floor(word) for word in set(words)}
        if len(set(known.values())) == 1:
            return np.full(len(rods), next(iter(known.values())))
        return np.array([known[words[row]] for row in rods])

    # -- pairs of classes ---------------------------------------------------------

    def signature(self, kind: str, with_kind: str) -> Signature:
        """Return the classes of a kind towards another.

        Parameters
        ----------
        kind : str
            A kind of part, such as ``rod``.
        with_kind : str
            The kind it meets.
        """
        second = with_kind if (kind, with_kind) in PAIRS else kind
        names = names_asked(self._by_class[second], kind)
        return self.shelf.tables[kind].signature(tuple(names), self.shelf.numbers)

    # long: what it puts together is told field by field, a line each
    def _meeting(self, first: str, second: str) -> Meeting:
        rules = self._by_class[second]
        sides = {}
        for kind, other in ((first, second), (second, first)):
            signature = self.signature(kind, other)
            names = names_asked(rules, kind)
            present = np.unique(signature.of_part[self.candidates[kind].rows])
            sides[kind] = (signature.distinct[present], names, present)
        (a, a_names, a_ids), (b, b_names, b_ids) = sides[first], sides[second]

        def look(place: str) -> Floats:
            kind, name = PartPlace.parse(place)
            if kind == first:
                return a[:, a_names.index(name)][:, None]
            if kind == second:
                return b[:, b_names.index(name)][None, :]
            return np.array([[self.block.number(name)]])

        ok = np.ones((len(a), len(b)), bool)
        machining = np.zeros(ok.shape, np.int64)
        shift = np.full(ok.shape, np.nan)
        for rule in rules:
            fits, band = judge_columns(rule, look, self.question.allows, self.number)
            ok &= fits
            machining += self.band_costs(rule)[band]
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
        return Meeting(
            first=a_ids[at_a],
            second=b_ids[at_b],
            start=start,
            count=count,
            machining=machining[at_a, at_b],
            shift=shift[at_a, at_b],
        )
