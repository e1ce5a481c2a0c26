"""What the bench of steps and gates shows."""

from __future__ import annotations

import secrets
from collections.abc import Iterable, Mapping
from typing import Any, NamedTuple

from zygometra.core.cutting.gates import GateStanding, GateState, all_standings
from zygometra.core.cutting.judged import Against
from zygometra.core.fields import place_label
from zygometra.core.gates import LONGEST_REASON, Gate
from zygometra.core.measuring.signed import Accepted
from zygometra.core.measuring.steps import KINDS, Step

from ..build.bench import Bench
from ..measure.noting import now
from ..measure.view import places_of_build

CAUTIONS = (
    "Guards shut, glasses on at the cutter; chips are hot and sharp.",
    "Hoist and a second person for castings; fingers clear when the crank turns.",
    "Record the engine number before a face that carries it is touched: removing it can be unlawful.",
    "Deck, head and crown limits: the part maker's figure and a qualified machinist decide.",
)


class Done(NamedTuple):
    """One step as it is shown."""

    id: str
    words: str
    says: str
    who: str


class GateShown(NamedTuple):
    """A gate before one cut as it is shown: ``value`` names the two in a form, ``before`` the cut in words."""

    gate: Gate
    value: str
    before: str
    state: GateState
    fails: tuple[str, ...]
    signed: Accepted | None
    lapsed: tuple[str, ...]


def standings_of(bench: Bench, also: Iterable[Against] = ()) -> tuple[GateStanding, ...]:
    """Return the gates that the cuts of a build meet, worked out once for a version of it."""
    evaluation = bench.evaluation
    if evaluation is None:
        return ()
    extra, moment = tuple(also), now()
    if bench.pending:
        return all_standings(bench.build, evaluation, moment, extra)
    # A question is open for so many days; the hour moves no gate.
    key = ("gates", extra, moment[:13], bench.rules.school)
    return bench.kept.once(key, lambda: all_standings(bench.build, evaluation, moment, extra))


def gates_of(bench: Bench, also: Iterable[Against] = ()) -> list[GateShown]:
    """Return the gates that the cuts of a build meet, and how they stand."""
    return [shown(bench, one) for one in standings_of(bench, also)]


def shown(bench: Bench, one: GateStanding) -> GateShown:
    """Return one gate as it is shown."""
    return GateShown(
        gate=one.gate,
        value=f"{one.gate.number}|{one.against.key}",
        before=one.against.words(several_banks=bench.several_banks),
        state=one.state,
        fails=one.fails,
        signed=one.signed,
        lapsed=tuple(place_label(path) for path in one.lapsed),
    )


def progress_words(bench: Bench) -> tuple[str, str]:
    """Return how the gates stand, for the row of benches."""
    gates = standings_of(bench)
    standing = sum(gate.state == "open" for gate in gates)
    if standing:
        return "part", f"{standing} of {len(gates)} gates open"
    return ("done", "all met or accepted") if gates else ("due", "nothing planned")


def view(bench: Bench, *, fault: str = "", typed: Mapping[str, str] | None = None) -> dict[str, Any]:
    """Return what the bench shows."""
    gates = gates_of(bench)
    by_number: dict[int, list[GateShown]] = {}
    for one in gates:
        by_number.setdefault(one.gate.number, []).append(one)
    typed = typed or {}
    return {
        "gates": list(by_number.values()),
        "open_gates": [one for one in gates if one.state == "open"],
        "steps": [_done(step) for step in reversed(bench.build.steps)],
        "kinds": [
            (f"{kind.key}|{state}", kind.label if state == "done" else f"{kind.label}: {state}")
            for kind in KINDS
            for state in kind.states
        ],
        "places": places_of_build(bench),
        "keys": {name: f"{name}-{secrets.token_hex(8)}" for name in ("step", "gate")},
        "today": now()[:10],
        "fault": fault,
        "typed": typed,
        "longest": LONGEST_REASON,
        "cautions": CAUTIONS,
    }


def _done(step: Step) -> Done:
    who = ", ".join(filter(None, (step.by, step.at[:16].replace("T", " ").removesuffix(" 23:59"))))
    return Done(step.id, step.words, step.says, who)
