"""From readings to figures: the value in use at each place, and the terms of its doubt."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import replace
from functools import partial
from typing import NamedTuple

from ..build.model import Build
from ..place import Place
from ..quantity import Quantity
from ..uncertainty import Cause, Term, joined, of_terms, root_sum_square, term_of
from ..units import Kind, from_base
from ..usual_figures import between_holes, expansion
from .cut_since import passes_over, when_filled, when_surveyed
from .logbook import READABLE, Logbook, Reading, latest
from .scatter import SHOT_SIZE, Pool
from .selection import ReadingSelection, Series, in_use, spots_of
from .steps import seat_work

# A part's temperature as somebody read it, and as it is taken where nobody did (± 4 K), in K.
U_TEMPERATURE, U_UNSTATED_TEMPERATURE = 2.0, 4.0 / math.sqrt(3)
REFERENCE = 20.0
READ = "mock-up.deck_clearance"
# How well a rim's depth is known where nobody said, half-width in mm.
_BELOW = 0.02


class Correction(NamedTuple):
    """What brings a length to 20 °C: part's and gauge's expansion per K, and whether it applies."""

    part: str
    alpha: float
    gauge: str
    gauge_alpha: float


def measure(build: Build, logbook: Logbook) -> Build:
    """Return a build with the figures that its logbook gives.

    Parameters
    ----------
    build : Build
        As its document has it.
    logbook : Logbook
        What was noted beside it.

    Returns
    -------
    Build
        Where readings stand, they replace the figure (basis measured, or mock-up for a deck
        clearance); it keeps the logbook and what of it is in use.

    Notes
    -----
    Doubt by trade.md 1: pooled scatter, rounding where scatter
    does not hold it, zero, gauge, shots and temperature, each a term that others may share.
    """
    if not logbook.readings and not build.surveys and logbook.mock_up.between != "line":
        return replace(build, logbook=logbook)
    seats = seat_work(build.steps, build.banks)
    passes = partial(passes_over, build) if build.cuts.passes else None
    used = in_use(logbook, house=build.unstated_doubt == "house", seats=seats, passes=passes)
    figures, read_at = dict(build.figures), dict[str, str]()
    for place, series in used.series.items():
        figures[str(place)] = figure_of(series, build, used)
    if build.surveys:
        from .faces import heights

        surveyed = heights(replace(build, figures=figures, logbook=logbook))
        read_at |= when_surveyed(build, surveyed)
        figures |= surveyed
    if logbook.mock_up.between == "line":
        filled = _between(build, figures)
        read_at |= when_filled(build, filled, used)
        figures |= filled
    return replace(
        build, figures=figures, paper=build.figures, logbook=logbook, in_use=used, surveyed_at=read_at
    )


def figure_of(
    series: Series, build: Build, used: ReadingSelection, extra: tuple[str, int] | None = None
) -> Quantity:
    """Return what a series of readings comes to (trade.md 1).

    Parameters
    ----------
    series : Series
        Of one place.
    build : Build
        For materials, and for what stands in where nothing is stated.
    used : ReadingSelection
        For the scatter that its zeros rest on.
    extra : tuple of str and int, optional
        A zero and a number: as if so many more readings had been taken against it, with the same
        mean; to see what they would leave.

    Returns
    -------
    Quantity
        In the base unit, with its terms.
    """
    readings, pool = series.readings, series.pool
    weights = _weights(readings)
    # Figure and gauge are one, so temperature acts on all of a series alike.
    correction = correction_of(readings[0], pool, build)
    value = math.fsum(weight * _at_reference(one, correction) for one, weight in weights)
    terms = _own_terms(series, weights, extra)
    terms += _zero_terms(series, weights, used, extra)
    terms += _gauge_terms(pool)
    terms += _temperature_terms(weights, correction, build)
    newest = latest(readings)
    return _quantity(value, tuple(t for t in terms if t.u), newest, tuple(one.value for one in readings))


def _weights(readings: Iterable[Reading]) -> list[tuple[Reading, float]]:
    """The weight of each reading in the mean: spots count alike, and readings at a spot."""
    spots = spots_of(readings)
    return [(one, 1 / len(spots) / len(group)) for group in spots.values() for one in group]


def _at_reference(reading: Reading, correction: Correction | None) -> float:
    """A reading at 20 °C and at the rim.

    d₂₀ = reading·(1 − α·(T − 20) + α_g·(T_g − 20)).
    """
    value = reading.value
    if reading.on == "pad" and reading.pad_height is not None:
        value += reading.pad_height
    if correction is None:
        return value
    by = 0.0
    if reading.temperature is not None:
        by -= correction.alpha * (reading.temperature - REFERENCE)
    if correction.gauge and reading.gauge_temperature is not None:
        by += correction.gauge_alpha * (reading.gauge_temperature - REFERENCE)
    return value * (1 + by)


def correction_of(reading: Reading, pool: Pool, build: Build) -> Correction | None:
    """Return how temperature acts on a reading; None where it does not.

    Parameters
    ----------
    reading : Reading
        Of a length; a depth on a mock-up is a difference and takes none.
    pool : Pool
        For its gauge.
    build : Build
        For the rod's material.
    """
    field = READABLE[reading.figure]
    if field.kind is not Kind.LENGTH or reading.figure == "deck_clearance":
        return None
    gauge = pool.gauge
    own = gauge is not None and not gauge.compensated
    return Correction(
        field.part,
        expansion(field.part, build.rod_material if field.part == "rod" else ""),
        gauge.id if own and gauge else "",
        expansion(gauge.material, "") if own and gauge else 0.0,
    )


def _own_terms(
    series: Series, weights: list[tuple[Reading, float]], extra: tuple[str, int] | None
) -> list[Term]:
    """Scatter and rounding of the place's own readings."""
    pool, at = series.pool, str(series.place)
    spots = spots_of(series.readings)
    more = (extra[1] if extra else 0) / len(spots)
    variance = pool.variance_of(series.readings)
    share = 1 / len(spots) ** 2
    scatter = math.fsum(variance / (len(group) + more) * share for group in spots.values())
    rounding = pool.rounding(variance) / len(spots)
    terms = [
        term_of(Cause.READ, f"{at}", u=math.sqrt(scatter), dof=pool.dof, pool=pool.key),
        term_of(Cause.ROUNDING, f"{at}", math.sqrt(rounding), rectangular=True),
    ]
    terms += _filling_terms(series, weights)
    by_size: dict[tuple[float, float], float] = {}
    for one, weight in weights:
        if one.shots:
            size_u = one.shots.size_u
            if size_u is None:
                size_u = SHOT_SIZE if "shots" in pool.stood_in else 0.0
            key = (one.shots.size, size_u)
            by_size[key] = by_size.get(key, 0.0) + weight * one.shots.count * size_u
    terms += [term_of(Cause.SHOT, f"{size:.6g} cc", u) for (size, _), u in by_size.items()]
    return terms


