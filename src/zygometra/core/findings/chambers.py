"""What is to be said of chambers and gaskets as they were measured, against what was advertised of them."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import NamedTuple

from ..digits import count_of
from ..errors import NoAnswer
from ..measuring.chambers import milled_before
from ..measuring.logbook import Reading
from ..place import Place, Scope
from ..quantity import Quantity
from ..stack.results import Hole
from ..stack.sources import chamber_model
from ..written import Length, Volume
from .registry import Case, Judges
from .said import Code, Said, said

JUDGES = Judges()

OFF_ADVERTISED = Code(
    "chamber-off-advertised",
    "warn",
    "{who}: the chamber measures {off} {way} than its paper figure of {paper}.{milled}",
    "An advertised chamber is a promise; a smaller one has often been milled before.",
    do="Work with the measured figure, and look at what the head has left.",
)
GASKET_ADVERTISED = Code(
    "gasket-advertised",
    "note",
    "{who}: {quench} and ratio stand on an advertised gasket thickness.",
    "What a gasket crushes to hangs on bolts and faces; advertised figures are often those of a sample.",
    do="Measure a used one round the fire ring, or crush soft pellets between the closed faces.",
)
GASKET_OFF = Code(
    "gasket-off-advertised",
    "warn",
    "{which}: the gasket crushed to {measured}, {off} {way} than its paper figure.",
    "{Quench} and ratio move with it in every hole that it covers.",
    do="Work with the measured figure; check bolts and faces if it is thick.",
)
UNEVEN = Code(
    "pellets-uneven",
    "warn",
    "The gasket crushed by {apart} more at {thin} than at {thick}.",
    "Closed faces that are not parallel: the deck or the head stands tilted.",
    do="Survey both faces before anything is cut for it.",
)
VOID = Code(
    "chambers-void",
    "warn",
    "{who}: the chamber was filled before the valve seats were cut and counts no more.",
    "A seat that sinks lets the valve into the head and makes the chamber larger.",
    do="Fill it again.",
)
LEAKED = Code(
    "chamber-did-not-stand",
    "warn",
    "{who}: the level did not stand for its minute.",
    "Liquid that seeps past valve, plug or plate is counted as chamber.",
    do="Find the leak and fill it again; void the reading.",
)

_CHAMBER, _THICKNESS = "parts.head.chamber_volume", "parts.gasket.thickness"
_PAPER = ("catalogue", "advertised")
_READ = ("measured", "mock-up")
# Against paper: so many times the joint doubt; and no less than two fills of one chamber may differ, in cc.
_TIMES, _FILLS_AGREE = 3.0, 0.3
_THINNER = 0.02


@JUDGES.of_engine(OFF_ADVERTISED)
def against_paper(case: Case) -> Iterable[Said]:
    """Chambers that measure otherwise than they were advertised."""
    paper = (case.build.paper or {}).get(_CHAMBER)
    if paper is None or paper.basis not in _PAPER:
        return
    off: dict[bool, list[tuple[Hole, float]]] = {}
    for hole in case.now.holes:
        read = hole.sources.get(_CHAMBER)
        if read is None or read.quantity.basis not in _READ:
            continue
        by = read.quantity.value - paper.value
        # The tolerance of a paper figure is what it promises: only beyond it is anything to be said.
        if abs(by) > max(_TIMES * read.quantity.u, _FILLS_AGREE) and abs(by) > _promised(paper):
            off.setdefault(by > 0, []).append((hole, by))
    for larger, several in off.items():
        mean = math.fsum(by for _, by in several) / len(several)
        yield said(
            OFF_ADVERTISED,
            Place.of_holes(hole.number for hole, _ in several),
            who=count_of((hole.number for hole, _ in several), of=len(case.now.holes)),
            off=Volume(abs(mean)),
            way="larger" if larger else "smaller",
            paper=Volume(paper.value),
            milled="" if larger else _milled(case, several[0][0], -mean),
        )


def _promised(paper: Quantity) -> float:
    """The half-width that somebody stated for a paper figure, in its unit; nought where nobody did."""
    return paper.u * math.sqrt(3) if paper.doubt == "tolerance" else 0.0


def _milled(case: Case, hole: Hole, smaller: float) -> str:
    """How deep it was milled if that is why, in words; empty where its shape is not known."""
    model = chamber_model(case.build, hole.sources)
    if model is None:
        return ""
    try:
        return f" As if {milled_before(model, smaller):.2f} mm had been milled off its head."
    except NoAnswer:
        return ""


@JUDGES.of_engine(GASKET_ADVERTISED, GASKET_OFF)
def gasket(case: Case) -> Iterable[Said]:
    """Gaskets of which only an advertised thickness is known, and those that crushed to another."""
    holes = []
    told: set[str] = set()
    for hole in case.now.holes:
        source = hole.sources.get(_THICKNESS)
        if source is None:
            continue
        if source.quantity.basis == "advertised":
            holes.append(hole.number)
        paper = (case.build.paper or {}).get(f"banks.{hole.bank}.gasket.thickness") or (
            case.build.paper or {}
        ).get(_THICKNESS)
        if source.path in told or paper is None or paper.basis not in _PAPER:
            continue
        told.add(source.path)
        by = source.quantity.value - paper.value
        if source.quantity.basis in _READ and abs(by) > max(
            _TIMES * source.quantity.u, _THINNER, _promised(paper)
        ):
            yield said(
                GASKET_OFF,
                Place.parse(source.path),
                which=_where(Place.parse(source.path)),
                measured=Length(source.quantity.value, source.quantity.u),
                off=Length(abs(by), source.quantity.u),
                way="more" if by > 0 else "less",
            )
    if holes:
        who = count_of(sorted(holes), of=len(case.now.holes))
        yield said(GASKET_ADVERTISED, Place.engine(_THICKNESS), who=who)


def _where(place: Place) -> str:
    if place.scope is Scope.HOLE:
        return f"Hole {place.number}"
    return f"Bank {place.bank}" if place.scope is Scope.BANK else "Every bank"


@JUDGES.of_engine(UNEVEN)
def pellets(case: Case) -> Iterable[Said]:
    """Thicknesses that differ along a bank, or round a hole: the faces are not parallel."""
    used = case.build.in_use
    if used is None:
        return
    by_bank: dict[str, list[_Pellet]] = {}
    for place, series in used.series.items():
        if series.readings[0].figure != "thickness":
            continue
        u = math.sqrt(series.pool.variance_of(series.readings))
        if place.scope is Scope.HOLE:
            bank = case.build.bank_of(place.number).name
            mean = case.build.figures[str(place)].value
            by_bank.setdefault(bank, []).append(
                _Pellet(f"hole {place.number}", mean, u / math.sqrt(len(series.readings)))
            )
        spots = {_spot(one): one.value for one in series.readings if one.spot.clock is not None}
        if len(spots) > 1:
            by_bank.setdefault(str(place), []).extend(
                _Pellet(name, value, u) for name, value in spots.items()
            )
    for rows in by_bank.values():
        thin, thick = (pick(rows, key=lambda row: row.mean) for pick in (min, max))
        apart = thick.mean - thin.mean
        if len(rows) > 1 and apart > max(_TIMES * math.hypot(thin.u, thick.u), _THINNER):
            yield said(UNEVEN, apart=Length(apart), thin=thin.where, thick=thick.where)


class _Pellet(NamedTuple):
    """Where a pellet was crushed, what was read of it in mm, and its doubt."""

    where: str
    mean: float
    u: float


def _spot(reading: Reading) -> str:
    return f"{reading.spot.clock:g}°"


@JUDGES.of_engine(VOID, LEAKED)
def filled_in_vain(case: Case) -> Iterable[Said]:
    """Chambers filled before their seats were cut, or whose level did not stand."""
    used = case.build.in_use
    if used is None:
        return
    before = {one.reading.place.number for one in used.aside if one.reason == "seats-cut"}
    filled = [
        (place.number, series.readings)
        for place, series in used.series.items()
        if place.scope is Scope.HOLE and series.readings[0].figure == "chamber_volume"
    ]
    again = {number for number, _ in filled}
    if void := sorted(before - again):
        yield said(VOID, Place.of_holes(void), who=count_of(void, of=len(case.now.holes)))
    fell = {
        n for n, readings in filled if any(("level_stood", "false") in one.conditions for one in readings)
    }
    if fell:
        yield said(LEAKED, Place.of_holes(sorted(fell)), who=count_of(sorted(fell), of=len(case.now.holes)))
