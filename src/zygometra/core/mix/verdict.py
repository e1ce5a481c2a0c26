"""What is to be said of one recipe: what it comes to, what fits, what must be machined, what is left open."""

from __future__ import annotations

from dataclasses import dataclass

from ..sentence import Sentence
from .placeholders import priced
from .rules import Fit

Combination = tuple[int, int, int, int, int]


@dataclass(frozen=True, slots=True)
class RecipeResults:
    """What a recipe comes to. Lengths in mm, volumes in cc, speed in m/s, cost in hundredths.

    ``cost`` counts :data:`.paper.UNPRICED` for each kind whose price is not known; ``waits``
    names the figures for want of which the ratio, or quench, is not known.
    """

    stroke: float
    bore: float
    crown_cut: float
    deck_clearance: float
    quench: float | None
    compression_ratio: float | None
    displacement: float
    rod_ratio: float
    piston_speed: float
    clearance_volume: float | None
    cost: int
    machining_cost: int
    waits: tuple[str, ...] = ()

    @property
    def known_cost(self) -> int:
        """What of the cost is known, in hundredths."""
        return priced(self.cost)[0]

    @property
    def is_priced(self) -> bool:
        """Whether every price is known."""
        return priced(self.cost)[1] == 0

    def value(self, key: str) -> float | None:
        """Return a result by the key of its window; the cost in the shop's money (trade.md 13).

        Parameters
        ----------
        key : str
            Name of a result, such as ``quench``.
        """
        if key == "cost":
            return self.cost / 100 if self.is_priced else None
        value: float | None = getattr(self, key)
        return value


@dataclass(frozen=True, slots=True)
class MachiningJob:
    """An operation that a recipe wants: on which kind, on how many, what it says of why, and what it moves."""

    machining: str
    part: str
    pieces: int
    cost: int
    says: Sentence
    effect: str = ""


@dataclass(frozen=True, slots=True)
class Verdict:
    """All that is to be said of one recipe.

    ``results`` is None where a figure without which nothing follows is missing.
    ``outside`` holds the windows it lies outside of, ``missing`` what cannot be judged
    for want of a figure, ``unchecked`` the rules that could not be looked at.
    """

    recipe: Combination
    results: RecipeResults | None
    fits: tuple[Fit, ...]
    jobs: tuple[MachiningJob, ...]
    outside: tuple[str, ...]
    missing: tuple[str, ...]
    unchecked: tuple[Fit, ...]

    @property
    def refused(self) -> tuple[Fit, ...]:
        """The rules that say no."""
        return tuple(fit for fit in self.fits if fit.verdict == "no")

    @property
    def stands(self) -> bool:
        """True where it fits, perhaps after machining, and lies inside every window."""
        return not (self.missing or self.refused or self.outside) and self.results is not None


def open_results(verdict: Verdict) -> dict[str, tuple[str, ...]]:
    """Return the results that are not known on paper, and the figures for want of which they are not.

    Parameters
    ----------
    verdict : Verdict
        With results.

    Returns
    -------
    dict
        Places by ``quench`` and ``compression_ratio``.
    """
    results = verdict.results
    if results is None or not results.waits:
        return {}
    out = {"compression_ratio": results.waits}
    return out if results.quench is not None else {"quench": ("gasket.thickness",), **out}
