"""What to measure next: which reading takes most off the doubt that decides, a minute."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from typing import NamedTuple

from ..build.model import Build
from ..fields import field_at
from ..place import Place, Scope
from ..quantity import Quantity, Source
from ..stack.evaluate import state_now
from ..stack.hole import evaluate_hole
from ..stack.missing import missing
from ..stack.results import Hole, State
from ..units import BASE
from ..usual_figures import ZERO_MINUTES, minutes_of
from ..windows import Window
from .figures import READ, figure_of
from .logbook import EMPTY, NAME_OF, READABLE, Logbook, Reading, place_of
from .scatter import pool_key, pools_of
from .selection import ReadingSelection, Series

# The width that counts for a window with one edge.
_ONE_EDGED = {"compression_ratio": 0.2, "quench": 0.1}
_STACK = (
    "parts.block.deck_height",
    "parts.crank.stroke",
    "parts.rod.length",
    "parts.piston.compression_height",
)
NEW_ZERO = "new"
# So many are proposed where there are as many, whatever they bring.
FEWEST = 3


class Advice(NamedTuple):
    """One more reading: of what, where, with which gauge and zero, and what it would leave.

    ``share`` of the deciding result's variance that the figure brings, ``u_now`` and ``u_after`` of that
    result (None where it cannot be computed yet), minutes.
    """

    figure: str
    place: Place
    gauge: str
    zero: str
    share: float
    u_now: float | None
    u_after: float | None
    minutes: float

    @property
    def worth(self) -> float:
        """Fall of u² a minute, in the square of the result's unit (trade.md 10)."""
        if self.u_now is None or self.u_after is None:
            return 0.0
        return (self.u_now**2 - self.u_after**2) / self.minutes


class Next(NamedTuple):
    """The result that decides, in which hole, and the readings that would sharpen it, best first."""

    decides: str
    hole: int | None
    readings: tuple[Advice, ...]


def what_next(build: Build, state: State | None = None) -> Next:
    """Return what to measure next.

    Parameters
    ----------
    build : Build
        With its logbook, if it has one.
    state : State, optional
        As it stands, if that is known.

    Returns
    -------
    Next
        Best first by the fall of u² of the deciding result per minute; shares sum to at most 1.

    Notes
    -----
    The result that decides is the one whose 95 % band is widest against its window, in its worst
    hole; without windows the ratio. A figure's share is what its own terms and half of what it has
    in common with others bring to u²: correlated sources are counted once. Where figures are
    missing, they come first.
    See trade.md 10.

    Examples
    --------
    Only the compression height is in doubt: to read it takes three minutes, a mock-up with its zero five.

    >>> from ..build.examples import small_single
    >>> advice = what_next(small_single())
    >>> advice.decides, advice.readings[0].figure, advice.readings[0].minutes
    ('compression_ratio', 'compression_height', 3.0)
    """
    state = state or state_now(build)
    decides, hole = _deciding(build, state)
    if hole is None:
        return Next(decides, None, tuple(_missing(build, state, decides)))
    proposed = sorted(
        _proposals(build, hole, decides), key=lambda advice: (-advice.worth, advice.minutes, advice.figure)
    )
    helpful = sum(advice.worth > 0 for advice in proposed)
    # A reading that would leave more doubt than the paper states is named only where there is little else.
    proposed = [advice for advice in proposed[: max(helpful, FEWEST)] if advice.share > 0]
    over = max(1.0, math.fsum(advice.share for advice in proposed))
    return Next(decides, hole.number, tuple(a._replace(share=a.share / over) for a in proposed))


def _width(name: str, window: Window) -> float | None:
    """How wide a window is; None where nothing is asked."""
    if window.low is not None and window.high is not None:
        return max(window.high - window.low, 1e-9)
    return None if window.low is None and window.high is None else _ONE_EDGED[name]


def _deciding(build: Build, state: State) -> tuple[str, Hole | None]:
    """The result that decides and its worst hole; no hole where it cannot be computed everywhere."""
    windows = {"compression_ratio": build.targets.compression_ratio, "quench": build.targets.quench}
    widths = {name: width for name, window in windows.items() if (width := _width(name, window)) is not None}
    for name in widths or {"compression_ratio": 1.0}:
        if any(getattr(hole.outcome, name) is None for hole in state.holes):
            return name, None
    found = [
        (getattr(hole.outcome.doubts, name).half / width, -i, name, hole)
        for name, width in (widths or {"compression_ratio": 1.0}).items()
        for i, hole in enumerate(state.holes)
    ]
    _, _, name, hole = max(found, key=lambda one: one[:2])
    return name, hole


def _missing(build: Build, state: State, decides: str) -> Iterator[Advice]:
    """The figures that the result that decides waits for, as far as they can be read."""
    for path, waiting in missing(build, state).items():
        if decides not in waiting:
            continue
        place = Place.parse(path)
        figure = _figure_at(place)
        if figure is not None:
            yield Advice(
                figure=figure,
                place=place,
                gauge="",
                zero="",
                share=0.0,
                u_now=None,
                u_after=None,
                minutes=minutes_of(figure),
            )


def _figure_at(place: Place) -> str | None:
    try:
        return NAME_OF.get(field_at(place).path)
    except KeyError:
        return None


