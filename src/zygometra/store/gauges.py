"""The shop's register of gauges: what was noted of each, and what that comes to.

The caller owns the transaction: it passes the session in and commits.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import Any

from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from zygometra.core.actors import Actor
from zygometra.core.measuring.facts import register_of
from zygometra.core.measuring.logbook import Gauge

from .locks import hold_gauges
from .tables import GaugeFactRow, table_for

_fact = table_for(GaugeFactRow)


@dataclass(frozen=True, slots=True)
class Noted:
    """One thing that was noted of a gauge."""

    id: int
    gauge: str
    kind: str
    body: Mapping[str, Any]
    at: datetime
    actor: str


@dataclass(frozen=True)
class Register:
    """The gauges of the shop up to the newest fact about one."""

    newest: int
    noted: tuple[Noted, ...]

    @cached_property
    def entries(self) -> dict[str, dict[str, Any]]:
        """Each gauge as a file has it."""
        return register_of((one.gauge, one.kind, one.body) for one in self.noted)

    @cached_property
    def gauges(self) -> dict[str, Gauge]:
        """Each gauge, read."""
        return {name: Gauge.read(raw, id=name) for name, raw in self.entries.items()}


def register(session: Session) -> Register:
    """Return the register of gauges.

    Parameters
    ----------
    session : Session
        The caller's.
    """
    rows = session.execute(
        select(_fact.c.id, _fact.c.gauge, _fact.c.kind, _fact.c.body, _fact.c.at, _fact.c.actor).order_by(
            _fact.c.id
        )
    )
    noted = tuple(Noted(*row) for row in rows)
    return Register(noted[-1].id if noted else 0, noted)


def note(session: Session, key: str, gauge: str, kind: str, body: Mapping[str, Any], *, actor: Actor) -> bool:
    """Keep a fact about a gauge, once however often it is sent.

    Parameters
    ----------
    session : Session
        The caller's; whoever else notes something of a gauge waits until its transaction ends.
    key : str
        Made where it was typed.
    gauge : str
        The gauge's id.
    kind : str
        What it is.
    body : Mapping
        Checked.
    actor : Actor
        Who.

    Returns
    -------
    bool
        True where it is new.
    """
    hold_gauges(session)
    if session.execute(select(_fact.c.id).where(_fact.c.key == key)).first() is not None:
        return False
    session.execute(
        insert(_fact).values(
            key=key, gauge=gauge, kind=kind, body=dict(body), actor=actor.name, actor_id=actor.id
        )
    )
    return True
