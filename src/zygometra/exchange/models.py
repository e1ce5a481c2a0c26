"""The shape of a build file, as models: the one source of its validation and JSON Schema."""

# long: one format, object by object
from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import ConfigDict, StringConstraints, TypeAdapter, WithJsonSchema
from pydantic import Field as Slot

from zygometra.core.build.lever_table import OPS
from zygometra.core.build.means import PART_KINDS
from zygometra.core.build.model import LAYOUTS, MOST_CYLINDERS
from zygometra.core.errors import QuantityError
from zygometra.core.fields import BANK_NAMES, CYLINDER_NAMES, FIELD
from zygometra.core.measuring.facts import MOST, MOST_FACTS
from zygometra.core.measuring.logbook import AXES, READABLE, SURFACES
from zygometra.core.measuring.read_in import MOST_SHOTS, gauge_figure, gauge_off
from zygometra.core.planning.disassembly import ASSEMBLED
from zygometra.core.units import Kind
from zygometra.core.windows import WINDOW_SOURCES

from .cut_shapes import (
    AcceptedShape,
    AgreementShape,
    DecisionShape,
    PassShape,
    SetUpRecordShape,
    VerifiedShape,
)
from .face_shapes import FaceSurveyShape, FacingShape, StepShape, ValveGearShape
from .means_shapes import (
    BetweenHolesShape,
    CutLever,
    Days,
    Money,
    Needs,
    OpeningLever,
    PartChoiceShape,
    PlanningShape,
    SetUpShape,
    SpreadShape,
    SwapLever,
)
from .shapes import (
    QUANTITY_SCHEMA,
    BankName,
    Cut,
    CylinderNumber,
    Gap,
    Height,
    Id,
    Moment,
    Name,
    Note,
    Ratio,
    Shape,
    Word,
    checked,
    of_field,
    plain_slot,
    planned_amount,
)
from .shapes import (
    spread as difference_of_ratio,
)


class BankShape(Shape):
    """One bank: its name and its cylinders from the front."""

    name: BankName
    cylinders: Annotated[list[CylinderNumber], Slot(min_length=1, max_length=MOST_CYLINDERS)]


class EngineShape(Shape):
    """The engine's layout and banks."""

    layout: Literal[LAYOUTS]  # type: ignore[valid-type]
    bank_angle: of_field(FIELD["engine.bank_angle"]) = None  # type: ignore[valid-type]
    bore_pitch: of_field(FIELD["engine.bore_pitch"]) = None  # type: ignore[valid-type]
    displacement: of_field(FIELD["engine.displacement"]) = None  # type: ignore[valid-type]
    family: Name | None = None
    assembled: Literal[ASSEMBLED] | None = None  # type: ignore[valid-type]
    banks: Annotated[list[BankShape], Slot(min_length=1, max_length=8)]


def _part(title: str, part: str, **extra: Any) -> Any:
    """The model of one part: a slot for each of its fields, none of them required by shape."""
    names = {f.name: of_field(f) for f in FIELD.values() if f.part == part}
    body: dict[str, Any] = {
        "__annotations__": names | {k: v[0] for k, v in extra.items()},
        "__module__": __name__,
        "__doc__": title,
    }
    body |= dict.fromkeys(names) | {k: v[1] for k, v in extra.items()}
    return type(title.replace(" ", ""), (Shape,), body)


EdgeChamfer = _part("Edge chamfer", "bore edge")
Block = _part("Block", "block", edge_chamfer=(EdgeChamfer | None, None))
Crank = _part("Crank", "crank")
Rod = _part("Rod", "rod", material=(Literal["steel", "titanium", "aluminium"], "steel"))
Piston = _part("Piston", "piston")
GasketShape = _part("Gasket", "gasket", name=(Name | None, None))
Cam = _part("Cam", "cam")


class StepFill(Shape):
    """One fill in steps: the volume left below a depth under the face."""

    depth: plain_slot(Kind.LENGTH, "target", 0, 100)  # type: ignore[valid-type]
    below: of_field(FIELD["head.chamber_volume"])  # type: ignore[valid-type]


Head = _part(
    "Head",
    "head",
    step_fills=(Annotated[list[StepFill], Slot(min_length=2, max_length=50)] | None, None),
    material=(Literal["iron", "aluminium"] | None, None),
)


class GasketChoiceShape(GasketShape):  # type: ignore[valid-type, misc]
    """A gasket that may be had."""

    price: Money = None
    days: Days = None


