"""What is to be said of a surveyed face: where the tool does not reach, what no tilt mends, limits near by."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from msgspec import structs

from ..place import Place
from ..written import Length, judged
from .registry import Case, Judges
from .said import NOWHERE, Code, Said, said

if TYPE_CHECKING:
    from ..faces.survey import Surveyed

JUDGES = Judges()

DOES_NOT_REACH = Code(
    "face-not-reached",
    "stop",
    "{face}: the finished height asked for lies {over} over the lowest point: there the tool takes nothing.",
    "A face that is not cleaned everywhere does not seal.",
    do="Ask for a lower finish, or for the highest that cleans everything.",
    is_final=True,
)
UNDER_LIMIT = Code(
    "face-under-limit",
    "stop",
    "{face}: the finish comes to {height}, under the least of {limit}.",
    "What is left must carry bolts and gasket; the maker's figure and a qualified machinist decide.",
    do="Take less, or look for another casting.",
    is_final=True,
)
TWISTED = Code(
    "face-twisted",
    "note",
    "{face}: its corners stand crosswise: whatever the tilt, cleaning it up takes {depth} at the deepest.",
    "(front intake + rear exhaust) against (front exhaust + rear intake): raising one corner lowers another.",
    do="Set it up by the points that hold its plane; do not chase one corner with shims.",
)
ACROSS = Code(
    "across-not-checked",
    "note",
    "{face}: all points lie on the line of the cylinders: the slope across was not checked.",
    "One line of readings says nothing about the other direction.",
    do="Read points at both edges of the face.",
)
SET_UP_UNNAMED = Code(
    "set-up-not-named",
    "note",
    "{face}: nobody said what it is set up by; taken as by the crank's centreline.",
    "By the pan rail the error of the rail is copied into the face.",
    do="Name the set-up on the cut sheet.",
)
RAIL_UNKNOWN = Code(
    "rail-slope-unknown",
    "warn",
    "{face}: it is set up by the pan rail, and how the rail lies to the crank was not read; taken as parallel.",
    "Whatever the rail is off stays in the face.",
    do="Read the rail against the main bores, or set up by an arbor through them.",
)
RAIL_LEFT = Code(
    "rail-slope-left",
    "warn",
    "{face}: set up by the pan rail it keeps a slope of {along} along and {across} across per metre.",
    "The tool goes parallel with the rail, not with the crank.",
    do="Shim the rail so that the crank is level, or set up by an arbor.",
)
NEAR_FLAT = Code(
    "flatness-near-limit",
    "note",
    "{face}: out of flat by {flatness} where {limit} is allowed: nearer to the limit than the readings tell apart.",
    "Within twice its doubt of the limit a verdict is the toss of a coin.",
    do="Read the points that hold the plane again.",
)
NEAR_HEIGHT = Code(
    "face-height-near-limit",
    "note",
    "{face}: the highest clean finish of {height} is nearer to the least of {limit} than the readings tell apart.",
    "Within twice its doubt of the limit nobody knows on which side it lies.",
    do="Read the lowest points again before the first chip.",
)
OVER_150 = Code(
    "flatness-over-150",
    "warn",
    "{face}: out of flat by {flatness} within 150 mm, where {limit} is allowed.",
    "A gasket bridges a long wave, not a short step.",
    do="Face it, or look for a dent or a sunken liner there.",
)
DRAWING = Code(
    "face-off-drawing",
    "warn",
    "{face}: it stands {off} {way} the drawing's {drawing} on the line of the cylinders.",
    "Somebody has cut it before, or the datum is not what the drawing means.",
    do="Look for earlier work; add it to what the face may still lose.",
)
HOUSE_DOUBT = Code(
    "survey-doubt-assumed",
    "note",
    "{face}: no doubt is stated for its points; the house's ± 0.01 mm stands in.",
    "An unknown is not zero.",
    do="Enter the gauge that read them.",
)
BANKS_DIFFER = Code(
    "decks-differ",
    "note",
    "The decks of bank {first} and bank {second} differ by {off} at the first hole and {there} at the last.",
    "One cut on both leaves one bank with more room over its pistons than the other.",
    do="True both to one height, or give each its gasket.",
)
CAM_BORES = Code(
    "cam-bores-in-doubt",
    "stop",
    "The head of bank {bank} is bowed by {bow}: facing it flat leaves its cam bores bent.",
    "The cam runs in bores that bent with the face; a straight face does not make them straight.",
    do="Straighten or line-bore it first. Note the line of the bores, or that the cam turns freely after facing.",
)
CODES = (
    DOES_NOT_REACH,
    UNDER_LIMIT,
    TWISTED,
    ACROSS,
    SET_UP_UNNAMED,
    RAIL_UNKNOWN,
    RAIL_LEFT,
    NEAR_FLAT,
    NEAR_HEIGHT,
    OVER_150,
    DRAWING,
    HOUSE_DOUBT,
)

# The last bits of a sum.
_NOTHING = 1e-9
# Against the drawing: so many times the joint doubt, and no less than this, in mm.
_TIMES, _LEAST_OFF = 3.0, 0.02


@JUDGES.of_engine(*CODES)
def surveyed_faces(case: Case) -> Iterable[Said]:
    """The surveyed decks and heads of a build, each by itself."""
    if not case.build.surveys:
        return
    from ..measuring.faces import decks, heads

    several = len(case.build.banks) > 1
    for name, face in decks(case.build, case.rules, case.now).items():
        called = f"Deck {name}" if several else "Deck"
        yield from survey_says(face.found, called, Place.on_bank(name, "deck_height"))
    for (name, held), face in heads(case.build, case.rules).items():
        called = f"Head {name}" if several else "Head"
        yield from survey_says(face.found, f"{called}, {held}" if held else called, Place.on_bank(name, ""))


@JUDGES.of_engine(BANKS_DIFFER, CAM_BORES)
def bank_against_bank(case: Case) -> Iterable[Said]:
    """Decks that stand at unequal heights; heads whose cam bores bent with them."""
    if not case.build.surveys:
        return
    from ..measuring.faces import bent_heads, deck_difference, decks, heads

    faces = decks(case.build, case.rules, case.now)
    for (first, one), (second, other) in itertools.pairwise(faces.items()):
        ends = deck_difference(one, other)
        if ends and max(abs(end.mm) - 2 * end.u for end in ends) > _LEAST_OFF:
            yield said(
                BANKS_DIFFER,
                Place.on_bank(second, "deck_height"),
                first=first,
                second=second,
                off=Length(ends[0].mm, ends[0].u),
                there=Length(ends[1].mm, ends[1].u),
            )
    if case.build.valve_gear == "overhead cam":
        for bank, bow in bent_heads(heads(case.build, case.rules)):
            told = {step.bank for step in case.build.steps if step.kind.key == "cam-bores"}
            if not told & {"", bank}:
                yield said(CAM_BORES, Place.on_bank(bank, ""), bank=bank, bow=Length(bow.mm, bow.u))


def survey_says(found: Surveyed, face: str = "", where: Place = NOWHERE) -> Iterator[Said]:
    """Yield what is to be said of a survey.

    Parameters
    ----------
    found : Surveyed
        Evaluated.
    face : str
        What it is called; deck or head where nobody calls it otherwise.
    where : Place
        Of a build.

    Yields
    ------
    Said
        In no order.
    """
    name = face or found.survey.face.capitalize()
    for judge in (_of_the_cut, _of_the_set_up, _of_the_shape, _against_drawing):
        for one in judge(found):
            yield structs.replace(one, given={**one.given, "face": name}, where=where)
    if found.survey.doubt_is_house:
        yield said(HOUSE_DOUBT, where, face=name)


def _of_the_cut(found: Surveyed) -> Iterator[Said]:
    face, cut = found.survey, found.cut
    if cut.least.mm < -_NOTHING:
        yield said(DOES_NOT_REACH, over=Length(-cut.least.mm, cut.least.u))
    limit = face.least_height
    if limit is None:
        return
    # Where the verdict is that nothing can be saved, the cut asked for is under it as well.
    lowest = found.highest.mm - (cut.least.mm - face.allowance if face.height is not None else 0.0)
    if lowest < limit - _NOTHING:
        height, edge = judged(lowest, limit, found.highest.u)
        yield said(UNDER_LIMIT, height=height, limit=edge)
    if abs(found.highest.mm - limit) <= 2 * found.highest.u:
        height, edge = judged(found.highest.mm, limit, found.highest.u)
        yield said(NEAR_HEIGHT, height=height, limit=edge)


def _of_the_set_up(found: Surveyed) -> Iterator[Said]:
    face = found.survey
    if face.face == "deck" and not face.set_up:
        yield said(SET_UP_UNNAMED)
    if face.set_up != "pan rail":
        return
    along, across = face.rail_slope
    if along is None or across is None:
        yield said(RAIL_UNKNOWN)
    elif max(abs(along), abs(across)) > _NOTHING:
        yield said(RAIL_LEFT, along=Length(1000 * along), across=Length(1000 * across))


def _of_the_shape(found: Surveyed) -> Iterator[Said]:
    face, flatness = found.survey, found.flatness
    if face.is_on_axis:
        yield said(ACROSS)
    limit = face.flatness_limit
    if limit is not None:
        if abs(flatness.mm - limit) <= 2 * flatness.u:
            written, edge = judged(flatness.mm, limit, flatness.u)
            yield said(NEAR_FLAT, flatness=written, limit=edge)
        if found.certificate is not None and found.certificate.mm > limit:
            yield said(TWISTED, depth=Length(found.certificate.mm, found.certificate.u))
    local = face.flatness_150_limit
    if local is not None and found.over_150 > local:
        written, edge = judged(found.over_150, local, flatness.u)
        yield said(OVER_150, flatness=written, limit=edge)


def _against_drawing(found: Surveyed) -> Iterator[Said]:
    face = found.survey
    if face.drawing_height is None:
        return
    off, u = found.middle.mm - face.drawing_height, math.hypot(found.middle.u, face.drawing_u)
    if abs(off) > max(_TIMES * u, _LEAST_OFF):
        way = "over" if off > 0 else "under"
        yield said(DRAWING, off=Length(abs(off), u), way=way, drawing=Length(face.drawing_height))
