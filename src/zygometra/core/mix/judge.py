"""One recipe judged plainly: what fits, what must be machined, what comes out, and why not.

This is the definition that the search must agree with: one crank, rod, piston, gasket
and head in one block, rule by rule and window by window.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any, NamedTuple

import numpy as np

from ..place import PartPlace
from ..sentence import Sentence, sentence
from ..stack.arithmetic import (
    circle_area,
    cylinder_volume,
    ratio_of,
)
from ..stack.kernel import held_by_gasket
from ..stack.motion import mean_piston_speed
from ..windows import Window, worst_miss
from ..written import Length
from .below import Pistons, volume_below
from .facing import crowns, most_off, ring_stays_down
from .machining import Bottoms, moved_for_ratio, stopped_at, stops, throw_shift
from .parts import MAKING, needed_of
from .placeholders import NO_FLOOR, STAND_FOR, UNPRICED, needed_for
from .question import WANTED, MixQuestion
from .rules import FACE_CROWN, OFFSET_GRIND, FitRules, judge_fit
from .shelf import Block, Floats, Shelf
from .verdict import Combination, MachiningJob, RecipeResults, Verdict


# long: one recipe through the trade's questions, in their order
def judge(shelf: Shelf, block: Block, rules: FitRules, question: MixQuestion, recipe: Combination) -> Verdict:
    """Judge one recipe.

    Parameters
    ----------
    shelf : Shelf
        The shelf.
    block : Block
        The question's block.
    rules : FitRules
        The rules of fit in force.
    question : MixQuestion
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

    def as_it_is(place: str) -> float | str | None:
        kind, name = PartPlace.parse(place)
        if kind == "block":
            return block.look(name)
        words = tables[kind].words.get(name)
        if words is not None:
            return words[rows[kind]] or None
        return figure(kind, name)

    grind = _grind(question, rules, as_it_is)

    def look(place: str) -> float | str | None:
        value = as_it_is(place)
        if place == "crank.stroke" and isinstance(value, float):
            return value + 2 * (grind or 0.0)
        return value

    fits = tuple(judge_fit(rule, look, question.allows) for rule in rules.rules)
    missing = {place for fit in fits if fit.verdict == "unknown" and fit.rule.needed for place in fit.missing}
    needed = needed_for(question, shelf)
    for kind in MAKING:
        for name in needed[kind]:
            lacks = _unpriced(shelf, rows, kind, block) if name == "price" else look(f"{kind}.{name}") is None
            missing |= {f"{kind}.{name}"} if lacks else set()
    unchecked = tuple(fit for fit in fits if fit.verdict == "unknown" and not fit.rule.needed)
    if missing:
        return Verdict(
            recipe=recipe,
            results=None,
            fits=fits,
            jobs=(),
            outside=(),
            missing=tuple(sorted(missing)),
            unchecked=unchecked,
        )
    jobs = [_job(rules, fit.machining, block, fit.says) for fit in fits if fit.verdict == "machine"]
    floor = question.floor(str(look("rod.material") or ""))
    if look("gasket.thickness") is None:
        floor = NO_FLOOR
    crown = crowns(
        lambda name: np.array([_or_nan(figure("piston", name))]), [str(look("piston.crown") or "")]
    )
    frame = _Frame(
        block=block, rules=rules, question=question, floor=floor, most_off=float(most_off(question, crown)[0])
    )
    results = _results(frame, figure, grind=grind, jobs=jobs, to_buy=_to_buy(shelf, rows, block))
    outside = list(misses(results, question, floor))
    land = np.array([_or_nan(figure("piston", "top_land_height"))])
    land = np.nan_to_num(land, nan=math.inf)
    if not ring_stays_down(land, np.array([results.crown_cut]), np.array([results.deck_clearance]))[0]:
        outside.append(RING)
    if question.only_in_hand and any(_more(shelf, rows, kind, block) for kind in MAKING):
        outside.append("in hand")
    if any(rows[kind] != tables[kind].place.get(code) for kind, code in question.use.items()):
        outside.append("use")
    return Verdict(
        recipe=recipe,
        results=results,
        fits=fits,
        jobs=tuple(jobs),
        outside=tuple(outside),
        missing=(),
        unchecked=unchecked,
    )


