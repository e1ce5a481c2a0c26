"""Gates that agreement and decisions pass: no machining of what only one has agreed to, nor past an open question."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..build.lever_table import AMOUNTS
from ..build.model import Build
from ..measuring.facts import Facts
from ..measuring.gates import Judged, Standing, standings
from ..stack.results import Evaluation
from .agreement import Party, Question, label_of, parties, questions, specification

_MACHINED = frozenset(lever.key for lever in AMOUNTS)


def all_standings(build: Build, evaluation: Evaluation, facts: Facts, now: str = "") -> tuple[Standing, ...]:
    """Return every gate that the plan of a build meets, and how it stands, in the order of work.

    Parameters
    ----------
    build : Build
        With its plan.
    evaluation : Evaluation
        Of it.
    facts : Facts
        Of the build: acceptances, agreements, decisions.
    now : str
        This moment, as facts carry it.
    """
    return standings(build, evaluation, facts.accepted, _judged(build, facts, now))


def _judged(build: Build, facts: Facts, now: str) -> Iterator[Judged]:
    if not any(op.op in _MACHINED for op in build.planned):
        return
    spec = {place: value for place, value in specification(build).items() if isinstance(value, float)}
    yield Judged(15, tuple(_not_agreed(parties(build, facts.agreements))), spec)
    if facts.decisions:
        yield Judged(16, tuple(_open(questions(build, facts.decisions, now))), {})


def _not_agreed(known: Iterable[Party]) -> Iterator[str]:
    for one in known:
        if one.state == "asked":
            yield f"the {one.party} has not agreed"
        elif one.state == "lapsed":
            yield f"the {one.party} agreed to other figures: {', '.join(label_of(p) for p in one.changed[:3])} changed"


def _open(listed: Iterable[Question]) -> Iterator[str]:
    for one in listed:
        if one.answer is None and (one.blocks or one.fallback):
            yield f"no answer yet: {one.text}"
