"""The scatter of readings, pooled over a build.

All readings of one figure, with one gauge, taken one way (plain and tipped apart; a pair is one
reading) share one scatter: a series of two or three says little about its own.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from ..fields import Field
from ..quantity import dimension_of
from ..usual_figures import repeatability, unstated_doubt
from .logbook import READABLE, Gauge, Logbook, Reading

# Below so many degrees of freedom the register's repeatability joins, counted as two of them.
FEW, JOINS = 4, 2
# What the house takes for a counted shot of which nobody stated the doubt, in cc.
SHOT_SIZE, SHOT_RANDOM, SHOT_PART = 0.01, 0.02, 0.05


class Pool(NamedTuple):
    """The scatter of one figure with one gauge, taken one way.

    ``squares`` is Σ(x − mean at its place)² with ``own_dof`` degrees of freedom; ``register`` the
    variance that the gauge's usual repeatability gives one reading (None: nobody knows), which for
    counted shots depends on their number. ``resolution`` as the gauge steps; ``gauge_u`` the gauge's
    own standard uncertainty for readings as these. ``stood_in``: what the house had to supply.
    """

    key: str
    figure: str
    gauge: Gauge | None
    way: str
    squares: float
    own_dof: int
    register: float | None
    resolution: float
    gauge_u: float
    stood_in: frozenset[str]

    @property
    def joined(self) -> bool:
        """True where the register's repeatability had to join."""
        return self.own_dof < FEW and (self.register is not None or self.way == "shots")

    @property
    def dof(self) -> float:
        """Degrees of freedom of the scatter; infinite where nothing is known of it, no unit."""
        if self.joined:
            return self.own_dof + JOINS
        return self.own_dof or math.inf

    def variance(self, register: float | None = None) -> float:
        """Return s_p², the variance of one reading.

        Parameters
        ----------
        register : float, optional
            The usual variance in place of the pool's own, in mm² or cc²: that of shots so many.

        Returns
        -------
        float
            In mm² or cc²; nought where nothing is known.

        Notes
        -----
        s_p² = Σ(x − mean)²/ν; with ν < 4: (2·s₀² + Σ(…)²)/(2 + ν).
        See trade.md 1.
        """
        usual = self.register if register is None else register
        if self.own_dof < FEW and usual is not None:
            return (JOINS * usual + self.squares) / (JOINS + self.own_dof)
        return self.squares / self.own_dof if self.own_dof else 0.0

    def variance_of(self, readings: Iterable[Reading]) -> float:
        """Return s_p² for some readings of the pool: shots by their own number, in mm² or cc² (trade.md 1).

        Parameters
        ----------
        readings : iterable of Reading
            One or more, of this pool.
        """
        if self.way != "shots":
            return self.variance()
        usual = [shots_variance(reading, house="shots" in self.stood_in) for reading in readings]
        return self.variance(math.fsum(usual) / len(usual))

    def rounding(self, variance: float) -> float:
        """Return ρ², what rounding adds to a scatter that does not hold it yet.

        Parameters
        ----------
        variance : float
            s_p² of these readings, in mm² or cc².

        Notes
        -----
        ρ² = max(0, r²/12 − s_p²/2); for pairs r²/24 in place of r²/12.
        See trade.md 1.
        """
        step = self.resolution**2 / (24 if self.way == "tipped" else 12)
        return max(0.0, step - variance / 2)

    @property
    def zero_variance(self) -> float:
        """s_z²: the variance of setting a zero, one plain reading of the gauge, in mm² (trade.md 1)."""
        return self.variance() * (2 if self.way == "tipped" else 1)

    @property
    def zero_rounding(self) -> float:
        """What rounding adds to a zero: max(0, r²/12 − s_z²/2), in mm² (trade.md 1)."""
        return max(0.0, self.resolution**2 / 12 - self.zero_variance / 2)


def pool_key(reading: Reading) -> str:
    """Return what names the scatter that a reading rests on.

    Parameters
    ----------
    reading : Reading
        Any.

    Examples
    --------
    >>> from .examples import reading
    >>> pool_key(reading(gauge="depth-2", tipped=(0.2, 0.3)))
    'deck_clearance, depth-2, tipped'
    """
    return reading.pool


