"""The parts shelf: list, save, take in tables, read as columns; and the rules of fit beside it.

Every change leaves a row in ``part_change``; the newest of them numbers the shelf, so
that a process knows whether the columns it laid out are still current. The caller owns
the transaction.
"""

# long: all that touches the tables of the shelf, half of it docstrings
from __future__ import annotations

import itertools
import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy import (
    ColumnElement,
    case,
    delete,
    false,
    func,
    insert,
    or_,
    select,
    text,
    update,
)
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from zygometra.core.actors import Actor, Entry
from zygometra.core.mix.parts import IN_HAND, KINDS, STATES, Part, to_the_letter
from zygometra.core.mix.shelf import Row, Shelf, table_of
from zygometra.core.mix.shelf_record import TAKEN_OFF

from .locks import hold_shelf
from .tables import PartChangeRow, PartRow, table_for

_part, _change = table_for(PartRow), table_for(PartChangeRow)


class PartNotThere(LookupError):
    """The shelf has no such part."""


class PartStale(Exception):
    """Somebody saved the part since it was read: theirs is here, nothing was written."""

    def __init__(self, current: StoredPart) -> None:
        self.current = current
        super().__init__(f"the part is at version {current.version}")


@dataclass(frozen=True, slots=True)
class StoredPart:
    """A part as it is kept."""

    part: Part
    version: int
    changed_at: datetime
    changed_by: str


@dataclass(frozen=True, slots=True)
class PartChange:
    """One row of a part's history; no ``before`` where it was put on the shelf, no ``after`` where it was taken off."""

    id: int
    at: datetime
    actor: str
    says: str
    before: dict[str, Any] | None
    after: dict[str, Any] | None


# -- reading ------------------------------------------------------------------


def number(session: Session) -> tuple[int, int]:
    """Return what numbers the present shelf and its rules: they rise with every change."""
    row = session.execute(
        text(
            "SELECT (SELECT coalesce(max(id), 0) FROM part_change), (SELECT coalesce(max(id), 0) FROM fit_rules)"
        )
    ).one()
    return int(row[0]), int(row[1])


def read_shelf(session: Session) -> Shelf:
    """Read the whole shelf as columns.

    Parameters
    ----------
    session : Session
        The caller's.

    Returns
    -------
    Shelf
        Kind by kind, in the order of the codes.
    """
    rows: dict[str, list[Row]] = {kind.key: [] for kind in KINDS}
    statement = text(
        "SELECT kind, code, base::text, texts::text, price, state, on_shelf, lead_days FROM part ORDER BY kind, code"
    )
    loads = json.loads
    for kind, code, base, texts, *rest in session.execute(statement):
        rows[kind].append(Row(code, loads(base), loads(texts), *rest))
    return Shelf({kind: table_of(kind, found) for kind, found in rows.items()})


def _part_of(row: Any) -> Part:
    return Part(
        kind=row.kind,
        code=row.code,
        name=row.name,
        figures=row.typed,
        texts=row.texts,
        supplier=row.supplier,
        price=row.price,
        state=row.state,
        on_shelf=row.on_shelf,
        lead_days=row.lead_days,
    )


def parts_by_code(session: Session, wanted: Iterable[tuple[str, str]]) -> dict[tuple[str, str], Part]:
    """Return parts with their typed figures, by kind and code; those that are not there are left out."""
    found = session.execute(select(_part).where(_among(_part, wanted)))
    return {(row.kind, row.code): _part_of(row) for row in found}


def _among(table: Any, wanted: Iterable[tuple[str, str]]) -> ColumnElement[bool]:
    """The condition that a row is of one of some parts."""
    by_kind: dict[str, set[str]] = {}
    for kind, code in wanted:
        by_kind.setdefault(kind, set()).add(code)
    return or_(
        false(), *((table.c.kind == kind) & table.c.code.in_(codes) for kind, codes in by_kind.items())
    )


