"""Gates passed with a name: who accepted what stood against it, and why."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import insert, literal_column, select
from sqlalchemy.orm import Session

from .tables import AcceptanceRow

# How long a reason is that somebody signs for, in characters.
_SHORTEST, _LONGEST = 3, 500
_acceptance = AcceptanceRow.__table__  # type: ignore[attr-defined]


@dataclass(frozen=True, slots=True)
class Acceptance:
    """A gate passed with a name."""

    at: datetime
    actor: str
    reason: str
    fails: tuple[str, ...]


def is_reason(words: str) -> bool:
    """Tell whether words will do as the reason for passing a gate: 3 to 500 characters."""
    return _SHORTEST <= len(words) <= _LONGEST


def accept(session: Session, gate: int, about: str, fails: Sequence[str], reason: str, *, actor: str) -> None:
    """Record that somebody passes a gate, knowing what stands against it."""
    session.execute(
        insert(_acceptance).values(
            gate=gate, about=about[:400], fails=list(fails), reason=reason[:_LONGEST], actor=actor
        )
    )


def accepted(session: Session, gate: int, about: str, fails: Sequence[str]) -> Acceptance | None:
    """Return the newest acceptance of a gate about something, if it covers all that stands against it now."""
    rows = session.execute(
        select(_acceptance)
        .where(_acceptance.c.gate == gate, _acceptance.c.about == about)
        .order_by(literal_column("id").desc())
        .limit(20)
    )
    for row in rows:
        if set(fails) <= set(row.fails):
            return Acceptance(row.at, row.actor, row.reason, tuple(row.fails))
    return None
