"""Where one can be: the rooms of the shop, and the stations of a build in working order.

One table each. The bar, the path, the page of keys and the scripts read them: a bench
that comes is a row here and a folder beside it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, NamedTuple

from .words import counted

if TYPE_CHECKING:
    from .build.bench import Bench


class StationState(NamedTuple):
    """How far a station is: ``done``, ``part``, ``due`` or ``blocked``, and in words."""

    state: str
    says: str


class Beside(NamedTuple):
    """One of several benches of a station, side by side: key, label, its page, and how far it is."""

    key: str
    label: str
    address: str
    state: Callable[[Bench], StationState]


class Station(NamedTuple):
    """One station of a build: key, label, letter, the page under the build's address, and how far it is.

    ``benches`` stand side by side under it, the station's own page first; empty where it is one page.
    """

    key: str
    label: str
    letter: str
    address: str
    state: Callable[[Bench], StationState]
    benches: tuple[Beside, ...] = ()


def _aim(bench: Bench) -> StationState:
    targets = bench.build.targets
    if targets.compression_ratio.is_open and targets.quench.is_open:
        return StationState("due", "no windows yet")
    if targets.on_hearsay():
        return StationState("part", "a window on hearsay")
    return StationState("done", "windows set")


def _figures(bench: Bench) -> StationState:
    standing = bench.standing
    state = "done" if standing.read == standing.figures else "part" if standing.read else "due"
    return StationState(state, f"{standing.read} of {standing.figures} measured")


def _stack(bench: Bench) -> StationState:
    stops, cuts = bench.stops, len(bench.build.planned)
    if stops:
        return StationState("blocked", counted(stops, "stop"))
    if bench.pending:
        return StationState("part", "not kept yet")
    if cuts and bench.build.targets.on_hearsay():
        return StationState("part", "a window on hearsay")
    return (
        StationState("done", counted(cuts, "operation")) if cuts else StationState("due", "nothing planned")
    )


def _sheet(bench: Bench) -> StationState:
    if bench.stops:
        return StationState("blocked", "a stop stands")
    if bench.build.targets.on_hearsay():
        return StationState("part", "a window on hearsay")
    from .work.released import worst_of

    released = worst_of(bench)
    if released not in ("", "released"):
        return StationState("part", released)
    return (
        StationState("done", released or "ready to print")
        if bench.build.planned
        else StationState("due", "no cut yet")
    )


def _cut(bench: Bench) -> StationState:
    logged = _cut_log(bench)
    return _sheet(bench) if logged.state == "due" else logged


def _cut_log(bench: Bench) -> StationState:
    from .cutlog.list import progress_words

    return StationState(*progress_words(bench))


def _agreement(bench: Bench) -> StationState:
    from .agreement.view import progress_words

    return StationState(*progress_words(bench))


def _verify(bench: Bench) -> StationState:
    from .verify.view import progress_words

    return StationState(*progress_words(bench))


def _sign(bench: Bench) -> StationState:
    agreed, verified = _agreement(bench), _verify(bench)
    return verified if verified.state in ("done", "part") else agreed


def _record(bench: Bench) -> StationState:
    return StationState("done", f"version {bench.stored.version}")


def _measure(bench: Bench) -> StationState:
    from .measure.view import progress_of

    found = progress_of(bench)
    if any(finding.code in _IN_DOUBT and finding.severity != "note" for finding in bench.findings):
        return StationState("blocked", "readings in doubt")
    if not found.read:
        return StationState("due", "nothing read yet")
    if found.unsettled:
        return StationState("part", f"{counted(found.unsettled, 'place')} to read again")
    return (
        StationState("part", f"{len(found.due)} due")
        if found.due
        else StationState("done", f"{len(found.read)} read")
    )


def _logbook(bench: Bench) -> StationState:
    count = len(bench.build.logbook.readings) if bench.build.logbook else 0
    return (
        StationState("done", counted(count, "reading")) if count else StationState("due", "nothing read yet")
    )


def _mock_up(bench: Bench) -> StationState:
    from .mockup.view import progress_words

    return StationState(*progress_words(bench))


def _decks(bench: Bench) -> StationState:
    from .decks.view import progress_words

    return StationState(*progress_words(bench))


def _heads(bench: Bench) -> StationState:
    from .heads.view import progress_words

    return StationState(*progress_words(bench))


def _work(bench: Bench) -> StationState:
    from .work.view import progress_words

    return StationState(*progress_words(bench))


def _plan(bench: Bench) -> StationState:
    from .plan.view import progress_words

    return StationState(*progress_words(bench))


# Findings that stand in the way of going on with what was read.
_IN_DOUBT = ("gauge-check-failed", "gauge-wants-check", "probable-cause", "zero-moved")

STATIONS: tuple[Station, ...] = (
    Station("aim", "Aim", "a", "aim", state=_aim),
    Station("figures", "Figures", "i", "figures", state=_figures),
    Station(
        "measure",
        "Measure",
        "e",
        "measure",
        state=_measure,
        benches=(
            Beside("measure", "Logbook", "measure", _logbook),
            Beside("mockup", "Mock-up", "measure/mock-up", _mock_up),
            Beside("decks", "Decks", "measure/decks", _decks),
            Beside("heads", "Heads and chambers", "measure/heads", _heads),
            Beside("work", "Steps and gates", "measure/steps", _work),
        ),
    ),
    Station("stack", "Stack", "s", "stack", state=_stack),
    Station("plan", "Plan", "v", "plans", state=_plan),
    Station(
        "sheet",
        "Cut",
        "p",
        "sheet",
        state=_cut,
        benches=(
            Beside("sheet", "Cut sheet", "sheet", _sheet),
            Beside("cutlog", "Cut log", "cut-log", _cut_log),
        ),
    ),
    Station(
        "agreement",
        "Sign",
        "y",
        "agreement",
        state=_sign,
        benches=(
            Beside("agreement", "Decisions and agreement", "agreement", _agreement),
            Beside("verify", "Verify and sign", "verify", _verify),
        ),
    ),
    Station("record", "Record", "l", "record", state=_record),
)


def _of_builds() -> tuple[str, ...]:
    """Every bench of a build: stations, and the benches side by side under them."""
    keys = [key for s in STATIONS for key in (s.key, *(b.key for b in s.benches))]
    return tuple(dict.fromkeys(keys))


class Room(NamedTuple):
    """One room of the shop: its key, what it is called, its letter, its page, and whose pages lie in it."""

    key: str
    label: str
    letter: str
    endpoint: str
    blueprints: tuple[str, ...]


ROOMS: tuple[Room, ...] = (
    Room("floor", "Shop floor", "f", "floor.page", blueprints=("floor", *_of_builds())),
    Room("shelf", "Parts shelf", "t", "shelf.page", blueprints=("shelf",)),
    Room("mix", "Mix", "m", "mix.page", blueprints=("mix",)),
    Room("gauges", "Gauges", "b", "gauges.page", blueprints=("gauges",)),
    Room("rules", "House rules", "o", "shop.house_rules", blueprints=()),
)


def benches() -> tuple[str, ...]:
    """Return every bench once: the blueprints that rooms and stations name, each a package of that name."""
    named = [name for room in ROOMS for name in (*room.blueprints, room.endpoint.partition(".")[0])]
    return tuple(dict.fromkeys(named))


# What letters and keys do besides leading to a room or a station.
KEYS: tuple[tuple[str, str], ...] = (
    ("?", "this page"),
    ("n", "a new build"),
    ("w", "the working of the hole on screen"),
    ("1 … 9", "choose hole 1 to 9"),
    ("← →", "the hole before, the hole after"),
    ("d h g c", "go to deck, head, gasket or crown lever"),
    ("↑ ↓", "on a handle or in a lever: one step (0.01 mm or 1 thou)"),
    ("Shift ↑ ↓", "ten steps"),
    ("k", "keep the plan"),
    ("u", "undo the last change"),
    ("r", "redo it"),
    ("Esc", "close what is open; leave a lever, so that letters are keys again"),
    ("← ↑ ↓ →", "on the map of the mix: the next recipe that way; on a window's edge: one step"),
    ("Enter", "on a recipe: take it in hand"),
)


def keys() -> tuple[tuple[str, str], ...]:
    """Return every key and what it does: help, rooms, stations, then the rest."""
    first, *rest = KEYS
    rooms = [(room.letter, _to(room.label)) for room in ROOMS]
    stations = [(station.letter, f"{_to(station.label)} of this build") for station in STATIONS]
    return (first, *rooms, *stations, *rest)


def _to(label: str) -> str:
    return f"the {label[0].lower()}{label[1:]}"
