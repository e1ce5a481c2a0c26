"""What an evaluation gives: results of a hole, of a bank, of the engine, each with its doubt."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from operator import attrgetter
from typing import Any, NamedTuple

from ..build.model import Operation
from ..quantity import Source
from ..uncertainty import Sources, Term, Uncertainty
from .in_hole import PLACES
from .kernel import NOT_KNOWN, Crown, Cuts, Figures, KernelResults, Slopes


class Contribution(NamedTuple):
    """What the results of a hole owe to one source of doubt: the source, and their slopes per unit of its ``u``."""

    term: Term
    slopes: Slopes


def known(value: float) -> float | None:
    """Return a result as it is handed out: None where a figure that it needs is not there.

    Parameters
    ----------
    value : float
        In its unit, or not a number.
    """
    return None if math.isnan(value) else value


class Terms(NamedTuple):
    """What the clearance volume is made of, in cc."""

    chamber: float | None
    gasket: float | None
    deck: float | None
    crown: float | None
    crevice: float | None
    other: float | None


RESULTS = ("deck_clearance", "quench", "swept", "clearance", "compression_ratio", "effective")


class Doubts:
    """The doubt of each result of one hole, worked out when it is first asked for.

    Parameters
    ----------
    terms : sequence of Term
        Each source once.
    rows : sequence of tuple of float
        For each, the slopes of :class:`Slopes`, per unit of its u.
    results : tuple of float or None
        In the order of :data:`RESULTS`; what is not known has no doubt either: not a number.
    """

    __slots__ = ("_results", "_rows", "_slopes", "_sources", "_terms", *RESULTS)

    deck_clearance: Uncertainty
    quench: Uncertainty
    swept: Uncertainty
    clearance: Uncertainty
    compression_ratio: Uncertainty
    effective: Uncertainty

    def __init__(
        self, terms: Sequence[Term], rows: Sequence[tuple[float, ...]], results: tuple[float | None, ...]
    ) -> None:
        self._terms, self._rows, self._results = terms, rows, results
        self._sources: Sources | None = None

    def __getattr__(self, name: str) -> Uncertainty:
        """Work one out when it is first asked for; from then on it stands."""
        if name not in RESULTS:
            raise AttributeError(name)
        if self._results[RESULTS.index(name)] is None:
            doubt = Uncertainty(NOT_KNOWN if None in self._results[:4] else 0.0)
        else:
            if self._sources is None:
                # One column for all sources, not one row for each: so it is summed quickest.
                # The sources last: who finds them finds the columns too, in whatever thread.
                self._slopes = self._columns()
                self._sources = Sources(self._terms)
            along = along_result(name, self._results)
            doubt = self._sources.moving(along.columns(self._slopes), along.per)
        setattr(self, name, doubt)
        return doubt

    def _columns(self) -> Any:
        """The slopes of each result on all sources."""
        return Slopes._make(zip(*self._rows, strict=True) if self._rows else [()] * len(Slopes._fields))

    @property
    def contributions(self) -> tuple[Contribution, ...]:
        """What the results owe to each source."""
        return tuple(map(Contribution, self._terms, map(Slopes._make, self._rows)))

    def parts(self, result: str) -> list[tuple[Term, float]]:
        """Return how far each source moves a result, in its unit, signed (trade.md 1).

        Parameters
        ----------
        result : str
            One of :data:`RESULTS`.
        """
        along = along_result(result, self._results)
        columns = self._columns()
        parts = zip(self._terms, along.columns(columns), strict=True)
        return [(term, slope / along.per * term.u) for term, slope in parts]


class AlongResult(NamedTuple):
    """How the slope of one result follows from those of a hole on a source: (own − over·volume)/per."""

    own: Callable[[Any], Any]
    over: float = 0.0
    per: float = 1.0

    def slope(self, slopes: Slopes) -> float:
        """Return the slope of the result on one source, in the result's unit per unit of the source (trade.md 1).

        Parameters
        ----------
        slopes : Slopes
            Of the hole on the source.
        """
        own: float = self.own(slopes)
        return (own - self.over * slopes.volume) / self.per

    def columns(self, columns: Any) -> Sequence[float]:
        """Return the slopes of the result on many sources, times ``per``; in their units (trade.md 1).

        Parameters
        ----------
        columns : Slopes
            Of the hole, a column for each result in place of a slope.
        """
        own: Sequence[float] = self.own(columns)
        if not self.over:
            return own
        return [slope - self.over * room for slope, room in zip(own, columns.volume, strict=True)]


def along_result(result: str, results: tuple[float | None, ...]) -> AlongResult:
    """Return how the slopes of one result follow from those of a hole; in its unit.

    Parameters
    ----------
    result : str
        One of :data:`RESULTS`.
    results : tuple of float or None
        Of the hole, in that order.

    Returns
    -------
    AlongResult
        Nought where a ratio is not known.

    Raises
    ------
    KeyError
        If there is no such result.

    Notes
    -----
    dCR/dx = (dVs − (CR − 1)·dVc)/Vc: the ratio (Vs + Vc)/Vc differentiated, and likewise for the effective one.
    See trade.md 3.
    """
    _, _, _, volume, ratio, effective = results
    if result in _PLAIN:
        return _PLAIN[result]
    own = _RATIOS[result]
    value = ratio if result == "compression_ratio" else effective
    return _UNMOVED if value is None or volume is None else AlongResult(own, value - 1, volume)


_PLAIN = {
    "deck_clearance": AlongResult(attrgetter("clearance")),
    "quench": AlongResult(attrgetter("quench")),
    "swept": AlongResult(attrgetter("swept")),
    "clearance": AlongResult(attrgetter("volume")),
}
_RATIOS = {"compression_ratio": attrgetter("swept"), "effective": attrgetter("trapped")}
# A ratio that is not known: it moves with nothing.
_UNMOVED = AlongResult(attrgetter("swept"), 0.0, math.inf)


class Areas(NamedTuple):
    """The areas of one hole that a lever moves through, in mm².

    ``pocket`` is the valve pocket of a valve-in-block engine, ``ring`` the ring around the
    top land (nought where it is not known), ``gasket`` the opening of the gasket, ``crown``
    the crown with its own areas. Not a number where a figure is not known.
    """

    bore: float
    pocket: float
    ring: float
    gasket: float
    crown: Crown


class HoleResult(NamedTuple):
    """The results of one hole in one state.

    Lengths in mm, volumes in cc. A result is None where a figure that it needs is not
    known; ``compression_ratio`` and ``effective`` also where the volumes leave no room above
    the piston. The doubt of an unknown result is not a number. ``beyond`` names the cuts that
    go on past the end of what they cut: "head", "crown" or "deck". ``figures`` and ``taken`` are what
    it was worked from, ``found`` what the kernel gave for them.
    """

    deck_clearance: float | None
    quench: float | None
    swept: float | None
    clearance: float | None
    compression_ratio: float | None
    effective: float | None
    doubts: Doubts
    beyond: frozenset[str]
    figures: Figures
    taken: Cuts
    found: KernelResults

    @property
    def terms(self) -> Terms:
        """What the clearance volume is made of, in cc."""
        r = self.found
        return Terms(*map(known, (r.chamber, r.gasket, r.deck, r.crown, r.crevice, r.other)))

    @property
    def areas(self) -> Areas:
        """The areas that a lever moves through, in mm²."""
        f, r = self.figures, self.found
        shape = r.dish, f.to_cone, f.dish_begun, f.untold_dish
        crown = Crown(f.above_rim or 0.0, f.above_area or 0.0, f.dish_area or 0.0, *shape)
        return Areas(bore=r.area, pocket=f.pocket_area or 0.0, ring=r.ring, gasket=r.opening, crown=crown)

    @property
    def gasket_thickness(self) -> float | None:
        """Compressed, in mm."""
        return known(self.figures.gasket_thickness)

    @property
    def contributions(self) -> tuple[Contribution, ...]:
        """What the results owe to each source of doubt."""
        return self.doubts.contributions

    @property
    def deck_cut(self) -> float:
        """What the plan takes off the deck here, in mm."""
        return self.taken.deck or 0.0

    @property
    def head_cut(self) -> float:
        """What the plan takes off the head here, in mm."""
        return self.taken.head or 0.0

    @property
    def crown_cut(self) -> float:
        """What the plan takes off the crown here, in mm."""
        return self.taken.crown or 0.0

    @property
    def results(self) -> tuple[float | None, ...]:
        """The six results, in the order of :data:`RESULTS`, lengths in mm, volumes in cc."""
        return self[:6]

    def slope_on(self, slopes: Slopes, result: str) -> float:
        """Return the slope of a result on one source, in the result's unit per unit of the source.

        Parameters
        ----------
        slopes : Slopes
            Of this hole on the source.
        result : str
            One of :data:`RESULTS`.
        """
        return along_result(result, self.results).slope(slopes)

    @property
    def bore_area(self) -> float:
        """The bore's area in mm²."""
        return self.areas.bore

    @property
    def gasket_area(self) -> float:
        """The gasket opening's area in mm²."""
        return self.areas.gasket

    @property
    def land_area(self) -> float:
        """The ring around the top land in mm²; nought where it is not known."""
        return self.areas.ring


class Hole(NamedTuple):
    """One hole: where it is, which figures were used, what they give."""

    number: int
    bank: str
    sources: dict[str, Source]
    cuts: tuple[tuple[str, Operation], ...]
    outcome: HoleResult

    @property
    def above_rim(self) -> float | None:
        """What stands above the crown's rim in mm; None where nobody said."""
        return known(self.outcome.found.above_left) if PLACES["above_rim"] in self.sources else None


class DeckLine(NamedTuple):
    """Least-squares line of a bank's deck clearances along the bank."""

    bank: str
    slope_mm_per_m: float | None
    first_cylinder_mm: float | None
    residuals_mm: tuple[float | None, ...]


class State(NamedTuple):
    """The engine as it stands, or as it will stand once cut."""

    displacement_cc: float | None
    displacement_u: float
    rod_ratio: float | None
    rod_ratio_u: float
    holes: tuple[Hole, ...]
    decks: tuple[DeckLine, ...]

    def hole(self, number: int) -> Hole:
        """Return the hole of a number.

        Parameters
        ----------
        number : int
            Number of a hole; no unit.
        """
        return next(hole for hole in self.holes if hole.number == number)


class Evaluation(NamedTuple):
    """Both states of a build."""

    now: State
    planned: State
