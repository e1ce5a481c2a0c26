"""What the house assumes where nobody told a figure, each with the doubt of not knowing it.

Beside the ring around the top land (:mod:`.hole`) these are the opening of a gasket, and how a dish of which only
the opening is known goes down. A file that asks for ``unstated_doubt: zero`` assumes nothing.
"""

from __future__ import annotations

import math
from dataclasses import replace

from ..quantity import Quantity, Source, read_quantity
from ..uncertainty import Cause, root_sum_square, term_of
from ..units import Kind, from_base
from ..usual_figures import USUAL_OPENING
from .in_hole import PLACES

_BORE, _OPENING = PLACES["bore"], PLACES["gasket_bore"]
_KNOWN_BY = (_OPENING, PLACES["gasket_opening"], PLACES["gasket_volume"])
TO_CONE = PLACES["to_cone"]


def _share(u: float) -> Quantity:
    """A share of nought with its doubt: between straight walls and a cone."""
    term = term_of(Cause.SHAPE, "of a dish", u, rectangular=True)
    nought = read_quantity(0, Kind.COUNT, dimension="exact")
    return replace(nought, u=u, doubt="stated", terms=(term,))


# From straight walls to a cone of the same opening and volume: one half-width, the same for all pistons.
_TO_CONE = Source(TO_CONE, _share(1 / math.sqrt(3)))


def with_assumed(sources: dict[str, Source], number: int) -> dict[str, Source]:
    """Return the figures of a hole with what the house assumes where nobody told it.

    Parameters
    ----------
    sources : dict
        The figures that count; altered.
    number : int
        The hole; no unit.
    """
    sources[TO_CONE] = _TO_CONE
    return with_usual_opening(sources, number)


def with_usual_opening(sources: dict[str, Source], number: int) -> dict[str, Source]:
    """Return the figures of a hole with a usual gasket opening, where the house assumes and nobody told one.

    Parameters
    ----------
    sources : dict
        The figures that count; altered.
    number : int
        The hole; no unit.

    Notes
    -----
    A gasket's opening is 1 ± 1 mm wider than the bore: from the bore up. It moves with the bore.
    See trade.md 3.
    """
    bore = sources.get(_BORE)
    if TO_CONE not in sources or bore is None or any(place in sources for place in _KNOWN_BY):
        return sources
    wider, within = USUAL_OPENING
    differs = any(term.each for term in bore.terms)
    terms = (
        *bore.terms,
        term_of(Cause.OPENING, "over the bore", within / math.sqrt(3), rectangular=True),
    )
    value = bore.quantity.value + wider
    across = replace(
        bore.quantity,
        value=value,
        number=from_base(value, bore.quantity.unit),
        u=root_sum_square(terms),
        dof=math.inf,
        basis="assumed",
        doubt="stated",
        each=differs,
        readings=(),
        terms=terms,
    )
    sources[_OPENING] = Source(_OPENING, across, f"over {bore.path}{f' at {number}' if differs else ''}")
    return sources


def is_assumed(source: Source) -> bool:
    """Tell whether nobody told a gasket's opening and the house's usual one stands in.

    Parameters
    ----------
    source : Source
        Of a gasket's bore.
    """
    return any(term.cause is Cause.OPENING for term in source.quantity.terms)
