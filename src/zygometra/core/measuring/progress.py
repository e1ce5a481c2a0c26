"""How far measuring is: what was read, what is due, what does not agree yet."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from ..build.model import Build
from ..place import Place, Scope
from ..quantity import Source
from ..stack.results import State
from .agreement import Agreement, agreement
from .logbook import EMPTY, NAME_OF, READABLE, place_of

_READ = ("measured", "mock-up")
# What the stack and the volumes stand on, in the order in which a shop reads it.
ORDER = (
    "deck_clearance",
    "deck_height",
    "stroke",
    "length",
    "compression_height",
    "bore",
    "chamber_volume",
    "crown_volume",
    "thickness",
    "gasket_bore",
)
_STACK = ("deck_height", "stroke", "length", "compression_height")


class PlaceProgress(NamedTuple):
    """One place that readings stand for, and how they agree."""

    place: Place
    figure: str
    times: int
    agreement: Agreement


class Progress(NamedTuple):
    """What was read, what is due, and how many readings are void or set aside."""

    read: tuple[PlaceProgress, ...]
    due: tuple[tuple[str, Place], ...]
    void: int
    aside: int

    @property
    def unsettled(self) -> int:
        """Places whose readings are too few, or do not agree; no unit."""
        return sum(one.agreement.state != "agree" for one in self.read)


def progress(build: Build, state: State | None) -> Progress:
    """Return how far measuring a build is.

    Parameters
    ----------
    build : Build
        With its logbook.
    state : State or None
        As it stands; None where it cannot be evaluated.

    Returns
    -------
    Progress
        Due is what the holes rest on and nobody measured: the mock-up, or the parts of the stack; bore,
        chamber, crown and gasket.

    Examples
    --------
    >>> from ..build.examples import small_single
    >>> from ..stack.evaluate import evaluate
    >>> found = progress(small_single(), evaluate(small_single()).now)
    >>> found.read, [figure for figure, _ in found.due][:2]
    ((), ['deck_clearance', 'bore'])
    """
    logbook, used = build.logbook or EMPTY, build.in_use
    read = []
    if used is not None:
        for place, series in used.series.items():
            how = agreement(series.readings, logbook)
            read.append(PlaceProgress(place, series.readings[0].figure, len(series.readings), how))
    voided = sum(one.reason == "voided" for one in used.aside) if used else 0
    aside = len(used.aside) - voided if used else 0
    return Progress(tuple(read), tuple(_due(state)), voided, aside)


def _due(state: State | None) -> list[tuple[str, Place]]:
    found: dict[tuple[str, Place], None] = {}
    for hole in state.holes if state is not None else ():
        by_name = {NAME_OF[path]: source for path, source in hole.sources.items() if path in NAME_OF}
        for figure in ORDER:
            source = by_name.get(figure)
            if figure == "deck_clearance":
                if source is None and not _stack_is_read(by_name):
                    found[figure, place_of(figure, cylinder=hole.number)] = None
                continue
            if figure in _STACK or source is None or source.quantity.basis in _READ:
                continue
            if READABLE[figure].is_each_holes:
                found[figure, place_of(figure, cylinder=hole.number)] = None
            else:
                own = Place.parse(source.path)
                found[figure, own if own.scope is Scope.BANK else place_of(figure)] = None
    order = {figure: i for i, figure in enumerate(ORDER)}
    return sorted(found, key=lambda one: order[one[0]])


def _stack_is_read(by_name: Mapping[str, Source]) -> bool:
    return all(name in by_name and by_name[name].quantity.basis in _READ for name in _STACK)
