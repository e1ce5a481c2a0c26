"""The shapes of what a shop may do: levers with prices and times, parts to be had, how plans are weighed."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field as Slot

from zygometra.core.build.means import PART_KINDS, PRIORITIES
from zygometra.core.units import Kind

from .shapes import BankName, Cut, Gap, Opening, Shape, Word, plain_slot

MOST_MONEY, MOST_MINUTES, MOST_DAYS = 1e9, 1e6, 1e5


def _sum(most: float) -> Any:
    return Annotated[float, Slot(ge=0, le=most, allow_inf_nan=False)] | None


Money: Any = _sum(MOST_MONEY)
Minutes: Any = _sum(MOST_MINUTES)
Days: Any = _sum(MOST_DAYS)
Metal: Any = _sum(1e6)
Needs: Any = Annotated[list[Word], Slot(max_length=20)] | None
Step = plain_slot(Kind.LENGTH, "limit", 1e-4, 50)
CcStep = plain_slot(Kind.VOLUME, "limit", 1e-4, 500)


class CutLimits(Shape):
    """Between which amounts one bank is cut."""

    min: Cut = None
    max: Cut = None


class OpeningLimits(Shape):
    """Between which amounts the chambers of one bank are opened."""

    min: Opening = None
    max: Opening = None


class _Costs(Shape):
    """What an operation takes."""

    fixed: Money = None
    minutes: Minutes = None
    days: Days = None
    needs: Needs = None


class CutLever(_Costs):
    """How far a cut may go, in which steps, how well it is held and what it takes."""

    min: Cut = None
    max: Cut = None
    step: Step = None  # type: ignore[valid-type]
    tolerance: Cut = None
    machine: Word | None = None
    per_unit: Money = None
    minutes_per_unit: Minutes = None
    metal: Metal = None
    level: bool | None = None
    level_fixed: Money = None
    banks: dict[BankName, CutLimits] | None = None


class OpeningLever(_Costs):
    """How far a chamber may be opened or a bowl sunk, in which steps, how well it is held and what it takes."""

    min: Opening = None
    max: Opening = None
    step: CcStep = None  # type: ignore[valid-type]
    tolerance: Opening = None
    per_unit: Money = None
    minutes_per_unit: Minutes = None
    metal: Metal = None
    banks: dict[BankName, OpeningLimits] | None = None


class SwapLever(_Costs):
    """The heads may change sides."""


class SetUpShape(Shape):
    """What it takes to open the engine so far."""

    cost: Money = None
    minutes: Minutes = None
    days: Days = None


class PartChoiceShape(Shape):
    """A part that may be had."""

    kind: Literal[PART_KINDS]  # type: ignore[valid-type]
    part: dict[str, Any]
    price: Money = None
    days: Days = None
    needs: Needs = None


class ApartShape(Shape):
    """How far plans must lie apart for both to be shown."""

    cost: Money = None
    metal_cc: Metal = None
    yield_: Annotated[float, Slot(ge=0, le=1, allow_inf_nan=False)] | None = Slot(default=None, alias="yield")


class ReadingUShape(Shape):
    """How well a figure is read between two cuts."""

    u: plain_slot(Kind.LENGTH, "exact", 0, 10) = None  # type: ignore[valid-type]


class ReadingBetweenShape(Shape):
    """What is read between two cuts."""

    deck_clearance: ReadingUShape | None = None


class PlanningShape(Shape):
    """How plans are weighed."""

    priority: Literal[PRIORITIES] | None = None  # type: ignore[valid-type]
    least_yield: Annotated[float, Slot(ge=0, le=1, allow_inf_nan=False)] | None = None
    seed: Annotated[int, Slot(ge=0, le=2**31 - 1, strict=True)] | None = None
    apart: ApartShape | None = None
    reading: ReadingBetweenShape | None = None


class SpreadShape(Shape):
    """The largest differences between holes that are wanted."""

    compression_ratio: Annotated[float, Slot(ge=0, le=20, allow_inf_nan=False)] | None = None
    quench: Gap = None


class BetweenHolesShape(Shape):
    """How far holes of a bank are expected to stand off its line or mean."""

    deck_clearance: plain_slot(Kind.LENGTH, "exact", 0, 5) = None  # type: ignore[valid-type]
    chamber_volume: plain_slot(Kind.VOLUME, "exact", 0, 100) = None  # type: ignore[valid-type]
