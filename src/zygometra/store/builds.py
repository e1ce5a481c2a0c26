"""The builds of the shop: load, list, save. Every save has an actor and a version.

The caller owns the transaction: it passes the session in and commits.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from types import MappingProxyType
from typing import Any

from sqlalchemy import ColumnElement, delete, func, insert, literal_column, or_, select, text, update
from sqlalchemy.orm import Session

from zygometra.core import stages
from zygometra.core.actors import Entry
from zygometra.core.build.document import (
    Document,
    differences,
    figures_of,
    with_leaf,
)
from zygometra.core.fields import field_at
from zygometra.core.findings.summary import summarise
from zygometra.core.house_rules import rules_for
from zygometra.core.measuring.facts import FactKind, Facts, FoundBy
from zygometra.core.measuring.read_in import facts_in, without_facts
from zygometra.core.place import Place
from zygometra.core.quantity import read_field

from .facts import keep_all
from .gauges import register
from .history import Change, history, record, was_signed_off
from .in_force import NEWEST_RULE, RULES_IN_FORCE, NotThere
from .locks import hold_house_rules
from .tables import BuildRow, ChangeRow, FigureRow, OperationRow, table_for
from .whole import with_facts

_build, _figure = table_for(BuildRow), table_for(FigureRow)
_operation, _change = table_for(OperationRow), table_for(ChangeRow)


@dataclass(frozen=True, slots=True)
class StoredBuild:
    """A build as it is kept: its document, version, stage, and the shop's rules beside it."""

    id: int
    version: int
    stage: str
    document: Mapping[str, Any]
    shop_rules: dict[str, float]
    changed_at: datetime
    changed_by: str


@dataclass(frozen=True, slots=True)
class ListedBuild:
    """A build as the shop floor lists it."""

    id: int
    name: str
    family: str
    customer: str
    duty: str
    stage: str
    version: int
    summary: dict[str, Any]
    changed_at: datetime
    changed_by: str
    # False while it is still to be judged by the newest house rules.
    is_settled: bool = True


_IS_SETTLED: ColumnElement[bool] = literal_column(
    "build.judged >= (SELECT coalesce(max(id), 0) FROM house_rule)"
)


class VersionConflict(Exception):
    """Somebody saved the build since it was read: both states are here, nothing was written."""

    def __init__(self, current: StoredBuild, since: tuple[Change, ...]) -> None:
        self.current = current
        self.since = since
        super().__init__(f"the build is at version {current.version}")


class BuildClosed(Exception):
    """The build is signed off or shelved: its figures and plan stand until it is opened again, with a reason."""

    def __init__(self, current: StoredBuild, *, wants_reason: bool, reason: str = "") -> None:
        self.current = current
        self.wants_reason = wants_reason
        self.reason = reason
        super().__init__(f"the build is {current.stage}")


# -- reading ------------------------------------------------------------------


def load(session: Session, build_id: int, *, lock: bool = False) -> StoredBuild:
    """Load a build in one statement, so that a save in between cannot mix two versions.

    Parameters
    ----------
    session : Session
        The caller's.
    build_id : int
        Its number.
    lock : bool
        Hold the build until the transaction ends, so that nobody saves in between.

    Returns
    -------
    StoredBuild
        With its whole document.

    Raises
    ------
    NotThere
        If there is no such build.
    """
    if lock:
        session.execute(select(_build.c.id).where(_build.c.id == build_id).with_for_update())
    row = session.execute(_LOAD, {"build_id": build_id}).first()
    if row is None:
        raise NotThere(build_id)
    document = _assemble(row.frame, row.figures or (), row.planned or [])
    return StoredBuild(
        id=row.id,
        version=row.version,
        stage=row.stage,
        document=document,
        shop_rules=row.shop_rules,
        changed_at=row.changed_at,
        changed_by=row.changed_by,
    )


