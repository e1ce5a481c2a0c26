"""A build document as a record: its engine, parts, plan, windows and levers, each declared once.

What is noted beside a build is declared where it is used (:mod:`zygometra.core.measuring.facts`).
"""

# long: one document, object by object

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Annotated, Any

from ..errors import QuantityError, shown
from ..faces.facing import NOTHING_DECIDED, Facing
from ..fields import FIELD
from ..fuel import SCALES, Fuel, Scale
from ..quantity import Quantity, Unstated, read_quantity
from ..records import (
    DimensionTable,
    FieldOfRecord,
    InOrder,
    ListOf,
    MapOf,
    Nested,
    Record,
    Refused,
    Wrong,
    together,
)
from ..slots import (
    BANK,
    HOLE,
    NAME,
    NOTE,
    QUANTITY,
    WORD,
    Anything,
    Checked,
    Dimension,
    Figure,
    Flag,
    Matching,
    Object,
    OneOf,
    Plain,
    Real,
    TextSlot,
    length,
    volume,
)
from ..units import Kind
from ..windows import WINDOW_SOURCES, Window
from .lever_table import LEVER, OPS, OpName
from .means import (
    MEANS_OF,
    MOST_DAYS,
    MOST_MONEY,
    NEEDS,
    PART_KINDS,
    USUAL_PLANNING,
    Means,
    PartChoice,
    PartKind,
    Planning,
    SetUpCost,
)
from .model import (
    ASSEMBLED,
    LAYOUTS,
    MOST_CYLINDERS,
    Layout,
    MockUp,
    Operation,
    height_with_unknown_depth,
    midway,
)
from .parts_record import (
    BANK_FIGURES,
    CAM,
    GASKET,
    GASKET_CHOICE,
    HOLE_FIGURES,
    PARTS,
    STATED,
    fitted_part,
    gasket_of,
)
from .valve_gear import NOT_SAID, ValveGear


def _ratio(raw: Any) -> float:
    if isinstance(raw, bool) or not isinstance(raw, (int, float)) or not math.isfinite(raw):
        raise QuantityError(shown(raw), "a number such as 9.8")
    if not 1 < raw <= 60:
        raise QuantityError(shown(raw), "a compression ratio above 1 and up to 60")
    return float(raw)


def _spread(raw: Any) -> float:
    if isinstance(raw, bool) or not isinstance(raw, (int, float)) or not 0 <= raw <= 20:
        raise QuantityError(shown(raw), "a difference of ratio from 0 to 20")
    return float(raw)


RATIO = Checked(_ratio, {"type": "number", "exclusiveMinimum": 1})
_GAP = length(-20, 50, "target")
_CUT, _OPENING = (Plain(LEVER[key].kind, key, 0, LEVER[key].most) for key in ("deck_cut", "open_chamber"))


class BankFrame(Record, frozen=True, kw_only=True, eq=False):
    """One bank: its name and its cylinders from the front."""

    name: Annotated[str, BANK]
    cylinders: Annotated[tuple[int, ...], ListOf(HOLE, MOST_CYLINDERS, 1, null=False)]


class EngineFrame(Record, frozen=True, kw_only=True, eq=False):
    """The engine's layout and banks."""

    layout: Annotated[Layout, OneOf(*LAYOUTS)]
    bank_angle: Annotated[Quantity | None, Dimension(FIELD["engine.bank_angle"])] = None
    bore_pitch: Annotated[Quantity | None, Dimension(FIELD["engine.bore_pitch"])] = None
    displacement: Annotated[Quantity | None, Dimension(FIELD["engine.displacement"])] = None
    family: Annotated[str, NAME] = ""
    assembled: Annotated[str, OneOf(*ASSEMBLED)] = ""
    banks: Annotated[tuple[BankFrame, ...], ListOf(Nested(BankFrame), 8, 1, null=False)]


