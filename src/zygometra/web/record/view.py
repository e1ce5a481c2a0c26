"""The record of a build as its page shows it."""

from __future__ import annotations

from typing import Any, NamedTuple

from zygometra.core.build.record import place_words, written
from zygometra.core.stages import STAGE_NAMES
from zygometra.store import undo as history_of
from zygometra.store.history import Change, history, was_signed_off

from ..build.bench import Bench
from ..db import db
from .noted import noted

# How many leaves of one change are told.
_MOST_LEAVES = 12
# How much of a record is told on one page.
_MOST_ROWS = 400


class Told(NamedTuple):
    """One change as it is told: who, when, of what kind, what, and leaf by leaf."""

    actor: str
    moment: str
    when: str
    kind: str
    says: str
    leaves: tuple[tuple[str, str, str], ...]


def view(bench: Bench) -> dict[str, Any]:
    """Return what the page of the record shows."""
    stacks = history_of.undo_stacks(db(), bench.id)
    undo = "Undo takes back the newest change that still stands." if stacks.undo else "Nothing to undo."
    return {
        "changes": _everything(bench),
        "undo_words": undo,
        "stage": bench.stored.stage,
        "stages": [(name, name) for name in STAGE_NAMES],
        "wants_reason": was_signed_off(db(), bench.id, bench.stored.stage),
    }


def _everything(bench: Bench) -> list[Told]:
    """Changes of the document and what was noted beside it, the newest first; what nobody timed comes last."""
    rows = [_told(change) for change in history(db(), bench.id)]
    rows += [
        Told(
            actor=one.by or "—",
            moment=one.at[:19],
            when=one.at[:16].replace("T", " "),
            kind=one.kind,
            says=one.says,
            leaves=(),
        )
        for one in noted(bench)
    ]
    return sorted(rows, key=lambda row: row.moment[:19], reverse=True)[:_MOST_ROWS]


def _told(change: Change) -> Told:
    # What a new build is made of stands in its file.
    leaves = () if change.kind == "new" else change.patch[:_MOST_LEAVES]
    return Told(
        actor=change.actor,
        moment=change.at.isoformat(timespec="seconds"),
        when=f"{change.at:%Y-%m-%d %H:%M}",
        kind=change.kind,
        says=change.says,
        leaves=tuple((place_words(d.path), written(d.before), written(d.after)) for d in leaves),
    )
