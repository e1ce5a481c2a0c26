"""The parts shelf in rows, and every change of it."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, Column, Index, UniqueConstraint
from sqlmodel import Field, SQLModel

from .columns import actor_id, moment


class PartRow(SQLModel, table=True):
    """One entry of the parts shelf: figures as typed, and their base values beside for the search."""

    __tablename__ = "part"
    __table_args__ = (UniqueConstraint("kind", "code", name="part_by_code"),)

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    kind: str = Field(max_length=20)
    code: str = Field(max_length=40)
    name: str = Field(default="", max_length=120)
    supplier: str = Field(default="", max_length=120)
    price: int | None = Field(default=None, sa_column=Column(BigInteger))
    state: str = Field(default="idea", max_length=20)
    on_shelf: int = 0
    lead_days: int | None = None
    typed: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    texts: dict[str, str] = Field(sa_column=Column(JSON, nullable=False))
    base: dict[str, float] = Field(sa_column=Column(JSON, nullable=False))
    version: int = 1
    changed_at: datetime = Field(sa_column=moment())
    changed_by: str = Field(max_length=80)


class PartChangeRow(SQLModel, table=True):
    """One change of a part: who, when, what it was and what it became. The newest numbers the shelf."""

    __tablename__ = "part_change"
    __table_args__ = (Index("change_of_part", "kind", "code", "id"),)

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    kind: str = Field(max_length=20)
    code: str = Field(max_length=40)
    at: datetime = Field(sa_column=moment())
    actor: str = Field(max_length=80)
    actor_id: str | None = actor_id()
    says: str = Field(max_length=500)
    before: dict[str, Any] | None = Field(sa_column=Column(JSON))
    after: dict[str, Any] | None = Field(sa_column=Column(JSON))
