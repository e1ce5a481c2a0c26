"""One face as a machinist takes it to the machine: cut at each corner and hole, finished height, passes, limit."""

from __future__ import annotations

import hashlib
import json
import math
from typing import NamedTuple

from ..build.cut_log import CutPlace, amount_of
from ..build.model import Bank, Build
from ..errors import QuantityError
from ..faces.model import Spot
from ..house_rules import HouseRules
from ..measuring.face_surveys import FaceSurvey
from ..measuring.faces import corners_of, surveys_in_use
from ..quantity import Quantity
from ..stack.evaluate import evaluate
from ..stack.sources import hole_sources
from .meant import as_meant
from .pass_plan import PassPlan, pass_plan
from .running import USUAL_PITCH, running, zones_of

_HEIGHT = "parts.block.deck_height"
# A point is read at a corner where it lies as near as this, in mm.
_AT_SPOT = 0.5


class CutAt(NamedTuple):
    """What comes off at a corner or a hole, in mm, and the height it leaves; None where that is not known.

    ``basis`` is that of the height: a height that is only on paper is not to be cut to.
    """

    name: str
    spot: Spot
    cut: float
    finish: float | None = None
    basis: str = ""


class FaceSheet(NamedTuple):
    """The sheet of one deck or head.

    Lengths in mm. ``half`` is what the cut may be missed by; ``shim`` what is packed under the rear support of a
    block swept level on its present face, None where the cut is the same all along or no span is known; ``limit``
    the most that may come off and ``least`` the height that must remain; ``passes`` how it is best taken.
    ``to_height`` is the height that was named: depths at holes and corners are taken from it.
    """

    place: CutPlace
    most: float
    half: float
    holes: tuple[CutAt, ...]
    corners: tuple[CutAt, ...]
    shim: float | None
    span: float | None
    limit: float
    limit_from: str
    least: float | None
    length: float
    passes: PassPlan | None
    mark: str
    to_height: float | None = None


# long: what it puts together is told field by field, a line each
def face_sheet(build: Build, place: CutPlace, rules: HouseRules) -> FaceSheet | None:
    """Return the sheet of a face; None where nothing is planned on it.

    Parameters
    ----------
    build : Build
        With its plan and its log.
    place : CutPlace
        A deck or a head.
    rules : HouseRules
        For limits and passes.

    Notes
    -----
    A levelled cut is linear along the bank; at the corners of a deck that was surveyed it is the deck's height there
    less the plane that the holes are cut to. What the sheet says is of the whole cut, as it was meant before the
    first pass: logging passes changes no sheet.
    """
    bank = next(one for one in build.banks if one.name == place.bank)
    amount = amount_of(build.planned, place, bank)
    if amount is None or amount.value <= 0:
        return None
    meant = as_meant(build)
    state = evaluate(meant).planned
    cuts = {n: getattr(state.hole(n).outcome, place.op) for n in bank.cylinders}
    named = (op for op in meant.planned if op.op == place.op and op.bank in (None, bank.name))
    to = next((op.to_height.value for op in named if op.to_height is not None), None)
    if any(math.isnan(cut) for cut in cuts.values()):
        return None
    holes = tuple(
        _hole(meant, bank, i=i, number=n, cut=cuts[n], place=place) for i, n in enumerate(bank.cylinders)
    )
    corners = _corners(meant, bank, cuts=cuts, place=place, to=to)
    zones = zones_of(build, bank)
    length = max(z.spot.x for z in zones) - min(z.spot.x for z in zones)
    now = running(build, place, rules)
    try:
        passes = pass_plan(max(cuts.values()), length, build.facing.gasket_kind, rules)
    except QuantityError:
        passes = None
    span = build.facing.support_span.along
    found = FaceSheet(
        place=place,
        most=max([*cuts.values(), *(one.cut for one in corners)]) if to is not None else max(cuts.values()),
        half=_half(amount),
        holes=holes,
        corners=corners,
        shim=_shim(meant, bank, cuts, span),
        span=span,
        limit=now.limit,
        limit_from=now.limit_from,
        least=build.facing.least_deck_height if place.op == "deck_cut" else None,
        length=length,
        passes=passes,
        mark="",
        to_height=to,
    )
    return found._replace(mark=_mark(found, build))


def _half(amount: Quantity) -> float:
    return amount.u * (3**0.5 if amount.rectangular else 2.0)


def _pitch(build: Build) -> float:
    pitch = build.figures.get("engine.bore_pitch")
    return pitch.value if pitch is not None and pitch.value else USUAL_PITCH