def _proposals(build: Build, hole: Hole, decides: str) -> list[Advice]:
    """One more reading of everything the result rests on in a hole: the stack's parts, or the mock-up."""
    u_now = getattr(hole.outcome.doubts, decides).u
    if not u_now:
        return []
    singly: list[Advice] = []
    for path in hole.sources:
        advice = _reading_of(
            build, hole, decides=decides, path=path, u_now=u_now, share=_share(build, hole, decides, (path,))
        )
        if advice is not None and advice.share > 0:
            singly.append(advice)
    if READ in hole.sources:
        return singly
    parts = [advice for advice in singly if READABLE[advice.figure].path in _STACK]
    share = _share(build, hole, decides, _STACK)
    mock_up = _reading_of(build, hole, decides=decides, path=READ, u_now=u_now, share=share)
    if mock_up is None or mock_up.worth <= max((advice.worth for advice in parts), default=0.0):
        return singly
    rest = [advice for advice in singly if advice not in parts]
    # The mock-up stands for the stack's parts; they are named too where there is little else.
    return [mock_up, *rest, *(parts if len(rest) + 1 < FEWEST else ())]


def _share(build: Build, hole: Hole, decides: str, paths: tuple[str, ...]) -> float:
    """The share of u² that some figures bring: their own, and half of what they have in common with others.

    Of u² = (a + b)², the part of a is a·(a + b): the mean of u² less what is left without a, and a² alone.
    """
    known = [path for path in paths if path in hole.sources]
    # A bore or a stroke that the mock-up replaces still gives the volumes; the stack's share is of the clearance.
    without = {path: _sure(hole.sources[path]) for path in known}
    alone = {path: _sure(source) for path, source in hole.sources.items() if path not in known}
    everything = _variance(build, hole, decides, {})
    left, own = _variance(build, hole, decides, without), _variance(build, hole, decides, alone)
    return max(0.0, (everything - left + own) / (2 * everything)) if everything else 0.0


def _sure(source: Source) -> Source:
    return Source(source.path, replace(source.quantity, u=0.0, terms=()))


def _variance(build: Build, hole: Hole, decides: str, changed: dict[str, Source]) -> float:
    again = evaluate_hole(
        build,
        build.bank_of(hole.number),
        number=hole.number,
        labelled=(),
        sources={**hole.sources, **changed},
    )
    u: float = getattr(again.outcome.doubts, decides).u
    return u * u


def _reading_of(
    build: Build, hole: Hole, decides: str, path: str, u_now: float, share: float
) -> Advice | None:
    """What one more reading of a figure in this hole would leave; the better of the zero in force and a new one."""
    figure = NAME_OF.get(path)
    if figure is None:
        return None
    place = _place_to_read(figure, hole)
    value = _value_now(hole, path)
    best: Advice | None = None
    logbook, used = build.logbook or EMPTY, build.in_use
    sample = _as_before(figure, place, value, logbook)
    for zero in _zeros(sample, figure):
        quantity = _after(build, used, logbook=logbook, sample=sample, zero=zero)
        again = _variance_with(build, hole, decides=decides, path=path, place=place, quantity=quantity)
        minutes = minutes_of(figure) + (ZERO_MINUTES if zero == NEW_ZERO else 0.0)
        advice = Advice(
            figure=figure,
            place=place,
            gauge=sample.gauge,
            zero=zero,
            share=share,
            u_now=u_now,
            u_after=again,
            minutes=minutes,
        )
        if best is None or advice.worth > best.worth:
            best = advice
    return best


def _zeros(sample: Reading, figure: str) -> tuple[str, ...]:
    if sample.zero:
        return (sample.zero, NEW_ZERO)
    return (NEW_ZERO,) if figure == "deck_clearance" else ("",)


def _place_to_read(figure: str, hole: Hole) -> Place:
    """Where to read it: in the hole if it is a hole's, on the bank if it stands there, else for the engine."""
    field = READABLE[figure]
    if field.is_each_holes:
        return place_of(figure, cylinder=hole.number)
    source = hole.sources.get(field.path)
    if source is not None and Place.parse(source.doubt_key).scope is Scope.BANK:
        return place_of(figure, bank=hole.bank)
    return place_of(figure)


def _value_now(hole: Hole, path: str) -> float:
    if path == READ:
        return hole.outcome.deck_clearance or 0.0
    return hole.sources[path].quantity.value


def _as_before(figure: str, place: Place, value: float, logbook: Logbook) -> Reading:
    """The reading that would be taken: as the last of that figure was, with the same gauge and zero."""
    last = next((one for one in reversed(logbook.readings) if one.figure == figure), None)
    order = len(logbook.readings)
    if last is None:
        return Reading(
            id="",
            figure=figure,
            place=place,
            value=value,
            unit=BASE[READABLE[figure].kind],
            order=order,
            temperature=20.0,
        )
    return last.with_(id="", place=place, value=value, order=order)


def _after(
    build: Build, used: ReadingSelection | None, logbook: Logbook, sample: Reading, zero: str
) -> Quantity:
    """The figure as it would be with one more reading of the same mean."""
    used = used or ReadingSelection(series={}, rivals={}, aside=(), pools={}, by_zero={})
    series = used.series.get(sample.place)
    if series is not None and pool_key(series.readings[0]) == pool_key(sample):
        return figure_of(series, build, used, (zero, 1))
    house = build.unstated_doubt == "house"
    key = pool_key(sample)
    pool = used.pools.get(key) or pools_of([sample], logbook, house=house)[key]
    against = sample.with_(zero=zero)
    return figure_of(Series(sample.place, (against,), pool), build, used)


def _variance_with(
    build: Build, hole: Hole, decides: str, path: str, place: Place, quantity: Quantity
) -> float:
    """u of the deciding result with a figure replaced."""
    measured = build if build.is_measured else replace(build, figures={**build.figures, str(place): quantity})
    sources = {**hole.sources, path: Source(str(place), quantity)}
    again = evaluate_hole(
        measured, build.bank_of(hole.number), number=hole.number, labelled=(), sources=sources
    )
    u: float = getattr(again.outcome.doubts, decides).u
    return u
