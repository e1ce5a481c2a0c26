"""The linear model of a logbook: what every reading stands off paper, and how far it may, source by source.

All readings and paper figures are one model: paper tolerance (of a deck each bank's own), how pieces differ, a
deck's slope, the bench's sag, worn bores, zeros, gauges, shots, temperatures, and each reading's own scatter. A
piece that was read itself is free: its paper is compared with it elsewhere.
"""

# long: one model: what was read, what may be in doubt, and what a fault moves
from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..build.model import Build
from ..house_rules import HouseRules
from ..place import Scope
from ..quantity import Quantity
from ..stack.as_cut import cut_before
from ..stack.sources import is_paper
from ..usual_figures import BANK_SLOPE, piece_scatter, unstated_doubt
from .faults import PIECES, STACK, FaultHypothesis, along, surveyed_height
from .figures import U_TEMPERATURE, U_UNSTATED_TEMPERATURE, correction_of
from .logbook import READABLE, Reading, place_of
from .scatter import SHOT_SIZE, Pool, shots_variance
from .selection import ReadingSelection

Floats = NDArray[np.float64]

_DECK = READABLE["deck_height"].path
# What nobody stated on paper could be anything.
_FREE = 100.0
# More readings than this speak series by series.
MOST_APART = 240
# How a bank's deck may slope, per mm, and stand off its paper, in mm, where it was mocked up with one set to see
# just that.
MOCKED_SLOPE, MOCKED_HEIGHT = 1.0 / 1000, 0.3
# Of more readings than this in one pool each series speaks for itself.
_MOST_PROJECTED = 400
# As so many degrees of freedom the register's repeatability counts beside what was read.
REGISTER = 8


def sound_readings(used: ReadingSelection) -> tuple[Reading, ...]:
    """Return every reading that can speak: those in use, and those of another gauge or way (trade.md 9).

    Parameters
    ----------
    used : ReadingSelection
        What of the logbook counts.

    Returns
    -------
    tuple of Reading
        In their order; of more than 240 one for each series, with its mean.
    """
    several = [*used.series.values(), *(rival for rivals in used.rivals.values() for rival in rivals)]
    readings = sorted((one for series in several for one in series.readings), key=lambda one: one.order)
    if len(readings) <= MOST_APART:
        return tuple(readings)
    # Of thousands the mean of each series speaks, named by its newest reading.
    kept: dict[object, list[Reading]] = {}
    for one in readings:
        kept.setdefault((series_of(one), one.pool), []).append(one)
    means = [(math.fsum(one.value for one in group) / len(group), group[-1]) for group in kept.values()]
    return tuple(newest.with_(value=mean) for mean, newest in means)


Series = tuple[tuple[str, ...], str]


def series_of(one: Reading) -> Series:
    """Return what a reading is a repeat of. A zero that stands off is no scatter: each has its own repeats.

    Parameters
    ----------
    one : Reading
        Any.
    """
    return (one.series, one.zero)


def own_series(fault: FaultHypothesis, readings: Sequence[Reading]) -> Series | None:
    """Return the series of a misread figure: its own scatter says nothing of how well it could be read.

    Parameters
    ----------
    fault : FaultHypothesis
        Any.
    readings : sequence of Reading
        Those that can speak.

    Returns
    -------
    tuple or None
        None for a fault that is no misread figure.
    """
    if fault.kind != "reading":
        return None
    return next(series_of(one) for one in readings if one.id == fault.about)


def means_of(used: ReadingSelection) -> dict[tuple[str, int], float]:
    """Return what was read of each piece, in its hole (trade.md 9).

    Parameters
    ----------
    used : ReadingSelection
        What of the logbook counts.

    Returns
    -------
    dict
        By figure and hole, in mm.
    """
    found: dict[tuple[str, int], float] = {}
    for place, series in used.series.items():
        figure = series.readings[0].figure
        if figure in PIECES and place.scope is Scope.HOLE:
            values = [one.value for one in series.readings]
            found[figure, place.number] = math.fsum(values) / len(values)
    return found