def _refuse_no_amount(raw: Any) -> None:
    """Refuse what is the amount of no operation: neither a length nor, for a chamber opening, a volume."""
    try:
        _CUT.read(raw, "house")
    except QuantityError as error:
        try:
            _OPENING.read(raw, "house")
        except QuantityError:
            raise Wrong([(".amount", error.found, error.wanted)]) from None


_END = Figure(Kind.LENGTH, "deck_cut", 0, LEVER["deck_cut"].most)


class PlannedOperation(Record, frozen=True, kw_only=True, eq=False):
    """One planned operation as a file has it; ``operation`` is what it comes to."""

    op: Annotated[OpName, OneOf(*OPS)]
    bank: Annotated[str | None, TextSlot()] = None
    cylinder: Annotated[int | None, HOLE] = None
    amount: Annotated[Quantity | None, Anything(QUANTITY, null=False)] = None
    gasket: Annotated[dict[str, Any] | None, GASKET] = None
    first: Annotated[Quantity | None, _END] = None
    last: Annotated[Quantity | None, _END] = None
    to_height: Annotated[Quantity | None, Figure(Kind.LENGTH, "deck_cut", 20, 3000)] = None
    kind: Annotated[PartKind | None, OneOf(*PART_KINDS)] = None
    part: Annotated[Any, Object()] = None
    operation: Operation

    @classmethod
    def understood(cls, raw: Mapping[str, Any], values: dict[str, Any], unstated: Unstated) -> dict[str, Any]:
        """Return what it comes to: its amount has the unit of its lever.

        Raises
        ------
        Wrong
            If its amount is none of its lever, or its part none of its kind.
        """
        op, kind = values["op"], values.get("kind")
        amount: Quantity | None = None
        height: Quantity | None = values.get("to_height")
        first, last = values.get("first"), values.get("last")
        if "amount" in raw:
            amount = values["amount"] = _amount(op, raw["amount"], unstated)
        elif height is not None:
            # How deep that is, its build tells.
            amount = height_with_unknown_depth(height)
        elif first is not None and last is not None:
            amount = midway(first, last)
        part = None
        if kind is not None and values.get("part") is not None:
            try:
                part = fitted_part(kind, values["part"], unstated)
            except Wrong as error:
                raise error.inside(".part") from None
        gasket = values.get("gasket")
        operation = Operation(
            op,
            values.get("bank"),
            cylinder=values.get("cylinder"),
            amount=amount,
            gasket=None if gasket is None else gasket_of(gasket),
            first=first,
            last=last,
            part=part,
            to_height=height,
        )
        return {**values, "operation": operation}


def _amount(op: OpName, raw: Any, unstated: Unstated) -> Quantity | None:
    """An amount in the unit of its lever; None of an operation that has none."""
    lever = LEVER.get(op)
    if lever is None:
        _refuse_no_amount(raw)
        return None
    try:
        read = read_quantity(raw, lever.kind, dimension=op, unstated=unstated, low=0)
    except QuantityError as error:
        _refuse_no_amount(raw)
        raise together(".amount", error.found, error.wanted) from None
    if read.value > lever.most:
        _refuse_no_amount(raw)
    return read


_SOURCE = OneOf(*WINDOW_SOURCES)


class _Window(Record, frozen=True, kw_only=True, eq=False):
    """Least, aim and most of a result, and where they come from."""

    KEYS = {"low": "min", "high": "max"}

    low: float | None = None
    aim: float | None = None
    high: float | None = None
    source: Annotated[str, _SOURCE] = ""
    second_source: Annotated[str, _SOURCE] = ""

    @property
    def window(self) -> Window:
        """The window, in mm or as a ratio."""
        return Window(self.low, self.aim, self.high)

    @property
    def sources(self) -> tuple[str, ...]:
        """Where it comes from."""
        return tuple(filter(None, (self.source, self.second_source)))


