"""Faces of a build: its surveys put as questions, and the deck heights that they give the holes."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from ..build.levers import limit_of
from ..build.model import Bank, Build
from ..errors import ZygometraError
from ..faces.bend import shape_of
from ..faces.facing import Facing
from ..faces.model import Spot, Survey
from ..faces.planes import least_squares
from ..faces.survey import Depth, Surveyed, survey
from ..fields import FIELD
from ..house_rules import HouseRules
from ..place import Place
from ..quantity import Quantity
from ..stack.evaluate import evaluate
from ..stack.results import State
from ..uncertainty import Cause, Term, term_of
from ..units import MM, Kind
from .face_surveys import FaceSurvey, in_use

_ON_PAPER = ("catalogue", "advertised")
# Where no gasket says how flat a head must be, in mm.
_USUAL_BOW = 0.05


class Face(NamedTuple):
    """A face of a build: the survey that counts, and what it comes to."""

    survey: FaceSurvey
    found: Surveyed


def surveys_in_use(build: Build) -> dict[tuple[str, str, str], FaceSurvey]:
    """Return the survey that counts of each face, by face, bank and how it was held.

    Parameters
    ----------
    build : Build
        With its facts.
    """
    return in_use(build.surveys, build.logbook.void if build.logbook else {})


def hole_spots(build: Build, bank: Bank, found: FaceSurvey) -> dict[int, Spot]:
    """Return where the holes of a bank lie on its deck: as probed, else by the pitch from the first, in mm.

    See trade.md 8.

    Parameters
    ----------
    build : Build
        For its bore pitch.
    bank : Bank
        The bank.
    found : FaceSurvey
        Of its deck or head.

    Returns
    -------
    dict of int to Spot
        Empty where neither is known.
    """
    probed = {one.number: Spot(one.x, one.y) for one in found.bores if one.number in bank.cylinders}
    pitch = build.figures.get("engine.bore_pitch")
    spots = {}
    for i, number in enumerate(bank.cylinders):
        if number in probed:
            spots[number] = probed[number]
        elif pitch is not None and pitch.value:
            spots[number] = Spot(i * pitch.value, 0.0)
    return spots


def corners_of(found: FaceSurvey) -> dict[str, Spot]:
    """Return the corners of a survey: as it names them, else where its outermost points lie.

    Parameters
    ----------
    found : FaceSurvey
        A survey.

    Returns
    -------
    dict of str to Spot
        Two ends where every point lies on the axis.
    """
    if found.corners:
        return dict(found.corners)
    xs, ys = [p.x for p in found.points], [p.y for p in found.points]
    front, rear = min(xs), max(xs)
    if min(ys) == max(ys):
        return {"front": Spot(front, ys[0]), "rear": Spot(rear, ys[0])}
    return {
        "front exhaust": Spot(front, min(ys)),
        "rear exhaust": Spot(rear, min(ys)),
        "rear intake": Spot(rear, max(ys)),
        "front intake": Spot(front, max(ys)),
    }


def question(build: Build, found: FaceSurvey, rules: HouseRules) -> Survey:
    """Return a survey of a build as a question: each face by itself, just cleaned.

    Parameters
    ----------
    build : Build
        For its decisions, its drawing and its holes.
    found : FaceSurvey
        What was surveyed.
    rules : HouseRules
        For what a gasket still seals.
    """
    facing = build.facing
    bank = next(one for one in build.banks if one.name == found.bank)
    is_deck = found.face == "deck"
    drawn = _drawn(build, found.bank) if is_deck and found.datum == "crank" else None
    kind = facing.gasket_kind
    return Survey(
        face=found.face,
        points=found.points,
        corners=corners_of(found),
        cylinders=hole_spots(build, bank, found),
        drawing_height=drawn.value if drawn else None,
        drawing_u=math.hypot(drawn.u, found.shared_u) if drawn else 0.0,
        support_span=facing.support_span,
        set_up=facing.set_up,
        rail_slope=found.rail_slope,
        allowance=facing.allowance,
        height=None,
        least_height=facing.least_deck_height if is_deck and found.datum == "crank" else None,
        flatness_limit=rules[f"flat_limit.{kind}"] if kind else None,
        flatness_150_limit=rules[f"flat_150.{kind}"] if kind else None,
        doubt_is_house=found.doubt_is_house,
    )


def _drawn(build: Build, bank: str) -> Quantity | None:
    """The deck height on paper, where it is one of a drawing or a catalogue."""
    paper = build.paper or build.figures
    drawn = paper.get(f"banks.{bank}.deck_height") or paper.get(FIELD["block.deck_height"].path)
    return drawn if drawn is not None and drawn.basis in _ON_PAPER else None


def decks(build: Build, rules: HouseRules, now: State | None = None) -> dict[str, Face]:
    """Return what the surveyed decks of a build come to, cut as was decided, by bank.

    Parameters
    ----------
    build : Build
        With its surveys.
    rules : HouseRules
        In force.
    now : State, optional
        As it stands: for a deck clearance that is to be reached.

    Returns
    -------
    dict of str to Face
        Only banks whose deck was surveyed.
    """
    used = {key[1]: one for key, one in surveys_in_use(build).items() if key[0] == "deck"}
    faces = {}
    for bank in build.banks:
        if bank.name in used:
            asked = question(build, used[bank.name], rules)
            faces[bank.name] = Face(used[bank.name], survey(asked))
    heights = _heights_asked(build, build.facing, faces, now)
    for name, height in heights.items():
        face = faces[name]
        faces[name] = face._replace(found=survey(replace(face.found.survey, height=height, allowance=0.0)))
    return faces


def _heights_asked(
    build: Build, facing: Facing, faces: Mapping[str, Face], now: State | None
) -> dict[str, float]:
    """The finished height of each bank where it is not just to be cleaned."""
    if facing.target == "height" and facing.height is not None:
        return dict.fromkeys(faces, facing.height)
    if facing.target == "common" and faces:
        return dict.fromkeys(faces, min(face.found.cut.finished_height.mm for face in faces.values()))
    if facing.target != "clearance" or now is None:
        return {}
    aims, heights = aims_of_clearance(build), {}
    for name, face in faces.items():
        # What stands under each rim: the deck there, less how far it stops below.
        stacks = [
            face.found.plane.at(*spot) - clearance
            for number, spot in face.found.survey.cylinders.items()
            if (clearance := now.hole(number).outcome.deck_clearance) is not None
        ]
        if stacks and name in aims:
            heights[name] = math.fsum(stacks) / len(stacks) + aims[name].left
    return heights


class Aim(NamedTuple):
    """A deck clearance in mm: that which is aimed at, and that which a deck cut has to leave of today's.

    They differ by what a planned crown cut adds.
    """

    wanted: float
    left: float


def aims_of_clearance(build: Build) -> dict[str, Aim]:
    """Return the deck clearance that each bank aims at: its own, else what its quench leaves over its gasket.

    Parameters
    ----------
    build : Build
        With its windows and its plan.

    Returns
    -------
    dict of str to Aim
        Banks without an aim, or whose gasket is not known, are left out.
    """
    own, quench = build.targets.deck_clearance, build.targets.quench
    clearance, gap = _aim(own.low, own.aim, own.high), _aim(quench.low, quench.aim, quench.high)
    if clearance is None and gap is None:
        return {}
    try:
        now, then = evaluate(replace(build, planned=tuple(op for op in build.planned if op.op != "deck_cut")))
    except ZygometraError:
        return {}
    aims = {}
    for bank in build.banks:
        before, after = (state.hole(bank.cylinders[0]).outcome for state in (now, then))
        wanted = clearance
        if wanted is None and gap is not None and after.gasket_thickness is not None:
            wanted = gap - after.gasket_thickness
        if wanted is None:
            continue
        raised = 0.0
        if before.deck_clearance is not None and after.deck_clearance is not None:
            raised = after.deck_clearance - before.deck_clearance
        aims[bank.name] = Aim(wanted, wanted - raised)
    return aims


def _aim(low: float | None, aim: float | None, high: float | None) -> float | None:
    if aim is not None:
        return aim
    if low is not None and high is not None:
        return (low + high) / 2
    return low if low is not None else high


def heads(build: Build, rules: HouseRules) -> dict[tuple[str, str], Face]:
    """Return what the swept heads of a build come to, by bank and how they were held.

    Parameters
    ----------
    build : Build
        With its surveys.
    rules : HouseRules
        In force.

    Returns
    -------
    dict of (str, str) to Face
        A head that would lose more than a head may lose, with what it lost before, cannot be saved.
    """
    limit, _ = limit_of(build, "head_cut", rules)
    left = limit - build.facing.head_cut_so_far
    faces = {}
    for (face, bank, held), one in surveys_in_use(build).items():
        if face != "head":
            continue
        found = survey(question(build, one, rules))
        if found.verdict == "face" and found.least_cut.most.mm > left:
            found = replace(found, verdict="cannot be saved")
        faces[bank, held] = Face(one, found)
    return faces


def heights(build: Build) -> dict[str, Quantity]:
    """Return the deck heights that surveys give to holes in which nobody read one; in mm (trade.md 7).

    Parameters
    ----------
    build : Build
        With its surveys, and the figures that its readings gave.

    Returns
    -------
    dict of str to Quantity
        By place; basis measured. The point read at the hole, else the plane there; terms that holes share
        carry the same key: the gauge, and the three of the plane.
    """
    found: dict[str, Quantity] = {}
    for (face, name, _), one in surveys_in_use(build).items():
        if face != "deck" or one.datum != "crank":
            continue
        bank = next(b for b in build.banks if b.name == name)
        asked = Survey("deck", one.points)
        x, y, z, u = (np.array(column, dtype=float) for column in zip(*one.points, strict=True))
        fitted = least_squares(x, y, z, on_axis=asked.is_on_axis)
        root = _root(fitted.weights * u)
        for number, spot in hole_spots(build, bank, one).items():
            place = str(Place.hole(number, "deck_height"))
            if place in build.figures and build.figures[place].terms:
                continue
            apart = np.hypot(x - spot.x, y - spot.y)
            nearest = int(np.argmin(apart))
            shared = (term_of(Cause.GAUGE, one.gauge, one.shared_u),) if one.shared_u else ()
            if apart[nearest] <= 0.5:
                own = (term_of(Cause.SURVEY, f"{one.id}, point {nearest + 1}", float(u[nearest])),)
                found[place] = _height(float(z[nearest]), (*own, *shared))
                continue
            at = np.array([1.0, spot.x, spot.y][: len(fitted.weights)])
            parts = tuple(
                term_of(Cause.SURVEY, f"{one.id}, plane {k + 1}", float(by)) for k, by in enumerate(at @ root)
            )
            found[place] = _height(fitted.plane.at(*spot), (*parts, *shared))
    return found


def _root(weighted: np.ndarray) -> np.ndarray:
    """A square root of the covariance W·W': as many independent sources as the plane has terms."""
    values, vectors = np.linalg.eigh(weighted @ weighted.T)
    root: np.ndarray = vectors * np.sqrt(np.maximum(values, 0.0))
    return root


