"""Another part or gasket in place of what is there: its figures, and how a mock-up's reading moves with it."""

from __future__ import annotations

from dataclasses import replace

from ..build.means import FittedPart
from ..build.model import GASKET_FIGURES, Gasket
from ..quantity import Quantity, Source
from ..uncertainty import root_sum_square
from ..units import from_base
from .assumed import with_usual_opening
from .sources import terms_at

_READ = "mock-up.deck_clearance"
# The length of each part that stands in the stack, and how far one mm of it lifts the rim.
_STACKS = {"piston": ("compression_height", 1.0), "rod": ("length", 1.0), "crank": ("stroke", 0.5)}


def with_gasket(sources: dict[str, Source], path: str, gasket: Gasket, number: int) -> dict[str, Source]:
    """Return the figures of a hole with another gasket.

    Parameters
    ----------
    sources : dict
        The figures that count; never altered.
    path : str
        Where the operation stands, such as ``planned.0``.
    gasket : Gasket
        What it does not say stays, unless its own figures say it otherwise.
    number : int
        The hole; no unit.
    """
    sources = dict(sources)
    # A round gasket in place of one whose opening was given as an area, and the like.
    given = {name for name in GASKET_FIGURES if getattr(gasket, name) is not None}
    lapsed = set()
    if "bore" in given or "volume" in given:
        lapsed |= {"opening_area", "bore"}
    if given - {"volume"}:
        lapsed.add("volume")
    if "opening_area" in given:
        lapsed.add("bore")
    for name in lapsed - given:
        sources.pop(f"parts.gasket.{name}", None)
    for name in given:
        sources[f"parts.gasket.{name}"] = Source(f"{path}.gasket.{name}", getattr(gasket, name))
    return with_usual_opening(sources, number)


def with_part(sources: dict[str, Source], path: str, part: FittedPart, number: int) -> dict[str, Source]:
    """Return the figures of a hole with another part fitted.

    Parameters
    ----------
    sources : dict
        The figures that count in the hole; never altered.
    path : str
        Where the operation stands, such as ``planned.0``.
    part : FittedPart
        What is fitted; a figure that it does not state is not known any more.
    number : int
        The hole; no unit.

    Returns
    -------
    dict
        A deck clearance that was read with the old part moves by the difference of their
        lengths (half of it for a stroke) and takes the doubt of both; where one of the two is not
        known the reading lapses. Figures of the old part, of single holes too, lapse.

    Notes
    -----
    c = H − (S/2 + L + P): with all else as it was, c' = c + (P − P').
    """
    prefix = f"parts.{part.kind}."
    kept = {place: source for place, source in sources.items() if not place.startswith(prefix)}
    for name, quantity in part.figures.items():
        kept[prefix + name] = Source(f"{path}.part.{name}", quantity)
    read = sources.get(_READ)
    if read is not None and part.kind in _STACKS:
        name, share = _STACKS[part.kind]
        old, new = sources.get(prefix + name), kept.get(prefix + name)
        if old is None or new is None:
            del kept[_READ]
        else:
            kept[_READ] = Source(read.path, _moved(read, old, new=new, share=share, number=number))
    return kept


def _moved(read: Source, old: Source, new: Source, share: float, number: int) -> Quantity:
    """A reading with another length under it."""
    quantity = read.quantity
    value = quantity.value + share * (old.quantity.value - new.quantity.value)
    terms = [
        term.times(by)
        for source, by in ((read, 1.0), (old, share), (new, -share))
        for term in terms_at(source, number)
    ]
    u = root_sum_square(terms)
    return replace(quantity, value=value, number=from_base(value, quantity.unit), u=u, terms=tuple(terms))