# The models of the parts that may be fitted in place of what is there.
PART_SHAPES: dict[str, Any] = {
    kind: _part(f"Fitted {kind}", kind, name=(Name | None, None), **extra)
    for kind, extra in (
        ("piston", {}),
        ("rod", {"material": (Literal["steel", "titanium", "aluminium"] | None, None)}),
        ("crank", {}),
        ("head", {}),
    )
}


class PartsShape(Shape):
    """The parts that hold for the whole engine."""

    block: Block = None  # type: ignore[valid-type]
    crank: Crank = None  # type: ignore[valid-type]
    rod: Rod = None  # type: ignore[valid-type]
    piston: Piston = None  # type: ignore[valid-type]
    gasket: GasketShape = None  # type: ignore[valid-type]
    head: Head = None  # type: ignore[valid-type]


class BankFigures(Shape):
    """What was measured on, or fitted to, one bank."""

    deck_height: of_field(BANK_NAMES["deck_height"]) = None  # type: ignore[valid-type]
    gasket: GasketShape = None  # type: ignore[valid-type]


CylinderFigures: Any = type(
    "CylinderFigures",
    (Shape,),
    {
        "__annotations__": {name: of_field(f) for name, f in CYLINDER_NAMES.items()},
        "__module__": __name__,
        "__doc__": "What was measured in one hole.",
    }
    | dict.fromkeys(CYLINDER_NAMES),
)


class OperationShape(Shape):
    """One planned operation."""

    op: Literal[OPS]  # type: ignore[valid-type]
    bank: str | None = None
    cylinder: CylinderNumber | None = None
    amount: Annotated[Any, checked(planned_amount), WithJsonSchema({"x-ref": "Quantity"})] = None
    gasket: GasketShape = None  # type: ignore[valid-type]
    first: Cut = None
    last: Cut = None
    to_height: Height = None
    kind: Literal[PART_KINDS] | None = None  # type: ignore[valid-type]
    part: dict[str, Any] | None = None


PLAN: TypeAdapter[list[OperationShape]] = TypeAdapter(
    Annotated[list[OperationShape], Slot(max_length=200)], config=ConfigDict(defer_build=True)
)


WindowSource: Any = Literal[WINDOW_SOURCES] | None


class RatioWindow(Shape):
    """Least, aim and most of a ratio, and where they come from."""

    min: Ratio = None
    aim: Ratio = None
    max: Ratio = None
    source: WindowSource = None
    second_source: WindowSource = None


class GapWindow(Shape):
    """Least, aim and most of a gap, and where they come from."""

    min: Gap = None
    aim: Gap = None
    max: Gap = None
    source: WindowSource = None
    second_source: WindowSource = None


class TargetsShape(Shape):
    """The windows."""

    compression_ratio: RatioWindow | None = None
    quench: GapWindow | None = None
    deck_clearance: GapWindow | None = None
    ratio_spread: Annotated[Any, checked(difference_of_ratio), WithJsonSchema({"type": "number"})] = None
    spread: SpreadShape | None = None


class LeversShape(Shape):
    """What may be done, how far, at what cost; gaskets and parts that may be had."""

    deck_cut: CutLever | None = None
    head_cut: CutLever | None = None
    crown_cut: CutLever | None = None
    open_chamber: OpeningLever | None = None
    bowl: OpeningLever | None = None
    swap_heads: SwapLever | None = None
    gaskets: Annotated[list[GasketChoiceShape], Slot(max_length=50)] | None = None
    gasket_per_bank: bool = False
    gasket_needs: Needs = None
    parts: Annotated[list[PartChoiceShape], Slot(max_length=200)] | None = None
    set_ups: dict[Word, SetUpShape] | None = None


class FuelShape(Shape):
    """What it is to run on: an octane number, and which scale that is of."""

    octane: Annotated[float, Slot(ge=40, le=150, allow_inf_nan=False)] | None = None
    scale: Literal["RON", "AKI", "MON"] | None = None


class StatedShape(Shape):
    """Totals as people state them: compared with the parts of which they are made."""

    clearance_volume: of_field(FIELD["stated.clearance_volume"]) = None  # type: ignore[valid-type]
    compression_ratio: Ratio = None
    piston_clearance: of_field(FIELD["stated.piston_clearance"]) = None  # type: ignore[valid-type]


GaugeFigure = Annotated[Any, checked(gauge_figure), WithJsonSchema({"x-ref": "Quantity"})]
Degrees = Annotated[float, Slot(ge=-60, le=200, allow_inf_nan=False)]
MOST_READINGS = MOST_FACTS


