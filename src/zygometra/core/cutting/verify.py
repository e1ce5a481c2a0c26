"""What came out beside what was meant: hole by hole, and cut by cut of each machine."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from typing import NamedTuple

from ..build.cut_log import FACES, NOTHING_CUT, CutPlace
from ..build.lever_table import OpName
from ..build.model import Bank, Build
from ..errors import NoAnswer
from ..measuring.simulated import simulated_places
from ..quantity import Quantity, Source
from ..stack.as_cut import cut_before, read_at
from ..stack.evaluate import evaluate, state_now
from ..stack.results import Hole, State
from ..stack.sources import chamber_model, hole_sources
from .meant import as_meant

RESULTS = ("deck_clearance", "quench", "compression_ratio")


class Came(NamedTuple):
    """One result of one hole: meant and achieved with the half-widths of their 95 % bands, in mm or as a ratio.

    ``read`` says that what feeds it was read again after the last pass; ``agrees`` that the two lie within the
    doubt of both; None where one of the two is not known.
    """

    meant: float | None
    meant_half: float
    achieved: float | None
    achieved_half: float
    agrees: bool | None


class HoleCame(NamedTuple):
    """One hole: its results by name, whether it was measured again after the cuts, and what was cut with no plan."""

    number: int
    bank: str
    results: dict[str, Came]
    read_again: bool
    unplanned: tuple[str, ...] = ()

    @property
    def not_known(self) -> tuple[str, ...]:
        """The results of which nobody can say whether they came as they were meant."""
        return tuple(name for name, one in self.results.items() if one.agrees is None)


def compared(build: Build) -> tuple[HoleCame, ...]:
    """Return planned against achieved, hole by hole, in the order of the holes; lengths in mm, volumes in cc.

    Parameters
    ----------
    build : Build
        With its plan, its log and its readings.

    Notes
    -----
    Meant and achieved rest on readings before and after, so the doubt of their difference is that of both; a figure
    that neither reading touched is in both alike and is counted twice: the judgement is on the cautious side.
    """
    meant = evaluate(as_meant(build)).planned
    now = evaluate(build)
    return tuple(
        _hole_came(build, meant.hole(hole.number), hole)
        for hole in sorted(now.now.holes, key=lambda one: one.number)
    )


def _hole_came(build: Build, meant: Hole, came: Hole) -> HoleCame:
    """One hole; where something was cut that nobody planned, nothing was meant of what that moved."""
    unplanned = tuple(_unplanned(build, came))
    results = _results(meant, came)
    if unplanned:
        moved = set().union(*(_MOVES[op] for op in unplanned))
        results = {
            name: one._replace(meant=None, agrees=None) if name in moved else one
            for name, one in results.items()
        }
    return HoleCame(
        number=came.number,
        bank=came.bank,
        results=results,
        read_again=read_again(build, came.number),
        unplanned=unplanned,
    )


# The results that a cut moves.
_MOVES: dict[str, frozenset[str]] = {
    "deck_cut": frozenset(RESULTS),
    "head_cut": frozenset({"compression_ratio"}),
    "crown_cut": frozenset(RESULTS),
}


def _unplanned(build: Build, hole: Hole) -> Iterator[str]:
    """The levers that were cut at a hole and of which the plan says nothing."""
    places = (
        CutPlace("deck_cut", hole.bank),
        CutPlace("head_cut", hole.bank),
        CutPlace("crown_cut", "", hole.number),
    )
    for place in places:
        planned = any(op.op == place.op and op.acts_on(hole.bank, hole.number) for op in build.planned)
        if build.cuts.of(place).passes and not planned:
            yield place.op


def _results(meant: Hole, came: Hole) -> dict[str, Came]:
    found = {}
    for name in RESULTS:
        one, other = getattr(meant.outcome, name), getattr(came.outcome, name)
        halves = [getattr(hole.outcome.doubts, name).half for hole in (meant, came)]
        halves = [0.0 if half is None or math.isnan(half) else half for half in halves]
        agrees = None if one is None or other is None else abs(one - other) <= math.hypot(*halves) + 1e-9
        found[name] = Came(
            meant=one, meant_half=halves[0], achieved=other, achieved_half=halves[1], agrees=agrees
        )
    return found


def read_again(build: Build, number: int) -> bool:
    """Tell whether a hole was measured after the last pass that moved it.

    Parameters
    ----------
    build : Build
        With its log.
    number : int
        The hole; no unit.
    """
    bank = build.bank_of(number)
    places = (
        CutPlace("deck_cut", bank.name),
        CutPlace("head_cut", bank.name),
        CutPlace("crown_cut", "", number),
    )
    return all(read_since(build, place, number) for place in places)


def read_since(build: Build, place: CutPlace, number: int) -> bool:
    """Tell whether what a cut fed was read in a hole after its last pass, with a real gauge.

    Parameters
    ----------
    build : Build
        With its log.
    place : CutPlace
        A face, or a piece; True where none of its passes was logged, and for rods, which move no figure.
    number : int
        The hole; no unit.
    """
    passes = build.cuts.of(place).passes
    if not passes or place.op not in _FED:
        return True
    last = max(one.at for one in passes)
    sources = hole_sources(replace(build, cuts=NOTHING_CUT), build.bank_of(number).name, number)
    simulated = simulated_places(build)
    fed = [_FED[place.op]]
    if place.op == "deck_cut" and build.has_chamber_in_block:
        fed.append((_CHAMBER,))
    for paths in fed:
        known = [sources[path].path for path in paths if path in sources]
        times = [read_at(build, path) for path in known if path not in simulated]
        if not any(at and at >= last for at in times):
            return False
    return True


_CHAMBER, _DEPTH, _HEIGHT = "parts.head.chamber_volume", "mock-up.deck_clearance", "parts.block.deck_height"
# One of these is to be read again after a cut.
_FED: dict[str, tuple[str, ...]] = {
    "deck_cut": (_DEPTH, _HEIGHT),
    "head_cut": (_CHAMBER,),
    "crown_cut": (_DEPTH, "parts.piston.compression_height"),
}


class CutCame(NamedTuple):
    """One finished cut of a face: asked of the machine and achieved by the readings, in mm, with its doubt."""

    place: CutPlace
    machine: str
    shop: str
    asked: float
    achieved: float
    u: float
    holes: int

    @property
    def missed(self) -> float:
        """Achieved less asked, in mm."""
        return self.achieved - self.asked


def cuts_came(build: Build) -> tuple[CutCame, ...]:
    """Return what each face came to, of those that were measured before and after.

    Parameters
    ----------
    build : Build
        With its log and its readings.

    Notes
    -----
    Achieved is the mean over the holes of reading before less reading after, without what other cuts moved in
    between (of a head the depth at which it loses that volume); asked is what the passes were to take there. Readings
    are taken as independent.
    """
    before = as_meant(build)
    return tuple(
        one
        for op in FACES
        for bank in build.banks
        if (one := _face(build, before, CutPlace(op, bank.name), bank))
    )


def _face(build: Build, before: Build, place: CutPlace, bank: Bank) -> CutCame | None:
    passes = build.cuts.of(place).passes
    last = max((one.at for one in passes), default="")
    if not last:
        return None
    lost = {
        number: one
        for number in bank.cylinders
        if (one := _lost(build, before, place=place, bank=bank, number=number, last=last)) is not None
    }
    if not lost:
        return None
    n = len(lost)
    set_up = build.cuts.set_up(place)
    return CutCame(
        place=place,
        machine=set_up.machine if set_up is not None else "",
        shop=set_up.shop if set_up is not None else "",
        asked=math.fsum(logged_at(build, place, number) for number in lost) / n,
        achieved=math.fsum(value for value, _ in lost.values()) / n,
        u=math.sqrt(math.fsum(u * u for _, u in lost.values())) / n,
        holes=n,
    )


def _lost(
    build: Build, before: Build, place: CutPlace, bank: Bank, number: int, last: str
) -> tuple[float, float] | None:
    """What one hole lost by its readings, in mm, and the doubt of that; None where it was not read on both sides."""
    now = hole_sources(replace(build, cuts=NOTHING_CUT), bank.name, number)
    was = hole_sources(before, bank.name, number)
    for path, figure in _READ[place.op].items():
        one, other = was.get(path), now.get(path)
        if one is None or other is None or not _is_read(one.quantity):
            continue
        if (at := read_at(build, other.path)) < last:
            continue
        u = math.hypot(one.quantity.u, other.quantity.u)
        return _fallen(
            build,
            before,
            was=was,
            place=place,
            number=number,
            figure=figure,
            read=(one.quantity.value, other.quantity.value, u),
            at=at,
        )
    return None


def logged_at(build: Build, place: CutPlace, number: int, at: str = "") -> float:
    """Return what the log says a cut of a face took at a hole, in mm.

    Parameters
    ----------
    build : Build
        With its log and its plan: of a levelled cut a hole may lose less than another.
    place : CutPlace
        A deck or a head.
    number : int
        The hole; no unit.
    at : str
        Until when; empty for all passes.
    """
    op: OpName = "deck_cut" if place.op == "deck_cut" else "head_cut"
    bank, log = build.bank_of(number), build.cuts
    later = log.on_hole(op, bank, cylinder=number, planned=build.planned, after=at) if at else 0.0
    return log.on_hole(op, bank, number, build.planned) - later


def lost_by(
    build: Build, place: CutPlace, number: int, figure: str, read: float, at: str
) -> tuple[float, float] | None:
    """Return what one reading says a cut took at a hole, and the doubt of that, in mm (trade.md 14).

    Parameters
    ----------
    build : Build
        With its log and its readings, this one not among them.
    place : CutPlace
        A deck or a head.
    number : int
        The hole; no unit.
    figure : str
        What was read: ``deck_clearance`` or ``deck_height`` of a deck, ``chamber_volume`` of a head.
    read : float
        In mm or cc.
    at : str
        When.

    Returns
    -------
    tuple or None
        None where nothing was read there before the cut.
    """
    before = as_meant(build)
    was = hole_sources(before, build.bank_of(number).name, number)
    one = next((was.get(path) for path, name in _READ[place.op].items() if name == figure), None)
    if one is None or not _is_read(one.quantity):
        return None
    u = max(one.quantity.u, _LEAST_U[figure]) * math.sqrt(2)
    return _fallen(
        build,
        before,
        was=was,
        place=place,
        number=number,
        figure=figure,
        read=(one.quantity.value, read, u),
        at=at,
    )


def _fallen(  # noqa: PLR0913 - two builds, a place, and what was read there
    build: Build,
    before: Build,
    was: dict[str, Source],
    place: CutPlace,
    number: int,
    figure: str,
    read: tuple[float, float, float],
    at: str,
) -> tuple[float, float] | None:
    """A cut's own share of what a figure fell by, with its doubt, as a depth in mm."""
    first, then, u = read
    others = replace(build.cuts, passes=tuple(one for one in build.cuts.passes if one.place != place))
    fall = first - then + cut_before(replace(build, cuts=others), figure, number, at)
    return (fall, u) if place.op == "deck_cut" else _milled(before, was, fall, u)