# What a recipe lies outside of where its top ring would come over the deck.
RING = "top ring below the deck"


def _or_nan(value: float | None) -> float:
    return math.nan if value is None else value


def _more(shelf: Shelf, rows: Mapping[str, int], kind: str, block: Block) -> int:
    """How many of a part would have to be bought."""
    needed = needed_of(kind, block.cylinders, block.banks)
    return max(needed - int(shelf.tables[kind].in_hand[rows[kind]]), 0)


def _to_buy(shelf: Shelf, rows: Mapping[str, int], block: Block) -> int:
    """What the parts still cost, in hundredths: those on the shelf are paid for."""
    known = sum(
        _more(shelf, rows, kind, block) * max(int(shelf.tables[kind].price[rows[kind]]), 0) for kind in MAKING
    )
    return known + UNPRICED * sum(_unpriced(shelf, rows, kind, block) for kind in MAKING)


def _unpriced(shelf: Shelf, rows: Mapping[str, int], kind: str, block: Block) -> bool:
    """Whether a part would have to be bought of which nobody knows the price."""
    return bool(shelf.tables[kind].price[rows[kind]] < 0) and _more(shelf, rows, kind, block) > 0


Look = Callable[[str, str], float | None]


def _grind(question: MixQuestion, rules: FitRules, look: Callable[[str], Any]) -> float | None:
    """How far the centre of a journal can be moved; None where it is not ground."""
    if not question.allows(OFFSET_GRIND):
        return None
    for rule in rules.rules:
        grinds = any(band.machining == OFFSET_GRIND for band in rule.bands)
        if grinds and judge_fit(rule, look, question.allows).machining == OFFSET_GRIND:
            return throw_shift(look("crank.pin_diameter"), look("rod.journal_diameter"), question.clean_up)
    return None


def _job(rules: FitRules, key: str, block: Block, says: Sentence) -> MachiningJob:
    machining = rules.machinings[key]
    pieces = machining.pieces(block.cylinders, block.banks)
    return MachiningJob(
        machining=key,
        part=machining.part,
        pieces=pieces,
        cost=pieces * machining.cost,
        says=says,
        effect=machining.effect,
    )


class _Frame(NamedTuple):
    """What a recipe is judged in: block, rules, what is wanted, the quench floor and the most off the crown in mm."""

    block: Block
    rules: FitRules
    question: MixQuestion
    floor: float
    most_off: float


# A doubt that lets lengths be written to the micrometre.
_TO_MICROMETRES = 0.005