class Model:
    """Residuals and covariance, gathered source by source: what each moves of every reading, times its u.

    Parameters
    ----------
    build : Build
        With its paper figures.
    used : ReadingSelection
        What of its logbook counts.
    readings : sequence of Reading
        Those that can speak.
    rules : HouseRules
        In force: how far a mock-up hangs low on the bench at most, and how far a worn bore differs, in mm.
    """

    def __init__(
        self, build: Build, used: ReadingSelection, readings: Sequence[Reading], rules: HouseRules
    ) -> None:
        self.build, self.used, self.readings = build, used, readings
        self.sag, self.wear = rules["bench_sag"], rules["bore_wear"]
        self.pieces = {} if build.mocked_with_one_set else means_of(used)
        self.worn = _read_at_several_spots(readings)
        self.one_height = len(build.banks) == 1 or place_of("deck_height") in used.series
        self.joined = len(readings) < sum(len(one.readings) for one in used.series.values())
        self.paper = build.paper or build.figures
        self.one_set = build.mocked_with_one_set
        self.columns: dict[object, Floats] = {}
        self._lower: dict[Series | None, Floats] = {}
        self.residuals = _residuals(used)
        self.y = np.array([one.value for one in readings])
        for i, one in enumerate(readings):
            self._reading(i, one)
        columns = np.array(list(self.columns.values())).reshape(len(self.columns), len(readings))
        self._shared = columns.T @ columns

    def lower(self, without: Series | None) -> Floats:
        """Return the covariance's lower root, its scatter told without one series.

        Parameters
        ----------
        without : tuple or None
            The series that is left out; None for none.

        Returns
        -------
        array
            Lower triangular, of mm or cc.
        """
        if without not in self._lower:
            self._lower[without] = _root(self._shared + self._scatter(without))
        return self._lower[without]

    def _scatter(self, without: Series | None) -> Floats:
        """What readings scatter by themselves, and what they share through their zeros."""
        out: Floats = np.zeros_like(self._shared)
        by_zero: dict[str, list[int]] = {}
        plain: dict[str, float] = {}
        for i, one in enumerate(self.readings):
            pool = self.used.pools[one.pool]
            if one.shots or (variance := plain.get(one.pool)) is None:
                variance = self._variance(pool, one, without)
                if not one.shots:
                    plain[one.pool] = variance
            repeats = self.residuals[one.pool].repeats(series_of(one)) if self.joined else 1
            out[i, i] = variance / repeats
            out[i, i] += pool.rounding(variance) + 1e-12
            if one.zero:
                by_zero.setdefault(one.zero, []).append(i)
        for zero, at in by_zero.items():
            pool = self.used.zero_pool(zero) or self.used.pools[self.readings[at[0]].pool]
            scatter = self._variance(pool, self.readings[at[0]], without) * (2 if pool.way == "tipped" else 1)
            out[np.ix_(at, at)] += scatter + max(0.0, pool.resolution**2 / 12 - scatter / 2)
        return out

    def _variance(self, pool: Pool, one: Reading, without: Series | None) -> float:
        """s² of one reading: what the register says, and the scatter of all series but one.

        The register counts as many degrees of freedom: a few pairs that happened to agree would make a
        slip of every other.
        """
        # A zero may rest on readings that were all set aside.
        known = self.residuals.get(pool.key)
        total, dof = (0.0, 0) if known is None else known.squares(without)
        usual = shots_variance(one, house="shots" in pool.stood_in) if one.shots else pool.register
        if usual is None:
            return total / dof if dof else 0.0
        return (REGISTER * usual + total) / (REGISTER + dof)

    def _add(self, key: object, i: int, by: float) -> None:
        if by:
            column = self.columns.setdefault(key, np.zeros(len(self.readings)))
            column[i] += by

    def _reading(self, i: int, one: Reading) -> None:
        if self.build.cuts.passes and one.place.scope is Scope.HOLE:
            # Paper knows nothing of the passes that were cut before it was read.
            self.y[i] -= cut_before(self.build, one.figure, one.place.number, one.at)
        if one.figure == "deck_clearance":
            if one.on == "pad" and one.pad_height is not None:
                self.y[i] += one.pad_height
            for figure, by in STACK.items():
                self._figure(i, figure, one.place.number, by)
            self._sag(i, one)
        else:
            hole = one.place.number if one.place.scope is Scope.HOLE else None
            self._figure(i, one.figure, hole=hole, by=1.0, bank=one.place.bank)
            if one.figure == "bore" and hole in self.worn:
                for key in (("worn",), ("worn", hole), ("worn", hole, one.spot_words)):
                    self._add(key, i, self.wear / 2)
        self._instrument(i, one)

    # long: one figure after another, with every source that moves it
    def _figure(self, i: int, figure: str, hole: int | None, by: float, bank: str = "") -> None:
        """The paper figure that a reading is compared with, its doubt, and how pieces differ."""
        field = READABLE[figure]
        if hole is not None and (mean := self.pieces.get((figure, hole))) is not None:
            self.y[i] -= by * mean
            self._add(("free", figure, hole), i, by * _FREE)
            return
        if (
            figure == "deck_height"
            and hole is not None
            and (known := surveyed_height(self.build, hole)) is not None
        ):
            # A surveyed deck stands as it was read: neither paper nor an ordinary slope says anything more.
            path = f"cylinders.{hole}.deck_height"
            self.y[i] -= by * known.value
            if self.build.cuts.passes:
                self.y[i] += by * cut_before(
                    self.build, "deck_height", hole, self.build.surveyed_at.get(path, "")
                )
            for term in known.terms:
                self._add(("survey", term.key), i, by * term.u)
            return
        path, quantity = self._paper(figure, hole, bank)
        bank = bank or (self.build.bank_of(hole).name if hole is not None else "")
        if quantity is None:
            self._add(("free", figure), i, by * _FREE)
            if figure == "deck_height":
                # Both banks were faced to one height that nobody told.
                u = unstated_doubt(figure, "catalogue") / math.sqrt(3)
                self._add(("paper", path, bank), i, by * u)
        else:
            self.y[i] -= by * quantity.value
            apart: object = hole if quantity.each else None
            if path == _DECK and not self.one_height and is_paper(quantity):
                apart = bank
            self._add(("paper", path, apart), i, by * quantity.u)
        if hole is None:
            return
        one_set = self.one_set and figure in PIECES
        if not (quantity is not None and quantity.each) and not one_set:
            self._add(("piece", figure, hole), i, by * piece_scatter(figure))
        if field.name == "deck_height":
            slope = MOCKED_SLOPE if self.one_set else BANK_SLOPE
            if self.one_set:
                self._add(("bank", bank), i, by * MOCKED_HEIGHT)
            self._add(("slope", bank), i, by * slope * along(self.build, hole))

    def _paper(self, figure: str, hole: int | None, bank: str) -> tuple[str, Quantity | None]:
        """The figure on paper: bank over engine. What was typed for one hole is no paper."""
        path = READABLE[figure].path
        name = bank or (self.build.bank_of(hole).name if hole is not None else "")
        if figure == "deck_height" and (own := self.paper.get(f"banks.{name}.deck_height")) is not None:
            return f"banks.{name}.deck_height", own
        return path, self.paper.get(path)

    def _sag(self, i: int, one: Reading) -> None:
        """On the bench clearances are taken up one way: 0 to the house's figure, the same for all."""
        sign = -1.0 if ("block", "inverted") in one.conditions else 1.0
        self.y[i] -= sign * self.sag / 2
        self._add("sag", i, sign * self.sag / math.sqrt(12))

    def _instrument(self, i: int, one: Reading) -> None:
        pool = self.used.pools[one.pool]
        if one.shots:
            size_u = one.shots.size_u if one.shots.size_u is not None else SHOT_SIZE
            self._add(("shot", one.shots.size), i, one.shots.count * size_u)
        elif pool.gauge is not None:
            self._add(("gauge", pool.gauge.read_with or pool.gauge.id), i, pool.gauge_u)
            self._add(("feel", pool.gauge.id), i, pool.gauge.feel or 0.0)
        else:
            self._add(("gauge of", one.figure), i, pool.gauge_u)
        self._temperature(i, one, pool)

    def _temperature(self, i: int, one: Reading, pool: Pool) -> None:
        correction = correction_of(one, pool, self.build)
        if correction is None:
            return
        pairs = [(correction.part, -correction.alpha, one.temperature)]
        if correction.gauge:
            pairs.append((correction.gauge, correction.gauge_alpha, one.gauge_temperature))
        for key, alpha, read in pairs:
            if read is None:
                if self.build.unstated_doubt == "house":
                    self._add(("temperature", key, None), i, U_UNSTATED_TEMPERATURE * alpha * one.value)
            else:
                self.y[i] += alpha * (read - 20.0) * one.value
                self._add(("temperature", key), i, U_TEMPERATURE * alpha * one.value)


