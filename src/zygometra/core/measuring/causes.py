"""Which cause: what is probably wrong where readings and paper contradict one another.

All readings and paper figures form one linear model; a fault is a direction in it (see :mod:`.faults`).
Faults are ranked by how well each explains all readings together.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

import numpy as np

from ..build.model import Build
from ..house_rules import HouseRules
from ..place import Scope
from ..units import Kind
from ..usual_figures import piece_scatter
from .cause_model import Floats, Model, means_of, own_series, sound_readings
from .faults import PIECES, PRIORS, STACK, FaultHypothesis, FaultKind, along, faults_of
from .logbook import EMPTY, READABLE

# Accuse when the odds of all faults together, against none, exceed e to this.
ACCUSE = 1.5
# Directions nearer to one another than this cannot be told apart by these readings.
ALIKE = 0.995
# A misread figure: so much of its weight on exact slips.
_SLIPS = 0.7
# Half of what is no exact slip is this much smaller.
_SMALL = 0.1
# What is two hundred times less likely than the first is not named, nor what explains less than a twentieth.
_SHOWN, _LEAST, _EXPLAINS = 8, math.log(0.005), 0.05


class DecidingReading(NamedTuple):
    """A reading that would tell two causes apart."""

    figure: str
    cylinder: int | None


class IndistinguishableCause(NamedTuple):
    """A cause that these readings cannot tell from another."""

    kind: FaultKind
    about: str
    cylinders: tuple[int, ...]


class Tilt(NamedTuple):
    """A deck that is off along its bank, + higher to the rear.

    ``per_metre`` in mm per m, None without a bore pitch; ``over_bank`` in mm from the first hole to the last.
    """

    per_metre: float | None
    over_bank: float


class SuspectedCause(NamedTuple):
    """One entry: what is off, by how much, the share it explains, ln of its odds against nothing being wrong.

    ``off_by`` in mm or cc, of a tilt from the first hole to the last; ``u`` its standard uncertainty.
    """

    kind: FaultKind
    about: str
    cylinders: tuple[int, ...]
    off_by: float
    u: float
    unit: Kind
    explains: float
    log_odds: float
    alike: tuple[IndistinguishableCause, ...]
    decided_by: DecidingReading | None
    tilt: Tilt | None = None


class _Judged(NamedTuple):
    fault: FaultHypothesis
    direction: Floats
    weight: float
    off_by: float
    u: float
    explains: float
    log_odds: float


def causes(build: Build, rules: HouseRules | None = None) -> tuple[SuspectedCause, ...]:
    """Return what is probably wrong, likeliest first.

    Parameters
    ----------
    build : Build
        With its logbook.
    rules : HouseRules, optional
        In force: how far a mock-up sags on the bench; the house's usual where left out.

    Returns
    -------
    tuple of Cause
        Empty where nothing is to be accused.

    Notes
    -----
    With residual y, covariance V and direction d: A = dᵀV⁻¹d, B = dᵀV⁻¹y; off by B/A; explains
    (B²/A)/(yᵀV⁻¹y). Log-odds = ln(prior ÷ members) − ½·ln(1 + σ²A) + ½·B²/(A + 1/σ²); a misread figure
    has 0.7 of its weight on exact slips x, exp(xB − ½x²A); a swap's x is known; a bearing goes one way,
    × 2Φ. Accused is where the summed odds exceed e^1.5 (trade.md 9). What explains
    less than a twentieth of yᵀV⁻¹y is not listed, and no entry is headed by a figure that nobody gave.

    Examples
    --------
    >>> from ..build.examples import small_single
    >>> causes(small_single())
    ()
    """
    used = build.in_use
    if used is None or not used.series:
        return ()
    readings = sound_readings(used)
    model = Model(build, used, readings, rules or HouseRules())
    faults = list(faults_of(build, readings, means_of(used)))
    moved = np.array([[fault.moves(one) for one in readings] for fault in faults])
    judged = _judge(faults, moved, model)
    entries = _entries(judged)
    entries.sort(key=lambda entry: -entry[1])
    if not entries or _log_sum(log_odds for _, log_odds in entries) <= ACCUSE:
        return ()
    entries = [told for entry in entries if (told := _told_of(entry, build, model)) is not None]
    if not entries:
        return ()
    shown = [entry for entry in entries if entry[1] >= entries[0][1] + _LEAST][:_SHOWN]
    return tuple(_cause(i, entries, build) for i in range(len(shown)))


class Attainable(NamedTuple):
    """A fault that could have moved some readings: how well these could tell its size, and what it moves.

    ``moves`` is by the reading's id, per mm or cc of the fault.
    """

    kind: FaultKind
    about: str
    cylinders: tuple[int, ...]
    doubt: float
    moves: Mapping[str, float]


def attainable(build: Build, rules: HouseRules | None = None) -> tuple[Attainable, ...]:
    """Return every fault with the doubt that its size could be told with from these readings (trade.md 9).

    Parameters
    ----------
    build : Build
        With its logbook.
    rules : HouseRules, optional
        In force; the house's usual where left out.

    Returns
    -------
    tuple of Attainable
        1/√A, with A as :func:`causes` has it.
    """
    used = build.in_use
    if used is None or not used.series:
        return ()
    readings = sound_readings(used)
    model = Model(build, used, readings, rules or HouseRules())
    found = []
    for fault in faults_of(build, readings, means_of(used)):
        moved = np.array([fault.moves(one) for one in readings])
        white = np.linalg.solve(model.lower(own_series(fault, readings)), moved)
        if (weight := float(white @ white)) > 0:
            moves = {one.id: float(by) for one, by in zip(readings, moved, strict=True) if by}
            found.append(
                Attainable(
                    kind=fault.kind,
                    about=fault.about,
                    cylinders=fault.cylinders,
                    doubt=1 / math.sqrt(weight),
                    moves=moves,
                )
            )
    return tuple(found)


def _log_sum(logs: Iterable[float]) -> float:
    """The logarithm of a sum, of its parts' logarithms."""
    listed = list(logs)
    high = max(listed)
    return high + math.log(math.fsum(math.exp(one - high) for one in listed))


