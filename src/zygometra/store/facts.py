"""The facts of a build: appended once however often they are sent, read from where one stopped.

The caller owns the transaction: it passes the session in and commits.
"""

# long: facts and their photographs, kept by one rule

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Mapping, Sequence
from types import MappingProxyType
from typing import Any, NamedTuple

from sqlalchemy import func, insert, select
from sqlalchemy.orm import Session

from zygometra.core import stages
from zygometra.core.actors import Actor
from zygometra.core.build.cut_log import VerifiedCut
from zygometra.core.measuring.facts import (
    MOST,
    MOST_FACTS,
    NAMED_AFTER,
    Fact,
    FactKind,
    Facts,
    FoundBy,
    body_of,
    found_by,
    kind_of,
    read_fact,
)
from zygometra.core.measuring.logbook import Reading
from zygometra.core.records import Record

from .in_force import NotThere
from .locks import hold_house_rules
from .tables import BuildRow, FactRow, PhotoRow, table_for

_build, _fact = table_for(BuildRow), table_for(FactRow)
_photo = table_for(PhotoRow)

# Photographs of one build.
MOST_PHOTOS = 500


class ClosedToFacts(Exception):
    """The build is signed off or shelved: it takes no facts until it is opened again."""

    def __init__(self, stage: str) -> None:
        self.stage = stage
        super().__init__(f"the build is {stage}")


class OtherFact(Exception):
    """Another fact has that key already: nothing was written."""

    def __init__(self, key: str) -> None:
        self.key = key
        super().__init__(f"another fact is known as {key}")


class TooMany(Exception):
    """A build has so many facts that no more are taken."""

    def __init__(self) -> None:
        super().__init__("more than a build may have")


class New(NamedTuple):
    """A fact to be kept under a key of its own; ``found_by`` where it was worked out already."""

    key: str
    record: Record
    found_by: FoundBy | None = None

    @property
    def kind(self) -> FactKind:
        """What it is called in the store."""
        return kind_of(self.record)


class Appended(NamedTuple):
    """How many facts were new, how many were known already, the newest there is, and the new ones by their numbers."""

    added: int
    known: int
    seq: int
    noted: Mapping[int, Record] = MappingProxyType({})


def append(session: Session, build_id: int, new: Sequence[New], *, actor: Actor) -> Appended:
    """Keep facts of a build; one that is known already is not kept twice.

    Parameters
    ----------
    session : Session
        The caller's; whoever else appends to this build waits until its transaction ends.
    build_id : int
        The build.
    new : sequence of New
        Checked.
    actor : Actor
        Who noted them.

    Returns
    -------
    Appended
        The version of the build stays.

    Raises
    ------
    NotThere
        If there is no such build.
    ClosedToFacts
        If it is signed off or shelved; nothing is written.
    OtherFact
        If another fact has one of the keys; nothing is written.
    TooMany
        If the build has too many; nothing is written.
    """
    # Held to the end: the newest number grows with every commit, and nothing appears behind it.
    stage = hold(session, build_id)
    seq = newest(session, build_id)
    known = _known(session, build_id, [one.key for one in new]) if seq else {}
    rows: list[dict[str, Any]] = []
    fresh: dict[tuple[str, str], New] = {}
    for one in new:
        key = space_of(one.kind), one.key
        before = known.get(key) or ((fresh[key].kind, body_of(fresh[key].record)) if key in fresh else None)
        if before is None:
            fresh[key] = one
        elif before[0] != one.kind or not _same(before[1], one.record):
            raise OtherFact(one.key)
    if fresh and stage in stages.CLOSED:
        raise ClosedToFacts(stage)
    if seq + len(fresh) > MOST_FACTS or _is_full(session, build_id, [one.kind for one in fresh.values()]):
        raise TooMany
    noted: dict[int, Record] = {}
    for one in fresh.values():
        seq += 1
        noted[seq] = one.record
        rows.append(_row(build_id, seq, one, actor))
    if rows:
        session.execute(insert(_fact), rows)
    return Appended(len(rows), len(new) - len(rows), seq, noted)