_LOAD = text(
    f"""
    SELECT build.id, version, stage, frame, changed_at, changed_by, {RULES_IN_FORCE.text},
        (SELECT json_agg(json_build_array(path, typed)) FROM figure
            WHERE figure.build_id = build.id) AS figures,
        (SELECT json_agg(typed ORDER BY position) FROM planned_operation
            WHERE planned_operation.build_id = build.id) AS planned
    FROM build WHERE build.id = :build_id
    """
)


def _assemble(frame: Document, figures: Any, planned: list[Any]) -> Document:
    """Put figures and plan back into the frame they were taken from."""
    for path, typed in figures:
        node = frame
        *steps, last = Place.parse(path).keys
        for step in steps:
            child = node.get(step)
            if child is None:
                child = node[step] = {}
            node = child
        node[last] = typed
    if planned:
        frame["planned"] = planned
    return frame


def _take_apart(document: Mapping[str, Any]) -> tuple[Document, dict[str, Any], list[Any]]:
    """A document as frame, figures by their place, and plan."""
    figures = dict(figures_of(document))
    frame = dict(document)
    for path in figures:
        frame = with_leaf(frame, Place.parse(path).keys, None)
    frame = {key: value for key, value in frame.items() if key != "planned"}
    for key in ("engine", "parts"):
        frame.setdefault(key, {})
    return frame, figures, list(document.get("planned") or [])


def listed(
    session: Session, *, search: str = "", stage: str = "", limit: int = 200
) -> tuple[ListedBuild, ...]:
    """List builds, the last changed first.

    Parameters
    ----------
    session : Session
        The caller's.
    search : str
        Words that must all stand in name, family, customer or duty.
    stage : str
        One stage; with none, all but the shelved.
    limit : int
        How many at most.

    Returns
    -------
    tuple of Listed
        As the shop floor shows them.
    """
    columns = [_IS_SETTLED if name == "is_settled" else _build.c[name] for name in ListedBuild.__slots__]
    statement = select(*columns).order_by(_build.c.changed_at.desc(), _build.c.id.desc()).limit(limit)
    statement = statement.where(_build.c.stage == stage if stage else _build.c.stage != stages.SHELVED)
    for word in search.split()[:8]:
        like = "%" + word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
        statement = statement.where(
            or_(*(_build.c[name].ilike(like) for name in ("name", "family", "customer", "duty")))
        )
    return tuple(ListedBuild(*row) for row in session.execute(statement))


# -- writing ------------------------------------------------------------------


def create(
    session: Session,
    document: Document,
    *,
    entry: Entry,
    stage: str = stages.FIRST,
    found: Mapping[tuple[FactKind, str], FoundBy] = MappingProxyType({}),
) -> int:
    """Keep a new build.

    Parameters
    ----------
    session : Session
        The caller's.
    document : dict
        Checked.
    entry : Entry
        Who, and how it came about; its kind is ``new`` whatever it says.
    stage : str
        Its stage.
    found : Mapping
        What each of its many facts is found by, by kind and key: such a build gets its line on the floor behind
        (:func:`~zygometra.store.rules.settle_next`), and its facts are kept as they are.

    Returns
    -------
    int
        Its number.
    """
    hold_house_rules(session)
    gauges = register(session).entries
    brought = facts_in(document, gauges)
    document = without_facts(document)
    frame, figures, planned = _take_apart(document)
    shop = session.execute(select(RULES_IN_FORCE)).scalar_one()
    if found:
        head = _head(document, shop) | {"judged": -1}
    else:
        # As the bench will judge it: with what the shop knows of the gauges that its readings name.
        head = _head({**document, **Facts().extended(brought).document(gauges)}, shop)
    build_id = session.execute(
        insert(_build)
        .values(
            **head,
            stage=stage,
            version=1,
            frame=frame,
            created_by=entry.actor.name,
            changed_by=entry.actor.name,
        )
        .returning(_build.c.id)
    ).scalar_one()
    _write_figures(session, build_id, document, figures)
    _write_plan(session, build_id, planned)
    record(session, build_id, version=1, entry=entry._replace(kind="new"), patch=differences({}, document))
    if brought:
        keep_all(session, build_id, brought, actor=entry.actor, found=found)
    return int(build_id)