# -- odds ---------------------------------------------------------------------


def _judge(faults: list[FaultHypothesis], moved: Floats, model: Model) -> list[_Judged]:
    members: dict[FaultKind, int] = {}
    for fault in faults:
        members[fault.kind] = members.get(fault.kind, 0) + 1
    whole = np.linalg.solve(model.lower(None), np.column_stack([model.y, moved.T]))
    everything = float(whole[:, 0] @ whole[:, 0])
    out = []
    for i, fault in enumerate(faults):
        direction = whole[:, i + 1]
        without = own_series(fault, model.readings)
        white = direction, whole[:, 0]
        if without is not None:
            pair = np.linalg.solve(model.lower(without), np.column_stack([moved[i], model.y]))
            white = pair[:, 0], pair[:, 1]
        a, b = float(white[0] @ white[0]), float(white[0] @ white[1])
        if a <= 0:
            continue
        prior = math.log(PRIORS[fault.kind] / members[fault.kind])
        size, log_odds = _log_odds(fault, a, b)
        total = float(white[1] @ white[1]) if without is not None else everything
        explains = (b * b / a) / total if total else 0.0
        if fault.known is not None:
            # What is left of y after it.
            explains = (2 * fault.known * b - fault.known**2 * a) / total if total else 0.0
        u = 0.0 if fault.known is not None else 1 / math.sqrt(a)
        out.append(
            _Judged(
                fault=fault,
                direction=direction,
                weight=float(direction @ direction),
                off_by=size,
                u=u,
                explains=explains,
                log_odds=prior + log_odds,
            )
        )
    return out


def _log_odds(fault: FaultHypothesis, a: float, b: float) -> tuple[float, float]:
    """The likeliest size of a fault, and ln of the odds that it is there, before its prior."""
    if fault.known is not None:
        return fault.known, fault.known * b - fault.known**2 * a / 2
    precision = 1 / fault.size**2
    smooth = _smooth(a, b, precision)
    size = b / a
    if fault.sign:
        z = fault.sign * b / math.sqrt(a + precision)
        smooth += math.log(max(math.erfc(-z / math.sqrt(2)), 1e-300))
    if not fault.slips:
        return size, smooth
    at = [(x * b - x * x * a / 2, x) for x in fault.slips]
    x = max(at)[1]
    of_slips = _log_sum(one for one, _ in at) - math.log(len(at))
    # What is no slip of the pen is as often a small one (dirt, a lifted stem) as a large one.
    small = _smooth(a, b, precision / _SMALL**2)
    smooth = _log_sum((smooth, small)) - math.log(2)
    parts = (math.log(1 - _SLIPS) + smooth, math.log(_SLIPS) + of_slips)
    return (x if parts[1] > parts[0] else size), _log_sum(parts)


def _smooth(a: float, b: float, precision: float) -> float:
    """Ln of the odds of a fault of unknown size, normal about nought with that precision."""
    return -0.5 * math.log1p(a / precision) + 0.5 * b * b / (a + precision)


Entry = tuple[list[_Judged], float]


def _entries(judged: list[_Judged]) -> list[Entry]:
    """Faults that cannot be told apart are one entry, with their odds together."""
    if not judged:
        return []
    judged = sorted(judged, key=lambda one: -one.log_odds)
    unit = np.array([one.direction / math.sqrt(one.weight) for one in judged])
    alike = np.abs(unit @ unit.T) > ALIKE
    entries: dict[int, list[_Judged]] = {}
    for i, one in enumerate(judged):
        head = next((at for at in entries if alike[i, at]), i)
        entries.setdefault(head, []).append(one)
    return [(entry, _log_sum(one.log_odds for one in entry)) for entry in entries.values()]


