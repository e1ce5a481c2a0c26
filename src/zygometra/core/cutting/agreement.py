"""Decisions and agreement: questions with their answers, and who agreed to which figures."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping
from datetime import datetime
from typing import NamedTuple

from ..build.model import Build
from ..fields import place_label
from ..measuring.signed import PARTIES, Decision, Option, SignedAgreement

# Two figures of an agreement are the same within this: the last bits of a sum.
_SAME = 1e-9

Figures = Mapping[str, float | str | None]


def specification(build: Build) -> dict[str, float | str]:
    """Return what is agreed to: the parts as chosen, what is wanted of them, and what is to be cut.

    Parameters
    ----------
    build : Build
        With its plan and windows.

    Returns
    -------
    dict
        By place, in base units (mm, cc, degrees), names as text: figures as the document has them: a part
        that is measured is the same part. Windows are ``targets.…``, operations ``planned.…``.
    """
    paper = build.figures if build.paper is None else build.paper
    found: dict[str, float | str] = {path: q.value for path, q in paper.items() if path.startswith("parts.")}
    found |= {f"gasket {bank or 'all'}": name for bank, name in build.gasket_names.items() if name}
    for name in ("compression_ratio", "quench", "deck_clearance"):
        window = getattr(build.targets, name)
        for edge, value in (("min", window.low), ("aim", window.aim), ("max", window.high)):
            if value is not None:
                found[f"targets.{name}.{edge}"] = value
    for i, op in enumerate(build.planned):
        where = op.bank or (str(op.cylinder) if op.cylinder else "all")
        name = f"planned.{i}.{op.op}.{where}"
        if op.to_height is not None:
            found[f"{name}.to_height"] = op.to_height.value
        elif op.first is not None and op.last is not None:
            found |= {f"{name}.first": op.first.value, f"{name}.last": op.last.value}
        elif op.amount is not None:
            found[name] = op.amount.value
        elif op.gasket is not None:
            found[name] = op.gasket.name or "another gasket"
        else:
            found[name] = op.part.name or op.part.kind if op.part is not None else "done"
    return found


def label_of(place: str) -> str:
    """Return a place of a specification in words.

    Parameters
    ----------
    place : str
        As :func:`specification` has it.

    Examples
    --------
    >>> label_of("targets.quench.min"), label_of("planned.0.deck_cut.A")
    ('quench window, least', 'planned deck cut, A')
    """
    parts = place.split(".")
    if parts[0] == "targets":
        edge = {"min": "least", "max": "most"}.get(parts[-1], parts[-1])
        return f"{parts[1].replace('_', ' ')} window, {edge}"
    if place.startswith("gasket "):
        return "gasket" if place == "gasket all" else f"gasket, bank {place.removeprefix('gasket ')}"
    if parts[0] == "planned" and len(parts) > 3:
        _, _, op, at, *which = parts
        ends = {"to_height": ", height", "first": ", first hole", "last": ", last hole"}
        end = ends.get(which[0], "") if which else ""
        where = "" if at == "all" else f", {at}"
        return f"planned {op.replace('_', ' ')}{where}{end}"
    return place_label(place)


def changed(before: Figures, now: Figures) -> tuple[str, ...]:
    """Return the places at which two sets of figures differ, each once.

    Parameters
    ----------
    before, now : Mapping
        Figures by place, in base units.

    Examples
    --------
    >>> changed({"a": 1.0, "b": 2.0}, {"a": 1.0, "c": 3.0})
    ('b', 'c')
    """
    places = dict.fromkeys((*before, *now))
    return tuple(place for place in places if not _same(before.get(place), now.get(place)))


def _same(one: float | str | None, other: float | str | None) -> bool:
    if isinstance(one, (int, float)) and isinstance(other, (int, float)):
        return math.isclose(one, other, rel_tol=_SAME, abs_tol=_SAME)
    return one == other


class Party(NamedTuple):
    """A party and how its agreement stands: ``agreed``, ``lapsed`` with what changed, or ``asked``."""

    party: str
    state: str
    name: str
    way: str
    at: str
    changed: tuple[str, ...]


def parties(build: Build, agreements: Iterable[SignedAgreement]) -> tuple[Party, ...]:
    """Return how buyer, builder and machinist stand to the specification as it is now.

    Parameters
    ----------
    build : Build
        As it is now.
    agreements : iterable of SignedAgreement
        In their order; the newest of each party counts.
    """
    newest = {one.party: one for one in agreements}
    now = specification(build)
    found = []
    for party in PARTIES:
        one = newest.get(party)
        if one is None:
            found.append(Party(party=party, state="asked", name="", way="", at="", changed=()))
            continue
        moved = changed(one.covers, now)
        state = "lapsed" if moved else "agreed"
        found.append(Party(party=party, state=state, name=one.name, way=one.way, at=one.at, changed=moved))
    return tuple(found)


class Answer(NamedTuple):
    """An answer: which option, who gave it, by what way and when."""

    option: str
    who: str
    way: str
    says: str
    at: str


class AgreementQuestion(NamedTuple):
    """A question as it stands.

    ``days`` is how long it has been open without an answer; ``moved`` the places on which it rests whose
    figures changed since it was asked: an answer to it is an answer to other figures.
    """

    id: str
    text: str
    options: tuple[Option, ...]
    rests_on: Mapping[str, float | str | None]
    ask: str
    way: str
    blocks: str
    fallback: tuple[str, str] | None
    by: str
    at: str
    answer: Answer | None
    days: int
    moved: tuple[str, ...]


def questions(build: Build, decisions: Iterable[Decision], now: str) -> tuple[AgreementQuestion, ...]:
    """Return the questions of a build with their newest answers, those without an answer first.

    Parameters
    ----------
    build : Build
        As it is now.
    decisions : iterable of Decision
        Questions and answers in their order.
    now : str
        This moment, as facts carry it.
    """
    listed = list(decisions)
    answers = {one.answers: one for one in listed if one.answers}
    spec = specification(build)
    found = [_question(one, answers.get(one.id), spec, now) for one in listed if one.text]
    return tuple(sorted(found, key=lambda one: one.answer is not None))


def _question(asked: Decision, answer: Decision | None, spec: Figures, now: str) -> AgreementQuestion:
    rests, kept_open = asked.rests_on, asked.fallback
    return AgreementQuestion(
        id=asked.id,
        text=asked.text,
        options=asked.options,
        rests_on=rests,
        ask=asked.ask,
        way=asked.way,
        blocks=asked.blocks,
        fallback=None if kept_open is None else (kept_open.option, kept_open.until),
        by=asked.by,
        at=asked.at,
        answer=None if answer is None else _answer(answer),
        days=_days(asked.at, now) if answer is None else 0,
        moved=tuple(place for place in rests if not _same(rests[place], spec.get(place))),
    )


def _answer(one: Decision) -> Answer:
    return Answer(option=one.option, who=one.who, way=one.way, says=one.says, at=one.at)


def _days(since: str, now: str) -> int:
    try:
        return max((datetime.fromisoformat(now) - datetime.fromisoformat(since)).days, 0)
    except (ValueError, TypeError):
        return 0


def blocked_by(listed: Iterable[AgreementQuestion]) -> Iterator[AgreementQuestion]:
    """Yield the questions without an answer that something waits for.

    Parameters
    ----------
    listed : iterable of AgreementQuestion
        Of a build.
    """
    return (one for one in listed if one.answer is None and one.blocks)