def _off(raw: Any) -> float:
    """What a gauge showed more than its master: a length or a volume; which of them its figures say."""
    try:
        return gauge_off(raw)
    except QuantityError:
        return gauge_off(raw, Kind.VOLUME)


class CheckShape(Shape):
    """A gauge against its master on a day."""

    on: Moment
    good: bool
    off: Annotated[Any, checked(_off), WithJsonSchema({"x-ref": "Quantity"})] = None


class MishapShape(Shape):
    """What happened to a gauge on a day: dropped, crashed."""

    on: Moment
    what: Annotated[str, StringConstraints(min_length=1, max_length=80)]


class GaugeShape(Shape):
    """A gauge: numbers without a unit are in the base unit of what it reads."""

    kind: Word | None = None
    resolution: GaugeFigure = None
    u: GaugeFigure = None
    u_travel: GaugeFigure = None
    repeatability: GaugeFigure = None
    feel: GaugeFigure = None
    read_with: Id | None = None
    material: Word | None = None
    compensated: bool | None = None
    checks: Annotated[list[CheckShape], Slot(max_length=500)] | None = None
    mishaps: Annotated[list[MishapShape], Slot(max_length=500)] | None = None


class ZeroShape(Shape):
    """A gauge set on its datum: what it showed before some readings and after them."""

    gauge: Id | None = None
    before: plain_slot(Kind.LENGTH, "exact", -1000, 1000) = None  # type: ignore[valid-type]
    after: plain_slot(Kind.LENGTH, "exact", -1000, 1000) = None  # type: ignore[valid-type]
    by: Note | None = None
    at: Moment = None


Shot = plain_slot(Kind.VOLUME, "exact", 1e-4, 1000)


class ShotsShape(Shape):
    """A volume counted out: so many shots of one size, and a part of one."""

    count: Annotated[int, Slot(ge=0, le=MOST_SHOTS, strict=True)]
    size: Shot  # type: ignore[valid-type]
    part: plain_slot(Kind.VOLUME, "exact", 0, 1000) = None  # type: ignore[valid-type]
    random: plain_slot(Kind.VOLUME, "exact", 0, 1000) = None  # type: ignore[valid-type]


class ConditionsShape(Shape):
    """Under what a reading was taken."""

    caps: Word | None = None
    plate: bool | Word | None = None
    oiled: bool | Word | None = None
    shells: bool | Word | None = None
    block: Literal["upright", "inverted"] | None = None
    rod: Word | None = None
    piston: Word | None = None
    fastener: Word | None = None
    level_stood: bool | Word | None = None
    hours_since_machining: Annotated[float, Slot(ge=0, le=1e6, allow_inf_nan=False)] | None = None


class ReadingShape(Shape):
    """One reading: a value, a tipped pair, or counted shots."""

    id: Id
    figure: Literal[tuple(READABLE)]  # type: ignore[valid-type]
    bank: str | None = None
    cylinder: CylinderNumber | None = None
    value: Any = None
    tipped: Annotated[list[Any], Slot(min_length=2, max_length=2)] | None = None
    shots: ShotsShape | None = None
    gauge: Id | None = None
    zero: Id | None = None
    on: Literal[SURFACES] | None = None  # type: ignore[valid-type]
    pad_height: plain_slot(Kind.LENGTH, "exact", -500, 500) = None  # type: ignore[valid-type]
    rim_below: plain_slot(Kind.LENGTH, "exact", 0, 500) = None  # type: ignore[valid-type]
    bore: plain_slot(Kind.LENGTH, "exact", 5, 1500) = None  # type: ignore[valid-type]
    ring_volume: plain_slot(Kind.VOLUME, "exact", 0, 1000) = None  # type: ignore[valid-type]
    axis: Literal[AXES] | None = None  # type: ignore[valid-type]
    depth: plain_slot(Kind.LENGTH, "exact", 0, 3000) = None  # type: ignore[valid-type]
    clock: Annotated[float, Slot(ge=0, le=360, allow_inf_nan=False)] | None = None
    temperature: Degrees | None = None
    gauge_temperature: Degrees | None = None
    conditions: ConditionsShape | None = None
    simulated: bool | None = None
    says: Note | None = None
    by: Note | None = None
    at: Moment = None


class VoidShape(Shape):
    """A reading taken back, with the reason."""

    reading: Id
    why: Annotated[str, StringConstraints(min_length=1, max_length=400)]
    by: Note | None = None
    at: Moment = None


