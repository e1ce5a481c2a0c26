"""What was noted beside a build, as its record tells it: readings, zeros, surveys, steps, passes, signatures, voids."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from zygometra.core.build.cut_log import CutPlace, PassMade, SetUpRecord, VerifiedCut
from zygometra.core.measuring.cause_words import reading_words
from zygometra.core.measuring.face_surveys import NotedSurvey
from zygometra.core.measuring.facts import Facts
from zygometra.core.measuring.logbook import READABLE, Found, Reading
from zygometra.core.measuring.signed import Accepted, Decision, SignedAgreement
from zygometra.core.measuring.steps import Step
from zygometra.core.units import Kind
from zygometra.core.written import Clearance, Length, Volume

from ..build.bench import Bench
from ..cutlog.view import NAMES, called


class Noted(NamedTuple):
    """One thing that was noted: who, when (empty where nobody said), of what kind, in words."""

    by: str
    at: str
    kind: str
    says: str


def noted(bench: Bench) -> list[Noted]:
    """Return everything that was noted beside a build, the newest first; what was taken back says so."""
    facts = bench.kept.facts
    void = facts.void
    names = dict(_names(bench, facts))
    found = [
        Noted(one.by, one.at, "void", f"took back {names.get(one.reading, 'an entry')}: {one.why}")
        for one in facts.voided
    ]
    for key, kind, by, at in _heads(facts):
        taken = " (taken back)" if key in void else ""
        found.append(Noted(by, at, kind, f"{names[key]}{taken}"))
    return sorted(found, key=lambda one: one.at, reverse=True)


def _heads(facts: Facts) -> Iterator[tuple[str, str, str, str]]:
    """Key, kind, who and when of everything but voids."""
    for reading in facts.readings:
        yield reading.id, "reading", reading.by, reading.at
    for step in facts.of(Step):
        yield step.id, "step", step.by, step.at
    for kind, listed in (
        ("survey", facts.of(NotedSurvey)),
        ("set-up", facts.of(SetUpRecord)),
        ("pass", facts.of(PassMade)),
        ("accepted", facts.of(Accepted)),
        ("agreed", facts.of(SignedAgreement)),
        ("question", facts.of(Decision)),
        ("found", facts.of(Found)),
        ("verified", facts.of(VerifiedCut)),
    ):
        for one in listed:
            yield one.id, kind, one.by, str(one.typed.get("at") or one.at)


def _names(bench: Bench, facts: Facts) -> Iterator[tuple[str, str]]:
    """Each thing in words, by its key."""
    for reading in facts.readings:
        yield reading.id, _reading(bench, reading)
    for step in facts.of(Step):
        yield step.id, _step(step)
    for survey in facts.of(NotedSurvey):
        where = f" of bank {survey.bank}" if bench.several_banks else ""
        simulated = ", simulated" if survey.simulated else ""
        yield survey.id, f"{survey.face}{where} surveyed, {len(survey.points)} points{simulated}"
    for record in facts.of(SetUpRecord):
        machine = record.machine or record.shop
        yield record.id, f"set-up of the {_cut(bench, record)}" + (f" on {machine}" if machine else "")
    for made in facts.of(PassMade):
        number = f"pass {made.number}" if made.number else "a pass"
        yield made.id, f"{number} on the {_cut(bench, made)}: {bench.reader.length(made.depth, 0.001)}"
    for accepted in facts.of(Accepted):
        yield accepted.id, _accepted(accepted)
    for agreed in facts.of(SignedAgreement):
        yield agreed.id, f"the {agreed.party} agreed to the specification: {agreed.name}"
    for decision in facts.of(Decision):
        yield decision.id, decision.text or f"{decision.who} answered: {decision.option}"
    for found in facts.of(Found):
        yield found.id, found.what
    for verified in facts.of(VerifiedCut):
        yield verified.id, f"what came off the {_cut(bench, verified)} is remembered"


def _reading(bench: Bench, one: Reading) -> str:
    kind = READABLE[one.figure].kind
    if one.figure == "deck_clearance":
        value = Clearance(one.value, 0.002).written(bench.reader)
    elif kind is Kind.LENGTH:
        value = Length(one.value, 0.002).written(bench.reader)
    else:
        value = Volume(one.value).written(bench.reader) if kind is Kind.VOLUME else f"{one.value:g}"
    simulated = ", simulated" if one.simulated else ""
    return f"{reading_words(one)}: {value}" + (f" ({one.gauge})" if one.gauge else "") + simulated


def _step(step: Step) -> str:
    return f"{step.words}{f': {step.says}' if step.says else ''}"


def _cut(bench: Bench, one: SetUpRecord | PassMade | VerifiedCut) -> str:
    cylinder = getattr(one, "cylinder", None)
    if cylinder:
        return f"{NAMES[one.op].lower().removesuffix('s')} of hole {cylinder}"
    return called(bench, CutPlace(one.op, one.bank or "")).lower()


def _accepted(one: Accepted) -> str:
    against = f" before the {one.against.replace('_', ' ')}" if one.against else ""
    what = f"gate {one.gate}{against}" if one.gate is not None else f"{one.about}{against}"
    return f"{what}: {one.reason}"
