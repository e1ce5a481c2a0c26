"""Uncertainty: what a figure's doubt is made of, and what comes of many sources together.

Every rule of it stands here once: shared sources add up before they are squared, what rests on one scatter
counts as one (Welch and Satterthwaite), and one rectangular source that is most of the doubt narrows the band.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from enum import StrEnum
from typing import NamedTuple

from .student import band_factor


class Cause(StrEnum):
    """What kind of source a term of doubt is."""

    FIGURE = "figure"
    READ = "read"
    ROUNDING = "rounding"
    GAUGE = "gauge"
    FEEL = "feel"
    ZERO = "zero"
    ZERO_ROUNDING = "zero-rounding"
    SHOT = "shot"
    TEMPERATURE = "temperature"
    RIM = "rim"
    SURVEY = "survey"
    BETWEEN = "between"
    CUT = "cut"
    HEIGHT = "named height"
    LAND = "land"
    SHAPE = "shape"
    OPENING = "gasket opening"

    @property
    def is_of_its_place_alone(self) -> bool:
        """True for what no other figure shares: the scatter and the rounding of a place's own readings."""
        return self in (Cause.READ, Cause.ROUNDING)


class Term(NamedTuple):
    """One source of a figure's doubt, in the figure's base unit.

    ``key`` names the source: figures that carry the same key share it (a gauge, a zero, a shot's
    size, a part's temperature). ``u`` is signed: how far the figure moves as the source moves up by
    its standard uncertainty. ``pool`` names the scatter that it rests on, of ``dof`` degrees of freedom.
    ``each`` says that it differs part to part, so that it is every hole's own. ``cause`` is its kind, ``about``
    whom it is of, in the words of a place or a gauge.
    """

    key: str
    u: float
    dof: float = math.inf
    pool: str | None = None
    rectangular: bool = False
    each: bool = False
    cause: Cause = Cause.FIGURE
    about: str = ""

    def times(self, slope: float) -> Term:
        """Return the term of a figure that moves so much with this one (trade.md 1).

        Parameters
        ----------
        slope : float
            In the other figure's unit per unit of this one.
        """
        return self._replace(u=slope * self.u)


def term_of(
    cause: Cause,
    about: str,
    u: float,
    dof: float = math.inf,
    pool: str | None = None,
    *,
    rectangular: bool = False,
) -> Term:
    """Return a term of a source that is no figure of the document.

    Parameters
    ----------
    cause : Cause
        Its kind.
    about : str
        Whom it is of: the same cause of the same thing is one source.
    u : float
        Standard uncertainty in the figure's base unit, signed.
    dof : float
        Degrees of freedom; no unit.
    pool : str, optional
        The scatter that it rests on.
    rectangular : bool
        True where a half-width is all that is known.
    """
    return Term(
        key=f"~{cause} {about}".strip(),
        u=u,
        dof=dof,
        pool=pool,
        rectangular=rectangular,
        cause=cause,
        about=about,
    )


def in_hole(term: Term, number: int) -> Term:
    """Return a term as it is in one hole: what differs part to part is a source of that hole's own.

    Parameters
    ----------
    term : Term
        Of a figure that stands for several holes.
    number : int
        The hole; no unit.
    """
    return term._replace(key=f"{term.key} at {number}", each=False) if term.each else term


class Uncertainty(NamedTuple):
    """The doubt of one result: u, effective degrees of freedom, largest rectangular share of u²."""

    u: float
    dof: float = math.inf
    rectangular: float = 0.0

    @property
    def half(self) -> float:
        """Half of the 95 % band; nought where there is no doubt (trade.md 1)."""
        return band_factor(self.dof, self.rectangular) * self.u if self.u else 0.0


def joined(terms: Iterable[Term]) -> list[Term]:
    """Return terms, one for each source: what moves a result in two ways adds up before it is squared.

    Parameters
    ----------
    terms : iterable of Term
        A key may stand several times.
    """
    by_key: dict[str, Term] = {}
    for term in terms:
        before = by_key.get(term.key)
        by_key[term.key] = term if before is None else term._replace(u=before.u + term.u)
    return list(by_key.values())


def root_sum_square(terms: Iterable[Term]) -> float:
    """Return the standard uncertainty of terms that are joined: √Σu² (trade.md 1).

    Parameters
    ----------
    terms : iterable of Term
        Each source once, in one unit.
    """
    return math.sqrt(math.fsum(term.u * term.u for term in terms))


class Sources:
    """Sources of doubt, each once, and what comes of them together.

    Parameters
    ----------
    terms : iterable of Term
        Joined: no key stands twice.

    Notes
    -----
    u² = Σ part² (first-order propagation). Effective degrees of freedom u⁴/Σ(v²/ν) (Welch and Satterthwaite),
    v everything that rests on one scatter of ν degrees, added up first. A rectangular source is as well known
    as its half-width.
    See trade.md 1.

    Examples
    --------
    >>> Sources([Term("a", 3.0), Term("b", 2.0, rectangular=True)]).moving([1.0, 2.0])
    Uncertainty(u=5.0, dof=inf, rectangular=0.64)
    """

    __slots__ = ("_flat", "_scatters", "_variances")

    def __init__(self, terms: Iterable[Term]) -> None:
        self._variances: list[float] = []
        self._flat: list[int] = []
        scatters: dict[str, tuple[float, list[int]]] = {}
        for at, (key, u, dof, pool, rectangular, _, _, _) in enumerate(terms):
            self._variances.append(u * u)
            if rectangular:
                self._flat.append(at)
            elif dof != math.inf:
                scatters.setdefault(pool or key, (dof, []))[1].append(at)
        # What rests on one scatter, and its degrees of freedom.
        self._scatters = list(scatters.values())

    def moving(self, slopes: Sequence[float], per: float = 1.0) -> Uncertainty:
        """Return the doubt of a result (trade.md 1).

        Parameters
        ----------
        slopes : sequence of float
            By how much it moves with a unit of each source, in their order and times ``per``; signs do not matter.
        per : float
            What all slopes are to be divided by; its unit is that of slope over doubt, one for plain slopes.
        """
        squares = [slope * slope * by for slope, by in zip(slopes, self._variances, strict=True)]
        total = sum(squares)
        if not total:
            return Uncertainty(0.0)
        widest = max([squares[at] for at in self._flat], default=0.0)
        fourth = 0.0
        for dof, places in self._scatters:
            square = sum([squares[at] for at in places])
            fourth += square * square / dof
        dof = total * total / fourth if fourth else math.inf
        return Uncertainty(math.sqrt(total) / per, dof, widest / total)


def of_terms(terms: Iterable[Term]) -> Uncertainty:
    """Return the doubt of a figure that is made of terms, each source once (trade.md 1).

    Parameters
    ----------
    terms : iterable of Term
        In the figure's unit.
    """
    every = list(terms)
    return Sources(every).moving([1.0] * len(every))