def hold(session: Session, build_id: int) -> str:
    """Wait until nobody else notes anything of a build, and hold it until the transaction ends; return its stage.

    Parameters
    ----------
    session : Session
        The caller's.
    build_id : int
        The build.

    Raises
    ------
    NotThere
        If there is no such build.
    """
    # The rules before the build, as everybody takes them: what follows from a fact is judged by them.
    hold_house_rules(session)
    held = select(_build.c.stage).where(_build.c.id == build_id).with_for_update()
    stage = session.execute(held).scalar_one_or_none()
    if stage is None:
        raise NotThere(build_id)
    return str(stage)


def _is_full(session: Session, build_id: int, kinds: Sequence[FactKind]) -> bool:
    """Whether a build would have more of a kind than a file may list."""
    new = Counter(kind for kind in kinds if kind in MOST)
    if not new:
        return False
    known = select(_fact.c.kind, func.count()).where(
        _fact.c.build_id == build_id, _fact.c.kind.in_(list(new))
    )
    there = {row.kind: row[1] for row in session.execute(known.group_by(_fact.c.kind))}
    return any(there.get(kind, 0) + count > MOST[kind] for kind, count in new.items())


def space_of(kind: str) -> str:
    """Return within what the key of a fact of a kind must be its own.

    Voids, zeros and gauges are named after something else, each kind apart; whatever has an id of its own
    shares one space, so that a void says what it means.
    """
    return kind if kind in NAMED_AFTER else ""


def _known(session: Session, build_id: int, keys: list[str]) -> dict[tuple[str, str], tuple[str, Any]]:
    found: dict[tuple[str, str], tuple[str, Any]] = {}
    for start in range(0, len(keys), 1000):
        some = keys[start : start + 1000]
        rows = session.execute(
            select(_fact.c.key, _fact.c.kind, _fact.c.body).where(
                _fact.c.build_id == build_id, _fact.c.key.in_(some)
            )
        )
        found |= {(space_of(row.kind), row.key): (row.kind, row.body) for row in rows}
    return found


def _same(body: Mapping[str, Any], record: Record) -> bool:
    """Whether a fact that is kept says what another does; when it was sent again, and by whom, makes no other of it.

    A reading that came back through a table is the same reading, though its figures are written otherwise.
    """
    ours, theirs = (
        {key: value for key, value in one.items() if key not in ("by", "at")}
        for one in (body, body_of(record))
    )
    if json.dumps(ours, sort_keys=True) == json.dumps(theirs, sort_keys=True):
        return True
    if not isinstance(record, Reading):
        return False
    return Reading.read(ours) == record.with_(by="", at="", order=0)


def _row(build_id: int, seq: int, new: New, actor: Actor) -> dict[str, Any]:
    return {
        "build_id": build_id,
        "seq": seq,
        "key": new.key,
        "kind": new.kind,
        "body": body_of(new.record),
        **(new.found_by or found_by(new.record))._asdict(),
        "actor": actor.name,
        "actor_id": actor.id,
    }


def newest(session: Session, build_id: int) -> int:
    """Return the number of a build's newest fact; nought where it has none."""
    return int(
        session.execute(
            select(func.coalesce(func.max(_fact.c.seq), 0)).where(_fact.c.build_id == build_id)
        ).scalar_one()
    )


def since(
    session: Session,
    build_id: int,
    after: int = 0,
    known: Mapping[int, Record] = MappingProxyType({}),
) -> list[Fact]:
    """Return the facts of a build that came after one of them, in their order.

    Parameters
    ----------
    session : Session
        The caller's.
    build_id : int
        The build.
    after : int
        The number of the last one that is known; nought for all.
    known : Mapping
        By their numbers, those that were understood when they were noted: they are not read again.
    """
    rows = session.execute(
        select(_fact.c.seq, _fact.c.key, _fact.c.kind, _fact.c.body, _fact.c.actor, _fact.c.at)
        .where(_fact.c.build_id == build_id, _fact.c.seq > after)
        .order_by(_fact.c.seq)
    )
    return [
        Fact(
            seq=r.seq,
            key=r.key,
            record=known.get(r.seq) or read_fact(r.kind, r.body),
            by=r.actor,
            at=r.at.isoformat(),
        )
        for r in rows
    ]


def of_build(session: Session, build_id: int) -> Facts:
    """Return all facts of a build, read."""
    return Facts().extended(since(session, build_id))


