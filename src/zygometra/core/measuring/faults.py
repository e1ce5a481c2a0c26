"""Ways in which a logbook can be wrong: for each the readings it moves, and by how much it might.

A fault is a direction: what each reading is moved by per unit of it (mm, or cc for volumes).
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterator, Mapping
from typing import Literal

from msgspec import Struct

from ..build.model import Bank, Build
from ..fields import FIELD_AT
from ..place import Scope
from ..quantity import Quantity
from ..units import INCH_SYMBOLS, Kind, to_base
from .logbook import NAME_OF, READABLE, Reading

FaultKind = Literal["reading", "zero", "gauge", "part", "swap", "catalogue", "bearing", "deck"]

# How often each kind is what is wrong, before anything was read (trade.md 9).
PRIORS: Mapping[FaultKind, float] = {
    "reading": 0.34,
    "deck": 0.15,
    "part": 0.13,
    "catalogue": 0.13,
    "zero": 0.10,
    "gauge": 0.07,
    "swap": 0.04,
    "bearing": 0.04,
}
# How large it usually is, in mm; of volumes ten times the number in cc. A deck's tilt is told in mm per m.
SIZES: Mapping[FaultKind, float] = {
    "reading": 0.5,
    "catalogue": 0.5,
    "part": 0.4,
    "zero": 0.2,
    "gauge": 0.2,
    "bearing": 0.2,
    "deck": 0.5,
    "swap": 0.0,
}
TILT = 1.0
# A bank of fewer holes has no tilt to be told from its other hole.
LEAST_TILTED = 3
# What stands in for a bore pitch that nobody gave, in mm: for how far decks slope, never for a result.
USUAL_PITCH = 100.0
CC_FOR_MM = 10.0
# Half the stroke, the rod and the piston stand between crank and rim; the block's deck over it.
STACK: Mapping[str, float] = {"deck_height": 1.0, "stroke": -0.5, "length": -1.0, "compression_height": -1.0}
PIECES = ("length", "compression_height")
# One turn of a dial: 1 mm, or a tenth of an inch.
_TURN_MM, _TURN_INCH = 1.0, 2.54


class FaultHypothesis(Struct, frozen=True):
    """One way to be wrong.

    ``moves`` gives what a reading is moved by per unit; ``again`` what a fresh reading of a figure in a
    hole would be moved by (a slip of the hand does not come twice, another part stays). ``known`` is the
    size where it is known (a swap), ``slips`` sizes that are likely (a misread dial); ``sign`` is 1 or −1
    where it goes one way only.
    """

    kind: FaultKind
    about: str
    cylinders: tuple[int, ...]
    unit: Kind
    moves: Callable[[Reading], float]
    again: Callable[[str, int], float]
    known: float | None = None
    slips: tuple[float, ...] = ()
    sign: int = 0
    is_tilt: bool = False

    @property
    def size(self) -> float:
        """σ of the fault's size, in mm or cc; of a tilt in mm per m (trade.md 9)."""
        if self.is_tilt:
            return TILT
        return SIZES[self.kind] * (CC_FOR_MM if self.unit is Kind.VOLUME else 1.0)


def _where(name: str, value: str) -> Callable[[Reading], float]:
    """Moves the readings of which something is said: their id, their zero, their gauge."""
    return lambda one: float(getattr(one, name) == value)


def _depths(hole: int | None = None) -> tuple[Callable[[Reading], float], Callable[[str, int], float]]:
    """Moves every depth on the mock-up, or those of one hole; and a fresh one likewise."""

    def again(figure: str, at: int) -> float:
        return float(figure == "deck_clearance" and hole in (None, at))

    def moves(one: Reading) -> float:
        return again(one.figure, one.place.number) if one.figure == "deck_clearance" else 0.0

    return moves, again


def _never(_figure: str, _hole: int) -> float:
    return 0.0


def faults_of(
    build: Build, readings: tuple[Reading, ...], means: Mapping[tuple[str, int], float]
) -> Iterator[FaultHypothesis]:
    """Yield every fault that could have moved some of the readings.

    Parameters
    ----------
    build : Build
        With its banks and its paper figures.
    readings : tuple of Reading
        Those that are sound.
    means : Mapping
        What was read of a piece in its hole, in mm: for what a swap would bring.

    Yields
    ------
    FaultHypothesis
        Readings, zeros, gauges, parts, bearings, swaps, decks, catalogue figures.
    """
    for reading in readings:
        yield _misread(reading)
    for zero in dict.fromkeys(one.zero for one in readings if one.zero):
        holes = _holes(one for one in readings if one.zero == zero)
        yield FaultHypothesis(
            "zero", zero, cylinders=holes, unit=Kind.LENGTH, moves=_where("zero", zero), again=_never
        )
    for gauge in dict.fromkeys(one.gauge for one in readings if one.gauge and not one.shots):
        kind = next(READABLE[one.figure].kind for one in readings if one.gauge == gauge)
        holes = _holes(one for one in readings if one.gauge == gauge)
        yield FaultHypothesis(
            "gauge", gauge, cylinders=holes, unit=kind, moves=_where("gauge", gauge), again=_never
        )
    yield from _of_parts(readings, one_set=build.mocked_with_one_set)
    if not build.mocked_with_one_set:
        yield from _swaps(readings, means)
        yield from _decks(build, readings)
    # One set moved round was read once for every hole.
    yield from _catalogue(build, readings, {} if build.mocked_with_one_set else means)


