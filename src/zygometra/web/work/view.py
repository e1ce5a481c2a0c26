"""What the bench of steps and gates shows."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Any, NamedTuple

from zygometra.core.cutting.gates import all_standings
from zygometra.core.fields import place_label
from zygometra.core.gates import LONGEST_REASON
from zygometra.core.measuring.gates import Standing
from zygometra.core.measuring.steps import KINDS, Step

from ..build.bench import Bench
from ..measure.noting import now
from ..measure.view import places_of_build

_SAYS = {
    "done": "passed",
    "signed": "passed with a name",
    "lapsed": "the acceptance lapsed",
    "due": "stands",
}
CAUTIONS = (
    "Guards shut, glasses on at the cutter; chips are hot and sharp.",
    "Hoist and a second person for castings; fingers clear when the crank turns.",
    "Record the engine number before a face that carries it is touched: removing it can be unlawful.",
    "Deck, head and crown limits: the part maker's figure and a qualified machinist decide.",
)


class Done(NamedTuple):
    """One step as it is shown."""

    words: str
    says: str
    who: str


def gates_of(bench: Bench) -> list[dict[str, Any]]:
    """Return the gates that the plan and the steps so far meet, and how they stand."""
    if bench.evaluation is None:
        return []
    found: list[dict[str, Any]] = []
    for one in all_standings(bench.build, bench.evaluation, bench.kept.facts, now()):
        state = _state(one)
        lapsed = [place_label(path) for path in one.lapsed]
        found.append({"standing": one, "lapsed": lapsed, "state": state, "says": _SAYS[state]})
    return found


def _state(one: Standing) -> str:
    if not one.fails:
        return "done"
    return "signed" if one.is_passed else "lapsed" if one.signed is not None else "due"


def progress_words(bench: Bench) -> tuple[str, str]:
    """Return how the gates stand, for the row of benches."""
    gates = gates_of(bench)
    standing = sum(gate["state"] in ("due", "lapsed") for gate in gates)
    if standing:
        return "part", f"{standing} of {len(gates)} gates stand"
    return ("done", "all passed") if gates else ("due", "nothing planned")


def view(bench: Bench, *, fault: str = "", typed: Mapping[str, str] | None = None) -> dict[str, Any]:
    """Return what the bench shows."""
    return {
        "gates": gates_of(bench),
        "steps": [_done(step) for step in reversed(bench.build.steps)],
        "kinds": [
            (f"{kind.key}|{state}", kind.label if state == "done" else f"{kind.label}: {state}")
            for kind in KINDS
            for state in kind.states
        ],
        "places": places_of_build(bench),
        "keys": {name: f"{name}-{secrets.token_hex(8)}" for name in ("step", "gate")},
        "fault": fault,
        "typed": typed or {},
        "longest": LONGEST_REASON,
        "cautions": CAUTIONS,
    }


def _done(step: Step) -> Done:
    who = ", ".join(filter(None, (step.by, step.at[:16].replace("T", " "))))
    return Done(step.words, step.says, who)
