"""Which results wait, and for which figures."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from ..digits import count_of
from ..fields import field_at, place_label
from ..place import Place
from ..stack.missing import missing
from ..wording import Reader
from .registry import Case, Judges
from .said import Code, Said, said

JUDGES = Judges()

MISSING = Code(
    "missing",
    "note",
    "{results} {wait} for {figures}.",
    "Each figure that is given brings what it can; nothing is made up for one that is not.",
    do="Give these figures; a {deck} clearance read on a mock-up stands for the whole stack.",
)
_RESULTS = ("compression_ratio", "quench", "deck_clearance")


class WaitingResults(NamedTuple):
    """Results by name: written in the shop's words at the beginning of a sentence."""

    names: tuple[str, ...]

    def written(self, reader: Reader) -> str:
        """Write them.

        Parameters
        ----------
        reader : Reader
            The shop's words.
        """
        words = [reader.quench if name == "quench" else name.replace("_", " ") for name in self.names]
        return joined(words).capitalize()


@JUDGES.of_engine(MISSING)
def missing_figures(case: Case) -> Iterable[Said]:
    """What some hole's ratio, quench or clearance waits for, in today's state or the planned one."""
    wanted = missing(case.build, case.now) | missing(case.build, case.planned)
    if not wanted:
        return
    waiting = {result for results in wanted.values() for result in results}
    names = tuple(result for result in _RESULTS if result in waiting)
    yield said(
        MISSING,
        Place.parse(next(iter(wanted))) if len(wanted) == 1 else Place.engine("parts"),
        paths=tuple(wanted),
        results=WaitingResults(names),
        wait="waits" if len(names) == 1 else "wait",
        figures=joined(_labels(wanted)),
    )


def _labels(paths: Iterable[str]) -> list[str]:
    """The figures by name, those of several holes in one: ``chamber volume, holes 2 to 4``."""
    holes: dict[str, list[int]] = {}
    for path in paths:
        place = Place.parse(path)
        label = place_label(path) if not place.holes else field_at(place).label
        holes.setdefault(label, []).extend(place.holes)
    return [f"{label}, {count_of(numbers).lower()}" if numbers else label for label, numbers in holes.items()]


def joined(words: Sequence[str]) -> str:
    """Return words as a list in a sentence.

    Parameters
    ----------
    words : sequence of str
        One at least.

    Examples
    --------
    >>> joined(["bore"]), joined(["bore", "stroke", "rod"])
    ('bore', 'bore, stroke and rod')
    """
    return words[0] if len(words) == 1 else f"{', '.join(words[:-1])} and {words[-1]}"
