"""The shapes of surveyed faces and of what is noted and decided about them, as models."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field as Slot
from pydantic import StringConstraints

from zygometra.core.build.valve_gear import VALVE_FACES
from zygometra.core.faces.facing import GASKET_KINDS, TARGETS
from zygometra.core.faces.model import SET_UPS
from zygometra.core.measuring.face_surveys import DATUMS, HELD
from zygometra.core.measuring.steps import KINDS, STATES
from zygometra.core.units import Kind

from .shapes import CylinderNumber, Id, Moment, Note, Shape, plain_slot

MOST_POINTS = 20_000
# Of one survey beside a build: a probe's grid, not a scan.
MOST_BESIDE = 2000

Along: Any = plain_slot(Kind.LENGTH, "exact", -20_000, 20_000)
Height: Any = plain_slot(Kind.LENGTH, "surveyed", -20_000, 20_000)
Depth: Any = plain_slot(Kind.LENGTH, "exact", 0, 50)
Length: Any = plain_slot(Kind.LENGTH, "exact", 0, 20_000)
Slope = Annotated[float, Slot(ge=-200, le=200, allow_inf_nan=False)]
CornerName = Annotated[str, StringConstraints(min_length=1, max_length=80)]
Corner = Annotated[list[Along], Slot(min_length=2, max_length=2)]
Corners = Annotated[dict[CornerName, Corner], Slot(max_length=40)]


class PointShape(Shape):
    """A point: where it is, and how high; a skim log may leave the height out."""

    x: Along
    y: Along
    z: Height = None


class HeightShape(Shape):
    """A point that was read."""

    x: Along
    y: Along
    z: Height


class SpanShape(Shape):
    """Between the machinist's supports."""

    along: Length = None
    across: Length = None


class SlopeShape(Shape):
    """Rise against the crank, mm per m."""

    along: Slope | None = None
    across: Slope | None = None


class BoreShape(Shape):
    """Where a bore lies on the deck, as probed; from the first cylinder."""

    number: CylinderNumber
    x: Along
    y: Along
    diameter: Length
    out_of_round: Length = None


class FaceSurveyShape(Shape):
    """One survey of a deck or a head of the build: a fact."""

    id: Id
    face: Literal["deck", "head"]
    bank: Note
    datum: Literal[DATUMS] | None = None  # type: ignore[valid-type]
    held: Literal[HELD] | None = None  # type: ignore[valid-type]
    gauge: Id | None = None
    points: Annotated[list[HeightShape], Slot(min_length=3, max_length=MOST_BESIDE)]
    corners: Corners | None = None
    rail_slope: SlopeShape | None = None
    bores: Annotated[list[BoreShape], Slot(max_length=99)] | None = None
    simulated: bool | None = None
    says: Note | None = None
    by: Note | None = None
    at: Moment = None


class StepShape(Shape):
    """A step of the work as it was done: a fact."""

    id: Id
    step: Literal[tuple(kind.key for kind in KINDS)]  # type: ignore[valid-type]
    state: Literal[STATES]  # type: ignore[valid-type]
    bank: Note | None = None
    cylinder: CylinderNumber | None = None
    on: Moment = None
    says: Annotated[str, StringConstraints(max_length=400)] | None = None
    by: Note | None = None
    at: Moment = None


class FacingShape(Shape):
    """What was decided about facing decks and heads."""

    gasket_kind: Literal[GASKET_KINDS] | None = None  # type: ignore[valid-type]
    set_up: Literal[SET_UPS] | None = None  # type: ignore[valid-type]
    target: Literal[TARGETS] | None = None  # type: ignore[valid-type]
    allowance: Depth = None
    height: Along = None
    support_span: SpanShape | None = None
    least_deck_height: Along = None
    head_cut_so_far: Depth = None


Positive: Any = plain_slot(Kind.LENGTH, "exact", 0.1, 5000)
Preload: Any = plain_slot(Kind.LENGTH, "exact", -20, 50)
Tilt: Any = plain_slot(Kind.ANGLE, "exact", 0, 80)
FaceAngle: Any = plain_slot(Kind.ANGLE, "exact", 0, 180)


class PreloadShape(Shape):
    """Between what lifters take."""

    min: Preload = None
    max: Preload = None


class RoomShape(Shape):
    """Room between valve and piston along the bore."""

    intake: Preload = None
    exhaust: Preload = None


class TiltShape(Shape):
    """How the valves stand against the bore."""

    intake: Tilt = None
    exhaust: Tilt = None


class ValveGearShape(Shape):
    """What opens the valves, for what a cut does elsewhere."""

    kind: Literal["pushrod", "overhead cam", "valve in block"] | None = None
    pitch_radius: Positive = None
    run_cosine: Annotated[float, Slot(ge=-1, le=1, allow_inf_nan=False)] | None = None
    pushrod_tilt: Tilt = None
    pushrod_length: Positive = None
    pushrods: Annotated[list[Positive], Slot(max_length=100)] | None = None
    preload: Preload = None
    preload_range: PreloadShape | None = None
    intake_face_angle: FaceAngle = None
    manifold_room: Depth = None
    valve_room: RoomShape | None = None
    valve_angle: TiltShape | None = None
    valve_faces: Literal[VALVE_FACES] | None = None  # type: ignore[valid-type]