class RatioWindow(_Window, frozen=True, kw_only=True, eq=False):
    """Least, aim and most of a ratio, and where they come from."""

    low: Annotated[float | None, RATIO] = None
    aim: Annotated[float | None, RATIO] = None
    high: Annotated[float | None, RATIO] = None


class GapWindow(_Window, frozen=True, kw_only=True, eq=False):
    """Least, aim and most of a gap, and where they come from."""

    low: Annotated[float | None, _GAP] = None
    aim: Annotated[float | None, _GAP] = None
    high: Annotated[float | None, _GAP] = None


class Spreads(Record, frozen=True, kw_only=True, eq=False):
    """The largest differences between holes that are wanted: of ratio, and of quench in mm."""

    compression_ratio: Annotated[float | None, Real(0, 20)] = None
    quench: Annotated[float | None, _GAP] = None


class Windows(Record, frozen=True, kw_only=True, eq=False):
    """What is wanted of the results."""

    compression_ratio: Annotated[RatioWindow | None, Nested(RatioWindow)] = None
    quench: Annotated[GapWindow | None, Nested(GapWindow)] = None
    deck_clearance: Annotated[GapWindow | None, Nested(GapWindow)] = None
    ratio_spread: Annotated[float | None, Checked(_spread, {"type": "number"})] = None
    spread: Annotated[Spreads | None, Nested(Spreads)] = None

    @property
    def by_result(self) -> dict[str, RatioWindow | GapWindow]:
        """The windows that are there, by their result."""
        listed = (("compression_ratio", self.compression_ratio), ("quench", self.quench))
        known = (*listed, ("deck_clearance", self.deck_clearance))
        return {name: window for name, window in known if window is not None}


class PartToBeHad(Record, frozen=True, kw_only=True, eq=False):
    """A part that may be had: for how much, in how many days, and what must be opened to fit it."""

    kind: Annotated[PartKind, OneOf(*PART_KINDS)]
    part: Annotated[Any, Object()]
    price: Annotated[float, Real(0, MOST_MONEY)] = 0.0
    days: Annotated[float, Real(0, MOST_DAYS)] = 0.0
    needs: Annotated[tuple[str, ...], NEEDS] = ()
    choice: PartChoice

    @classmethod
    def understood(
        cls, _raw: Mapping[str, Any], values: dict[str, Any], unstated: Unstated
    ) -> dict[str, Any]:
        """Return the part with what it costs.

        Raises
        ------
        Wrong
            If it is none of its kind.
        """
        try:
            part = fitted_part(values["kind"], values["part"], unstated)
        except Wrong as error:
            raise error.inside(".part") from None
        more = {key: values[key] for key in ("price", "days", "needs") if key in values}
        return {**values, "choice": PartChoice(part, **more)}


class LeversRecord(Record, frozen=True, kw_only=True, eq=False):
    """What may be done, how far, at what cost; gaskets and parts that may be had."""

    means: Annotated[Mapping[OpName, Means], Anything()] = {}
    gaskets: Annotated[tuple[dict[str, Any], ...], ListOf(GASKET_CHOICE, 50)] = ()
    gasket_per_bank: Annotated[bool, Flag(null=False)] = False
    gasket_needs: Annotated[tuple[str, ...], NEEDS] = ()
    parts: Annotated[tuple[PartToBeHad | Refused, ...], InOrder(PartToBeHad, 200)] = ()
    set_ups: Annotated[Mapping[str, SetUpCost], MapOf(WORD, Nested(SetUpCost))] = {}

    @classmethod
    def fields(cls) -> Mapping[str, FieldOfRecord]:
        """Return a field for each lever of the table, and the others."""
        rest = super().fields()
        return {**_OF_LEVERS, **{key: field for key, field in rest.items() if key != "means"}}

    @classmethod
    def understood(
        cls, _raw: Mapping[str, Any], values: dict[str, Any], _unstated: Unstated
    ) -> dict[str, Any]:
        """Return the levers by their operation."""
        means = {op: values.pop(op) for op in MEANS_OF if op in values}
        return {**values, "means": means}


