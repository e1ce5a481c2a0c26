"""How deep a face must be skimmed until it is clean, told from where the tool has touched so far.

A pass says of each point only between which depths it lies: the tool reached it or it did not. The face is
taken as a plane with twist, bow and local wear of unknown size; what its points may be is drawn
within what the passes leave, and the deepest of them counted.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from .model import Pass, Point

Table = NDArray[np.float64]

# Chains run side by side, so many sweeps before the first draw is taken, between two, and draws of each.
_CHAINS, _SETTLE, _APART, _TAKEN = 192, 60, 8, 10
# The depth that is as good as none, in mm: passes are no finer.
_LEAST = 1e-4
# Local wear has a longer tail than the normal: degrees of freedom of its scatter.
_TAIL = 2.5


class Forecast(NamedTuple):
    """When the last point will be clean: total depths in mm from first contact, median and 90 % band.

    ``done`` is the depth so far, ``passes_left`` how many more of the last pass's depth reach the median; ``draws``
    are the depths that were drawn, in order, so that the chance of any depth can be told.
    """

    clean_at: float
    low: float
    high: float
    passes_left: int
    done: float
    draws: Table

    def chance_past(self, depth: float) -> float:
        """Return the chance that the face is not clean at a depth.

        Parameters
        ----------
        depth : float
            Total, from first contact, in mm.
        """
        return float((self.draws > depth).mean())


class _Known(NamedTuple):
    """Between which depths each point is reached, and clean; infinite where it is still to come."""

    low: Table
    high: Table
    clean_low: Table
    clean_high: Table
    done: float


def forecast(points: Sequence[Point], passes: Sequence[Pass], seed: int = 1) -> Forecast | None:
    """Return when a face will be clean; None before the first pass.

    Parameters
    ----------
    points : sequence of Point
        The points that are watched; their heights count where they are known.
    passes : sequence of Pass
        In the order in which they were made; a point named twice counts where it was first named.
    seed : int
        Of the draws; no unit.

    Notes
    -----
    The depth of a point from first contact is plane + twist + bow + wear, each group of unknown scale; of
    a face whose heights were read a plane on top of them and what they may be off. Gibbs draws within the
    intervals that the passes leave (Tanner and Wong's data augmentation), many chains side by side. Where some
    pass says which points are clean, what lies between reached and clean is drawn exponential.
    See trade.md 8.
    """
    passes = [one for one in passes if one.depth > 0]
    if not passes or not points:
        return None
    known = _known(len(points), passes)
    last = passes[-1].depth
    if np.isfinite(known.clean_high).all():
        at = float(known.clean_high.max())
        return Forecast(clean_at=at, low=at, high=at, passes_left=0, done=known.done, draws=np.full(1, at))
    draws = np.sort(_Face(points, known, np.random.default_rng(seed)).draws())
    low, middle, high = (float(value) for value in np.quantile(draws, (0.05, 0.5, 0.95)))
    left = max(math.ceil((middle - known.done) / last - 1e-9), 1)
    return Forecast(
        clean_at=middle, low=max(low, known.done), high=high, passes_left=left, done=known.done, draws=draws
    )


def _known(count: int, passes: Sequence[Pass]) -> _Known:
    low, high = np.zeros(count), np.full(count, math.inf)
    clean_low, clean_high = np.zeros(count), np.full(count, math.inf)
    total = 0.0
    says_clean = any(one.clean for one in passes)
    for one in passes:
        before, total = total, total + one.depth
        cleaned = set(one.clean) if says_clean else set(one.touched)
        for i in {*one.touched, *cleaned}:
            # What is clean was reached, at the latest now.
            if math.isinf(high[i]):
                low[i], high[i] = before, total
        for i in cleaned:
            if math.isinf(clean_high[i]):
                clean_low[i], clean_high[i] = before, total
    low = np.where(np.isinf(high), total, low)
    clean_low = np.where(np.isinf(clean_high), total, clean_low)
    if not says_clean:
        clean_low, clean_high = low.copy(), high.copy()
    return _Known(low=low, high=high, clean_low=clean_low, clean_high=clean_high, done=total)


class _Face:
    """A face in many chains: every table has a row for each chain, a column for each point."""

    def __init__(self, points: Sequence[Point], known: _Known, random: np.random.Generator) -> None:
        self.known, self.random = known, random
        self.says_clean = bool((known.clean_high != known.high).any() or (known.clean_low != known.low).any())
        self.shapes, self.groups, self.read = _shapes(points)
        self.scale = max(known.done, _LEAST)

    def draws(self) -> Table:
        """Return the depth at which the last point is clean, drawn."""
        known, n = self.known, len(self.known.low)
        chains = (_CHAINS, n)
        span = np.where(np.isinf(known.high), self.scale, known.high - known.low)
        depth = known.low + span * self.random.random(chains)
        gap = np.where(np.isfinite(known.clean_high), np.maximum(known.clean_low - depth, 0.0), 0.0)
        if self.says_clean:
            gap = np.maximum(gap, 0.0) + 1e-9
        size = np.full((_CHAINS, 1), self.scale)
        wear = np.full((_CHAINS, 1), (0.3 * self.scale) ** 2)
        weights = np.ones(chains)
        groups = np.full((_CHAINS, len(self.groups)), (0.5 * self.scale) ** 2)
        grain = np.full((_CHAINS, 1), 0.1 * self.scale)
        taken = []
        for sweep in range(_SETTLE + _APART * _TAKEN):
            shape = self._shape(depth, wear / weights, groups)
            mean = shape @ self.shapes.T - self.read
            depth = self._depth(mean, np.sqrt(wear / weights), gap)
            off = depth - mean
            wear, weights = self._wear(off, wear, size)
            groups = self._groups(shape, size)
            size = self._size(groups, wear)
            if self.says_clean:
                gap, grain = self._gap(depth, grain)
            if sweep >= _SETTLE and (sweep - _SETTLE) % _APART == 0:
                taken.append((depth + gap if self.says_clean else depth).max(axis=1))
        return np.concatenate(taken)

    def _shape(self, depth: Table, variance: Table, groups: Table) -> Table:
        """Plane, twist and bow of every chain, given its points."""
        phi = self.shapes
        weighted = phi[None, :, :] / variance[:, :, None]
        precision = np.einsum("cnj,nk->cjk", weighted, phi)
        prior = np.zeros((_CHAINS, phi.shape[1]))
        for g, columns in enumerate(self.groups):
            prior[:, columns] = 1 / groups[:, [g]]
        precision[:, range(phi.shape[1]), range(phi.shape[1])] += prior + 1e-12
        right = np.einsum("cnj,cn->cj", weighted, depth + self.read)
        root = np.linalg.cholesky(np.linalg.inv(precision))
        mean = np.linalg.solve(precision, right[:, :, None])[:, :, 0]
        return np.asarray(mean + np.einsum("cjk,ck->cj", root, self.random.standard_normal(mean.shape)))

    def _depth(self, mean: Table, spread: Table, gap: Table) -> Table:
        """Where each point lies within what the passes leave."""
        from scipy.special import ndtr, ndtri

        known = self.known
        low = np.broadcast_to(known.low, mean.shape).copy()
        high = np.broadcast_to(known.high, mean.shape).copy()
        if self.says_clean:
            low = np.maximum(low, np.where(np.isfinite(known.clean_high), known.clean_low - gap, low))
            high = np.minimum(high, np.where(np.isfinite(known.clean_high), known.clean_high - gap, high))
        a, b = (low - mean) / spread, (high - mean) / spread
        # In the upper tail the mirror image has the digits.
        flip = a > 0
        first, last = np.where(flip, -b, a), np.where(flip, -a, b)
        p, q = ndtr(first), ndtr(last)
        at = ndtri(np.clip(p + (q - p) * self.random.random(mean.shape), 1e-300, 1 - 1e-16))
        drawn = mean + spread * np.where(flip, -at, at)
        return np.asarray(
            np.clip(drawn, low, np.where(np.isinf(high), low + 50 * self.scale, np.maximum(high, low)))
        )

    def _wear(self, off: Table, wear: Table, size: Table) -> tuple[Table, Table]:
        """The scale of local wear, and how far out each point is of it."""
        shape = (_TAIL + 1) / 2
        rate = (_TAIL + off * off / wear) / 2
        weights = self.random.gamma(shape, 1.0, off.shape) / rate
        squares = (weights * off * off).sum(axis=1, keepdims=True)
        scale = (_DOF * (_WEAR * size) ** 2 + squares) / 2
        return scale / self.random.gamma((_DOF + off.shape[1]) / 2, 1.0, (len(off), 1)), weights

    def _groups(self, shape: Table, size: Table) -> Table:
        """The scale of tilt, and of twist and bow."""
        out = np.empty((len(shape), len(self.groups)))
        for g, columns in enumerate(self.groups):
            squares = (shape[:, columns] ** 2).sum(axis=1)
            out[:, g] = (_DOF * (_SIZES[g] * size[:, 0]) ** 2 + squares) / 2
            out[:, g] /= self.random.gamma((_DOF + len(columns)) / 2, 1.0, len(shape))
        return out

    def _size(self, groups: Table, wear: Table) -> Table:
        """How far out of true the face is as a whole, from the scales of its parts."""
        sizes = self.scale * _GRID
        usual = np.array([*_SIZES[: groups.shape[1]], _WEAR])
        every = np.concatenate([groups, wear], axis=1)
        less = _DOF * (usual**2 / every).sum(axis=1)[:, None] * sizes**2 / 2
        log = _DOF * len(usual) * np.log(_GRID) - less - 0.5 * (np.log(_GRID / _MIDDLE) / _SPREAD) ** 2
        weight = np.cumsum(np.exp(log - log.max(axis=1, keepdims=True)), axis=1)
        at = (weight < self.random.random((len(weight), 1)) * weight[:, -1:]).sum(axis=1)
        return np.asarray(sizes[at][:, None])

    def _gap(self, depth: Table, grain: Table) -> tuple[Table, Table]:
        """What lies between reached and clean at each point: exponential, within what the passes leave."""
        known = self.known
        seen = np.isfinite(known.clean_high)
        low = np.maximum(np.where(np.isfinite(known.high), known.clean_low - depth, 0.0), 0.0)
        high = np.where(seen, np.maximum(known.clean_high - depth, low), math.inf)
        p, q = -np.expm1(-low / grain), -np.expm1(-np.minimum(high / grain, 700.0))
        at = np.clip(p + (q - p) * self.random.random(depth.shape), 0.0, 1 - 1e-15)
        gap = np.clip(-grain * np.log1p(-at), low, high)
        rate = 2.0 * 0.1 * self.scale + gap.sum(axis=1, keepdims=True)
        return gap, rate / self.random.gamma(2.0 + depth.shape[1], 1.0, (len(depth), 1))


# How far out of true a face is, in depths cut so far: what is thought of before anything is seen.
_GRID = np.geomspace(0.2, 20.0, 24)
_MIDDLE, _SPREAD = 1.5, 1.0
# The usual size of height, tilt, twist and bow, and of local wear against it; in how many degrees of freedom that
# is known. Chosen so that bands hold on faces of several kinds (docs/trials.md).
_SIZES = (2.0, 1.2, 0.6)
_WEAR, _DOF = 0.35, 2.0


def _shapes(points: Sequence[Point]) -> tuple[Table, list[list[int]], Table]:
    """The shapes that a face may have at its points, in groups of a scale each, and the heights that were read."""
    x, y = (_centred(np.array([getattr(point, axis) for point in points])) for axis in ("x", "y"))
    columns = [np.ones(len(points)), x, y]
    groups = [[0], [1, 2]]
    if all(point.z is not None for point in points):
        z = np.array([point.z for point in points], dtype=float)
        return np.column_stack(columns), groups, z - z.mean()
    columns += [x * y, x * x - np.mean(x * x), y * y - np.mean(y * y)]
    groups.append([3, 4, 5])
    return np.column_stack(columns), groups, np.zeros(len(points))


def _centred(values: Table) -> Table:
    """Positions from −1 to 1 over what was watched; noughts where all are alike."""
    low, high = float(values.min()), float(values.max())
    return np.zeros_like(values) if high == low else (2 * values - low - high) / (high - low)