def _holes(readings: Iterator[Reading]) -> tuple[int, ...]:
    found = dict.fromkeys(one.place.number for one in readings if one.place.scope is Scope.HOLE)
    return tuple(sorted(found))


def _misread(reading: Reading) -> FaultHypothesis:
    holes = (reading.place.number,) if reading.place.scope is Scope.HOLE else ()
    kind = READABLE[reading.figure].kind
    slips = tuple(slips_of(reading))
    return FaultHypothesis(
        "reading",
        reading.id,
        cylinders=holes,
        unit=kind,
        moves=_where("id", reading.id),
        again=_never,
        slips=slips,
    )


def slips_of(reading: Reading) -> Iterator[float]:
    """Yield by how much a reading is off after each of the slips that hands make (trade.md 9).

    Parameters
    ----------
    reading : Reading
        As typed.

    Yields
    ------
    float
        Read minus true, in the base unit: one turn of the dial either way, neighbouring digits
        exchanged, inches for millimetres or the other way; of counted shots one shot.
    """
    if reading.shots:
        yield from (reading.shots.size, -reading.shots.size)
        return
    sides = reading.tipped or (reading.value,)
    turn = _TURN_INCH if reading.unit.symbol in INCH_SYMBOLS else _TURN_MM
    length = READABLE[reading.figure].kind is Kind.LENGTH
    for side in sides:
        number = side / to_base(1.0, reading.unit)
        wrong = [turn, -turn] if length else []
        wrong += [(number - other) * to_base(1.0, reading.unit) for other in exchanged(number)]
        if length and side:
            wrong += [side - side / 25.4, side - side * 25.4]
        yield from (by / len(sides) for by in wrong)


def exchanged(number: float) -> list[float]:
    """Return a number with two neighbouring digits exchanged, in every way that changes it (trade.md 9).

    Parameters
    ----------
    number : float
        As typed, in its own unit.

    Examples
    --------
    >>> exchanged(0.27)
    [2.07, 0.72]
    """
    digits = f"{abs(number):.6f}".rstrip("0").rstrip(".")
    sign = -1 if number < 0 else 1
    found = []
    places = [i for i, mark in enumerate(digits) if mark != "."]
    for i, j in itertools.pairwise(places):
        if digits[i] != digits[j]:
            marks = list(digits)
            marks[i], marks[j] = marks[j], marks[i]
            found.append(sign * float("".join(marks)))
    return found


def _of_parts(readings: tuple[Reading, ...], *, one_set: bool) -> Iterator[FaultHypothesis]:
    """Another rod or piston in one hole, other shells in one hole or under the whole crank.

    Where one set was moved round, no hole has another on the mock-up.
    """
    depths = {one.place.number for one in readings if one.figure == "deck_clearance"}
    sign = _bench_sign(readings)
    for hole in sorted(depths) if not one_set else ():
        for figure in PIECES:
            yield _other_part(figure, hole)
        yield _bearing(f"rod bearing at cylinder {hole}", (hole,), _depths(hole), sign)
    if depths:
        yield _bearing("main bearings", tuple(sorted(depths)), _depths(), sign)


def _bench_sign(readings: tuple[Reading, ...]) -> int:
    """Which way more bearing clearance lets the piston stand: low in an upright block."""
    return -1 if any(("block", "inverted") in one.conditions for one in readings) else 1


def _bearing(
    about: str,
    holes: tuple[int, ...],
    depths: tuple[Callable[[Reading], float], Callable[[str, int], float]],
    sign: int,
) -> FaultHypothesis:
    """Shells of another thickness under some holes, or under all."""
    moves, again = depths
    return FaultHypothesis(
        "bearing", about, cylinders=holes, unit=Kind.LENGTH, moves=moves, again=again, sign=sign
    )


def _other_part(figure: str, hole: int) -> FaultHypothesis:
    """Another piece than paper says, or than was read, stood in a hole: what was read of the piece itself stands."""
    by = STACK[figure]

    def moves(one: Reading) -> float:
        return by if one.figure == "deck_clearance" and one.place.number == hole else 0.0

    def again(what: str, at: int) -> float:
        return (1.0 if what == figure else by if what == "deck_clearance" else 0.0) if at == hole else 0.0

    return FaultHypothesis(
        "part", f"{figure} at cylinder {hole}", cylinders=(hole,), unit=Kind.LENGTH, moves=moves, again=again
    )


