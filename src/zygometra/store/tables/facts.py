"""Facts beside the documents: readings and whatever else was noted, photographs, and the register of gauges.

All of it is a record: what was noted stands, and is voided by another fact.
"""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import JSON, BigInteger, Column, Index, LargeBinary, UniqueConstraint, text
from sqlmodel import Field, SQLModel

from .columns import actor_id, build_key, moment

SPACE = "(CASE WHEN kind IN ('void', 'zero', 'gauge') THEN kind ELSE '' END)"


class FactRow(SQLModel, table=True):
    """One fact of a build, in the order in which it came; ``body`` is as in a build file, to the letter.

    ``key`` was made where it was typed: the same one again is the same fact. ``value`` and ``other``
    are in the base unit: a reading, or the two sides of a tipped pair.
    """

    __tablename__ = "fact"
    __table_args__ = (
        UniqueConstraint("build_id", "seq", name="fact_in_order"),
        # A void, a zero and a gauge are named after something else: each has its own keys.
        Index("fact_once", "build_id", text(SPACE), "key", unique=True),
        Index("fact_verified", "id", postgresql_where=text("kind = 'verified'")),
    )

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    build_id: int = Field(sa_column=build_key(nullable=False, goes_with_it=False))
    seq: int
    key: str = Field(max_length=100)
    kind: str = Field(max_length=12)
    place: str = Field(default="", max_length=200)
    gauge: str = Field(default="", max_length=80)
    zero: str = Field(default="", max_length=80)
    value: float | None = None
    other: float | None = None
    body: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    at: datetime = Field(sa_column=moment())
    actor: str = Field(max_length=80)
    actor_id: str | None = actor_id()


class PhotoRow(SQLModel, table=True):
    """One photograph beside a fact, as a JPEG without anything but the picture."""

    __tablename__ = "photo"
    __table_args__ = (UniqueConstraint("build_id", "key", name="photo_once"),)

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    build_id: int = Field(sa_column=build_key(nullable=False, goes_with_it=False))
    key: str = Field(max_length=100)
    fact: str = Field(max_length=100)
    jpeg: bytes = Field(sa_column=Column(LargeBinary, nullable=False))
    at: datetime = Field(sa_column=moment())
    actor: str = Field(max_length=80)
    actor_id: str | None = actor_id()


class GaugeFactRow(SQLModel, table=True):
    """One thing known of a gauge of the shop: registered, checked, a mishap, retired."""

    __tablename__ = "gauge_fact"
    __table_args__ = (UniqueConstraint("key", name="gauge_fact_once"),)

    id: int | None = Field(default=None, sa_column=Column(BigInteger, primary_key=True))
    key: str = Field(max_length=100)
    gauge: str = Field(max_length=80)
    kind: str = Field(max_length=12)
    body: dict[str, Any] = Field(sa_column=Column(JSON, nullable=False))
    at: datetime = Field(sa_column=moment())
    actor: str = Field(max_length=80)
    actor_id: str | None = actor_id()