def _read_at_several_spots(readings: Sequence[Reading]) -> frozenset[int]:
    """Holes whose bore was read at several depths or axes: it may be worn oval or tapered."""
    spots: dict[int, set[str]] = {}
    for one in readings:
        if one.figure == "bore" and one.place.scope is Scope.HOLE:
            spots.setdefault(one.place.number, set()).add(one.spot_words)
    return frozenset(hole for hole, several in spots.items() if len(several) > 1)


def _root(covariance: Floats) -> Floats:
    """The lower root of a covariance.

    Beside dimensions that are free, scatter that is stated as nought is lost in the last digits: then as much is
    added as they can hold.
    """
    try:
        return np.asarray(np.linalg.cholesky(covariance))
    except np.linalg.LinAlgError:
        held = np.trace(covariance) * 1e-13
        return np.asarray(np.linalg.cholesky(covariance + held * np.eye(len(covariance))))


def _residuals(used: ReadingSelection) -> dict[str, _Residuals]:
    """What the readings of each pool scatter about their places and zeros."""
    grouped: dict[str, list[Reading]] = {}
    several = [*used.series.values(), *(rival for rivals in used.rivals.values() for rival in rivals)]
    for series in several:
        for one in series.readings:
            grouped.setdefault(one.pool, []).append(one)
    return {pool: _Residuals(readings) for pool, readings in grouped.items()}