def load_part(session: Session, kind: str, code: str, *, lock: bool = False) -> StoredPart:
    """Load one part; raises :class:`PartNotThere`."""
    statement = select(_part).where(_part.c.kind == kind, _part.c.code == code)
    row = session.execute(statement.with_for_update() if lock else statement).first()
    if row is None:
        raise PartNotThere(f"{kind} {code}")
    return StoredPart(_part_of(row), row.version, row.changed_at, row.changed_by)


def listed(
    session: Session, kind: str, *, search: str = "", state: str = "", limit: int = 100, offset: int = 0
) -> tuple[tuple[Part, ...], int]:
    """List parts of a kind, those in hand first.

    Parameters
    ----------
    session : Session
        The caller's.
    kind : str
        The kind's key.
    search : str
        Words that must all stand in code, name or supplier.
    state : str
        One state; any where empty.
    limit, offset : int
        Which part of the list.

    Returns
    -------
    parts : tuple of Part
        No more than the limit.
    count : int
        How many there are in all.
    """
    conditions = [_part.c.kind == kind]
    if state in STATES:
        conditions.append(_part.c.state == state)
    for word in search.split()[:8]:
        like = "%" + word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
        conditions.append(or_(*(_part.c[name].ilike(like) for name in ("code", "name", "supplier"))))
    count = session.execute(select(func.count()).select_from(_part).where(*conditions)).scalar_one()
    in_hand = case((_part.c.state.in_(IN_HAND), 0), else_=1)
    found = session.execute(
        select(_part).where(*conditions).order_by(in_hand, _part.c.code).limit(limit).offset(offset)
    )
    return tuple(_part_of(row) for row in found), int(count)


def all_of(session: Session, kinds: Sequence[str]) -> tuple[Part, ...]:
    """Return every part of some kinds, with typed figures."""
    found = session.execute(select(_part).where(_part.c.kind.in_(kinds)).order_by(_part.c.kind, _part.c.code))
    return tuple(_part_of(row) for row in found)


def counts(session: Session) -> dict[str, int]:
    """Return how many parts of each kind there are."""
    rows = session.execute(select(_part.c.kind, func.count()).group_by(_part.c.kind))
    return {kind: int(count) for kind, count in rows}


def history(session: Session, kind: str, code: str, limit: int = 100) -> tuple[PartChange, ...]:
    """Return a part's changes, the newest first."""
    rows = session.execute(
        select(_change)
        .where(_change.c.kind == kind, _change.c.code == code)
        .order_by(_change.c.id.desc())
        .limit(limit)
    )
    return tuple(
        PartChange(id=row.id, at=row.at, actor=row.actor, says=row.says, before=row.before, after=row.after)
        for row in rows
    )


def changed_since(
    session: Session, parts: Iterable[tuple[str, str]], seen: int
) -> dict[tuple[str, str], PartChange]:
    """Return what was done to some parts since the shelf was seen: of each the last change.

    Parameters
    ----------
    session : Session
        The caller's.
    parts : iterable of tuple
        Kind and code.
    seen : int
        The number of the shelf that a person saw (the first of :func:`number`).

    Returns
    -------
    dict
        By kind and code; parts that stand as they were are left out.
    """
    rows = session.execute(
        select(_change).where(_change.c.id > seen, _among(_change, parts)).order_by(_change.c.id)
    )
    return {
        (row.kind, row.code): PartChange(
            id=row.id, at=row.at, actor=row.actor, says=row.says, before=row.before, after=row.after
        )
        for row in rows
    }


def hold(session: Session) -> None:
    """Wait until nobody else is changing the shelf, and hold it as it is until the transaction ends.

    So changes are committed in the order of their ids: the newest id numbers the shelf, and
    were an older one committed after it, whoever laid the shelf out in between would never
    see that change.
    """
    hold_shelf(session)


