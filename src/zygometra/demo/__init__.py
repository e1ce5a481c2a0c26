"""The demo shop: Sallow Lane Engine Works and its builds. All of it is made up."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import Engine, func, select, text
from sqlalchemy.orm import Session

from zygometra.core.actors import Actor, Entry
from zygometra.core.build.document import Document
from zygometra.core.stages import CLOSED
from zygometra.exchange.build_file import build_from_text
from zygometra.store import builds, gauges
from zygometra.store.history import DEMO_SHOP
from zygometra.store.moves import set_stage
from zygometra.store.shelf import take_in
from zygometra.store.tables import BuildRow, PartRow

from .register import GAUGES
from .shelf import demo_shelf

BUILDS = Path(__file__).parent / "builds"

BROUGHT = DEMO_SHOP
# The shelf of the demo shop.
PARTS, SEED = 420, 7

# File, stage, and who brought it in; the last is the one worked on last.
SHOP = (
    ("winch-flat-four", "signed off", "Tove Arkell"),
    ("ferry-tender", "cut", "Tove Arkell"),
    ("fell-winch", "measuring", "Ines Farrow"),
    ("quarry-loader", "measuring", "Ines Farrow"),
    ("sawmill-six", "on paper", "Ines Farrow"),
    ("hill-climb", "measuring", "Oren Pask"),
    ("fire-tender", "on paper", "Oren Pask"),
    ("mountain-rescue", "ready to cut", "Tove Arkell"),
    ("pilot-launch", "measuring", "Tove Arkell"),
    ("snow-plough", "measuring", "Oren Pask"),
    ("harbour-tug", "measuring", "Ines Farrow"),
    ("kiln-blower", "on paper", "Oren Pask"),
    ("brickyard-lorry", "measuring", "Tove Arkell"),
    ("timber-hauler", "measuring", "Ines Farrow"),
    ("granary-hoist", "signed off", "Tove Arkell"),
    ("canal-barge", "cut", "Ines Farrow"),
)


def _bring_gauges(session: Session) -> None:
    """Put the demo shop's gauges into a register that has none."""
    if gauges.register(session).newest:
        return
    who = Actor(None, "Tove Arkell")
    for name, figures, noted in GAUGES:
        gauges.note(session, f"demo {name}", gauge=name, kind="registered", body=figures, actor=who)
        for i, (kind, body) in enumerate(noted):
            gauges.note(session, f"demo {name} {i}", gauge=name, kind=kind, body=body, actor=who)


def _bring(session: Session, document: Document, stage: str, who: Actor) -> None:
    """Bring a build in at its stage; one that is closed takes what was noted beside it before it is closed."""
    first = "cut" if stage in CLOSED else stage
    made = builds.create(session, document, entry=Entry(who, BROUGHT), stage=first)
    if first != stage:
        version = builds.load(session, made).version
        set_stage(session, made, stage, seen=first, expected_version=version, entry=Entry(who, ""))


def load_demo(engine: Engine) -> bool:
    """Fill an empty shop with the demo builds and an empty shelf with demo parts.

    A shop that has any build keeps its builds alone, a shelf that has any part its parts.

    Parameters
    ----------
    engine : Engine
        Of a migrated database.

    Returns
    -------
    bool
        True where the builds were loaded now.
    """
    with Session(engine) as session, session.begin():
        session.execute(text("SELECT pg_advisory_xact_lock(722002)"))
        if not session.execute(select(func.count()).select_from(PartRow)).scalar_one():
            take_in(session, demo_shelf(PARTS, SEED), entry=Entry(Actor(None, "Tove Arkell"), BROUGHT))
        if session.execute(select(func.count()).select_from(BuildRow)).scalar_one():
            return False
        _bring_gauges(session)
        for name, stage, who in SHOP:
            document, _ = build_from_text((BUILDS / f"{name}.json").read_bytes())
            _bring(session, document, stage, Actor(None, who))
    return True