def _swaps(
    readings: tuple[Reading, ...], means: Mapping[tuple[str, int], float]
) -> Iterator[FaultHypothesis]:
    """Two measured rods, or pistons, that stand in one another's hole on the mock-up."""
    depths = {one.place.number for one in readings if one.figure == "deck_clearance"}
    for figure in PIECES:
        measured = sorted(hole for name, hole in means if name == figure)
        for i, j in itertools.combinations(measured, 2):
            x = means[figure, i] - means[figure, j]
            if not x or not {i, j} & depths:
                continue

            def moves(one: Reading, i: int = i, j: int = j) -> float:
                if one.figure != "deck_clearance" or one.place.number not in (i, j):
                    return 0.0
                return 1.0 if one.place.number == i else -1.0

            def again(what: str, at: int, i: int = i, j: int = j, figure: str = figure) -> float:
                side = 1.0 if at == i else -1.0 if at == j else 0.0
                return side if what == "deck_clearance" else -side if what == figure else 0.0

            yield FaultHypothesis(
                "swap", figure, cylinders=(i, j), unit=Kind.LENGTH, moves=moves, again=again, known=x
            )


def surveyed_height(build: Build, hole: int) -> Quantity | None:
    """Return the deck height that a survey gave to a hole; None where none did.

    Parameters
    ----------
    build : Build
        With its surveys.
    hole : int
        Its number; no unit.
    """
    quantity = build.figures.get(f"cylinders.{hole}.deck_height")
    if quantity is None or not quantity.is_surveyed:
        return None
    return quantity


def along(build: Build, hole: int) -> float:
    """Return where a hole lies along its bank, in mm from the bank's middle, + to the rear (trade.md 9).

    Parameters
    ----------
    build : Build
        Where it gives no bore pitch, :data:`USUAL_PITCH` stands in.
    hole : int
        Its number; no unit.
    """
    pitch = build.figures.get("engine.bore_pitch")
    cylinders = build.bank_of(hole).cylinders
    each = pitch.value if pitch is not None and pitch.value else USUAL_PITCH
    return each * (cylinders.index(hole) - (len(cylinders) - 1) / 2)


def _decks(build: Build, readings: tuple[Reading, ...]) -> Iterator[FaultHypothesis]:
    """The height of one bank's deck, and its slope along the bank: every clearance over it moves."""
    touched = {
        one.place.number for one in readings if one.figure in _OVER_DECK and one.place.scope is Scope.HOLE
    }
    banks = {one.place.bank for one in readings if one.figure in _OVER_DECK and one.place.scope is Scope.BANK}
    for bank in build.banks:
        holes = tuple(sorted(bank.cylinders))
        if not touched & set(holes) and bank.name not in banks:
            continue
        if any(surveyed_height(build, hole) is not None for hole in holes):
            continue
        yield _deck(build, bank, holes, is_tilt=False)
        if len(holes) >= LEAST_TILTED:
            yield _deck(build, bank, holes, is_tilt=True)


_OVER_DECK = ("deck_clearance", "deck_height")


def _deck(build: Build, bank: Bank, holes: tuple[int, ...], *, is_tilt: bool) -> FaultHypothesis:
    share = {hole: along(build, hole) / 1000 if is_tilt else 1.0 for hole in holes}

    def moves(one: Reading) -> float:
        if one.figure not in _OVER_DECK:
            return 0.0
        if one.place.scope is Scope.HOLE:
            return share.get(one.place.number, 0.0)
        # In the bank's middle a tilt moves nothing.
        of_bank = one.place.bank == bank.name if one.place.scope is Scope.BANK else len(build.banks) == 1
        return 1.0 if of_bank and not is_tilt else 0.0

    def again(what: str, at: int) -> float:
        return share.get(at, 0.0) if what in _OVER_DECK else 0.0

    about = f"{'slope' if is_tilt else 'height'} of bank {bank.name}"
    return FaultHypothesis(
        "deck", about, cylinders=holes, unit=Kind.LENGTH, moves=moves, again=again, is_tilt=is_tilt
    )


def _catalogue(
    build: Build, readings: tuple[Reading, ...], means: Mapping[tuple[str, int], float]
) -> Iterator[FaultHypothesis]:
    """A paper figure that is wrong: every reading of it, and of what rests on it, stands off.

    A piece that was read is compared with its paper by itself: paper says nothing of it here.
    """
    paper = build.paper or build.figures
    figures = {one.figure for one in readings}
    for path, field in FIELD_AT.items():
        name = NAME_OF.get(path)
        if name is None or path not in paper:
            continue
        by = STACK.get(name, 0.0)
        if name not in figures and not (by and "deck_clearance" in figures):
            continue
        own = frozenset(hole for figure, hole in means if figure == name)
        if own and own >= set(build.cylinders):
            continue

        def moves(one: Reading, name: str = name, by: float = by, own: frozenset[int] = own) -> float:
            if one.place.scope is Scope.HOLE and one.place.number in own:
                return 0.0
            return 1.0 if one.figure == name else by if one.figure == "deck_clearance" else 0.0

        def again(what: str, _at: int, name: str = name, by: float = by) -> float:
            return 1.0 if what == name else by if what == "deck_clearance" else 0.0

        holes = tuple(sorted(build.cylinders))
        yield FaultHypothesis("catalogue", name, cylinders=holes, unit=field.kind, moves=moves, again=again)
