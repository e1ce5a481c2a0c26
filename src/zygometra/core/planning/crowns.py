"""How far the crowns of a piston may be cut: by what must remain, and by what nobody told of them."""

from __future__ import annotations

import math
from collections.abc import Iterator

from ..build.levers import above_rim, bowl_remains, crown_remains, figures_of_piston
from ..build.means import FittedPart
from ..build.model import Build
from ..house_rules import HouseRules
from ..sentence import Sentence, sentence
from ..stack.in_hole import holds_room


def crown_limit(part: FittedPart | None, build: Build, rules: HouseRules) -> float:
    """Return how far a crown may be cut before too little of land or crown remains, in mm.

    Parameters
    ----------
    part : FittedPart or None
        A piston that is fitted; None the one that is there.
    build : Build
        Its figures.
    rules : HouseRules
        What must remain.

    Returns
    -------
    float
        Infinite where land or thickness is not known. No plan rests on a volume that waits: a dish of which nobody
        told the opening ends the cut at its rim.
    """
    figure = figures_of_piston(part, build)
    if is_dish_untold(part, build):
        return above_rim(figure, rules)
    remains = crown_remains(figure, rules)
    return math.inf if remains is None else remains


def bowl_limit(part: FittedPart | None, build: Build, rules: HouseRules) -> float:
    """Return what a bowl may hold more before too little crown remains under it, in cc.

    Parameters
    ----------
    part : FittedPart or None
        A piston that is fitted; None the one that is there.
    build : Build
        Its figures.
    rules : HouseRules
        What must remain.

    Returns
    -------
    float
        Infinite where the crown's thickness or the bowl's area is not known.
    """

    remains = bowl_remains(figures_of_piston(part, build), rules)
    return math.inf if remains is None else remains


def more_above_rim(part: FittedPart | None, build: Build, rules: HouseRules) -> float:
    """Return how much more a cut may take above the rim of a piston than of the one that is there, in mm.

    Parameters
    ----------
    part : FittedPart or None
        A piston that is fitted; None the one that is there.
    build : Build
        Its figures.
    rules : HouseRules
        What must remain.
    """
    return above_the_rim(part, build, rules) - above_the_rim(None, build, rules)


def above_the_rim(part: FittedPart | None, build: Build, rules: HouseRules) -> float:
    """Return what a crown cut may take above the rim of a piston, in mm; see :func:`..build.levers.above_rim`.

    Parameters
    ----------
    part : FittedPart or None
        A piston that is fitted; None the one that is there.
    build : Build
        Its figures.
    rules : HouseRules
        What must remain.
    """
    return above_rim(figures_of_piston(part, build), rules)


def is_dish_untold(part: FittedPart | None, build: Build) -> bool:
    """Tell whether a crown has room below its rim of which nobody told the opening.

    Parameters
    ----------
    part : FittedPart or None
        A piston that is fitted; None the one that is there.
    build : Build
        Its figures.
    """
    figure = figures_of_piston(part, build)
    if build.unstated_doubt != "house" or figure("dish_area") is not None:
        return False
    held = [figure("crown_volume")]
    if part is None:
        own = (build.figures.get(f"cylinders.{number}.crown_volume") for number in build.cylinders)
        held += [quantity.value for quantity in own if quantity is not None]
    above = figure("above_rim")
    stands = above is not None and above > 0
    area = figure("above_rim_area")
    return any(
        holds_room(volume, above if stands else None, math.nan if area is None else area) for volume in held
    )


def closed_levers(build: Build) -> Iterator[Sentence]:
    """Yield which levers rest although they are there, and the figure that would open each.

    Parameters
    ----------
    build : Build
        With its levers.
    """
    if "crown_cut" not in build.levers.means:
        return
    pistons: list[FittedPart | None] = [
        None,
        *(one.part for one in build.levers.parts if one.part.kind == "piston"),
    ]
    for part in pistons:
        if is_dish_untold(part, build):
            yield sentence(
                "Crown cuts{whose} stop at the rim: nobody told the opening of the dish, so what such a cut leaves of "
                "it is not known. The dish area (0 where nothing opens at the rim) opens this lever.",
                whose="" if part is None else f" of {part.name or 'a listed piston'}",
            )
