"""House rules, rules of fit, and gates passed with a name: each row is a state or a signature that stays."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, Column, Index
from sqlmodel import Field, SQLModel

from .columns import actor_id, moment


class HouseRuleRow(SQLModel, table=True):
    """One setting of a house rule; the newest of a key is in force, no value means the default."""

    __tablename__ = "house_rule"

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    key: str = Field(max_length=80, index=True)
    value: float | None = None
    at: datetime = Field(sa_column=moment())
    actor: str = Field(max_length=80)
    actor_id: str | None = actor_id()


class FitRulesRow(SQLModel, table=True):
    """One state of the shop's rules of fit; the newest is in force, no data means the usual ones."""

    __tablename__ = "fit_rules"

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    at: datetime = Field(sa_column=moment())
    actor: str = Field(max_length=80)
    actor_id: str | None = actor_id()
    says: str = Field(max_length=500)
    data: dict[str, Any] | None = Field(sa_column=Column(JSON))


class AcceptanceRow(SQLModel, table=True):
    """A gate that somebody passed with their name: which, about what, what stood against it, and why."""

    __tablename__ = "acceptance"
    __table_args__ = (Index("acceptance_about", "gate", "about"),)

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    gate: int
    about: str = Field(max_length=400)
    fails: list[str] = Field(sa_column=Column(JSON, nullable=False))
    reason: str = Field(max_length=500)
    at: datetime = Field(sa_column=moment())
    actor: str = Field(max_length=80)
    actor_id: str | None = actor_id()