_OF_LEVERS: dict[str, FieldOfRecord] = {
    op: FieldOfRecord(op, op, slot, required=False) for op, slot in MEANS_OF.items()
}


class FuelRecord(Record, frozen=True, kw_only=True, eq=False):
    """What it is to run on: an octane number, and which scale that is of."""

    octane: Annotated[float | None, Real(40, 150)] = None
    scale: Annotated[Scale | None, OneOf(*SCALES)] = None

    @property
    def fuel(self) -> Fuel | None:
        """What it is to run on; a scale alone is no fuel."""
        return None if self.octane is None else Fuel(self.octane, self.scale or "")


_TOTALS = DimensionTable("StatedShape", {**STATED, "compression_ratio": RATIO})
_APART = {"deck_clearance": length(0, 5), "chamber_volume": volume(0, 100)}
_NUMBER = Matching(r"^[1-9][0-9]?$", "the number of a cylinder, 1 to 99")


class BuildRecord(Record, frozen=True, kw_only=True, eq=False):
    """One build as one document, version 1, without what is noted beside it."""

    format: Annotated[str, OneOf("zygometra.build")]
    version: Annotated[int, OneOf(1)]
    name: Annotated[str, NAME]
    school: Annotated[str, NOTE] = ""
    customer: Annotated[str, NOTE] = ""
    duty: Annotated[str, NOTE] = ""
    unstated_doubt: Annotated[Unstated, OneOf("house", "zero", null=False)] = "house"
    engine: Annotated[EngineFrame, Nested(EngineFrame)]
    parts: Annotated[dict[str, Any], PARTS] = {}
    banks: Annotated[dict[str, dict[str, Any]], MapOf(BANK, BANK_FIGURES)] = {}
    cylinders: Annotated[dict[str, dict[str, Any]], MapOf(_NUMBER, HOLE_FIGURES)] = {}
    cam: Annotated[dict[str, Quantity], CAM] = {}
    fuel: Annotated[FuelRecord | None, Nested(FuelRecord)] = None
    stated: Annotated[dict[str, Any], _TOTALS] = {}
    planned: Annotated[tuple[PlannedOperation | Refused, ...], InOrder(PlannedOperation, 200)] = ()
    targets: Annotated[Windows, Nested(Windows)] = Windows()
    levers: Annotated[LeversRecord, Nested(LeversRecord)] = LeversRecord()
    planning: Annotated[Planning, Nested(Planning)] = USUAL_PLANNING
    between_holes: Annotated[Mapping[str, float], DimensionTable("BetweenHolesShape", _APART)] = {}
    mock_up: Annotated[MockUp, Nested(MockUp)] = MockUp()
    facing: Annotated[Facing, Nested(Facing)] = NOTHING_DECIDED
    valve_gear: Annotated[ValveGear, Nested(ValveGear)] = NOT_SAID

    @property
    def figures(self) -> dict[str, Any]:
        """What holds dimensions, nested as in the document."""
        engine = {name: getattr(self.engine, name) for name in ("bank_angle", "bore_pitch", "displacement")}
        return {
            "engine": engine,
            "parts": self.parts,
            "banks": self.banks,
            "cylinders": self.cylinders,
            "cam": self.cam,
            "stated": self.stated,
        }


def record_of_document(document: Mapping[str, Any]) -> BuildRecord:
    """Return the record of a document that was checked when it was taken in; what is noted beside it left out.

    Parameters
    ----------
    document : Mapping
        A build document.

    Raises
    ------
    Wrong
        If it was not.
    """
    known: dict[str, Any] = {"format": "zygometra.build", "version": 1}
    known |= {key: document[key] for key in BuildRecord.fields() if key in document}
    return BuildRecord.read(known, document.get("unstated_doubt", "house"))
