"""The figures of one hole as the kernel takes them: which has a say, and the place of each."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import lru_cache
from itertools import compress
from typing import NamedTuple

from ..build.lever_table import OpName
from ..quantity import Source
from .arithmetic import cylinder_volume
from .derived import WithSlopes, with_slopes
from .kernel import SLOPED, Cuts, Figures, KernelResults, Slopes, hole

# The place of each figure of the kernel, by its name there.
PLACES: dict[str, str] = {
    "bore": "parts.block.bore",
    "stroke": "parts.crank.stroke",
    "rod_length": "parts.rod.length",
    "compression_height": "parts.piston.compression_height",
    "deck_height": "parts.block.deck_height",
    "read_clearance": "mock-up.deck_clearance",
    "gasket_thickness": "parts.gasket.thickness",
    "gasket_bore": "parts.gasket.bore",
    "gasket_opening": "parts.gasket.opening_area",
    "gasket_volume": "parts.gasket.volume",
    "chamber_volume": "parts.head.chamber_volume",
    "other_volume": "parts.head.other_volume",
    "crown_volume": "parts.piston.crown_volume",
    "above_rim": "parts.piston.above_rim",
    "above_area": "parts.piston.above_rim_area",
    "dish_area": "parts.piston.dish_area",
    "dish_begun": "parts.piston.dish_begun",
    "to_cone": "house.shape of a dish",
    "untold_dish": "house.untold dish",
    "land_diameter": "parts.piston.top_land_diameter",
    "land_height": "parts.piston.top_land_height",
    "pocket_area": "parts.block.pocket_area",
    "edge_width": "parts.block.edge_chamfer.width",
    "edge_angle": "parts.block.edge_chamfer.angle",
    "swept_volume": "parts.block.swept_volume",
    "removal_rate": "parts.head.removal_rate",
    "opening_area": "parts.head.opening_area",
    "opening_perimeter": "parts.head.opening_perimeter",
    "wall_draft": "parts.head.wall_draft",
    "intake_closes": "cam.intake_closes",
}
# The levers whose amounts are the kernel's cuts, in the order of its fields.
CUTS: tuple[OpName, ...] = ("deck_cut", "head_cut", "crown_cut", "open_chamber", "bowl")
# What everything needs: where it is not there it is not a number, and spoils what hangs on it.
_WANTED = frozenset(
    ("bore", "stroke", "rod_length", "deck_height", "compression_height")
    + ("gasket_thickness", "chamber_volume", "crown_volume")
)
_DEFAULTS = tuple((PLACES.get(name), math.nan if name in _WANTED else None) for name in Figures._fields)
_FIELD = {name: at for at, name in enumerate(Figures._fields)}
_CUT_NAMES = tuple(f"cut_{name}" for name in CUTS)


def figures_in(sources: dict[str, Source]) -> Figures:
    """Return the figures of a hole that have a say; lengths in mm, areas in mm², volumes in cc (trade.md 3).

    Parameters
    ----------
    sources : dict
        The figures that count in it, by place.

    Notes
    -----
    A mock-up's reading stands in for the stack. A volume stands in for a gasket or a cylinder only where the
    dimensions do not give it. The ring around the top land wants both its figures. Nothing stands above a rim of
    which nobody said so; an edge of which nobody said otherwise is sharp.
    """
    get = sources.get
    found: list[float | None] = [
        default if place is None or (source := get(place)) is None else source.quantity.value
        for place, default in _DEFAULTS
    ]
    at = _FIELD
    if found[at["read_clearance"]] is not None:
        found[at["deck_height"]] = found[at["compression_height"]] = None
    _choose_gasket(found)
    bore, stroke = found[at["bore"]], found[at["stroke"]]
    if found[at["swept_volume"]] is not None and not math.isnan(bore * stroke):  # type: ignore[operator]
        found[at["swept_volume"]] = None
    if found[at["land_diameter"]] is None or found[at["land_height"]] is None:
        found[at["land_diameter"]] = found[at["land_height"]] = None
    width, angle = found[at["edge_width"]], found[at["edge_angle"]]
    if width == 0 or (width is None and angle is None):
        found[at["edge_width"]] = found[at["edge_angle"]] = None
    elif width is None or angle is None:
        # Half a chamfer is none that could be reckoned with.
        found[at["edge_width"]] = found[at["edge_angle"]] = math.nan
    above = found[at["above_rim"]]
    if above is None or not above > 0:
        found[at["above_rim"]] = found[at["above_area"]] = None
    elif found[at["above_area"]] is None:
        found[at["above_area"]] = math.nan
    _choose_dish(found)
    return Figures._make(found)


def _choose_dish(found: list[float | None]) -> None:
    """What of a dish has a say: its shape's doubt where it is told by its opening alone, or that nobody told that."""
    at = _FIELD
    if found[at["to_cone"]] is None:
        found[at["dish_begun"]] = None
        return
    if found[at["dish_area"]] is None:
        found[at["to_cone"]] = found[at["dish_begun"]] = None
        if holds_room(found[at["crown_volume"]], found[at["above_rim"]], found[at["above_area"]]):
            found[at["untold_dish"]] = math.nan
    elif not found[at["dish_area"]]:
        found[at["to_cone"]] = found[at["dish_begun"]] = None


