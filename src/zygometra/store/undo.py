"""Undo and redo, read from the history: each is a change like another.

An edit can be undone until it is; what was undone can be redone until something
else is edited. Both name the version the person was looking at.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from sqlalchemy import select
from sqlalchemy.orm import Session

from zygometra.core.actors import Actor, Entry
from zygometra.core.build.document import Difference, with_leaf
from zygometra.core.build.record import step_words

from .builds import VersionConflict, load, save
from .history import Change, history, read_change
from .tables import ChangeRow, table_for

_change = table_for(ChangeRow)


@dataclass(slots=True)
class UndoStacks:
    """Which change an undo would take back next, and which a redo would bring back."""

    undo: list[int] = field(default_factory=list)
    redo: list[int] = field(default_factory=list)


def undo_stacks(session: Session, build_id: int) -> UndoStacks:
    """Read from the history what can be undone and redone.

    Parameters
    ----------
    session : Session
        The caller's.
    build_id : int
        The build.

    Returns
    -------
    UndoStacks
        Numbers of changes, the next one last.
    """
    stacks = UndoStacks()
    rows = session.execute(
        select(_change.c.id, _change.c.kind).where(_change.c.build_id == build_id).order_by(_change.c.id)
    )
    for change_id, kind in rows:
        if kind == "edit":
            stacks.undo.append(change_id)
            stacks.redo.clear()
        elif kind == "undo":
            stacks.redo.append(stacks.undo.pop())
        elif kind == "redo":
            stacks.undo.append(stacks.redo.pop())
    return stacks


def step_back(session: Session, build_id: int, *, expected_version: int, actor: Actor) -> Change | None:
    """Undo the last change that is not undone yet.

    Parameters
    ----------
    session : Session
        The caller's.
    build_id : int
        The build.
    expected_version : int
        The version the person was looking at.
    actor : Actor
        Who.

    Returns
    -------
    Change or None
        What was undone; None where there is nothing left to undo.

    Raises
    ------
    VersionConflict
        If somebody saved since.
    """
    return _step(session, build_id, expected_version=expected_version, actor=actor, kind="undo")


def step_forward(session: Session, build_id: int, *, expected_version: int, actor: Actor) -> Change | None:
    """Redo the last change that was undone; the counterpart of :func:`step_back`."""
    return _step(session, build_id, expected_version=expected_version, actor=actor, kind="redo")


def _step(session: Session, build_id: int, expected_version: int, actor: Actor, kind: str) -> Change | None:
    current = load(session, build_id, lock=True)
    if current.version != expected_version:
        raise VersionConflict(current, history(session, build_id, after=expected_version))
    stacks = undo_stacks(session, build_id)
    stack = stacks.undo if kind == "undo" else stacks.redo
    if not stack:
        return None
    change = read_change(session.execute(select(_change).where(_change.c.id == stack[-1])).one())
    document = dict(current.document)
    for leaf in _in_order(change.patch, kind):
        document = with_leaf(document, leaf.path, leaf.before if kind == "undo" else leaf.after)
    entry = Entry(actor, step_words(kind, change.says), kind)
    save(session, build_id, document, expected_version=expected_version, entry=entry)
    return change


def _in_order(patch: tuple[Difference, ...], kind: str) -> Iterator[Difference]:
    return iter(patch if kind == "redo" else reversed(patch))