class _Residuals:
    """Scatter of one pool: what is left of its readings once each place and each zero has a value of its own.

    Notes
    -----
    x = place + zero + e by least squares, H the projection on places and zeros, so that a zero that stands off is
    no scatter and readings of one place against several zeros are repeats. Without a series S the squares are
    eᵀe − e_Sᵀ(I − H_SS)⁺e_S.
    """

    def __init__(self, readings: Sequence[Reading]) -> None:
        self._at: dict[Series, list[int]] = {}
        for i, one in enumerate(readings):
            self._at.setdefault(series_of(one), []).append(i)
        self._known: dict[Series | None, tuple[float, int]] = {}
        values = np.array([one.value for one in readings])
        zeros = list(dict.fromkeys(one.zero for one in readings))
        places = list(dict.fromkeys(one.series for one in readings))
        if len(readings) > _MOST_PROJECTED or len(zeros) == 1:
            # One value for each series: the squares simply add up.
            self._hat = None
            own = [(_sum_of_squares(values[at]), len(at) - 1) for at in self._at.values()]
            self._known = dict(zip(self._at, own, strict=True))
            self._known[None] = math.fsum(s for s, _ in own), sum(dof for _, dof in own)
            return
        of_place, of_zero = ({name: i for i, name in enumerate(names)} for names in (places, zeros))
        laid_out = np.zeros((len(readings), len(places) + len(zeros)))
        for i, one in enumerate(readings):
            laid_out[i, of_place[one.series]] = laid_out[i, len(places) + of_zero[one.zero]] = 1.0
        self._hat = laid_out @ np.linalg.pinv(laid_out)
        self._left = values - self._hat @ values
        dof = len(readings) - round(float(np.trace(self._hat)))
        self._known[None] = float(self._left @ self._left), dof

    def repeats(self, series: Series) -> int:
        """How many readings a series has."""
        return len(self._at[series])

    def squares(self, without: Series | None) -> tuple[float, int]:
        """Σe² and its degrees of freedom, without one series; None for all."""
        total, dof = self._known[None]
        if without is None or without not in self._at:
            return total, dof
        if self._hat is None:
            own, less = self._known[without]
            return max(0.0, total - own), dof - less
        if without not in self._known:
            at = self._at[without]
            free = np.eye(len(at)) - self._hat[np.ix_(at, at)]
            held = np.linalg.pinv(free, rcond=1e-9, hermitian=True)
            left = self._left[at]
            rank = int(np.linalg.matrix_rank(free, tol=1e-9, hermitian=True))
            self._known[without] = max(0.0, total - float(left @ held @ left)), dof - rank
        return self._known[without]


def _sum_of_squares(values: Floats) -> float:
    return float(((values - values.mean()) ** 2).sum())
