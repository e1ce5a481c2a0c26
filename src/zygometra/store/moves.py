"""A build moved from stage to stage: no new version of its document, and each move in its history."""

from __future__ import annotations

from dataclasses import replace

from sqlalchemy import update
from sqlalchemy.orm import Session

from zygometra.core import stages
from zygometra.core.actors import Entry
from zygometra.core.build.document import Difference
from zygometra.core.gates import is_reason

from .builds import BuildClosed, StoredBuild, VersionConflict, load
from .history import history, record, was_signed_off
from .tables import BuildRow, table_for

_build = table_for(BuildRow)


def set_stage(
    session: Session, build_id: int, stage: str, *, seen: str, expected_version: int, entry: Entry
) -> StoredBuild:
    """Move a build to a stage; the move stands in its history, and is no new version of its document.

    Parameters
    ----------
    session : Session
        The caller's.
    build_id : int
        The build.
    stage : str
        One of the stages.
    seen : str
        The stage the person saw it at.
    expected_version : int
        The version the person was looking at.
    entry : Entry
        Who; it says why, where a build that was signed off is opened again
        (:func:`~zygometra.core.gates.is_reason`), and is else left out.

    Returns
    -------
    StoredBuild
        As it stands then.

    Raises
    ------
    VersionConflict
        If somebody saved since, or moved it to a third stage; nothing is written.
    BuildClosed
        If it was signed off and would be opened again without a reason; nothing is written.
    """
    current = load(session, build_id, lock=True)
    if current.version != expected_version:
        raise VersionConflict(current, history(session, build_id, after=expected_version))
    if current.stage == stage:
        return current
    if current.stage != seen:
        moves = history(session, build_id, after=expected_version - 1)
        raise VersionConflict(current, tuple(change for change in moves if change.kind == "stage"))
    opens = stage not in stages.CLOSED and was_signed_off(session, build_id, current.stage)
    if opens and not is_reason(entry.says):
        raise BuildClosed(current, wants_reason=True, reason=entry.says)
    who = entry.actor.name
    session.execute(update(_build).where(_build.c.id == build_id).values(stage=stage, changed_by=who))
    moved = Entry(entry.actor, stages.moved_words(current.stage, stage, entry.says if opens else ""), "stage")
    record(
        session,
        build_id,
        version=current.version,
        entry=moved,
        patch=[Difference(("stage",), current.stage, stage)],
    )
    return replace(current, stage=stage, changed_by=who)
