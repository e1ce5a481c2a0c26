"""Keeping what was noted at the engine: facts appended, or one sentence why not; the build as it then stands."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any, NamedTuple

from zygometra.core.errors import BuildFaults, Fault, shown
from zygometra.core.findings.summary import summarise_build
from zygometra.core.measuring.facts import FactKind
from zygometra.exchange.cut_log_faults import cut_entry
from zygometra.store import facts
from zygometra.store.facts import ClosedToFacts, New, OtherFact, TooMany
from zygometra.store.whole import refresh_summary

from ..build.bench import Bench, bench_with
from ..db import db
from ..people import actor, person


def now() -> str:
    """Return this moment as facts carry it."""
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def almost_now() -> str:
    """Return a moment that nothing may be dated after: a little ahead, as the clocks of devices are."""
    return (datetime.now(UTC) + timedelta(minutes=10)).strftime("%Y-%m-%dT%H:%M:%SZ")


class NotedFact(NamedTuple):
    """What came of noting something: the build as it then stands, or why it was not taken and that answer's status."""

    bench: Bench | None
    says: str = ""
    status: int = 200
    added: int = 0
    known: int = 0


def note(build_id: int, new: Sequence[New]) -> NotedFact:
    """Keep facts and what follows from them, the floor's line about the build, in one transaction; or say why not.

    Parameters
    ----------
    build_id : int
        The build.
    new : sequence of New
        Checked against it.
    """
    try:
        done = facts.append(db(), build_id, new, actor=actor())
    except ClosedToFacts as shut:
        db().rollback()
        return NotedFact(
            None, f"This build is {shut.stage}: it takes nothing more until it is opened again.", 409
        )
    except OtherFact as other:
        db().rollback()
        says = f"Found the key {shown(other.key)}, which another entry has; wanted a key of its own."
        return NotedFact(None, says, 422)
    except TooMany:
        db().rollback()
        return NotedFact(
            None, "This build has so many entries of that kind, or in all, that it takes no more.", 413
        )
    bench, keep = bench_with(build_id, done.noted)
    refresh_summary(db(), build_id, summarise_build(bench.kept.build, bench.rules))
    db().commit()
    keep()
    return NotedFact(bench, added=done.added, known=done.known)


def note_entry(bench: Bench, kind: FactKind, body: Mapping[str, Any]) -> NotedFact:
    """Check an entry as a file lists it and keep it as a fact, by whom and when; or say why not."""
    names, numbers = [bank.name for bank in bench.build.banks], list(bench.build.cylinders)
    try:
        record = cut_entry(kind, {**body, "by": person(), "at": now()}, names, numbers)
    except BuildFaults as error:
        return NotedFact(None, fault_words(error.faults[0]), 422)
    return note(bench.id, [New(body["id"], record)])


def fault_words(fault: Fault) -> str:
    """Return one fault of an entry in a sentence."""
    return f"Found {fault.found}; wanted {fault.wanted}."
