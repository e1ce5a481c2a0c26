"""Keeping what was noted at the engine: facts appended, or one sentence why not; the build as it then stands."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime

from zygometra.core.errors import shown
from zygometra.core.findings.summary import summarise_build
from zygometra.store import facts
from zygometra.store.facts import New, OtherFact, Shut, TooMany
from zygometra.store.whole import refresh_summary

from ..build.bench import Bench, open_bench
from ..db import db
from ..people import actor


def now() -> str:
    """Return this moment as facts carry it."""
    return datetime.now(UTC).strftime("%Y-%m-%dT%H:%M:%SZ")


def append(build_id: int, new: Sequence[New]) -> tuple[str, int] | None:
    """Keep facts and commit; or return in one sentence why they are not taken, and the status of that answer."""
    try:
        facts.append(db(), build_id, new, actor=actor())
    except Shut as shut:
        db().rollback()
        return f"This build is {shut.stage}: it takes nothing more until it is opened again.", 409
    except OtherFact as other:
        db().rollback()
        return f"Found the key {shown(other.key)}, which another entry has; wanted a key of its own.", 422
    except TooMany:
        db().rollback()
        return f"This build has {facts.MOST_FACTS} entries, which is as many as one may have.", 422
    db().commit()
    return None


def renew(build_id: int) -> Bench:
    """Return the build with what was just noted, and write the floor's line about it anew."""
    bench = open_bench(build_id)
    refresh_summary(db(), build_id, summarise_build(bench.kept.build, bench.rules))
    db().commit()
    return bench