def _filling_terms(series: Series, weights: list[tuple[Reading, float]]) -> list[Term]:
    """How far below the deck the rim stood while a crown was filled: A·u(x), each depth a source of its own."""
    house = "gauge" in series.pool.stood_in or "shots" in series.pool.stood_in
    moved: dict[tuple[float, bool], float] = {}
    for one, weight in weights:
        if one.filled is None:
            continue
        stated = one.filled.below_u is not None
        u = one.filled.below_u if one.filled.below_u is not None else _BELOW / math.sqrt(3) if house else 0.0
        area = math.pi / 4 * one.filled.bore**2
        key = (one.filled.below, stated)
        moved[key] = moved.get(key, 0.0) - weight * area * u / 1000
    return [
        term_of(Cause.RIM, f"{series.place}, {below:.6g} mm below", u, rectangular=not stated)
        for (below, stated), u in moved.items()
    ]


def _zero_terms(
    series: Series,
    weights: list[tuple[Reading, float]],
    used: ReadingSelection,
    extra: tuple[str, int] | None,
) -> list[Term]:
    """What the place shares with everything read against the same zeros."""
    by_zero: dict[str, float] = {}
    for one, weight in weights:
        if one.zero:
            by_zero[one.zero] = by_zero.get(one.zero, 0.0) + weight
    if extra:
        n = len(weights)
        by_zero = {zero: weight * n / (n + extra[1]) for zero, weight in by_zero.items()}
        if extra[0]:
            by_zero[extra[0]] = by_zero.get(extra[0], 0.0) + extra[1] / (n + extra[1])
    terms = []
    for zero, weight in by_zero.items():
        pool = used.zero_pool(zero) or series.pool
        terms += [
            term_of(
                Cause.ZERO, f"{zero}", u=weight * math.sqrt(pool.zero_variance), dof=pool.dof, pool=pool.key
            ),
            term_of(Cause.ZERO_ROUNDING, f"{zero}", weight * math.sqrt(pool.zero_rounding), rectangular=True),
        ]
    return terms


def _gauge_terms(pool: Pool) -> list[Term]:
    """The gauge's own doubt; of a transfer gauge the micrometer's, and the feel."""
    gauge = pool.gauge
    if pool.way == "shots":
        return []
    if gauge is None:
        return [term_of(Cause.GAUGE, f"of {pool.figure}", pool.gauge_u, rectangular=True)]
    # Nobody's figure but the house's: a half-width.
    terms = [
        term_of(
            Cause.GAUGE, f"{gauge.read_with or gauge.id}", pool.gauge_u, rectangular="gauge" in pool.stood_in
        )
    ]
    if gauge.feel:
        terms.append(term_of(Cause.FEEL, f"{gauge.id}", gauge.feel))
    return terms