# What is read before and after a cut of a face: its place among the figures of a hole, and its name in a logbook.
_READ: dict[str, dict[str, str]] = {
    "deck_cut": {_DEPTH: "deck_clearance", _HEIGHT: "deck_height"},
    "head_cut": {_CHAMBER: "chamber_volume"},
}
# The least that a reading is in doubt by when it is held against the log, in mm or cc.
_LEAST_U = {"deck_clearance": 0.005, "deck_height": 0.005, "chamber_volume": 0.1}


def _is_read(quantity: Quantity) -> bool:
    return quantity.basis in ("measured", "mock-up")


def _milled(build: Build, sources: dict[str, Source], lost: float, u: float) -> tuple[float, float] | None:
    """The depth at which a chamber loses so much, in mm, and the doubt of that; None where it is not known."""
    model = chamber_model(build, sources)
    if model is None:
        return None
    try:
        depth = model.cut_for(max(lost, 0.0))
        rate = model.rate(depth)
    except NoAnswer:
        return None
    if not rate > 0:
        return None
    # What was gained instead of lost is a scatter of readings about nothing.
    return (depth if lost > 0 else lost / rate), u / rate


def figures_achieved(build: Build) -> dict[str, float | None]:
    """Return the figures that a signature under a finished engine covers, by place, in mm, cc or as a ratio.

    Parameters
    ----------
    build : Build
        As it stands.
    """
    return dict(_achieved(state_now(build)))


def _achieved(state: State) -> Iterator[tuple[str, float | None]]:
    for hole in sorted(state.holes, key=lambda one: one.number):
        for name in RESULTS:
            yield f"cylinders.{hole.number}.{name}", getattr(hole.outcome, name)
        yield f"cylinders.{hole.number}.chamber_volume", hole.outcome.terms.chamber