def holds_room(crown_volume: float | None, above_rim: float | None, above_area: float | None) -> bool:
    """Tell whether a crown has room below its rim: more than what stands above it takes away.

    Parameters
    ----------
    crown_volume : float or None
        In cc, dome negative.
    above_rim, above_area : float or None
        Of what stands above the rim, in mm and mm²; None where nothing does.
    """
    if crown_volume is None:
        return False
    held = crown_volume if above_rim is None else crown_volume + cylinder_volume(above_area, above_rim)
    return held > NO_ROOM


# What is no room, in cc: the rounding of a dome that was reckoned from its area and height. No cut above the rim
# changes it, so what was no room stays none.
NO_ROOM = 0.02


def _choose_gasket(found: list[float | None]) -> None:
    """By what a gasket is known: opening before bore, and its volume only where these give none."""
    opening, bore, volume = (_FIELD[name] for name in ("gasket_opening", "gasket_bore", "gasket_volume"))
    if found[volume] is not None:
        around = found[opening] if found[opening] is not None else found[bore]
        if around is None or math.isnan(found[_FIELD["gasket_thickness"]] * around):  # type: ignore[operator]
            found[opening] = found[bore] = None
            return
        found[volume] = None
    if found[opening] is not None:
        found[bore] = None
    elif found[bore] is None:
        found[bore] = math.nan


class Worked(NamedTuple):
    """What a hole comes to, and by how much it moves with each figure, by its place, and with each lever."""

    results: KernelResults
    slopes: tuple[tuple[str, tuple[float, ...]], ...]

    def along(self, lever: OpName) -> Slopes:
        """Return by how much the results move with one more unit of a lever.

        Parameters
        ----------
        lever : str
            One of :data:`CUTS`, or ``gasket`` for its thickness.
        """
        told = PLACES["gasket_thickness"] if lever == "gasket" else lever
        return next((Slopes._make(row) for own, row in self.slopes if own == told), Slopes())


def worked(figures: Figures, cuts: Cuts) -> Worked:
    """Return what a hole comes to under its cuts, and its slopes; lengths in mm, volumes in cc.

    Parameters
    ----------
    figures : Figures
        Floats, or None where one has no say.
    cuts : Cuts
        Floats, or None where nothing is taken.

    Returns
    -------
    Worked
        By :func:`zygometra.core.stack.kernel.hole`, and what :mod:`.derived` takes from it.
    """
    values = (*figures, *cuts)
    there = tuple([value is not None for value in values])
    results, slopes = _made(there)(*compress(values, there))
    return Worked(KernelResults._make(results), slopes)


def along(figures: Figures, taken: Cuts, lever: OpName) -> Slopes:
    """Return by how much the results of a hole move with one more unit of a lever, from where it stands.

    Parameters
    ----------
    figures : Figures
        Of the hole as it is.
    taken : Cuts
        What is planned so far.
    lever : str
        One of :data:`CUTS`, or ``gasket`` for its thickness.

    Returns
    -------
    Slopes
        Per mm, or per cc; of a head that was filled in steps its volume's slope stands in its chamber's model.
    """
    return worked(figures, Cuts(*(amount or 0.0 for amount in taken))).along(lever)


@lru_cache(maxsize=256)
def _made(there: tuple[bool, ...]) -> Callable[..., WithSlopes]:
    """The kernel for holes of which the same figures have a say."""
    names = (*Figures._fields, *_CUT_NAMES)
    used = [name for name, has in zip(names, there, strict=True) if has]

    def of_named(**figures: object) -> KernelResults:
        return hole(
            Figures(*(figures.get(name) for name in Figures._fields)),
            Cuts(*(figures.get(name) for name in _CUT_NAMES)),
        )

    told = PLACES | dict(zip(_CUT_NAMES, CUTS, strict=True))
    return with_slopes(of_named, used, SLOPED, told)