# long: one transaction, in its order
def save(
    session: Session,
    build_id: int,
    document: Document,
    *,
    expected_version: int,
    entry: Entry,
) -> StoredBuild:
    """Save a build's new document, unless somebody saved since it was read.

    Parameters
    ----------
    session : Session
        The caller's; the build is held until its transaction ends.
    build_id : int
        The build.
    document : dict
        Checked.
    expected_version : int
        The version that the new document was made from.
    entry : Entry
        Who, what was done, and whether it is an ``edit``, an ``undo`` or a ``redo``.

    Returns
    -------
    StoredBuild
        As saved; the version stays where nothing differs.

    Raises
    ------
    VersionConflict
        If the build is at another version; nothing is written.
    BuildClosed
        If it is signed off or shelved; nothing is written.
    """
    hold_house_rules(session)
    current = load(session, build_id, lock=True)
    if current.version != expected_version:
        raise VersionConflict(current, history(session, build_id, after=expected_version))
    document = without_facts(document)
    patch = list(differences(current.document, document))
    if not patch:
        return current
    if current.stage in stages.CLOSED:
        raise BuildClosed(current, wants_reason=was_signed_off(session, build_id, current.stage))
    version = current.version + 1
    frame, figures, planned = _take_apart(document)
    _, old_figures, old_planned = _take_apart(current.document)
    changed = {p: typed for p, typed in figures.items() if old_figures.get(p) != typed}
    gone = [path for path in old_figures if path not in figures or path in changed]
    restated = document.get("unstated_doubt") != current.document.get("unstated_doubt")
    if restated:
        changed, gone = figures, list(old_figures)
    if gone:
        session.execute(delete(_figure).where(_figure.c.build_id == build_id, _figure.c.path.in_(gone)))
    _write_figures(session, build_id, document, changed)
    if old_planned != planned:
        session.execute(delete(_operation).where(_operation.c.build_id == build_id))
        _write_plan(session, build_id, planned)
    changed_at = session.execute(
        update(_build)
        .where(_build.c.id == build_id)
        .values(
            **_head(with_facts(session, build_id, document), current.shop_rules),
            version=version,
            frame=frame,
            changed_by=entry.actor.name,
            changed_at=func.now(),
        )
        .returning(_build.c.changed_at)
    ).scalar_one()
    record(session, build_id, version=version, entry=entry, patch=patch)
    return replace(
        current, version=version, document=document, changed_at=changed_at, changed_by=entry.actor.name
    )


def _head(document: Document, shop_rules: dict[str, float]) -> dict[str, Any]:
    """The columns that are read out of a document so that lists and searches need not open it."""
    rules = rules_for(document.get("school") or "", shop_rules)
    return {
        "name": document["name"],
        "family": document["engine"].get("family") or "",
        "customer": document.get("customer") or "",
        "duty": document.get("duty") or "",
        "summary": summarise(document, rules),
        "judged": NEWEST_RULE,
    }


def _write_figures(session: Session, build_id: int, document: Document, figures: dict[str, Any]) -> None:
    unstated = document.get("unstated_doubt", "house")
    rows = []
    for path, typed in figures.items():
        quantity = read_field(typed, field_at(path), unstated)
        rows.append(
            {
                "build_id": build_id,
                "path": path,
                "typed": typed,
                "basis": quantity.basis,
                "value": quantity.value,
                "u": quantity.u,
            }
        )
    if rows:
        session.execute(insert(_figure), rows)


def _write_plan(session: Session, build_id: int, planned: list[Any]) -> None:
    rows = [
        {"build_id": build_id, "position": i, "op": typed["op"], "typed": typed}
        for i, typed in enumerate(planned)
    ]
    if rows:
        session.execute(insert(_operation), rows)
