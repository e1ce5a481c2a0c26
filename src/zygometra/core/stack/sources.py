"""Which figure counts in a hole: hole over bank over engine."""

from __future__ import annotations

from ..build.model import Build
from ..fields import BANK_NAMES, CYLINDER_NAMES, FIELDS, Field
from ..quantity import Quantity, Source
from ..uncertainty import Term, in_hole
from .assumed import with_assumed
from .chamber import BegunChamber, ChamberModel, DraftedChamber, RateChamber, StepFilledChamber

_ENGINE_WIDE: tuple[tuple[str, Field], ...] = tuple(
    (f.path, f) for f in FIELDS if f.part not in ("engine", "stated", "mock-up")
)
_BANK_WIDE = tuple((name, f.path) for name, f in BANK_NAMES.items())
_DECK = "parts.block.deck_height"
_IN_HOLE = tuple((name, f.path) for name, f in CYLINDER_NAMES.items())


def engine_sources(build: Build) -> dict[str, Source]:
    """Return the figures that hold for the whole engine, by their place.

    Parameters
    ----------
    build : Build
        The build.

    Returns
    -------
    dict of str to Source
        Keyed by the engine-wide path of each field.
    """
    figures = build.figures
    return {path: Source(path, figures[path]) for path, _field in _ENGINE_WIDE if path in figures}


def hole_sources(
    build: Build, bank: str, cylinder: int, wide: dict[str, Source] | None = None
) -> dict[str, Source]:
    """Return the figures that count in one hole: hole over bank over engine, after the cuts that were logged.

    Parameters
    ----------
    build : Build
        The build.
    bank : str
        The hole's bank.
    cylinder : int
        The hole's number; no unit.
    wide : dict, optional
        The engine-wide figures, if they are at hand.

    Returns
    -------
    dict of str to Source
        Keyed by the engine-wide path of each field.

    Notes
    -----
    Each bank was faced in a set-up of its own: the doubt of a deck height that paper gives for the engine is
    each bank's by itself. One that was read was read on one block with one gauge, and stays shared.
    """
    figures = build.figures
    sources = dict(engine_sources(build) if wide is None else wide)
    prefix_of_bank = f"banks.{bank}."
    for name, path in _BANK_WIDE:
        if (quantity := figures.get(prefix_of_bank + name)) is not None:
            sources[path] = Source(prefix_of_bank + name, quantity)
    if cylinder in build.measured_holes:
        prefix = f"cylinders.{cylinder}."
        for name, path in _IN_HOLE:
            if (quantity := figures.get(prefix + name)) is not None:
                sources[path] = Source(prefix + name, quantity)
    for path, quantity in build.of_holes.get(cylinder, {}).items():
        sources[path] = Source(path, quantity)
    height = sources.get(_DECK)
    if height is not None and len(build.banks) > 1 and height.path == _DECK and is_paper(height.quantity):
        sources[_DECK] = Source(height.path, height.quantity, f"{prefix_of_bank}deck_height")
    if build.unstated_doubt == "house":
        sources = with_assumed(sources, cylinder)
    if build.cuts.passes:
        from .as_cut import brought_forward

        return brought_forward(build, build.bank_of(cylinder), cylinder, sources)
    return sources


def terms_at(source: Source, number: int) -> list[Term]:
    """Return what the doubt of a figure is made of in one hole: what differs part to part is that hole's.

    Parameters
    ----------
    source : Source
        The figure, and where it stands.
    number : int
        The hole; no unit.
    """
    return [in_hole(term, number) for term in source.terms]


def is_paper(quantity: Quantity) -> bool:
    """Tell whether a figure was written down for all and not read: a catalogue's, advertised or assumed.

    Parameters
    ----------
    quantity : Quantity
        A figure of the document.

    Returns
    -------
    bool
        False for one that was read, or that differs part to part.
    """
    return quantity.basis not in _READ and not (quantity.each or quantity.readings or quantity.terms)


_READ = ("measured", "mock-up")


def with_heads_swapped(build: Build, of_holes: dict[int, dict[str, Source]]) -> dict[int, dict[str, Source]]:
    """Return the figures of every hole with the two heads side for side, each turned end for end.

    Parameters
    ----------
    build : Build
        Of two banks with as many holes each; any other stays as it is.
    of_holes : dict
        Figures by hole.

    Returns
    -------
    dict
        Each hole has the chamber that comes to lie over it.
    """
    banks = build.banks
    if len(banks) != 2 or len(banks[0].cylinders) != len(banks[1].cylinders):
        return of_holes
    out = {}
    for bank, other in ((banks[0], banks[1]), (banks[1], banks[0])):
        for number, from_hole in zip(bank.cylinders, reversed(other.cylinders), strict=True):
            theirs = of_holes[from_hole]
            sources = {path: source for path, source in of_holes[number].items() if path not in _HEADS_OWN}
            out[number] = sources | {path: theirs[path] for path in _HEADS_OWN if path in theirs}
    return out


_CHAMBER = "parts.head.chamber_volume"
# What a log says came off the head, beside the figures of a hole; a head that is fitted anew has none of it.
HEAD_BEGUN = "parts.head.begun"
# What goes where its head goes.
_HEADS_OWN = (_CHAMBER, HEAD_BEGUN, "parts.head.opening_area")


def chamber_model(build: Build, sources: dict[str, Source]) -> ChamberModel | None:
    """Return what is known of the chamber's shape; step fills win over a rate over an area.

    Parameters
    ----------
    build : Build
        For its step fills.
    sources : dict of str to Source
        The hole's figures.

    Returns
    -------
    ChamberModel or None
        None where nothing is known: a head cut then takes nobody knows how much.
    """
    if build.step_fills:
        filled = StepFilledChamber(
            tuple(depth.value for depth, _ in build.step_fills),
            tuple(volume.value for _, volume in build.step_fills),
        )
        begun = value_of(sources, HEAD_BEGUN)
        return BegunChamber(filled, begun) if begun else filled
    if (rate := sources.get("parts.head.removal_rate")) is not None:
        return RateChamber(rate.quantity.value)
    if "parts.head.opening_area" not in sources:
        return None
    return DraftedChamber(
        value_of(sources, "parts.head.opening_area"),
        value_of(sources, "parts.head.opening_perimeter"),
        value_of(sources, "parts.head.wall_draft"),
    )


def value_of(sources: dict[str, Source], path: str, default: float = 0.0) -> float:
    """Return the value of a figure in its base unit; the default where it is not known.

    Parameters
    ----------
    sources : dict
        Figures of a hole by place.
    path : str
        A place, such as ``parts.gasket.bore``.
    default : float
        Taken where there is none, in the unit of the figure.
    """
    source = sources.get(path)
    return default if source is None else source.quantity.value