def shots_variance(reading: Reading, *, house: bool) -> float:
    """Return the usual variance of a volume counted out in shots, in cc².

    Parameters
    ----------
    reading : Reading
        Of counted shots.
    house : bool
        True where the house's figures stand in.

    Notes
    -----
    N·u_random² + u_part²; the bias of the size is another source.
    See trade.md 1.
    """
    shots = reading.shots
    assert shots is not None
    random = shots.random if shots.random is not None else SHOT_RANDOM if house else 0.0
    part = shots.part_u if shots.part_u is not None else SHOT_PART if house and shots.part else 0.0
    return shots.count * random**2 + part**2


def pools_of(
    readings: Iterable[Reading], logbook: Logbook, *, house: bool, passed: Mapping[str, int] | None = None
) -> dict[str, Pool]:
    """Pool the scatter of readings that are sound.

    Parameters
    ----------
    readings : iterable of Reading
        Neither void nor of no use.
    logbook : Logbook
        For its gauges.
    house : bool
        True where the house's usual figures stand in for what nobody stated.
    passed : Mapping, optional
        How many passes had been cut before each reading, by its id; no unit.

    Returns
    -------
    dict of str to Pool
        By :func:`pool_key`.

    Notes
    -----
    "Its place" is a hole, a spot in it (depth, axis, clock), conditions and what had been cut: readings that
    differ in one of these are not repeats of one another.
    See trade.md 1.
    """
    grouped: dict[str, dict[object, list[float]]] = {}
    first: dict[str, Reading] = {}
    for reading in readings:
        series = grouped.get(reading.pool)
        if series is None:
            first[reading.pool] = reading
            series = grouped[reading.pool] = {}
        place = (reading.series, passed.get(reading.id, 0)) if passed else reading.series
        values = series.get(place)
        if values is None:
            values = series[place] = []
        values.append(reading.value)
    return {
        key: _pool(key, first[key], series.values(), logbook, house=house) for key, series in grouped.items()
    }


def _pool(key: str, sample: Reading, series: Iterable[list[float]], logbook: Logbook, *, house: bool) -> Pool:
    squares, dof = [], 0
    for values in series:
        mean = math.fsum(values) / len(values)
        squares += [(value - mean) ** 2 for value in values]
        dof += len(values) - 1
    gauge = logbook.gauge_of(sample)
    register, resolution, gauge_u, stood_in = _register(sample, gauge, logbook, house=house)
    return Pool(
        key=key,
        figure=sample.figure,
        gauge=gauge,
        way=sample.way,
        squares=math.fsum(squares),
        own_dof=dof,
        register=register,
        resolution=resolution,
        gauge_u=gauge_u,
        stood_in=stood_in,
    )


def _register(
    sample: Reading, gauge: Gauge | None, logbook: Logbook, *, house: bool
) -> tuple[float | None, float, float, frozenset[str]]:
    """Usual variance of one reading, resolution, the gauge's own doubt, and what the house supplied."""
    field = READABLE[sample.figure]
    stood_in: set[str] = set()
    if sample.way == "shots":
        return None, 0.0, 0.0, frozenset({"shots"} if house else ())
    usual = gauge.repeatability if gauge else None
    if usual is None and house:
        usual = repeatability(dimension_of(field))
        stood_in.add("repeatability")
    if usual is not None and sample.way == "tipped":
        usual /= math.sqrt(2)
    through = logbook.gauges.get(gauge.read_with) if gauge and gauge.read_with else None
    teller = through or gauge
    own = None
    if teller is not None:
        own = teller.u_travel if sample.zero and teller.u_travel is not None else teller.u
    if own is None:
        own = 0.0
        if house:
            own = _house_gauge(field)
            stood_in.add("gauge")
    resolution = (teller.resolution if teller else None) or 0.0
    return None if usual is None else usual**2, resolution, own, frozenset(stood_in)


def _house_gauge(field: Field) -> float:
    """What the house takes for a gauge of which nobody stated a doubt: its figure for a measured value."""
    basis = "mock-up" if field.part == "mock-up" else "measured"
    return unstated_doubt(dimension_of(field), basis) / math.sqrt(3)


def series_scatter(values: Sequence[float]) -> float | None:
    """Return the sample standard deviation of repeats; None of a single one (trade.md 1).

    Parameters
    ----------
    values : sequence of float
        In one unit.

    Examples
    --------
    >>> series_scatter([1.0, 3.0])
    1.4142135623730951
    """
    if len(values) < 2:
        return None
    mean = math.fsum(values) / len(values)
    return math.sqrt(math.fsum((one - mean) ** 2 for one in values) / (len(values) - 1))
