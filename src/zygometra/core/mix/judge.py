"""One recipe judged plainly: what fits, what must be machined, what comes out, and why not.

This is the definition that the search must agree with: one crank, rod, piston, gasket
and head in one block, rule by rule and window by window.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from ..place import PartPlace
from ..stack.arithmetic import (
    circle_area,
    crevice_volume,
    ratio_of,
)
from ..stack.motion import mean_piston_speed
from ..windows import Window, worst_miss
from .machining import Bottoms, moved_for_ratio, stopped_at, stops, throw_shift
from .parts import MAKING, needed_of
from .question import WANTED, Question
from .rules import FACE_CROWN, OFFSET_GRIND, Fit, FitRules, judge_fit
from .shelf import Block, Floats, Shelf

Combination = tuple[int, int, int, int, int]


@dataclass(frozen=True, slots=True)
class Results:
    """What a recipe comes to. Lengths in mm, volumes in cc, speed in m/s, cost in hundredths."""

    stroke: float
    bore: float
    crown_cut: float
    deck_clearance: float
    quench: float
    compression_ratio: float | None
    displacement: float
    rod_ratio: float
    piston_speed: float
    clearance_volume: float
    cost: int
    machining_cost: int

    def value(self, key: str) -> float | None:
        """Return a result by the key of its window; the cost in the shop's money.

        Parameters
        ----------
        key : str
            Name of a result, such as ``quench``.
        """
        return self.cost / 100 if key == "cost" else getattr(self, key)


@dataclass(frozen=True, slots=True)
class Job:
    """An operation that a recipe wants: on which kind, on how many, what it says of why, and what it moves."""

    machining: str
    part: str
    pieces: int
    cost: int
    says: str
    effect: str = ""


@dataclass(frozen=True, slots=True)
class Verdict:
    """All that is to be said of one recipe.

    ``results`` is None where a figure without which nothing follows is missing.
    ``outside`` holds the windows it lies outside of, ``missing`` what cannot be judged
    for want of a figure, ``unchecked`` the rules that could not be looked at.
    """

    recipe: Combination
    results: Results | None
    fits: tuple[Fit, ...]
    jobs: tuple[Job, ...]
    outside: tuple[str, ...]
    missing: tuple[str, ...]
    unchecked: tuple[Fit, ...]

    @property
    def refused(self) -> tuple[Fit, ...]:
        """The rules that say no."""
        return tuple(fit for fit in self.fits if fit.verdict == "no")

    @property
    def stands(self) -> bool:
        """True where it fits, perhaps after machining, and lies inside every window."""
        return not (self.missing or self.refused or self.outside) and self.results is not None


# long: one recipe through the trade's questions, in their order
def judge(shelf: Shelf, block: Block, rules: FitRules, question: Question, recipe: Combination) -> Verdict:
    """Judge one recipe.

    Parameters
    ----------
    shelf : Shelf
        The shelf.
    block : Block
        The question's block.
    rules : FitRules
        The rules of fit in force.
    question : Question
        The windows, and what may be done.
    recipe : tuple of int
        Rows of crank, rod, piston, gasket and head.

    Returns
    -------
    Verdict
        What fits, what must be machined, what comes out.

    Notes
    -----
    Where the rod journals are ground offset, their centres can move
    e = (d_crank − d_rod)/2 − clean-up, so the stroke can be anything within ± 2e; it is
    ground to what meets the windows and the wanted clearance (:func:`machining.stops`). A rule that asks
    for the stroke is judged at the longest it could become. A crown is faced only
    where the piston would stop too high, to what meets the wanted clearance.
    """
    rows = dict(zip(MAKING, recipe, strict=True))
    tables = shelf.tables

    def figure(kind: str, name: str) -> float | None:
        value = float(tables[kind].values[name][rows[kind]])
        return None if value != value else value

    grind = _grind(question, rules, figure("crank", "pin_diameter"), figure("rod", "journal_diameter"))

    def look(place: str) -> float | str | None:
        kind, name = PartPlace.parse(place)
        if kind == "block":
            return block.look(name)
        words = tables[kind].words.get(name)
        if words is not None:
            return words[rows[kind]] or None
        value = figure(kind, name)
        if place == "crank.stroke" and value is not None:
            return value + 2 * (grind or 0.0)
        return value

    fits = tuple(judge_fit(rule, look, question.allows) for rule in rules.rules)
    missing = {place for fit in fits if fit.verdict == "unknown" and fit.rule.needed for place in fit.missing}
    for kind in MAKING:
        missing |= {f"{kind}.{name}" for name in NEEDED[kind] if look(f"{kind}.{name}") is None}
        if tables[kind].price[rows[kind]] < 0 and _more(shelf, rows, kind, block):
            missing.add(f"{kind}.price")
    unchecked = tuple(fit for fit in fits if fit.verdict == "unknown" and not fit.rule.needed)
    if missing:
        return Verdict(recipe, None, fits, (), (), tuple(sorted(missing)), unchecked)
    jobs = [_job(rules, fit.machining, block, fit.says) for fit in fits if fit.verdict == "machine"]
    floor = question.floor(str(look("rod.material") or ""))
    frame = _Frame(block, rules, question, floor)
    results = _results(frame, figure, grind, jobs, _to_buy(shelf, rows, block))
    outside = list(misses(results, question, floor))
    if question.only_in_hand and any(_more(shelf, rows, kind, block) for kind in MAKING):
        outside.append("in hand")
    if any(rows[kind] != tables[kind].place.get(code) for kind, code in question.use.items()):
        outside.append("use")
    return Verdict(recipe, results, fits, tuple(jobs), tuple(outside), (), unchecked)


NEEDED: dict[str, tuple[str, ...]] = {
    "crank": ("stroke",),
    "rod": ("length",),
    "piston": ("compression_height", "crown_volume", "bore"),
    "gasket": ("thickness", "bore"),
    "head": ("chamber_volume",),
}


def _more(shelf: Shelf, rows: Mapping[str, int], kind: str, block: Block) -> int:
    """How many of a part would have to be bought."""
    needed = needed_of(kind, block.cylinders, block.banks)
    return max(needed - int(shelf.tables[kind].in_hand[rows[kind]]), 0)


def _to_buy(shelf: Shelf, rows: Mapping[str, int], block: Block) -> int:
    """What the parts still cost, in hundredths: those on the shelf are paid for."""
    return sum(
        _more(shelf, rows, kind, block) * max(int(shelf.tables[kind].price[rows[kind]]), 0) for kind in MAKING
    )


Look = Callable[[str, str], float | None]


def _grind(question: Question, rules: FitRules, pin: float | None, wanted: float | None) -> float | None:
    """How far the centre of a journal can be moved; None where it is not ground."""
    if pin is None or wanted is None or not question.allows(OFFSET_GRIND):
        return None
    for rule in rules.rules:
        if set(rule.measure) == {"crank.pin_diameter", "rod.journal_diameter"}:
            fit = judge_fit(
                rule, {"crank.pin_diameter": pin, "rod.journal_diameter": wanted}.get, question.allows
            )
            if fit.machining == OFFSET_GRIND:
                return throw_shift(pin, wanted, question.clean_up)
    return None


def _job(rules: FitRules, key: str, block: Block, says: str) -> Job:
    machining = rules.machinings[key]
    pieces = machining.pieces(block.cylinders, block.banks)
    return Job(key, machining.part, pieces, pieces * machining.cost, says, machining.effect)


class _Frame(NamedTuple):
    """What a recipe is judged in: the block, the rules, what is wanted, and the quench floor in mm."""

    block: Block
    rules: FitRules
    question: Question
    floor: float


# long: the stack's arithmetic in its order: each line wants those before it
def _results(frame: _Frame, figure: Look, grind: float | None, jobs: list[Job], to_buy: int) -> Results:
    block, rules, question, floor = frame

    def known(kind: str, name: str) -> float:
        return figure(kind, name) or 0.0

    height, bore = block.values["deck_height"], block.values["bore"]
    stroke, rod = known("crank", "stroke"), known("rod", "length")
    compression, thickness = known("piston", "compression_height"), known("gasket", "thickness")
    if any(job.effect == "bore" for job in jobs):
        bore = known("piston", "bore")
    area = circle_area(bore)
    least, most = stroke - 2 * (grind or 0.0), stroke + 2 * (grind or 0.0)
    row = Bottoms(
        *(
            np.array([value])
            for value in (
                height,
                least,
                most,
                rod,
                compression,
                thickness,
                floor,
                area * block.cylinders / 1000,
            )
        )
    )
    faces = FACE_CROWN in rules.machinings and question.allows(FACE_CROWN)
    stopped = stops(question, row, faces=faces)

    def volume_at(strokes: Floats) -> Floats:
        off, down = stopped_at(question, row, strokes, faces=faces)
        return top + area * down / 1000 - known("piston", "dish_area") * off / 1000 + crevice(off)

    def crevice(off: Floats) -> Floats:
        if land is None or land_height is None:
            return np.zeros(1)
        return crevice_volume(np.array([bore]), np.array([land]), land_height - off)

    def ratio_at(strokes: Floats) -> Floats:
        volumes = volume_at(strokes)
        return np.where(
            volumes > 0, ratio_of(area * strokes / 1000, np.where(volumes > 0, volumes, 1.0)), np.inf
        )

    opening = figure("gasket", "opening_area")
    land, land_height = figure("piston", "top_land_diameter"), figure("piston", "top_land_height")
    top = (
        known("head", "chamber_volume")
        + (circle_area(known("gasket", "bore")) if opening is None else opening) * thickness / 1000
        + known("piston", "crown_volume")
    )
    strokes = moved_for_ratio(question.window("compression_ratio"), stopped, ratio_at)
    cuts, clearances = stopped_at(question, row, strokes, faces=faces)
    stroke, cut, clearance = float(strokes[0]), float(cuts[0]), float(clearances[0])
    if grind is not None:
        says = f"ground to a stroke of {stroke:.3f} mm, {least:.3f} to {most:.3f} mm could be had"
        jobs[:] = [replace(j, says=f"{j.says}; {says}") if j.machining == OFFSET_GRIND else j for j in jobs]
    if cut:
        jobs.append(_job(rules, FACE_CROWN, block, f"without it the piston stops {cut:.3f} mm higher"))
    swept = area * stroke / 1000
    volume = float(volume_at(strokes)[0])
    machining = sum(job.cost for job in jobs)
    return Results(
        stroke,
        bore,
        cut,
        clearance,
        clearance + thickness,
        ratio_of(swept, volume) if volume > 0 else None,
        swept * block.cylinders,
        rod / stroke,
        mean_piston_speed(stroke, question.rpm),
        volume,
        to_buy + machining,
        machining,
    )


def window_of(question: Question, key: str, floor: float) -> Window:
    """Return the window a result is judged by: that of quench never reaches under the floor.

    Parameters
    ----------
    question : Question
        What is asked.
    key : str
        Name of a result, such as ``quench``.
    floor : float
        Quench floor in mm.
    """
    window = question.window(key)
    return window.over_floor(floor) if key == "quench" else window


def misses(results: Results, question: Question, floor: float) -> dict[str, float]:
    """Return by how much each window is missed, in the result's unit; negative below it.

    Parameters
    ----------
    results : Results
        Of a recipe.
    question : Question
        With the windows.
    floor : float
        The quench floor of its rods, in mm.

    Returns
    -------
    dict
        Only the windows that are missed; a window that cannot be met is missed by infinity.
    """
    by = {w.key: worst_miss(results.value(w.key), window_of(question, w.key, floor)) for w in WANTED}
    if results.compression_ratio is None:
        # No room is left above the piston: nothing that could be asked is met.
        by["compression_ratio"] = math.inf
    return {key: miss for key, miss in by.items() if miss}