def as_before(session: Session, kind: str, code: str, change: int) -> tuple[Part, str]:
    """Return a part as it was before one of its changes, and what that change was.

    Parameters
    ----------
    session : Session
        The caller's.
    kind, code : str
        The part; it may be off the shelf.
    change : int
        The change's id.

    Returns
    -------
    part : Part
        As the record keeps it.
    says : str
        What was done then.

    Raises
    ------
    PartNotThere
        If the part has no such change, or was put on the shelf by it.
    """
    row = session.execute(
        select(_change).where(_change.c.id == change, _change.c.kind == kind, _change.c.code == code)
    ).first()
    if row is None or row.before is None:
        raise PartNotThere(f"{kind} {code}, change {change}")
    return Part(kind, code, **row.before), row.says


@dataclass(frozen=True, slots=True)
class TakenOff:
    """A part that is no longer on the shelf: what it was called, who took it off and when."""

    code: str
    name: str
    actor: str
    at: datetime


def taken_off(session: Session, kind: str, *, search: str = "", limit: int = 200) -> tuple[TakenOff, ...]:
    """List the parts of a kind that were taken off the shelf, the last first.

    Parameters
    ----------
    session : Session
        The caller's.
    kind : str
        The kind's key.
    search : str
        Words that must all stand in code or name.
    limit : int
        How many at most.

    Returns
    -------
    tuple of TakenOff
        Each part once.
    """
    on_shelf = select(_part.c.code).where(_part.c.kind == kind, _part.c.code == _change.c.code).exists()
    last = (
        select(_change)
        .ext(distinct_on(_change.c.code))
        .where(_change.c.kind == kind, ~on_shelf)
        .order_by(_change.c.code, _change.c.id.desc())
        .subquery()
    )
    rows = session.execute(select(last).order_by(last.c.id.desc()).limit(limit if not search else None))
    found = (TakenOff(row.code, (row.before or {}).get("name", ""), row.actor, row.at) for row in rows)
    words = search.lower().split()
    suits = (part for part in found if all(word in f"{part.code} {part.name}".lower() for word in words))
    return tuple(itertools.islice(suits, limit))


# -- writing ------------------------------------------------------------------


def as_data(part: Part) -> dict[str, Any]:
    """Return a part as the record keeps it."""
    return {
        "name": part.name,
        "supplier": part.supplier,
        "price": part.price,
        "state": part.state,
        "on_shelf": part.on_shelf,
        "lead_days": part.lead_days,
        "figures": dict(part.figures),
        "texts": dict(part.texts),
    }


def _values(part: Part, actor: Actor) -> dict[str, Any]:
    base = {}
    for name in part.figures:
        quantity = part.quantity(name)
        if quantity is not None:
            base[name] = quantity.value
    return {
        "kind": part.kind,
        "code": part.code,
        "name": part.name[:120],
        "supplier": part.supplier[:120],
        "price": part.price,
        "state": part.state,
        "on_shelf": part.on_shelf,
        "lead_days": part.lead_days,
        "typed": dict(part.figures),
        "texts": dict(part.texts),
        "base": base,
        "changed_by": actor.name,
    }


def save_part(session: Session, part: Part, *, expected_version: int, entry: Entry) -> None:
    """Save a part, new (version 0) or changed, unless somebody saved it since it was read.

    Parameters
    ----------
    session : Session
        The caller's; the part is held until its transaction ends.
    part : Part
        Checked.
    expected_version : int
        The version it was made from; 0 for a new one.
    entry : Entry
        Who, and what was done.

    Raises
    ------
    PartStale
        If the part is at another version, or a new one's code is taken.
    """
    hold(session)
    try:
        current = load_part(session, part.kind, part.code, lock=True)
    except PartNotThere:
        current = None
    if (current.version if current else 0) != expected_version:
        if current is None:
            raise PartNotThere(f"{part.kind} {part.code}")
        raise PartStale(current)
    before = as_data(current.part) if current else None
    if before == as_data(part):
        return
    values = _values(part, entry.actor)
    if current is None:
        first = _versions(session, [part]).get((part.kind, part.code), 0) + 1
        session.execute(insert(_part).values(**values, version=first))
    else:
        session.execute(
            update(_part)
            .where(_part.c.kind == part.kind, _part.c.code == part.code)
            .values(**values, version=current.version + 1, changed_at=func.now())
        )
    _record(session, [(part, before)], entry)


