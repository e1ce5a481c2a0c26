"""The shapes of what is noted at the machine and signed beside a build, as models: facts, all of them."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field as Slot
from pydantic import StringConstraints

from zygometra.core.build.cut_log import CUT_OPS, PASS_KINDS
from zygometra.core.cutting.agreement import PARTIES, WAYS
from zygometra.core.faces.model import SET_UPS
from zygometra.core.units import Kind

from .face_shapes import Along, SpanShape
from .shapes import CylinderNumber, Id, Moment, Note, Shape, Word, plain_slot

Off: Any = plain_slot(Kind.LENGTH, "exact", -50, 50)
PassDepth: Any = plain_slot(Kind.LENGTH, "exact", 0, 10)
Depth: Any = plain_slot(Kind.LENGTH, "exact", 0, 50)
Zones = Annotated[list[Word], Slot(max_length=200)]
Figures = Annotated[
    dict[Note, Annotated[float, Slot(allow_inf_nan=False)] | Note | None], Slot(max_length=2000)
]
Number = Annotated[float, Slot(ge=0, le=1e6, allow_inf_nan=False)]
Said = Annotated[str, StringConstraints(min_length=1, max_length=400)]


class SweptShape(Shape):
    """One reading of a sweep."""

    x: Along
    y: Along
    z: Off


class SetUpRecordShape(Shape):
    """How a part was set up before the first chip: a fact."""

    id: Id
    op: Literal[CUT_OPS]  # type: ignore[valid-type]
    bank: Note | None = None
    machine: Word | None = None
    shop: Word | None = None
    reference: Literal[(*SET_UPS, "its own face", "pin arbor")] | None = None  # type: ignore[valid-type]
    sweep: Annotated[list[SweptShape], Slot(max_length=200)] | None = None
    moved: Annotated[str, StringConstraints(max_length=400)] | None = None
    spring: Off = None
    rigid: bool | None = None
    limit: Depth = None
    aim: Literal["height", "clean"] | None = None
    support_span: SpanShape | None = None
    by: Note | None = None
    at: Moment = None


class PassShape(Shape):
    """One pass as it was made: a fact."""

    id: Id
    op: Literal[CUT_OPS]  # type: ignore[valid-type]
    bank: Note | None = None
    cylinder: CylinderNumber | None = None
    number: Annotated[int, Slot(ge=1, le=999, strict=True)] | None = None
    depth: PassDepth
    kind: Literal[PASS_KINDS] | None = None  # type: ignore[valid-type]
    feed: Number | None = None
    speed: Number | None = None
    touched: Zones | None = None
    clean: Zones | None = None
    stopped: Off = None
    finished: Annotated[list[Off], Slot(max_length=8)] | None = None
    says: Annotated[str, StringConstraints(max_length=400)] | None = None
    by: Note | None = None
    at: Moment = None


class AcceptedShape(Shape):
    """Something passed with a name: a gate or what it is about, and the places and values that it covered."""

    id: Id
    gate: Annotated[int, Slot(ge=1, le=18, strict=True)] | None = None
    about: Annotated[str, StringConstraints(min_length=1, max_length=200)] | None = None
    against: Annotated[str, StringConstraints(min_length=1, max_length=200)] | None = None
    reason: Annotated[str, StringConstraints(min_length=3, max_length=500)]
    fails: Annotated[list[Note], Slot(max_length=200)] | None = None
    covers: dict[Note, Annotated[float, Slot(allow_inf_nan=False)] | None] | None = None
    by: Note | None = None
    at: Moment = None


class OptionShape(Shape):
    """One way a question may be answered."""

    name: Said
    cost: Annotated[float, Slot(ge=-1e9, le=1e9, allow_inf_nan=False)] | None = None
    days: Annotated[float, Slot(ge=0, le=10_000, allow_inf_nan=False)] | None = None
    irreversible: Annotated[str, StringConstraints(max_length=400)] | None = None


class FallbackShape(Shape):
    """An option that is kept open, and until when it can be."""

    option: Said
    until: Said


class DecisionShape(Shape):
    """A question that was asked, or the answer to one: a fact."""

    id: Id
    text: Said | None = None
    options: Annotated[list[OptionShape], Slot(max_length=12)] | None = None
    rests_on: Figures | None = None
    ask: Word | None = None
    way: Literal[WAYS] | None = None  # type: ignore[valid-type]
    blocks: Annotated[str, StringConstraints(max_length=400)] | None = None
    fallback: FallbackShape | None = None
    answers: Id | None = None
    option: Said | None = None
    who: Said | None = None
    says: Annotated[str, StringConstraints(max_length=400)] | None = None
    by: Note | None = None
    at: Moment = None


class AgreementShape(Shape):
    """A party's agreement to the specification as it stood: a fact."""

    id: Id
    party: Literal[PARTIES]  # type: ignore[valid-type]
    name: Said
    way: Literal[WAYS] | None = None  # type: ignore[valid-type]
    covers: Figures
    by: Note | None = None
    at: Moment = None


class VerifiedShape(Shape):
    """What a finished cut came out at beside what was asked of its machine: a fact."""

    id: Id
    op: Literal[CUT_OPS]  # type: ignore[valid-type]
    bank: Note | None = None
    cylinder: CylinderNumber | None = None
    machine: Word | None = None
    shop: Word | None = None
    asked: Depth
    achieved: Off
    u: Depth = None
    by: Note | None = None
    at: Moment = None
