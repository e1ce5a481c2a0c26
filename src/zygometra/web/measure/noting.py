"""Keeping what was noted at the engine: facts appended, or one sentence why not; the build as it then stands."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

from zygometra.core.errors import Fault, shown
from zygometra.core.findings.summary import summarise_build
from zygometra.core.measuring.facts import FactKind
from zygometra.exchange.cut_log_faults import cut_entry_faults
from zygometra.store import facts
from zygometra.store.facts import ClosedToFacts, New, OtherFact, TooMany
from zygometra.store.whole import refresh_summary

from ..build.bench import Bench, open_bench
from ..db import db
from ..people import actor, person
from ..settling import settler


def now() -> str:
    """Return this moment as facts carry it."""
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def almost_now() -> str:
    """Return a moment that nothing may be dated after: a little ahead, as the clocks of devices are."""
    return (datetime.now(UTC) + timedelta(minutes=10)).strftime("%Y-%m-%dT%H:%M:%SZ")


def append(build_id: int, new: Sequence[New]) -> tuple[str, int] | None:
    """Keep facts and commit; or return in one sentence why they are not taken, and the status of that answer."""
    try:
        facts.append(db(), build_id, new, actor=actor())
    except ClosedToFacts as shut:
        db().rollback()
        return f"This build is {shut.stage}: it takes nothing more until it is opened again.", 409
    except OtherFact as other:
        db().rollback()
        return f"Found the key {shown(other.key)}, which another entry has; wanted a key of its own.", 422
    except TooMany:
        db().rollback()
        return "This build has so many entries of that kind, or in all, that it takes no more.", 413
    db().commit()
    return None


def renew(build_id: int) -> Bench:
    """Return the build with what was just noted, and write the floor's line about it anew."""
    bench = open_bench(build_id)
    summary = summarise_build(bench.kept.build, bench.rules)
    by_the_rules = refresh_summary(db(), build_id, summary, bench.stored.shop_rules)
    db().commit()
    if not by_the_rules:
        settler().wake()
    return bench


def note_entry(bench: Bench, kind: FactKind, listed: str, body: Mapping[str, Any]) -> tuple[str, int] | None:
    """Check an entry as a file lists it and keep it as a fact, by whom and when; or return why not, and the status."""
    names, numbers = [bank.name for bank in bench.build.banks], list(bench.build.cylinders)
    for fault in cut_entry_faults(listed, body, names, numbers):
        return fault_words(fault), 422
    refusal = append(bench.id, [New(body["id"], kind, {**body, "by": person(), "at": now()})])
    if refusal is None:
        renew(bench.id)
    return refusal


def fault_words(fault: Fault) -> str:
    """Return one fault of an entry in a sentence."""
    return f"Found {fault.found}; wanted {fault.wanted}."
