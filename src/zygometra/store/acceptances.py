"""Gates passed with a name: who accepted what stood against it, and why."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import insert, literal_column, select
from sqlalchemy.orm import Session

from zygometra.core.actors import Actor
from zygometra.core.gates import LONGEST_REASON, Gate, covers

from .tables import AcceptanceRow, table_for

_acceptance = table_for(AcceptanceRow)


@dataclass(frozen=True, slots=True)
class Acceptance:
    """A gate passed with a name."""

    at: datetime
    actor: str
    reason: str
    fails: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class StoredAgainst:
    """What is signed for: which gate, about what, and what stands against it."""

    gate: Gate
    about: str
    stands: tuple[str, ...]


def accept(session: Session, against: StoredAgainst, reason: str, *, actor: Actor) -> None:
    """Record that somebody passes a gate, knowing what stands against it.

    Parameters
    ----------
    session : Session
        The caller's.
    against : StoredAgainst
        What is signed for.
    reason : str
        Why; see :func:`~zygometra.core.gates.is_reason`.
    actor : Actor
        Who signs.
    """
    session.execute(
        insert(_acceptance).values(
            gate=against.gate.number,
            about=against.about[:400],
            fails=list(against.stands),
            reason=reason[:LONGEST_REASON],
            actor=actor.name,
            actor_id=actor.id,
        )
    )


def accepted(session: Session, against: StoredAgainst) -> Acceptance | None:
    """Return the newest acceptance of a gate about something, if it covers all that stands against it now."""
    rows = session.execute(
        select(_acceptance)
        .where(_acceptance.c.gate == against.gate.number, _acceptance.c.about == against.about)
        .order_by(literal_column("id").desc())
        .limit(20)
    )
    for row in rows:
        if covers(row.fails, against.stands):
            return Acceptance(row.at, row.actor, row.reason, tuple(row.fails))
    return None
