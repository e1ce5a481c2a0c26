"""Student's t at 97.5 %: the factor of a 95 % band at few degrees of freedom.

A short command evaluates a file in a third of a second; importing SciPy for this
one quantile would double that, so it is solved here, and compared with SciPy in
the tests.
"""

from __future__ import annotations

import math
from functools import lru_cache

NORMAL = 1.959963984540054


def quantile(dof: float) -> float:
    """Return t such that Student's distribution lies below it with 97.5 %.

    Parameters
    ----------
    dof : float
        Degrees of freedom, 1 or more; infinite for the normal distribution.

    Returns
    -------
    float
        The quantile, to about 12 digits.

    Raises
    ------
    ValueError
        Below one degree of freedom.

    Notes
    -----
    The normal quantile corrected to fourth order in 1/ν (Abramowitz and Stegun,
    26.7.5), which is all that is needed from some hundred degrees; below, Newton's
    method on the upper tail ½·I(ν/(ν + t²); ν/2, ½) starts from there.
    See trade.md 1.

    Examples
    --------
    >>> round(quantile(2), 6), round(quantile(10), 6)
    (4.302653, 2.228139)
    """
    if not dof >= 1:
        raise ValueError(f"degrees of freedom {dof}: at least 1 is wanted")
    if dof > _AS_GOOD_AS_NORMAL:
        return NORMAL
    t = NORMAL + sum(term / dof**order for order, term in enumerate(_CORRECTIONS, 1))
    if dof > _SERIES_ENOUGH:
        return t
    scale = math.exp(math.lgamma((dof + 1) / 2) - math.lgamma(dof / 2)) / math.sqrt(dof * math.pi)
    for _ in range(60):
        density = scale * (1 + t * t / dof) ** (-(dof + 1) / 2)
        step = (_upper_tail(t, dof) - 0.025) / density
        t += step
        # Newton's next step is about the square of this one.
        if abs(step) < 1e-7 * t:
            break
    return t


_SERIES_ENOUGH = 300.0
# Beyond it the first correction is smaller than the last bit; higher powers would overflow.
_AS_GOOD_AS_NORMAL = 1e20


def _corrections() -> tuple[float, ...]:
    """The terms of Abramowitz and Stegun 26.7.5 at the normal quantile."""
    z = NORMAL
    return (
        (z**3 + z) / 4,
        (5 * z**5 + 16 * z**3 + 3 * z) / 96,
        (3 * z**7 + 19 * z**5 + 17 * z**3 - 15 * z) / 384,
        (79 * z**9 + 776 * z**7 + 1482 * z**5 - 1920 * z**3 - 945 * z) / 92160,
    )


_CORRECTIONS = _corrections()


def _upper_tail(t: float, dof: float) -> float:
    return 0.5 * _incomplete_beta(dof / 2, 0.5, dof / (dof + t * t))


def _incomplete_beta(a: float, b: float, x: float) -> float:
    """I(x; a, b) by its continued fraction (Abramowitz and Stegun, 26.5.8), modified Lentz."""
    if x > (a + 1) / (a + b + 2):
        return 1 - _incomplete_beta(b, a, 1 - x)
    front = math.exp(
        math.lgamma(a + b) - math.lgamma(a) - math.lgamma(b) + a * math.log(x) + b * math.log1p(-x)
    )
    tiny = 1e-300
    c, d = 1.0, 1 / max(1 - (a + b) * x / (a + 1), tiny)
    fraction = d
    for m in range(1, 400):
        for numerator in (
            m * (b - m) * x / ((a + 2 * m - 1) * (a + 2 * m)),
            -(a + m) * (a + b + m) * x / ((a + 2 * m) * (a + 2 * m + 1)),
        ):
            d = 1 / ((1 + numerator * d) or tiny)
            c = (1 + numerator / c) or tiny
            fraction *= c * d
        if abs(c * d - 1) < 1e-15:
            break
    return front * fraction / a


def coverage(dof: float) -> float:
    """Return the factor k of a 95 % band at the given degrees of freedom.

    Parameters
    ----------
    dof : float
        Effective degrees of freedom, infinite for the normal distribution.

    Returns
    -------
    float
        Student's t at 97.5 %.

    Notes
    -----
    The degrees are not rounded; below one (which no pooled scatter gives) one is taken. Answers
    are kept, so that a page of eight holes asks for each a few times only.
    See trade.md 1.

    Examples
    --------
    >>> round(coverage(2), 3), round(coverage(math.inf), 3)
    (4.303, 1.96)
    """
    return NORMAL if math.isinf(dof) else _coverage(max(dof, 1.0))


@lru_cache(maxsize=20_000)
def _coverage(dof: float) -> float:
    return quantile(dof)


# By how much one rectangular source that is all of the doubt narrows the normal band: ±T is
# 1.65 u at 95 %, not 1.96 u.
_NARROWS = 0.16


def band_factor(dof: float, rectangular: float) -> float:
    """Return k of a 95 % band, ± k·u.

    Parameters
    ----------
    dof : float
        Effective degrees of freedom of u; no unit.
    rectangular : float
        The largest share that a single rectangular source has of u², 0 to 1; no unit.

    Returns
    -------
    float
        No unit.

    Notes
    -----
    k = t₀.₉₇₅(ν)·(1 − 0.16·β³), β that share (trade.md 1).

    Examples
    --------
    >>> round(band_factor(math.inf, 1.0), 3)
    1.646
    """
    return coverage(dof) * (1 - _NARROWS * rectangular**3)