class FoundShape(Shape):
    """Something found on a part: a mark, a blocked passage, a broken stud."""

    id: Id
    what: Annotated[str, StringConstraints(min_length=1, max_length=400)]
    where: Annotated[str, StringConstraints(max_length=200)] | None = None
    bank: str | None = None
    cylinder: CylinderNumber | None = None
    consequence: Annotated[str, StringConstraints(max_length=400)] | None = None
    by: Note | None = None
    at: Moment = None


class MockUpShape(Shape):
    """How the mock-up was made, and how holes nobody read are filled."""

    sets: Literal["one", "own"] = "own"
    between: Literal["line", "stack"] = "stack"


READING: TypeAdapter[ReadingShape] = TypeAdapter(ReadingShape)


def _facts(shape: Any, most: int = MOST_READINGS) -> Any:
    return Annotated[list[shape], Slot(max_length=most)] | None


class BuildFile(Shape):
    """One build as one document, version 1."""

    format: Literal["zygometra.build"]
    version: Literal[1]
    name: Name
    school: Note | None = None
    customer: Note | None = None
    duty: Note | None = None
    unstated_doubt: Literal["house", "zero"] = "house"
    engine: EngineShape
    parts: PartsShape | None = None
    banks: dict[BankName, BankFigures] | None = None
    cylinders: dict[Annotated[str, StringConstraints(pattern=r"^[1-9][0-9]?$")], CylinderFigures] | None = (
        None
    )
    cam: Cam = None  # type: ignore[valid-type]
    fuel: FuelShape | None = None
    stated: StatedShape | None = None
    planned: Annotated[list[OperationShape], Slot(max_length=200)] | None = None
    targets: TargetsShape | None = None
    levers: LeversShape | None = None
    planning: PlanningShape | None = None
    between_holes: BetweenHolesShape | None = None
    gauges: Annotated[dict[Id, GaugeShape], Slot(max_length=MOST["gauge"])] | None = None
    zeros: Annotated[dict[Id, ZeroShape], Slot(max_length=MOST_READINGS)] | None = None
    readings: _facts(ReadingShape) = None  # type: ignore[valid-type]
    voided: _facts(VoidShape) = None  # type: ignore[valid-type]
    found: _facts(FoundShape, MOST["found"]) = None  # type: ignore[valid-type]
    accepted: _facts(AcceptedShape, MOST["accepted"]) = None  # type: ignore[valid-type]
    acceptances: _facts(AcceptedShape, MOST["accepted"]) = None  # type: ignore[valid-type]
    mock_up: MockUpShape | None = None
    surveys: _facts(FaceSurveyShape, MOST["survey"]) = None  # type: ignore[valid-type]
    steps: _facts(StepShape, MOST["step"]) = None  # type: ignore[valid-type]
    set_ups: _facts(SetUpRecordShape, MOST["set-up"]) = None  # type: ignore[valid-type]
    passes: _facts(PassShape, MOST["pass"]) = None  # type: ignore[valid-type]
    decisions: _facts(DecisionShape, MOST["decision"]) = None  # type: ignore[valid-type]
    agreements: _facts(AgreementShape, MOST["agreement"]) = None  # type: ignore[valid-type]
    verified: _facts(VerifiedShape, MOST["verified"]) = None  # type: ignore[valid-type]
    facing: FacingShape | None = None
    valve_gear: ValveGearShape | None = None


def json_schema() -> dict[str, Any]:
    """Return the JSON Schema of the build file, generated from these models.

    Returns
    -------
    dict
        A JSON Schema (2020-12) document.
    """
    schema = BuildFile.model_json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "zygometra.build, version 1"
    schema.setdefault("$defs", {})["Quantity"] = QUANTITY_SCHEMA
    for part in [schema, *schema["$defs"].values()]:
        if part.get("additionalProperties") is False:
            part["patternProperties"] = {"^x-": {}}
    return dict(_with_references(schema))


def _with_references(node: Any) -> Any:
    """Put the shared quantity's reference where the slots stand for it."""
    if isinstance(node, dict):
        if node.get("x-ref"):
            kept = {k: v for k, v in node.items() if k not in ("x-ref", "default")}
            return kept | {"$ref": f"#/$defs/{node['x-ref']}"}
        return {key: _with_references(value) for key, value in node.items()}
    return [_with_references(item) for item in node] if isinstance(node, list) else node