def _hole(build: Build, bank: Bank, i: int, number: int, cut: float, place: CutPlace) -> CutAt:
    spot = Spot(i * _pitch(build), 0.0)
    height = hole_sources(build, bank.name, number).get(_HEIGHT) if place.op == "deck_cut" else None
    if height is None:
        return CutAt(str(number), spot, cut)
    return CutAt(
        name=str(number), spot=spot, cut=cut, finish=height.quantity.value - cut, basis=height.quantity.basis
    )


# long: what it puts together is told field by field, a line each
def _corners(
    build: Build, bank: Bank, cuts: dict[int, float], place: CutPlace, to: float | None
) -> tuple[CutAt, ...]:
    pitch, n = _pitch(build), len(bank.cylinders)
    first, last = cuts[bank.cylinders[0]], cuts[bank.cylinders[-1]]
    slope = (last - first) / (pitch * (n - 1)) if n > 1 else 0.0
    survey = next(
        (
            one
            for (face, name, _), one in surveys_in_use(build).items()
            if (face, name) == ("deck", bank.name)
        ),
        None,
    )
    on_crank = build.facing.set_up in ("", "crank centreline")
    if place.op == "deck_cut" and survey is not None and survey.datum == "crank" and on_crank:
        from ..faces.model import Survey
        from ..faces.survey import survey as surveyed

        plane = surveyed(Survey("deck", survey.points)).plane
        middle = pitch * (n - 1) / 2
        finish = plane.at(middle, 0.0) - (first + last) / 2
        if to is not None:
            # From the point that was read at a corner, else from the face's plane, down to the named height.
            return tuple(
                CutAt(
                    name=name,
                    spot=spot,
                    cut=_read_there(survey, spot, plane.at(*spot)) - to,
                    finish=to,
                    basis="measured",
                )
                for name, spot in corners_of(survey).items()
            )
        return tuple(
            CutAt(name, spot, plane.at(*spot) - finish - _tilt(plane.along - slope, spot.x - middle))
            for name, spot in corners_of(survey).items()
        )
    zones = zones_of(build, bank)
    xs, ys = [z.spot.x for z in zones], [z.spot.y for z in zones]
    ends = (("front", min(xs)), ("rear", max(xs)))
    sides = (("intake", max(ys)), ("exhaust", min(ys)))
    return tuple(CutAt(f"{e} {s}", Spot(x, y), first + slope * x) for e, x in ends for s, y in sides)


def _read_there(survey: FaceSurvey, spot: Spot, otherwise: float) -> float:
    """The height that was read at a spot of a face, in mm; another where nobody read just there."""
    near = (
        p for p in survey.points if p.z is not None and math.hypot(p.x - spot.x, p.y - spot.y) <= _AT_SPOT
    )
    return next((p.z for p in near if p.z is not None), otherwise)


def _tilt(slope: float, x: float) -> float:
    """What a finished plane that is not parallel with the crank rises by; the plan says so by its two ends."""
    return slope * x


def _shim(build: Build, bank: Bank, cuts: dict[int, float], span: float | None) -> float | None:
    n = len(bank.cylinders)
    wedge = cuts[bank.cylinders[-1]] - cuts[bank.cylinders[0]]
    if span is None or n < 2 or abs(wedge) < 1e-9:
        return None
    return wedge / (_pitch(build) * (n - 1)) * span


def _mark(sheet: FaceSheet, build: Build) -> str:
    """What a printed sheet is known by: its figures to the micrometre, so that a change of any shows."""
    told = [
        *(
            (one.name, round(one.cut, 3), one.finish and round(one.finish, 3))
            for one in (*sheet.holes, *sheet.corners)
        ),
        round(sheet.half, 4),
        sheet.shim and round(sheet.shim, 3),
        sheet.limit and round(min(sheet.limit, 1e6), 3),
        sheet.least,
        sheet.to_height,
        build.facing.gasket_kind,
        build.facing.set_up,
    ]
    return hashlib.sha256(json.dumps(told).encode()).hexdigest()[:10]


class PrintedSheet(NamedTuple):
    """What the code of a printed sheet holds: the build's version and newest fact, its cut in µm, its mark."""

    version: int
    fact: int
    cut: int
    mark: str

    @property
    def code(self) -> str:
        """As it stands in an address."""
        return f"{self.version}.{self.fact}.{self.cut}.{self.mark}"


def read_code(code: str) -> PrintedSheet | None:
    """Return what the code of a printed sheet says; None where it is none.

    Parameters
    ----------
    code : str
        Of an address.

    Examples
    --------
    >>> read_code("12.40.180.0a1b2c3d4e").cut, read_code("12.x"), read_code("")
    (180, None, None)
    """
    parts = code.split(".")
    if len(parts) != 4 or not all(p.isascii() and p.isdigit() and len(p) < 10 for p in parts[:3]):
        return None
    version, fact, cut, mark = parts
    return PrintedSheet(int(version), int(fact), int(cut), mark[:10])