def keep_all(
    session: Session,
    build_id: int,
    facts: Sequence[Fact],
    *,
    actor: Actor,
    found: Mapping[tuple[FactKind, str], FoundBy] = MappingProxyType({}),
) -> Appended:
    """Keep the facts that a document brought along, in their order; ``found`` where what they are found by is known."""
    new = [New(f.key, f.record, found.get((f.kind, f.key))) for f in facts]
    return append(session, build_id, new, actor=actor)


# -- photographs --------------------------------------------------------------


def add_photo(session: Session, build_id: int, key: str, fact: str, jpeg: bytes, *, actor: Actor) -> None:
    """Keep a photograph beside a fact; the same key again keeps nothing.

    Parameters
    ----------
    session : Session
        The caller's.
    build_id : int
        The build.
    key : str
        Made where it was taken.
    fact : str
        The key of the fact it shows.
    jpeg : bytes
        Made small, and nothing but the picture.
    actor : Actor
        Who took it.

    Raises
    ------
    NotThere
        If there is no such build.
    ClosedToFacts
        If it is signed off or shelved.
    TooMany
        If the build has too many.
    """
    stage = hold(session, build_id)
    own = _photo.c.build_id == build_id
    if session.execute(select(_photo.c.id).where(own, _photo.c.key == key)).first() is not None:
        return
    if stage in stages.CLOSED:
        raise ClosedToFacts(stage)
    if session.execute(select(func.count()).select_from(_photo).where(own)).scalar_one() >= MOST_PHOTOS:
        raise TooMany
    values = {"build_id": build_id, "key": key, "fact": fact, "jpeg": jpeg}
    session.execute(insert(_photo).values(**values, actor=actor.name, actor_id=actor.id))


def photo(session: Session, build_id: int, key: str) -> bytes | None:
    """Return a photograph of a build; None where there is none of that key."""
    found = session.execute(
        select(_photo.c.jpeg).where(_photo.c.build_id == build_id, _photo.c.key == key)
    ).scalar_one_or_none()
    return None if found is None else bytes(found)


def photos(session: Session, build_id: int) -> dict[str, list[str]]:
    """Return the keys of a build's photographs, by the fact they show."""
    found: dict[str, list[str]] = {}
    rows = session.execute(
        select(_photo.c.fact, _photo.c.key).where(_photo.c.build_id == build_id).order_by(_photo.c.id)
    )
    for fact, key in rows:
        found.setdefault(fact, []).append(key)
    return found


def verified(session: Session) -> list[tuple[int, VerifiedCut]]:
    """Return what finished cuts came to in all builds, in the order in which they were noted; none that is void.

    Parameters
    ----------
    session : Session
        The caller's.

    Returns
    -------
    list of (int, VerifiedCut)
        Each with the number of its build.
    """
    other = _fact.alias()
    is_void = (
        select(other.c.id)
        .where(
            other.c.build_id == _fact.c.build_id,
            other.c.kind == "void",
            other.c.key == func.concat("void ", _fact.c.body["id"].as_string()),
        )
        .exists()
    )
    rows = session.execute(
        select(_fact.c.build_id, _fact.c.body)
        .where(_fact.c.kind == "verified", ~is_void)
        .order_by(_fact.c.id)
        .limit(5000)
    )
    return [(row.build_id, VerifiedCut.read(row.body)) for row in rows]


def read_with(session: Session, gauge: str) -> list[tuple[int, str, list[Reading]]]:
    """Return the builds that were read with a gauge, each with those readings as they stand in its record.

    Parameters
    ----------
    session : Session
        The caller's.
    gauge : str
        Its id.

    Returns
    -------
    list of (int, str, list of Reading)
        Number and name of the build, and the readings, the last changed build first; no more than
        200 builds.
    """
    rows = session.execute(
        select(_build.c.id, _build.c.name, func.json_agg(_fact.c.body))
        .join(_fact, _fact.c.build_id == _build.c.id)
        .where(_fact.c.gauge == gauge, _fact.c.kind == "reading")
        .group_by(_build.c.id, _build.c.name)
        .order_by(func.max(_fact.c.id).desc())
        .limit(200)
    )
    return [(row[0], row[1], [Reading.read(body, order=i) for i, body in enumerate(row[2])]) for row in rows]
