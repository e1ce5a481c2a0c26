"""Sessions that somebody ended: a cookie kept of one opens nothing more."""

from __future__ import annotations

from datetime import datetime

from sqlmodel import Field, SQLModel

from .columns import moment


class EndedSessionRow(SQLModel, table=True):
    """One session that was ended, by its identity; forgotten when no cookie of it could still hold."""

    __tablename__ = "ended_session"

    id: str = Field(primary_key=True, max_length=64)
    at: datetime = Field(sa_column=moment())