# long: the stack's arithmetic in its order: each line wants those before it
def _results(
    frame: _Frame, figure: Look, grind: float | None, jobs: list[MachiningJob], to_buy: int
) -> RecipeResults:
    block, rules, question, floor, _ = frame

    def known(kind: str, name: str) -> float:
        return figure(kind, name) or 0.0

    def counted(kind: str, name: str) -> float:
        value = figure(kind, name)
        return STAND_FOR[f"{kind}.{name}"] if value is None else value

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
                frame.most_off,
                math.inf
                if figure("piston", "top_land_height") is None
                else known("piston", "top_land_height"),
            )
        )
    )
    faces = FACE_CROWN in rules.machinings and question.allows(FACE_CROWN)
    stopped = stops(question, row, faces=faces)

    def volume_at(strokes: Floats) -> Floats:
        off, down = stopped_at(question, row, strokes, faces=faces)
        return np.asarray(top + volume_below(np.array([bore]), down, off, piston))

    def ratio_at(strokes: Floats) -> Floats:
        volumes = volume_at(strokes)
        return np.where(
            volumes > 0, ratio_of(cylinder_volume(area, strokes), np.where(volumes > 0, volumes, 1.0)), np.inf
        )

    made = (_or_nan(figure("piston", name)) for name in ("dish_area", "top_land_diameter", "top_land_height"))
    piston = Pistons(*(np.array([value]) for value in (counted("piston", "crown_volume"), *made)))
    opening = figure("gasket", "opening_area")
    opening = circle_area(known("gasket", "bore")) if opening is None else opening
    top = counted("head", "chamber_volume") + held_by_gasket(opening, thickness)
    strokes = moved_for_ratio(question.window("compression_ratio"), stopped, ratio_at)
    cuts, clearances = stopped_at(question, row, strokes, faces=faces)
    stroke, cut, clearance = float(strokes[0]), float(cuts[0]), float(clearances[0])
    if grind is not None:
        says = sentence(
            "{first}; ground to a stroke of {stroke}, {least} to {most} could be had",
            first=next(j.says for j in jobs if j.machining == OFFSET_GRIND),
            stroke=Length(stroke, _TO_MICROMETRES),
            least=Length(least, _TO_MICROMETRES),
            most=Length(most, _TO_MICROMETRES),
        )
        jobs[:] = [replace(j, says=says) if j.machining == OFFSET_GRIND else j for j in jobs]
    if cut:
        higher = Length(cut, _TO_MICROMETRES)
        jobs.append(
            _job(rules, FACE_CROWN, block, sentence("without it the piston stops {cut} higher", cut=higher))
        )
    swept = cylinder_volume(area, stroke)
    volume = float(volume_at(strokes)[0])
    machining = sum(job.cost for job in jobs)
    waits = _waits(figure)
    return RecipeResults(
        stroke=stroke,
        bore=bore,
        crown_cut=cut,
        deck_clearance=clearance,
        quench=None if figure("gasket", "thickness") is None else clearance + thickness,
        compression_ratio=ratio_of(swept, volume) if volume > 0 and not waits else None,
        displacement=swept * block.cylinders,
        rod_ratio=rod / stroke,
        piston_speed=mean_piston_speed(stroke, question.rpm),
        clearance_volume=None if waits else volume,
        cost=to_buy + machining,
        machining_cost=machining,
        waits=waits if waits and volume > 0 else (),
    )


def _waits(figure: Look) -> tuple[str, ...]:
    """The figures without which the volume above the piston is not known."""
    places = [("piston", "crown_volume"), ("gasket", "thickness"), ("head", "chamber_volume")]
    if figure("gasket", "opening_area") is None:
        places.insert(2, ("gasket", "bore"))
    return tuple(f"{kind}.{name}" for kind, name in places if figure(kind, name) is None)


def window_of(question: MixQuestion, key: str, floor: float) -> Window:
    """Return the window a result is judged by: that of quench never reaches under the floor.

    Parameters
    ----------
    question : MixQuestion
        What is asked.
    key : str
        Name of a result, such as ``quench``.
    floor : float
        Quench floor in mm.
    """
    window = question.window(key)
    return window.over_floor(floor) if key == "quench" else window


def misses(results: RecipeResults, question: MixQuestion, floor: float) -> dict[str, float]:
    """Return by how much each window is missed, in the result's unit; negative below it.

    Parameters
    ----------
    results : RecipeResults
        Of a recipe.
    question : MixQuestion
        With the windows.
    floor : float
        The quench floor of its rods, in mm.

    Returns
    -------
    dict
        Only the windows that are missed; a window that cannot be met is missed by infinity.
    """
    # What is not known misses nothing: where it was asked for, the parts cannot be judged.
    by = {
        w.key: worst_miss(value, window_of(question, w.key, floor))
        for w in WANTED
        if (value := results.value(w.key)) is not None
    }
    if results.compression_ratio is None and not results.waits:
        # No room is left above the piston: nothing that could be asked is met.
        by["compression_ratio"] = math.inf
    return {key: miss for key, miss in by.items() if miss}
