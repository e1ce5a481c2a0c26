"""Columns that several tables have alike."""

from __future__ import annotations

from typing import Any

from sqlalchemy import BigInteger, Column, DateTime, ForeignKey, func
from sqlmodel import Field


def moment() -> Any:
    """Return the column of a moment: now, unless it is said."""
    return Column(DateTime(timezone=True), nullable=False, server_default=func.now())


def build_key(*, goes_with_it: bool = True, **more: Any) -> Any:
    """Return the column that names the build a row belongs to; what is a record never goes with it."""
    rule = "CASCADE" if goes_with_it else None
    return Column(BigInteger, ForeignKey("build.id", ondelete=rule), **more)


def actor_id() -> Any:
    """Return the field of who acted, beside the name; empty in rows from before there were identities."""
    return Field(default=None, max_length=40)