def _height(value: float, terms: tuple[Term, ...]) -> Quantity:
    kept = tuple(term for term in terms if term.u)
    return Quantity(
        value=value,
        u=math.sqrt(math.fsum(term.u**2 for term in kept)),
        dof=math.inf,
        unit=MM,
        number=value,
        kind=Kind.LENGTH,
        basis="measured",
        basis_stated=True,
        doubt="readings",
        each=False,
        as_typed={"value": round(value, 4), "unit": "mm", "basis": "measured"},
        terms=kept,
    )


def deck_difference(first: Face, second: Face) -> tuple[Depth, Depth] | None:
    """Return how much higher one deck stands than another, at the first hole and at the last, in mm.

    Parameters
    ----------
    first, second : Face
        Two banks of a block; what both copied from one arbor drops out.

    Returns
    -------
    tuple of Depth, or None
        None where no hole has a place.
    """
    spots = [list(face.found.survey.cylinders.values()) for face in (first, second)]
    if not all(spots):
        return None
    ends = []
    for i in (0, -1):
        one, other = first.found.plane.at(*spots[0][i]), second.found.plane.at(*spots[1][i])
        ends.append(Depth(one - other, math.hypot(*(face.found.middle.u for face in (first, second)))))
    return ends[0], ends[1]


def bent_heads(faces: Mapping[tuple[str, str], Face]) -> list[tuple[str, Depth]]:
    """Return the heads that are bowed by more than their gasket allows, with their bow along.

    Parameters
    ----------
    faces : Mapping
        As :func:`heads` returns them; where no gasket is named, by more than 0.05 mm.
    """
    bent: dict[str, Depth] = {}
    for (bank, _), face in faces.items():
        shape = shape_of(face.found.survey)
        limit = face.found.survey.flatness_limit or _USUAL_BOW
        if shape is not None and abs(shape.bow_along.mm) > max(
            limit, abs(bent.get(bank, Depth(0.0, 0.0)).mm)
        ):
            bent[bank] = Depth(abs(shape.bow_along.mm), shape.bow_along.u)
    return list(bent.items())
