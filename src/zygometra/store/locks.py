"""Locks that a transaction takes before it touches rows: always these first, so that nobody waits in a ring."""

from __future__ import annotations

from sqlalchemy import text
from sqlalchemy.orm import Session

# Numbers of this program's own; 722001 is the migrations'.
_SHELF, _HOUSE_RULES, _FIT_RULES, _GAUGES = 722003, 722004, 722005, 722006


def hold_shelf(session: Session) -> None:
    """Wait until nobody else is changing the shelf, and hold it until the transaction ends."""
    session.execute(text(f"SELECT pg_advisory_xact_lock({_SHELF})"))


def hold_fit_rules(session: Session) -> None:
    """Wait until nobody else is changing the rules of fit, and hold them until the transaction ends."""
    session.execute(text(f"SELECT pg_advisory_xact_lock({_FIT_RULES})"))


def hold_gauges(session: Session) -> None:
    """Wait until nobody else notes something of a gauge, and hold the register until the transaction ends."""
    session.execute(text(f"SELECT pg_advisory_xact_lock({_GAUGES})"))


def hold_house_rules(session: Session, *, to_change: bool = False) -> None:
    """Hold the house rules as they are until the transaction ends; to change them, wait until nobody judges by them.

    Whoever writes what is to be said of a build holds them while he judges it, so that no
    build is left judged by rules that were no longer in force when it was written.
    """
    shared = "" if to_change else "_shared"
    session.execute(text(f"SELECT pg_advisory_xact_lock{shared}({_HOUSE_RULES})"))
