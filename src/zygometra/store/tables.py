"""The tables. A build's document is kept in rows: its frame, its figures, its plan.

Typed figures are kept as JSON text, not as numbers of the database, so that what
was typed comes back to the letter. Everything that changes a build leaves a row in
``change`` that is never updated or deleted.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, Column, DateTime, ForeignKey, Index, UniqueConstraint, func
from sqlmodel import Field, SQLModel

STAGES = ("on paper", "measuring", "ready to cut", "cut", "signed off", "shelved")


def _moment() -> Any:
    return Column(DateTime(timezone=True), nullable=False, server_default=func.now())


def _build_key(**more: Any) -> Any:
    return Column(BigInteger, ForeignKey("build.id", ondelete="CASCADE"), **more)


class BuildRow(SQLModel, table=True):
    """One build: what the shop calls it, its stage, its version, and its frame."""

    __tablename__ = "build"

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    name: str = Field(max_length=120)
    family: str = Field(default="", max_length=120)
    customer: str = Field(default="", max_length=2000)
    duty: str = Field(default="", max_length=2000)
    stage: str = Field(default=STAGES[0], max_length=40)
    version: int = 1
    frame: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    summary: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    created_at: datetime = Field(sa_column=_moment())
    created_by: str = Field(max_length=80)
    changed_at: datetime = Field(sa_column=_moment())
    changed_by: str = Field(max_length=80)


class FigureRow(SQLModel, table=True):
    """One figure of a build by its place, as typed; its base value stands beside for queries."""

    __tablename__ = "figure"

    build_id: int = Field(sa_column=_build_key(primary_key=True))
    path: str = Field(primary_key=True, max_length=200)
    typed: Any = Field(sa_column=Column(JSON, nullable=False))
    basis: str = Field(max_length=20)
    value: float
    u: float


class OperationRow(SQLModel, table=True):
    """One planned operation of a build, in its place, as typed."""

    __tablename__ = "planned_operation"

    build_id: int = Field(sa_column=_build_key(primary_key=True))
    position: int = Field(primary_key=True)
    op: str = Field(max_length=20)
    typed: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))


class ChangeRow(SQLModel, table=True):
    """One change of a build: who, when, what stood before and what after."""

    __tablename__ = "change"
    __table_args__ = (Index("change_of_build", "build_id", "id"),)

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    build_id: int = Field(sa_column=_build_key(nullable=False))
    version: int
    at: datetime = Field(sa_column=_moment())
    actor: str = Field(max_length=80)
    kind: str = Field(max_length=20)
    says: str = Field(max_length=500)
    patch: list[dict[str, Any]] = Field(sa_column=Column(JSON, nullable=False))


class HouseRuleRow(SQLModel, table=True):
    """One setting of a house rule; the newest of a key is in force, no value means the default."""

    __tablename__ = "house_rule"

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    key: str = Field(max_length=80, index=True)
    value: float | None = None
    at: datetime = Field(sa_column=_moment())
    actor: str = Field(max_length=80)


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
    changed_at: datetime = Field(sa_column=_moment())
    changed_by: str = Field(max_length=80)


class PartChangeRow(SQLModel, table=True):
    """One change of a part: who, when, what it was and what it became. The newest numbers the shelf."""

    __tablename__ = "part_change"
    __table_args__ = (Index("change_of_part", "kind", "code", "id"),)

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    kind: str = Field(max_length=20)
    code: str = Field(max_length=40)
    at: datetime = Field(sa_column=_moment())
    actor: str = Field(max_length=80)
    says: str = Field(max_length=500)
    before: dict[str, Any] | None = Field(sa_column=Column(JSON))
    after: dict[str, Any] | None = Field(sa_column=Column(JSON))


class FitRulesRow(SQLModel, table=True):
    """One state of the shop's rules of fit; the newest is in force, no data means the usual ones."""

    __tablename__ = "fit_rules"

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    at: datetime = Field(sa_column=_moment())
    actor: str = Field(max_length=80)
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
    at: datetime = Field(sa_column=_moment())
    actor: str = Field(max_length=80)
