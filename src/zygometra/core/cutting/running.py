"""A cut while it is made: what is off, what is left above the limit, when the face will be clean."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from typing import NamedTuple

from ..build.cut_log import FACES, CutPlace, PassMade, SetUpRecord, Zone, amount_of, zones
from ..build.levers import limit_in_plan
from ..build.model import Bank, Build
from ..errors import QuantityError
from ..faces.forecast import Forecast, forecast
from ..faces.model import Pass, Point
from ..house_rules import HouseRules
from ..sentence import Sentence, sentence
from ..stack.as_cut import read_at
from ..written import Both, Length, judged

# A hair, in mm: a pass that ends on its limit does not pass it.
_HAIR = 1e-9
# Half of the last digit that a sheet names a set-point with, a tenth of a thou, in mm: no machine is set any nearer.
SET_TO = 0.0254 / 20
# So many times deeper than its like a pass is asked about.
_ODD = 10.0
USUAL_PITCH, USUAL_BORE = 100.0, 88.0


class Running(NamedTuple):
    """How a cut stands.

    Lengths in mm. ``done`` is what came off in all, ``asked`` what the plan takes (None: skimmed until clean, or
    nothing planned), ``limit`` the most that may come off and ``limit_from`` who says so; ``next_number`` that of
    the pass to come. ``touched`` and ``clean`` are the zones so far.
    """

    place: CutPlace
    set_up: SetUpRecord | None
    passes: tuple[PassMade, ...]
    again: tuple[PassMade, ...]
    against: tuple[PassMade, ...]
    done: float
    asked: float | None
    limit: float
    limit_from: str
    zones: tuple[Zone, ...]
    touched: frozenset[str]
    clean: frozenset[str]

    @property
    def left(self) -> float | None:
        """What is left of the cut in mm, nought where it is done; None where nothing is planned."""
        if self.asked is None:
            return None
        rest = self.asked - self.done
        return rest if rest > SET_TO else 0.0

    @property
    def past(self) -> float:
        """How much more came off than was asked, in mm; nought within what a machine is set to."""
        over = 0.0 if self.asked is None else self.done - self.asked
        return over if over > SET_TO else 0.0

    @property
    def above_limit(self) -> float:
        """What may still come off before the limit, in mm."""
        return max(self.limit - self.done, 0.0)

    @property
    def next_number(self) -> int:
        """The number of the pass to come; no unit."""
        return max((one.number or 0 for one in self.passes), default=0) + 1

    @property
    def is_done(self) -> bool:
        """True where what was asked is off, or a skim is clean all over."""
        if self.set_up is not None and self.set_up.aim == "clean":
            return bool(self.passes) and self.clean >= {zone.name for zone in self.zones}
        return self.left == 0


def faces_of(build: Build) -> tuple[CutPlace, ...]:
    """Return the decks and heads of a build, bank by bank.

    Parameters
    ----------
    build : Build
        The build.
    """
    return tuple(CutPlace(op, bank.name) for op in FACES for bank in build.banks)


def zones_of(build: Build, bank: Bank) -> tuple[Zone, ...]:
    """Return the zones of a bank's face; where pitch or bore are not known, on usual ones.

    Parameters
    ----------
    build : Build
        For pitch and bore, in mm.
    bank : Bank
        Whose.
    """
    pitch, bore = (build.figures.get(path) for path in ("engine.bore_pitch", "parts.block.bore"))
    return zones(
        len(bank.cylinders),
        pitch.value if pitch is not None and pitch.value else USUAL_PITCH,
        bore.value if bore is not None else USUAL_BORE,
    )


def running(build: Build, place: CutPlace, rules: HouseRules) -> Running:
    """Return how a cut stands.

    Parameters
    ----------
    build : Build
        With its plan and its log.
    place : CutPlace
        A face, or a piece of a set.
    rules : HouseRules
        For the limit where nobody set one.
    """
    bank = next((one for one in build.banks if one.name == place.bank), build.banks[0])
    if place.cylinder is not None:
        bank = build.bank_of(place.cylinder)
    found = build.cuts.of(place)
    set_up = build.cuts.set_up(place)
    asked = amount_of(build.planned, place, bank)
    done = math.fsum(one.depth for one in found.passes)
    limit, limit_from = _limit(build, place, bank=bank, set_up=set_up, rules=rules)
    return Running(
        place=place,
        set_up=set_up,
        passes=found.passes,
        again=found.again,
        against=found.against,
        done=done,
        asked=None if asked is None or math.isnan(asked.value) else asked.value,
        limit=limit,
        limit_from=limit_from,
        zones=zones_of(build, bank),
        touched=frozenset(name for one in found.passes for name in (*one.touched, *one.clean)),
        clean=frozenset(name for one in found.passes for name in one.clean),
    )


def _limit(
    build: Build, place: CutPlace, bank: Bank, set_up: SetUpRecord | None, rules: HouseRules
) -> tuple[float, str]:
    """The most that may come off a place in all, and whose figure that is."""
    if place.op == "rods":
        return (
            (set_up.limit, "the set-up")
            if set_up is not None and set_up.limit is not None
            else (math.inf, "")
        )
    ends = [(limit_in_plan(build, place.op, rules))]
    if place.op == "head_cut":
        ends[0] = max(ends[0][0] - build.facing.head_cut_so_far, 0.0), ends[0][1]
    if place.op == "deck_cut" and build.facing.least_deck_height is not None:
        heights = [
            quantity.value + build.cuts.total(place) - build.cuts.total(place, read_at(build, path))
            for path in (f"banks.{bank.name}.deck_height", "parts.block.deck_height")
            if (quantity := build.figures.get(path)) is not None
        ]
        if heights:
            ends.append((max(heights[0] - build.facing.least_deck_height, 0.0), "the least deck height"))
    if set_up is not None and set_up.limit is not None:
        ends.append((set_up.limit, "the set-up"))
    return min(ends, key=lambda end: end[0])


def check_pass(now: Running, depth: float, rules: HouseRules, *, sure: bool = False) -> None:
    """Refuse a pass that cannot be, with what to check (trade.md 14).

    Parameters
    ----------
    now : Running
        How the cut stands before it.
    depth : float
        Of the pass, in mm; nought for a touch-off, or a piece that was gauged and not cut.
    rules : HouseRules
        For the pass that is usual where none was made yet.
    sure : bool
        True where whoever logs it says that it was made so.

    Raises
    ------
    QuantityError
        If it takes less than nothing.
    PassTooDeep
        If it goes deeper than what is left above the limit, is ten times as deep as its like, or is made on what is
        finished.
    """
    if depth < 0:
        raise QuantityError(Length(depth), "the depth of this pass, nought or more")
    if not depth or sure:
        return
    if depth > now.above_limit + _HAIR:
        cut, left = judged(depth, now.above_limit)
        raise PassTooDeep(
            "Found a pass of {cut}, and {left} is left above the limit of {limit} ({whose}): check the depth, "
            "the unit, and the passes before it; if it was cut so, say so, and stop.",
            cut=cut,
            left=left,
            limit=Length(now.limit),
            whose=_WHOSE.get(now.limit_from, now.limit_from),
        )
    if now.is_done:
        raise PassTooDeep(
            "Found a pass of {cut} on what is done, {done} off in all: if it was cut so, say so.",
            cut=Both(depth),
            done=Length(now.done, 0.001),
        )
    made = sorted(one.depth for one in now.passes if one.depth > 0)
    like = made[len(made) // 2] if made else max(rules["rough_pass"], now.asked or 0.0)
    if depth >= _ODD * like:
        raise PassTooDeep(
            "Found a pass of {cut}, where {like} would be like the others: a slipped point, or another unit? If it was "
            "cut so, say so.",
            cut=Both(depth),
            like=Both(like),
        )


_WHOSE = {"build": "this build's lever", "house": "the house rule"}


class PassTooDeep(QuantityError):
    """A pass goes deeper than what is left above the limit; whoever made it may say that it was so."""

    def __init__(self, words: str, **given: object) -> None:
        super().__init__("", "")
        self.says = sentence(words, **given)  # type: ignore[arg-type]


def check_reading(done: float, off: float, u: float) -> Sentence | None:
    """Return what is wrong with a reading between passes that does not agree with the log; None where it does.

    Parameters
    ----------
    done : float
        What the log says came off there, in mm.
    off : float
        What the reading says came off, in mm (:func:`~.verify.lost_by`).
    u : float
        Standard uncertainty of that, in mm.
    """
    if abs(off - done) <= 2 * max(u, 0.005) + _HAIR:
        return None
    less = off < done
    return sentence(
        "This reading says {off} came off, and the log {done}: check for a chip under the gauge, its zero, "
        + (
            "and a pass that was logged but not made." if less else "and a pass that was made but not logged."
        ),
        off=Length(off),
        done=Length(done),
    )


def forecast_of(now: Running, heights: Sequence[float | None] = (), seed: int = 1) -> Forecast | None:
    """Return when a face will be clean, from what its passes touched; None before the first pass (trade.md 14).

    Parameters
    ----------
    now : Running
        How the cut stands.
    heights : sequence of float or None
        How high each zone stands in mm where a survey says so; empty for none.
    seed : int
        Of the draws; no unit.
    """
    index = {zone.name: i for i, zone in enumerate(now.zones)}
    known = list(heights) or [None] * len(now.zones)
    points = [Point(zone.spot.x, zone.spot.y, z) for zone, z in zip(now.zones, known, strict=True)]
    if any(point.z is None for point in points):
        points = [point._replace(z=None) for point in points]
    passes = list[Pass]()
    touched: tuple[int, ...] = ()
    clean: tuple[int, ...] = ()
    for one in now.passes:
        touched, clean = touched + _indices(one.touched, index), clean + _indices(one.clean, index)
        if one.depth > 0:
            # What a touch-off marked was reached before the pass after it.
            passes.append(Pass(one.depth, touched, clean))
            touched, clean = (), ()
    return forecast(points, passes, seed) if passes else None


def _indices(names: Collection[str], index: dict[str, int]) -> tuple[int, ...]:
    return tuple(index[name] for name in names if name in index)