def _told_of(entry: Entry, build: Build, model: Model) -> Entry | None:
    """What of an entry is told: nothing that explains next to nothing, and first a figure that somebody gave."""
    listed = [one for one in entry[0] if one.explains >= _EXPLAINS]
    given = [one for one in listed if _is_given(one.fault, build, model)]
    if not given:
        return None
    return [given[0], *(one for one in listed if one is not given[0])], entry[1]


def _is_given(fault: FaultHypothesis, build: Build, model: Model) -> bool:
    """Whether the figure of a part was given, on paper or by reading it; of other faults nobody needs to give one."""
    if fault.kind != "part":
        return True
    figure = fault.about.partition(" ")[0]
    paper = build.paper or build.figures
    return READABLE[figure].path in paper or (figure, fault.cylinders[0]) in model.pieces


# -- what would tell them apart ----------------------------------------------


def _cause(at: int, entries: list[Entry], build: Build) -> SuspectedCause:
    entry, log_odds = entries[at]
    head, fault = entry[0], entry[0].fault
    likely = [one for one in entry[1:] if one.log_odds >= head.log_odds + _LEAST]
    if likely:
        other = likely[0]
    else:
        rest = entries[1 if at == 0 else 0 :]
        other = rest[0][0][0] if rest and rest[0] is not entries[at] else head
    alike = [IndistinguishableCause(one.fault.kind, one.fault.about, one.fault.cylinders) for one in likely]
    sets = [
        one.fault for one in (head, *likely) if one.fault.kind == "catalogue" and one.fault.about in PIECES
    ]
    alike += [IndistinguishableCause("part", f"{one.about} of the whole set", one.cylinders) for one in sets]
    decided = _decider(head, other, build) or _again(head, build)
    tilt = _tilt(head, build) if fault.is_tilt else None
    return SuspectedCause(
        kind=fault.kind,
        about=fault.about,
        cylinders=fault.cylinders,
        off_by=head.off_by if tilt is None else tilt.over_bank,
        u=head.u * (1.0 if tilt is None else _length_of(build, fault) / 1000),
        unit=fault.unit,
        explains=max(0.0, min(1.0, head.explains)),
        log_odds=log_odds,
        alike=tuple(alike),
        decided_by=decided,
        tilt=tilt,
    )


def _tilt(one: _Judged, build: Build) -> Tilt:
    """A tilt over its bank; by the metre only where a bore pitch says how long the bank is."""
    over = one.off_by * _length_of(build, one.fault) / 1000
    pitch = build.figures.get("engine.bore_pitch")
    return Tilt(one.off_by if pitch is not None and pitch.value else None, over)


def _length_of(build: Build, fault: FaultHypothesis) -> float:
    """From the first hole of a deck to its last, in mm."""
    bank = build.bank_of(fault.cylinders[0]).cylinders
    return along(build, bank[-1]) - along(build, bank[0])


def _again(one: _Judged, build: Build) -> DecidingReading | None:
    """Where nothing else tells: the same reading once more."""
    reading = (build.logbook or EMPTY).by_id.get(one.fault.about) if one.fault.kind == "reading" else None
    if reading is not None:
        return DecidingReading(
            reading.figure, reading.place.number if reading.place.scope is Scope.HOLE else None
        )
    return DecidingReading("deck_clearance", one.fault.cylinders[0]) if one.fault.cylinders else None


def _decider(one: _Judged, other: _Judged, build: Build) -> DecidingReading | None:
    """The reading whose outcome differs most between two causes, against how well it could be predicted."""
    if one.fault.kind == "deck":
        # Another depth on the mock-up only says once more what made it a suspect.
        return DecidingReading("deck_height", one.fault.cylinders[0])
    best: tuple[float, DecidingReading] | None = None
    holes = dict.fromkeys([*one.fault.cylinders, *other.fault.cylinders]) or dict.fromkeys(build.cylinders)
    for figure in ("deck_clearance", *STACK, "bore", "chamber_volume", "crown_volume", "thickness"):
        field = READABLE[figure]
        at: Sequence[int | None] = list(holes) if field.is_each_holes else [None]
        for hole in at:
            asked = hole if hole is not None else next(iter(holes))
            apart = abs(
                one.off_by * one.fault.again(figure, asked) - other.off_by * other.fault.again(figure, asked)
            )
            if not apart:
                continue
            surprise = apart / _predicted(figure, build)
            if best is None or surprise > best[0] * (1 + 1e-9):
                best = surprise, DecidingReading(figure, hole)
    return best[1] if best else None


def _predicted(figure: str, build: Build) -> float:
    """How well a fresh reading could be predicted: from what was read there, or from paper."""
    field = READABLE[figure]
    noise = 0.1 if field.kind is Kind.VOLUME else 0.01
    known = (build.paper or build.figures).get(field.path)
    u = known.u if known is not None else 0.02
    return math.hypot(noise, u, piece_scatter(figure))
