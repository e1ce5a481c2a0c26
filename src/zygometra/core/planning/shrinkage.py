"""What was read hole by hole, drawn back to the line or mean of its bank.

A reading scatters, and so do holes. Who takes each reading for the truth of its hole counts the
scatter of reading twice: once in the differences between holes, once more in their doubt.
"""

from __future__ import annotations

from typing import NamedTuple, Protocol

import numpy as np

from ..build.model import Bank, Build
from ..quantity import Distribution, Source, parts_of_doubt
from .quasi_random import QuasiRandomSample, Table

# The stated scatter between holes counts as so many degrees of freedom beside what the readings show.
PRIOR_DOF = 6


class Drawing(Protocol):
    """Where figures are drawn: the build, so many draws, and what a figure may be off in each."""

    build: Build
    draws: QuasiRandomSample | None
    rows: int

    def error(self, source: Source, number: int, *, shared: bool = True) -> Table:
        """Return what a figure may be off, in its base unit; see :class:`.figure_samples.Truth`.

        Parameters
        ----------
        source : Source
            The figure, and where it stands.
        number : int
            The hole; no unit.
        shared : bool
            False leaves out what other holes share with it.
        """


class HoleReading(NamedTuple):
    """A figure that was read in one hole: its place along the bank from 0, the hole, and the figure."""

    along: int
    number: int
    source: Source


class Estimator(NamedTuple):
    """How holes are estimated from what was read of them.

    ``fit`` takes readings to the line or mean of their bank, ``own`` is the variance of one hole's
    reading that no other hole shares, ``prior`` the stated variance between holes, ``dof`` what is
    known of both together.
    """

    fit: Table
    own: float
    prior: float
    dof: float

    def variance(self, read: Table) -> Table:
        """Return the variance of readings about their line: between holes and of reading together (trade.md 11).

        Parameters
        ----------
        read : array
            A row for each draw, a column for each hole, in mm or cc.
        """
        left = read - read @ self.fit
        prior = PRIOR_DOF * (self.prior + self.own)
        return np.asarray((prior + np.sum(left * left, axis=1, keepdims=True)) / self.dof)

    def __call__(self, read: Table) -> Table:
        """Return line + k·(reading − line), k = τ²/(τ² + u²).

        Parameters
        ----------
        read : array
            A row for each draw, a column for each hole, in mm or cc.
        """
        line = read @ self.fit
        between = np.maximum(self.variance(read) - self.own, 0.0)
        total = between + self.own
        share = np.divide(between, total, out=np.zeros_like(total), where=total > 0)
        return np.asarray(line + share * (read - line))


def estimator(reads: list[HoleReading], scatter: float, *, line: bool) -> Estimator:
    """Return how the holes of one bank are estimated (trade.md 11).

    Parameters
    ----------
    reads : list of HoleReading
        Two or more.
    scatter : float
        Expected between holes, a standard deviation in mm or cc.
    line : bool
        True draws back to a line along the bank, from three holes on; else to their mean.
    """
    n = len(reads)
    design = np.ones((n, 1))
    if line and n > 2:
        design = np.column_stack([design, [read.along for read in reads]])
    # Symmetric: a projection.
    fit = design @ np.linalg.pinv(design)
    pool = _pooled(reads)
    own = sum(_own_variance(read.source, pool) for read in reads) / n
    return Estimator(fit, own, scatter * scatter, PRIOR_DOF + n - design.shape[1])


def shrunk(reads: list[HoleReading], scatter: float, truth: Drawing, *, line: bool) -> list[Table]:
    """Return what the holes of a bank may truly be, a column each.

    Parameters
    ----------
    reads : list of HoleReading
        Two or more.
    scatter : float
        Expected between holes, a standard deviation in mm or cc.
    truth : Drawing
        With draws.
    line : bool
        True draws back to a line along the bank, from three holes on; else to their mean.

    Notes
    -----
    Holes and readings are drawn and put through the same estimator; what it misses them by is the doubt
    of the estimate from the real readings. The scatter between holes that is drawn is itself as
    doubtful as the readings leave it: v·ν/χ²_ν, v the variance about the line. What all readings of a
    gauge or a zero share is added after. Plain lists of readings share one scatter over the bank, as those of
    a logbook do over the build.
    See trade.md 11.
    """
    draws = truth.draws
    assert draws is not None
    estimate = estimator(reads, scatter, line=line)
    real = np.array([[read.source.quantity.value for read in reads]])
    figure = reads[0].source.path.split(".")[-1]
    key = scatter_between(figure, truth.build.bank_of(reads[0].number))
    wide = estimate.variance(real) * draws.scale(key, estimate.dof)[:, None] ** 2
    pool = _pooled(reads)
    # Together they scatter as they were seen to: where readings scatter more, holes stand off less.
    own = _own_drawn(reads, pool, truth, key)
    between = np.sqrt(np.maximum(wide - own[:, None], 0.0))
    holes = between * np.stack([draws.normal(of_hole(key, read.number)) for read in reads], axis=1)
    if pool is None:
        alone = np.stack([truth.error(read.source, read.number, shared=False) for read in reads], axis=1)
        every = np.stack([truth.error(read.source, read.number) for read in reads], axis=1)
    else:
        alone = every = np.stack([_drawn(read, pool, truth, key) for read in reads], axis=1)
    missed = holes - estimate(holes - alone)
    point = estimate(real) + missed + (every - alone)
    return [point[:, i] for i in range(len(reads))]


