"""Which figure would have to be another for a stated total to be true: solved with the kernel, not along a slope."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial
from typing import NamedTuple

from ..build.cut_log import NOTHING_CUT
from ..build.model import Build
from ..fields import STEP_FILLS, field_at
from ..place import Place, Scope
from ..quantity import Source
from ..uncertainty import Cause
from ..units import Kind, from_base
from .arithmetic import ratio_of
from .as_cut import cut_before, read_at
from .assumed import is_assumed, with_usual_opening
from .in_hole import PLACES, figures_in
from .kernel import Cuts
from .kernel import hole as in_the_hole
from .results import Hole

# Steps towards a total; what is there, and what is as good as there where rounding holds it, as shares of it.
_STEPS, _THERE, _NEAR = 60, 1e-14, 1e-11
_RESULTS: dict[str, Callable[[float, float], float]] = {
    "clearance": lambda _swept, volume: volume,
    "compression_ratio": lambda swept, volume: ratio_of(swept, volume) if volume > 0 else math.nan,
}


class Explains(NamedTuple):
    """A figure that would explain a total: its place, what it would have to be, by how much that is another value.

    In its base unit; ``doubts`` is the same counted in its own standard uncertainties, no unit.
    """

    path: str
    value: float
    by: float
    doubts: float
    kind: Kind


def explanations(hole: Hole, result: str, total: float) -> Iterator[Explains]:
    """Yield every figure of a hole that alone could give a total, with the value that does.

    Parameters
    ----------
    hole : Hole
        Uncut, with its figures.
    result : str
        ``clearance`` (cc) or ``compression_ratio``.
    total : float
        As it is stated, in cc or as a ratio.

    Yields
    ------
    Explains
        In the figure's base unit. One that no value of it explains is left out.

    Notes
    -----
    The kernel is run with one figure replaced until the total comes out (trade.md 15).
    """
    by_key = {source.doubt_key: place for place, source in hole.sources.items()}
    for owed in hole.outcome.contributions:
        term, place = owed.term, by_key.get(owed.term.key)
        if term.cause is not Cause.FIGURE or place is None or term.key.startswith(STEP_FILLS):
            continue
        source = hole.sources[place]
        if (
            Place.parse(source.path).scope is Scope.PLAN
            or (field := field_at(source.path)).kind not in _KINDS
        ):
            continue
        now = source.quantity.value
        value = _solved(partial(_with, hole, place, result), now, total)
        if value is not None and value != now and field.low <= value <= field.high:
            u = source.quantity.u
            yield Explains(
                path=source.path,
                value=value,
                by=value - now,
                doubts=abs(value - now) / u if u else math.inf,
                kind=field.kind,
            )


_KINDS = (Kind.LENGTH, Kind.VOLUME)


def _with(hole: Hole, place: str, result: str, value: float) -> float:
    """What a hole comes to with one figure replaced; not a number where nothing comes of it."""
    sources = dict(hole.sources)
    sources[place] = Source(sources[place].path, replace(sources[place].quantity, value=value))
    gasket = sources.get(PLACES["gasket_bore"])
    if gasket is not None and is_assumed(gasket):
        del sources[PLACES["gasket_bore"]]
        sources = with_usual_opening(sources, hole.number)
    # The cam moves neither of the two.
    found = in_the_hole(figures_in(sources)._replace(intake_closes=None), Cuts())
    return _RESULTS[result](found.swept, found.volume)


def _solved(worked: Callable[[float], float], now: float, total: float) -> float | None:
    """The value at which a figure gives a total, by the secant from what it is now; None where none does."""
    before, after = now, now + max(abs(now) * 1e-4, 1e-4)
    missed, misses = worked(before) - total, worked(after) - total
    for _ in range(_STEPS):
        if abs(misses) <= _THERE * abs(total):
            return after
        if misses == missed or math.isnan(misses):
            break
        step = misses * (after - before) / (misses - missed)
        before, missed = after, misses
        # Where no room would be left there is no ratio: not so far in one step.
        while math.isnan(worked(after - step)) and abs(step) > _THERE:
            step /= 2
        after -= step
        misses = worked(after) - total
    return after if abs(misses) <= _NEAR * abs(total) else None


def as_stated(build: Build) -> Build:
    """Return the engine as it was when its totals were stated: before every pass, and without a plan.

    Parameters
    ----------
    build : Build
        With its log; what was read after a pass is put back by what that pass took.
    """
    if not build.cuts.passes:
        return build
    figures = dict(build.figures)
    used = () if build.in_use is None else build.in_use.series
    for path in {*map(str, used), *build.surveyed_at}:
        place = Place.parse(path)
        if (quantity := figures.get(path)) is None or not place.holes:
            continue
        moved = cut_before(build, place.field, place.holes[0], read_at(build, path))
        if moved:
            value = quantity.value - moved
            figures[path] = replace(quantity, value=value, number=from_base(value, quantity.unit))
    return replace(build, figures=figures, cuts=NOTHING_CUT, planned=())
