"""What a machine, a gauge or an outside shop tends to do: bias and spread from what came out before.

A prior for what comes next, never a measurement of it.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    import numpy as np

# The spread expected where nothing is known is right within a factor: log-sd of the prior.
_LOOSE = 0.6
# A bias is expected within so many spreads.
_BIAS = 1.0
_GRID = 121


class FinishedJob(NamedTuple):
    """One finished job: by how much it missed what was asked, in mm, and the doubt of having read it."""

    missed: float
    u: float = 0.0


class Memory(NamedTuple):
    """What is known after some jobs.

    ``bias`` and ``spread`` in mm are means of what is believed; ``low`` and ``high`` the 95 % band of what the next
    job misses by; ``u`` its standard uncertainty, the doubt of bias and spread in it.
    """

    jobs: int
    bias: float
    spread: float
    low: float
    high: float
    u: float


def remembered(outcomes: Iterable[FinishedJob], usual: float) -> Memory:
    """Return what somebody or something tends to miss by.

    Parameters
    ----------
    outcomes : iterable of FinishedJob
        Its jobs so far; none is well.
    usual : float
        The spread expected of its kind, a standard uncertainty in mm, above nought.

    Notes
    -----
    missed_j ~ N(b, s² + u_j²) with b ~ N(0, s²) and log s ~ N(log usual, 0.6²): bias and spread shrink toward none
    and toward the usual. The spread lies on a grid, bias and prediction are normal given it (closed form), and the
    band is that of their mixture.
    See trade.md 14.

    Examples
    --------
    >>> first = remembered([], 0.01)
    >>> first.bias, first.low < -0.02 < 0.02 < first.high
    (0.0, True)
    >>> later = remembered([FinishedJob(0.02)] * 8, 0.01)
    >>> 0.015 < later.bias < 0.02, later.spread < first.spread
    (True, True)
    """
    jobs = list(outcomes)
    grid = _Grid(jobs, usual)
    return Memory(
        jobs=len(jobs),
        bias=float(grid.weight @ grid.mean),
        spread=float(grid.weight @ grid.spread),
        low=grid.quantile(0.025),
        high=grid.quantile(0.975),
        u=float(grid.weight @ (grid.variance + (grid.mean - grid.weight @ grid.mean) ** 2)) ** 0.5,
    )


class _Grid:
    """Spreads on a grid, with what each makes of bias and of the next job."""

    def __init__(self, jobs: list[FinishedJob], usual: float) -> None:
        # A short command waits for no array of numbers that it does not need.
        import numpy as np

        self.spread = usual * np.exp(np.linspace(-3.2, 3.2, _GRID) * _LOOSE)
        missed = np.array([one.missed for one in jobs])
        read = np.array([one.u for one in jobs])
        own = self.spread[:, None] ** 2 + read[None, :] ** 2
        prior = (_BIAS * self.spread) ** 2
        precision = 1 / prior + (1 / own).sum(axis=1)
        self.mean = (missed[None, :] / own).sum(axis=1) / precision
        self.variance = self.spread**2 + 1 / precision
        # Evidence of each spread, the bias integrated out.
        log = -0.5 * (np.log(self.spread / usual) / _LOOSE) ** 2
        log -= 0.5 * (np.log(own).sum(axis=1) + np.log(prior) + np.log(precision))
        log -= 0.5 * ((missed[None, :] ** 2 / own).sum(axis=1) - self.mean**2 * precision)
        weight = np.exp(log - log.max())
        self.weight = weight / weight.sum()

    @cached_property
    def _scale(self) -> np.ndarray:
        scale: np.ndarray = self.variance**0.5
        return scale

    def quantile(self, share: float) -> float:
        """The depth below which the next job misses with a chance, by halving."""
        from scipy.special import ndtr

        low = float((self.mean - 12 * self._scale).min())
        high = float((self.mean + 12 * self._scale).max())
        for _ in range(50):
            at = (low + high) / 2
            below = float(self.weight @ ndtr((at - self.mean) / self._scale))
            low, high = (at, high) if below < share else (low, at)
        return (low + high) / 2
