"""What the bench of decisions and agreement shows."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from datetime import date
from typing import Any, NamedTuple

from zygometra.core.cutting.agreement import (
    AgreementQuestion,
    Party,
    label_of,
    parties,
    questions,
    specification,
)
from zygometra.core.digits import figure
from zygometra.core.fields import field_at
from zygometra.core.measuring.signed import PARTIES, WAYS, Decision, SignedAgreement
from zygometra.core.planning.disassembly import last_moment
from zygometra.core.units import Kind
from zygometra.core.wording import Reader

from ..build.bench import Bench, engine_line
from ..measure.noting import now
from ..people import person
from ..words import counted

OPTIONS = 4
CAUTION = (
    "Changing displacement or ratio can touch emissions approval, registration and insurance: check the local rules.",
    "Crown, wall and deck limits are the part maker's figures; a qualified machinist decides.",
)


class AgreementLine(NamedTuple):
    """One figure of the specification."""

    place: str
    label: str
    value: str
    beside: str
    basis: str = ""


def figures_of(bench: Bench) -> list[tuple[str, list[AgreementLine]]]:
    """Return the specification as it stands, in groups: what is wanted, what is cut, the parts."""
    groups: dict[str, list[AgreementLine]] = {"What is wanted": [], "What is done": [], "Parts": []}
    for place, value in specification(bench.build).items():
        group = "What is wanted" if place.startswith("targets") else "What is done"
        group = "Parts" if place.startswith(("parts", "gasket")) else group
        value_words, beside = written(place, value, bench.reader)
        groups[group].append(
            AgreementLine(
                place=place,
                label=label_of(place),
                value=value_words,
                beside=beside,
                basis=_basis(bench, place),
            )
        )
    return [(name, lines) for name, lines in groups.items() if lines]


def _basis(bench: Bench, place: str) -> str:
    """What a part's figure rests on; of what is wanted or done nothing."""
    figures = bench.build.figures if bench.build.paper is None else bench.build.paper
    quantity = figures.get(place)
    if quantity is None:
        return ""
    return quantity.basis if quantity.basis_stated or quantity.readings else "not stated"


def written(place: str, value: float | str | None, reader: Reader) -> tuple[str, str]:
    """Return a figure of a specification as it is shown, and in the other system."""
    if value is None:
        return "nothing", ""
    if isinstance(value, str):
        return value, ""
    kind = kind_of(place)
    if place.startswith("targets.compression_ratio"):
        return figure(value, 2), ""
    if kind is Kind.LENGTH:
        return reader.length(value), reader.length(value, other=True)
    if kind is Kind.VOLUME:
        return f"{figure(value, 2)} cc", ""
    if kind is Kind.AREA:
        return f"{figure(value, 0)} mm²", ""
    return (f"{value:g} °" if kind is Kind.ANGLE else f"{value:g}"), ""


def kind_of(place: str) -> Kind | None:
    """Return what a figure of a specification measures; None for a ratio."""
    if place.startswith("targets.compression_ratio"):
        return None
    if place.startswith("targets."):
        return Kind.LENGTH
    if place.startswith("planned."):
        return Kind.VOLUME if ".open_chamber." in place or ".bowl." in place else Kind.LENGTH
    try:
        return field_at(place).kind
    except KeyError:
        return None


class PartyShown(NamedTuple):
    """A party as it is shown."""

    party: str
    state: str
    says: str
    changed: tuple[str, ...]


def _party(one: Party) -> PartyShown:
    if one.state == "asked":
        return PartyShown(one.party, one.state, "has not agreed yet", ())
    way = f", {one.way}" if one.way else ""
    says = f"{one.name}{way}, {one.at[:10]}"
    if one.state == "lapsed":
        says += ": lapsed, its figures changed"
    return PartyShown(one.party, one.state, says, tuple(label_of(place) for place in one.changed))


def parties_of(bench: Bench) -> tuple[Party, ...]:
    """Return how the parties of a build stand."""
    return parties(bench.build, bench.kept.facts.signed.agreements)


def questions_of(bench: Bench) -> tuple[AgreementQuestion, ...]:
    """Return the questions of a build."""
    return questions(bench.build, bench.kept.facts.signed.decisions, now())


def progress_words(bench: Bench) -> tuple[str, str]:
    """Return how far the agreement is, for the row of benches."""
    facts = bench.kept.facts
    if not facts.of(SignedAgreement) and not facts.of(Decision):
        return "due", "nobody agreed yet"
    standing = parties_of(bench)
    agreed = sum(one.state == "agreed" for one in standing)
    lapsed = sum(one.state == "lapsed" for one in standing)
    open_ones = [one for one in questions_of(bench) if one.answer is None]
    if any(one.blocks for one in open_ones):
        return "blocked", f"{counted(len(open_ones), 'question')} open"
    if lapsed:
        return "part", f"{lapsed} lapsed"
    if open_ones:
        return "part", f"{counted(len(open_ones), 'question')} open"
    if agreed == len(PARTIES):
        return "done", "all agreed"
    return ("part", f"{agreed} of {len(PARTIES)} agreed") if agreed else ("due", "nobody agreed yet")


def view(bench: Bench, *, fault: str = "", typed: Mapping[str, str] | None = None) -> dict[str, Any]:
    """Return what the bench shows."""
    asked = questions_of(bench)
    return {
        "groups": figures_of(bench),
        "parties": [_party(one) for one in parties_of(bench)],
        "questions": [(one, _rests(bench, one)) for one in asked],
        "moments": last_moment(bench.build.planned),
        "ways": [("", "not said"), *((way, way) for way in WAYS)],
        "party_choices": [(party, party) for party in PARTIES],
        "places": [("", "nothing"), *((p, label_of(p)) for p in specification(bench.build))],
        "options": range(OPTIONS),
        "keys": {name: f"{name}-{secrets.token_hex(8)}" for name in ("agree", "ask", "answer")},
        "fault": fault,
        "typed": typed or {},
        "cautions": CAUTION,
    }


def _rests(bench: Bench, one: AgreementQuestion) -> list[tuple[str, str, bool]]:
    reader = bench.reader
    return [
        (label_of(place), written(place, value, reader)[0], place in one.moved)
        for place, value in one.rests_on.items()
    ]


def printed(bench: Bench) -> dict[str, Any]:
    """Return what the page to sign shows."""
    return view(bench) | {
        "document": bench.document,
        "engine": engine_line(bench.build, bench.document, bench.shown_state),
        "version_of_build": bench.stored.version,
        "fact": bench.kept.facts.seq,
        "today": date.today().isoformat(),
        "maker": person(),
    }