def scatter_between(figure: str, bank: Bank) -> str:
    """Return what names the scatter between the holes of a bank.

    Parameters
    ----------
    figure : str
        What was read of them.
    bank : Bank
        Theirs.
    """
    return f"~between {figure} {bank.name}"


def of_hole(key: str, number: int) -> str:
    """Return what names how far one hole stands off its bank.

    Parameters
    ----------
    key : str
        The scatter's name.
    number : int
        The hole; no unit.
    """
    return f"{key} hole {number}"


class _Pool(NamedTuple):
    """The scatter of one reading, pooled over the lists of several holes, and its degrees of freedom."""

    scatter: float
    dof: int


def _pooled(reads: list[HoleReading]) -> _Pool | None:
    """The pooled scatter where every hole has a plain list of readings of its own; None elsewhere.

    s_p² = Σ(x − mean of its list)²/Σ(n − 1): one hand with one gauge read them all, and two or three
    readings say little of their own scatter.
    """
    lists = [read.source.quantity.readings for read in reads]
    if any(read.source.quantity.terms or read.source.quantity.doubt != "readings" for read in reads):
        return None
    dof = sum(len(values) - 1 for values in lists)
    squares = sum(float(np.var(values)) * len(values) for values in lists)
    return _Pool(float(np.sqrt(squares / dof)), dof) if dof else None


def _drawn(read: HoleReading, pool: _Pool, truth: Drawing, key: str) -> Table:
    """What one hole's list may be off: the pooled scatter of its mean, the gauge's step and own doubt."""
    draws, quantity = truth.draws, read.source.quantity
    assert draws is not None
    mean = pool.scatter / len(quantity.readings) ** 0.5
    off = mean * draws.normal(f"{read.source.path}") * draws.scale(f"{key} readings", pool.dof)
    for i, (u, shape, dof) in enumerate(parts_of_doubt(quantity)):
        if dof == float("inf"):
            part = f"{read.source.path}/{i}"
            off = off + u * (
                draws.rectangular(part) if shape is Distribution.RECTANGULAR else draws.normal(part)
            )
    return np.asarray(off)


def _own_drawn(reads: list[HoleReading], pool: _Pool | None, truth: Drawing, key: str) -> Table:
    """The part of the readings' variance that no other hole shares, in each draw: as wide as their scatter is drawn."""
    draws = truth.draws
    assert draws is not None
    total = np.zeros(truth.rows)
    for read in reads:
        quantity = read.source.quantity
        for term in quantity.terms:
            if term.cause.is_of_its_place_alone:
                wide = term.pool is not None and np.isfinite(term.dof)
                total += term.u**2 * (draws.scale(f"~scatter {term.pool}", term.dof) ** 2 if wide else 1.0)
        if not quantity.terms and pool is not None:
            scatter = pool.scatter**2 / len(quantity.readings)
            total += scatter * draws.scale(f"{key} readings", pool.dof) ** 2
            total += _own_variance(read.source, pool) - scatter
        elif not quantity.terms:
            total += _own_variance(read.source, pool)
    return np.asarray(total / len(reads))


def _own_variance(source: Source, pool: _Pool | None) -> float:
    """The part of a reading's variance that no other hole shares."""
    quantity = source.quantity
    if quantity.terms:
        return sum(term.u**2 for term in quantity.terms if term.cause.is_of_its_place_alone)
    parts = parts_of_doubt(quantity)
    if pool is None:
        return sum(u * u for u, _, _ in parts)
    known = sum(u * u for u, _, dof in parts if dof == float("inf"))
    return known + pool.scatter**2 / len(quantity.readings)
