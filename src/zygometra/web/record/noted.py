"""What was noted beside a build, as its record tells it: readings, zeros, surveys, steps, passes, signatures, voids."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from zygometra.core.build.cut_log import CutPlace, read_pass
from zygometra.core.measuring.cause_words import reading_words
from zygometra.core.measuring.facts import Facts
from zygometra.core.measuring.logbook import READABLE, Reading
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
    for step in facts.steps:
        yield step.id, "step", step.by, step.at
    for kind, listed in (
        ("survey", facts.surveys),
        ("set-up", facts.set_ups),
        ("pass", facts.passes),
        ("accepted", facts.accepted),
        ("agreed", facts.agreements),
        ("question", facts.decisions),
        ("found", facts.found),
        ("verified", facts.verified),
    ):
        for fact in listed:
            yield (
                str(fact.body["id"]),
                kind,
                str(fact.body.get("by") or fact.by),
                str(fact.body.get("at") or fact.at),
            )


def _names(bench: Bench, facts: Facts) -> Iterator[tuple[str, str]]:
    """Each thing in words, by its key."""
    for reading in facts.readings:
        yield reading.id, _reading(bench, reading)
    for step in facts.steps:
        yield step.id, _step(step)
    for one in facts.surveys:
        body = one.body
        where = f" of bank {body['bank']}" if bench.several_banks else ""
        simulated = ", simulated" if body.get("simulated") else ""
        yield str(body["id"]), f"{body['face']}{where} surveyed, {len(body['points'])} points{simulated}"
    for one in facts.set_ups:
        machine = one.body.get("machine") or one.body.get("shop")
        yield (
            str(one.body["id"]),
            f"set-up of the {_cut(bench, one.body)}" + (f" on {machine}" if machine else ""),
        )
    for i, one in enumerate(facts.passes):
        made = read_pass(one.body, i)
        number = f"pass {made.number}" if made.number else "a pass"
        yield made.id, f"{number} on the {_cut(bench, one.body)}: {bench.reader.length(made.depth, 0.001)}"
    for one in facts.accepted:
        yield str(one.body["id"]), _accepted(one.body)
    for one in facts.agreements:
        yield str(one.body["id"]), f"the {one.body['party']} agreed to the specification: {one.body['name']}"
    for one in facts.decisions:
        body = one.body
        words = (
            body["text"] if body.get("text") else f"{body.get('who', '')} answered: {body.get('option', '')}"
        )
        yield str(body["id"]), str(words)
    for one in facts.found:
        yield str(one.body["id"]), str(one.body["what"])
    for one in facts.verified:
        yield str(one.body["id"]), f"what came off the {_cut(bench, one.body)} is remembered"


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


def _cut(bench: Bench, body: Mapping[str, Any]) -> str:
    if body.get("cylinder"):
        return f"{NAMES[body['op']].lower().removesuffix('s')} of hole {body['cylinder']}"
    return called(bench, CutPlace(body["op"], body.get("bank") or "")).lower()


def _accepted(body: Mapping[str, Any]) -> str:
    against = f" before the {str(body['against']).replace('_', ' ')}" if body.get("against") else ""
    what = (
        f"gate {body['gate']}{against}" if body.get("gate") is not None else f"{body.get('about')}{against}"
    )
    return f"{what}: {body['reason']}"
