"""Where judges are registered, each with the codes it may return."""

from __future__ import annotations

from bisect import insort
from collections.abc import Callable, Iterable, Iterator
from dataclasses import replace
from typing import NamedTuple

from msgspec import Struct

from ..build.model import Build
from ..digits import count_of
from ..house_rules import HouseRules
from ..place import Place
from ..stack.results import Evaluation, Hole, State
from ..wording import Reader
from .said import Code, Finding, Said, render


class Case(NamedTuple):
    """What is judged: a build, both its states, and the house rules in force."""

    build: Build
    evaluation: Evaluation
    rules: HouseRules

    @property
    def planned(self) -> State:
        """The engine as it will stand; as it stands where nothing is planned."""
        return self.evaluation.planned

    @property
    def now(self) -> State:
        """The engine as it stands."""
        return self.evaluation.now


OfEngine = Callable[[Case], Iterable[Said]]
OfHole = Callable[[Case, Hole], Said | None]


class Judge(Struct, frozen=True):
    """One judge: what it may say, and how it is asked."""

    codes: tuple[Code, ...]
    ask: Callable[[Case, Reader], Iterable[Finding]]


class Judges(list[Judge]):
    """The judges of one subject, in the order in which they are asked."""

    def of_engine(self, *codes: Code) -> Callable[[OfEngine], OfEngine]:
        """Register a judge of the whole engine.

        Parameters
        ----------
        *codes : Code
            Everything it may say.

        Returns
        -------
        callable
            The decorator; the function stays as it is.
        """

        def registered(of_engine: OfEngine) -> OfEngine:
            def ask(case: Case, reader: Reader) -> Iterator[Finding]:
                return (render(what, reader) for what in of_engine(case))

            self.append(Judge(codes, ask))
            return of_engine

        return registered

    def of_hole(self, *codes: Code) -> Callable[[OfHole], OfHole]:
        """Register a judge of one hole as planned; holes of which the same is to be said share a finding.

        Parameters
        ----------
        *codes : Code
            Everything it may say; their sentences go on after ``Hole 3:``.

        Returns
        -------
        callable
            The decorator; the function stays as it is.
        """

        def registered(of_hole: OfHole) -> OfHole:
            def ask(case: Case, reader: Reader) -> Iterator[Finding]:
                return _by_holes(case, of_hole, reader)

            self.append(Judge(codes, ask))
            return of_hole

        return registered


def _by_holes(case: Case, of_hole: OfHole, reader: Reader) -> Iterator[Finding]:
    found: dict[Finding, list[int]] = {}
    outcome = finding = None
    for hole in case.planned.holes:
        # Holes that nothing sets apart share one outcome: it is judged once.
        if hole.outcome is not outcome:
            outcome, what = hole.outcome, of_hole(case, hole)
            finding = None if what is None else render(what, reader)
        if finding is not None:
            insort(found.setdefault(finding, []), hole.number)
    for finding, numbers in found.items():
        who = count_of(numbers, of=len(case.planned.holes))
        yield replace(finding, where=Place.of_holes(numbers), says=f"{who}: {finding.says}")