def _temperature_terms(
    weights: list[tuple[Reading, float]], correction: Correction | None, build: Build
) -> list[Term]:
    """What the doubt of the part's temperature, and of the gauge's, moves."""
    moved: dict[tuple[str, float, bool], float] = {}
    if correction is None:
        return []
    for one, weight in weights:
        pairs = [(correction.part, -correction.alpha, one.temperature)]
        if correction.gauge:
            pairs.append((correction.gauge, correction.gauge_alpha, one.gauge_temperature))
        for key, alpha, read in pairs:
            if read is not None:
                at = (key, U_TEMPERATURE, False)
            elif build.unstated_doubt == "house":
                at = (f"{key} (not stated)", U_UNSTATED_TEMPERATURE, True)
            else:
                continue
            moved[at] = moved.get(at, 0.0) + weight * alpha * one.value
    return [term_of(Cause.TEMPERATURE, of, u * by, rectangular=flat) for (of, u, flat), by in moved.items()]


def _quantity(
    value: float, terms: tuple[Term, ...], newest: Reading, readings: tuple[float, ...]
) -> Quantity:
    doubt = of_terms(terms)
    field = READABLE[newest.figure]
    number = from_base(value, newest.unit)
    basis = "mock-up" if newest.figure == "deck_clearance" else "measured"
    typed = {"value": number, "unit": newest.unit.symbol, "basis": basis}
    return Quantity(
        value=value,
        u=doubt.u,
        dof=doubt.dof,
        unit=newest.unit,
        number=number,
        kind=field.kind,
        basis=basis,
        basis_stated=True,
        doubt="readings",
        each=False,
        as_typed=typed,
        readings=readings,
        terms=terms,
    )


def _between(build: Build, figures: Mapping[str, Quantity]) -> dict[str, Quantity]:
    """The holes that nobody read, on the line of their bank's mock-ups.

    c(x) = Σ wⱼ·cⱼ with least-squares weights; each cⱼ stands off its bank's line by the scatter
    between holes, and so does the hole that is filled.
    """
    scatter = between_holes("deck_clearance")
    found: dict[str, Quantity] = {}
    for bank in build.banks:
        read = {
            i: (number, figures[path])
            for i, number in enumerate(bank.cylinders)
            if (path := f"cylinders.{number}.deck_clearance") in figures
        }
        if len(read) < 2:
            continue
        for i, number in enumerate(bank.cylinders):
            if i in read:
                continue
            value, on_line = line_at(read, i)
            terms = [*on_line, term_of(Cause.BETWEEN, f"{number}", scatter)]
            template = next(iter(read.values()))[1]
            found[f"cylinders.{number}.deck_clearance"] = replace(
                template,
                value=value,
                u=root_sum_square(terms),
                dof=math.inf,
                number=from_base(value, template.unit),
                as_typed={
                    "value": from_base(value, template.unit),
                    "unit": template.unit.symbol,
                    "basis": "mock-up",
                },
                readings=(),
                terms=tuple(terms),
            )
    return found


def line_at(read: Mapping[int, tuple[int, Quantity]], at: float) -> tuple[float, list[Term]]:
    """Return the line of a bank's mock-ups at a place, and the terms of its doubt (trade.md 7).

    Parameters
    ----------
    read : Mapping
        Hole and deck clearance by place along the bank, in bore pitches from the first; two or more.
    at : float
        The place, in bore pitches from the first; no unit.

    Returns
    -------
    value : float
        In mm.
    terms : list of Term
        c(x) = Σ wⱼ·cⱼ by least squares; each cⱼ stands off the line by the scatter between holes.
    """
    mean = math.fsum(read) / len(read)
    spread = math.fsum((i - mean) ** 2 for i in read)
    weights = {j: 1 / len(read) + (at - mean) * (j - mean) / spread for j in read}
    value = math.fsum(weights[j] * quantity.value for j, (_, quantity) in read.items())
    scatter = between_holes("deck_clearance")
    terms = _line_terms(weights, read)
    terms += [term_of(Cause.BETWEEN, f"{hole}", weights[j] * scatter) for j, (hole, _) in read.items()]
    return value, terms


def _line_terms(weights: Mapping[int, float], read: Mapping[int, tuple[int, Quantity]]) -> list[Term]:
    """The terms of the mock-ups that a line stands on, each by its weight."""
    return joined(
        term.times(weights[j])
        for j, (hole, quantity) in read.items()
        for term in quantity.terms
        or (Term(f"cylinders.{hole}.deck_clearance", quantity.u, rectangular=quantity.rectangular),)
    )


def place_is_read(build: Build, place: str | Place) -> bool:
    """Tell whether readings stand behind a figure.

    Parameters
    ----------
    build : Build
        The build.
    place : str or Place
        Of a figure.
    """
    return build.in_use is not None and any(str(at) == str(place) for at in build.in_use.series)
