"""What stands against signing for a finished engine: work to come, windows missed, what nobody read, open gates."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import NamedTuple

from ..build.cut_log import FACES, SETS, CutPlace
from ..build.lever_table import LEVER
from ..build.model import Build
from ..digits import count_of
from ..findings.collect import FINAL
from ..findings.said import Finding
from ..house_rules import HouseRules
from ..measuring.simulated import holes_of, simulated_places
from ..sentence import Sentence, sentence
from ..stack.results import Evaluation, Hole
from ..written import Length
from .gates import GateStanding
from .judged import CHAMBER, DEPTH, HEIGHT, READ, Against
from .running import Running, running
from .verify import RESULTS, read_since

# What of a hole is read before anybody signs for it: one of these each.
_READ_OF_HOLE = (
    ((DEPTH, HEIGHT), "neither deck clearance nor deck height was read"),
    ((CHAMBER,), "chamber not read"),
)


class Stands(NamedTuple):
    """One thing that stands against a signature; ``is_final`` where no reason takes it away."""

    says: Sentence
    is_final: bool = False


class Made(NamedTuple):
    """One face or piece of which passes were logged: how it stands, planned or not."""

    against: Against
    place: CutPlace
    now: Running


def cuts_made(build: Build, rules: HouseRules) -> tuple[Made, ...]:
    """Return every cut that the log says was made or begun, planned or not, faces before pieces.

    Parameters
    ----------
    build : Build
        With its log.
    rules : HouseRules
        In force.
    """
    places = dict.fromkeys(one.place for one in build.cuts.passes)
    listed = sorted(places, key=lambda place: (place.op in SETS, place.op, place.bank, place.cylinder or 0))
    return tuple(Made(Against(place.op, place.bank), place, running(build, place, rules)) for place in listed)


def against_signature(
    build: Build,
    evaluation: Evaluation,
    rules: HouseRules,
    gates: Iterable[GateStanding],
    findings: Iterable[Finding],
) -> tuple[Stands, ...]:
    """Return what stands against signing for a finished engine, what cannot be signed away first.

    Parameters
    ----------
    build : Build
        With its plan and its log.
    evaluation : Evaluation
        Of it.
    rules : HouseRules
        In force.
    gates : iterable of GateStanding
        Of the build.
    findings : iterable of Finding
        Of the build.

    Returns
    -------
    tuple of Stands
        Empty where everything planned is cut and read again, every window is met and every gate passed.
    """
    found = [
        *_stops(findings),
        *_simulated(build),
        *_to_come(build, rules),
        *_windows(build, evaluation),
        *_unread(build, evaluation),
        *_gates(gates, build),
    ]
    return tuple(sorted(found, key=lambda one: not one.is_final))


def still_to_cut(build: Build, rules: HouseRules) -> frozenset[int]:
    """Return the holes at which something that is planned is not cut, or half cut: none is as meant yet.

    Parameters
    ----------
    build : Build
        With its plan and its log.
    rules : HouseRules
        In force.

    Returns
    -------
    frozenset of int
        Numbers of holes.
    """
    found = set[int]()
    for bank in build.banks:
        if any(running(build, CutPlace(op, bank.name), rules).left for op in FACES):
            found.update(bank.cylinders)
    if any(op.op == "crown_cut" for op in build.planned):
        found |= {n for n in build.cylinders if running(build, CutPlace("crown_cut", "", n), rules).left}
    return frozenset(found)


def _stops(findings: Iterable[Finding]) -> Iterator[Stands]:
    for one in findings:
        if one.severity == "stop":
            yield Stands(sentence("{says}", says=one.says), one.code in FINAL)


def _simulated(build: Build) -> Iterator[Stands]:
    places = simulated_places(build)
    if places:
        numbers = ", ".join(map(str, sorted(holes_of(places)))) or "the engine"
        says = sentence("what was read of {where} is simulated: nobody signs for it", where=f"hole {numbers}")
        yield Stands(says, is_final=True)


def _to_come(build: Build, rules: HouseRules) -> Iterator[Stands]:
    """What is planned and not cut, or half cut; and what is planned and has no log."""
    several = len(build.banks) > 1
    for op in FACES:
        for bank in build.banks:
            where = Against(op, bank.name).words(several_banks=several)
            yield from _left(running(build, CutPlace(op, bank.name), rules), where)
    if any(op.op == "crown_cut" for op in build.planned):
        for number in sorted(build.cylinders):
            yield from _left(
                running(build, CutPlace("crown_cut", "", number), rules), f"crown of hole {number}"
            )
    for one in build.planned:
        if one.op not in (*FACES, "crown_cut"):
            where = f", bank {one.bank}" if one.bank else f", hole {one.cylinder}" if one.cylinder else ""
            what = (
                one.gasket.name if one.gasket is not None else one.part.name if one.part is not None else ""
            )
            name = " ".join(
                filter(None, (LEVER[one.op].label if one.op in LEVER else one.op.replace("_", " "), what))
            )
            says = "{name}{where} is planned, and no figure says that it was done: enter what came of it"
            yield Stands(sentence(says, name=name.lower(), where=where))


def _left(now: Running, where: str) -> Iterator[Stands]:
    if now.left:
        says = (
            "{where}: {left} of its cut is still to come"
            if now.passes
            else "{where}: its cut of {left} is not made"
        )
        yield Stands(sentence(says, where=where, left=Length(now.left, 0.002)))


def _windows(build: Build, evaluation: Evaluation) -> Iterator[Stands]:
    found: dict[str, list[int]] = {}
    for hole in evaluation.now.holes:
        for name in RESULTS:
            window, value = getattr(build.targets, name), getattr(hole.outcome, name)
            words = "{quench}" if name == "quench" else name.replace("_", " ")
            if value is None:
                found.setdefault(f"{words} not known", []).append(hole.number)
            elif not window.is_open and window.side(value, 0.0):
                found.setdefault(f"{words} outside its window", []).append(hole.number)
    yield from _by_holes(found, build)


def _unread(build: Build, evaluation: Evaluation) -> Iterator[Stands]:
    found: dict[str, list[int]] = {}
    for hole in evaluation.now.holes:
        if not all(read_since(build, place, hole.number) for place in _cuts_of(hole)):
            found.setdefault("not measured again after the last pass", []).append(hole.number)
        for paths, says in _READ_OF_HOLE:
            known = (source for path in paths if (source := hole.sources.get(path)) is not None)
            if not any(source.quantity.basis in READ for source in known):
                found.setdefault(says, []).append(hole.number)
    yield from _by_holes(found, build)


def _by_holes(found: Mapping[str, list[int]], build: Build) -> Iterator[Stands]:
    """Holes of which the same is to be said share a line."""
    for says, numbers in found.items():
        who = count_of(numbers, of=len(build.cylinders)).lower()
        yield Stands(sentence(f"{{who}}: {says}", who=who))


def _cuts_of(hole: Hole) -> tuple[CutPlace, ...]:
    faces = tuple(CutPlace(op, hole.bank) for op in FACES)
    return (*faces, CutPlace("crown_cut", "", hole.number))


def _gates(gates: Iterable[GateStanding], build: Build) -> Iterator[Stands]:
    for one in gates:
        if one.state == "open":
            number, against = str(one.gate.number), one.against.words(several_banks=len(build.banks) > 1)
            says = "gate {number} of the {against} is open: {wants}"
            yield Stands(sentence(says, number=number, against=against, wants=one.gate.wants))
