"""A build in rows: its frame, its figures, its plan, and every change of it.

Typed figures are kept as JSON text, not as numbers of the database, so that what
was typed comes back to the letter. Everything that changes a build leaves a row in
``change`` that is never updated or deleted.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, Column, Index
from sqlmodel import Field, SQLModel

from zygometra.core import stages

from .columns import actor_id, build_key, moment


class BuildRow(SQLModel, table=True):
    """One build: what the shop calls it, its stage, its version, and its frame."""

    __tablename__ = "build"

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    name: str = Field(max_length=120)
    family: str = Field(default="", max_length=120)
    customer: str = Field(default="", max_length=2000)
    duty: str = Field(default="", max_length=2000)
    stage: str = Field(default=stages.FIRST, max_length=40)
    version: int = 1
    frame: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    summary: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    # The newest setting of a house rule when its summary was written.
    judged: int = Field(default=0, sa_column=Column(BigInteger, nullable=False))
    created_at: datetime = Field(sa_column=moment())
    created_by: str = Field(max_length=80)
    changed_at: datetime = Field(sa_column=moment())
    changed_by: str = Field(max_length=80)


class FigureRow(SQLModel, table=True):
    """One figure of a build by its place, as typed; its base value stands beside for queries."""

    __tablename__ = "figure"

    build_id: int = Field(sa_column=build_key(primary_key=True))
    path: str = Field(primary_key=True, max_length=200)
    typed: Any = Field(sa_column=Column(JSON, nullable=False))
    basis: str = Field(max_length=20)
    value: float
    u: float


class OperationRow(SQLModel, table=True):
    """One planned operation of a build, in its place, as typed."""

    __tablename__ = "planned_operation"

    build_id: int = Field(sa_column=build_key(primary_key=True))
    position: int = Field(primary_key=True)
    op: str = Field(max_length=20)
    typed: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))


class ChangeRow(SQLModel, table=True):
    """One change of a build: who, when, what stood before and what after."""

    __tablename__ = "change"
    __table_args__ = (Index("change_of_build", "build_id", "id"),)

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    build_id: int = Field(sa_column=build_key(nullable=False, goes_with_it=False))
    version: int
    at: datetime = Field(sa_column=moment())
    actor: str = Field(max_length=80)
    actor_id: str | None = actor_id()
    kind: str = Field(max_length=20)
    says: str = Field(max_length=500)
    patch: list[dict[str, Any]] = Field(sa_column=Column(JSON, nullable=False))