def take_in(session: Session, parts: Sequence[Part], *, entry: Entry) -> tuple[int, int]:
    """Take in parts: new codes are added, known ones replaced.

    Parameters
    ----------
    session : Session
        The caller's.
    parts : sequence of Part
        Checked, each code once.
    entry : Entry
        Who, and where they come from.

    Returns
    -------
    added, changed : int
        How many; those that were the same already count as neither.
    """
    hold(session)
    known = parts_by_code(session, ((p.kind, p.code) for p in parts))
    parts = [to_the_letter(p, known[p.kind, p.code]) if (p.kind, p.code) in known else p for p in parts]
    added = [p for p in parts if (p.kind, p.code) not in known]
    changed = [p for p in parts if (p.kind, p.code) in known and as_data(known[p.kind, p.code]) != as_data(p)]
    if added:
        past = _versions(session, added)
        session.execute(
            insert(_part),
            [{**_values(p, entry.actor), "version": past.get((p.kind, p.code), 0) + 1} for p in added],
        )
    for part in changed:
        session.execute(
            update(_part)
            .where(_part.c.kind == part.kind, _part.c.code == part.code)
            .values(**_values(part, entry.actor), version=_part.c.version + 1, changed_at=func.now())
        )
    _record(session, [(p, None) for p in added], entry)
    _record(session, [(p, as_data(known[p.kind, p.code])) for p in changed], entry)
    return len(added), len(changed)


def set_state(session: Session, kind: str, code: str, state: str, *, entry: Entry) -> None:
    """Move a part to a state; the move stands in its record."""
    hold(session)
    current = load_part(session, kind, code, lock=True)
    if current.part.state != state:
        save_part(
            session,
            replace(current.part, state=state),
            expected_version=current.version,
            entry=entry,
        )


def remove_part(session: Session, kind: str, code: str, *, expected_version: int, actor: Actor) -> None:
    """Take a part off the shelf, unless somebody saved it since it was read; its record stays.

    Raises
    ------
    PartStale
        If the part is at another version; it stays.
    PartNotThere
        If somebody took it off already.
    """
    hold(session)
    current = load_part(session, kind, code, lock=True)
    if current.version != expected_version:
        raise PartStale(current)
    session.execute(delete(_part).where(_part.c.kind == kind, _part.c.code == code))
    session.execute(
        insert(_change).values(
            kind=kind,
            code=code,
            actor=actor.name,
            actor_id=actor.id,
            says=TAKEN_OFF,
            before=as_data(current.part),
            after=None,
        )
    )


def _versions(session: Session, parts: Sequence[Part]) -> dict[tuple[str, str], int]:
    """The last version of parts that were on the shelf before: whoever still holds it must not save over a new one."""
    rows = session.execute(
        select(_change.c.kind, _change.c.code, func.count())
        .where(_among(_change, ((p.kind, p.code) for p in parts)))
        .group_by(_change.c.kind, _change.c.code)
    )
    return {(kind, code): count for kind, code, count in rows}


def _record(session: Session, changes: Sequence[tuple[Part, dict[str, Any] | None]], entry: Entry) -> None:
    if changes:
        session.execute(
            insert(_change),
            [
                {
                    "kind": p.kind,
                    "code": p.code,
                    "actor": entry.actor.name,
                    "actor_id": entry.actor.id,
                    "says": entry.says[:500],
                    "before": before,
                    "after": as_data(p),
                }
                for p, before in changes
            ],
        )
