"""A build: an engine, its parts and their figures, what is planned, what is wanted.

Frozen values only. Figures are kept by their place in the build document
(``parts.block.deck_height``, ``banks.A.deck_height``, ``cylinders.3.bore``), and
the narrower place wins: hole over bank over engine.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Annotated, Literal

from msgspec import Struct

from ..faces.facing import NOTHING_DECIDED, Facing
from ..fuel import Fuel
from ..place import Place, Scope
from ..quantity import Quantity
from ..records import Record
from ..slots import OneOf
from ..units import from_base
from ..windows import OPEN, Window
from .cut_log import NOTHING_CUT, CutLog
from .lever_table import OpName
from .means import USUAL_PLANNING, FittedPart, Means, PartChoice, Planning, SetUpCost
from .valve_gear import NOT_SAID as NOTHING_SAID
from .valve_gear import ValveGear

if TYPE_CHECKING:
    from ..measuring.face_surveys import FaceSurvey
    from ..measuring.facts import Signed
    from ..measuring.logbook import Logbook
    from ..measuring.selection import ReadingSelection
    from ..measuring.steps import Step

Layout = Literal["inline", "vee", "flat"]
LAYOUTS: tuple[Layout, ...] = ("inline", "vee", "flat")
ROD_MATERIALS = ("steel", "titanium", "aluminium")
MOST_CYLINDERS = 32
# How far an engine is taken apart.
ASSEMBLED = ("complete", "heads off", "pistons out", "bare")
# By so much two banks may differ in the mean of what was read of their holes and still be alike, in mm and cc.
_APART = {"deck_clearance": 0.05, "deck_height": 0.05, "chamber_volume": 0.5}


class Bank(Struct, frozen=True):
    """Cylinders that share one deck, numbered from the front."""

    name: str
    cylinders: tuple[int, ...]


class Gasket(Struct, frozen=True):
    """A gasket to fit; a dimension left out stays as it was."""

    name: str
    thickness: Quantity | None
    bore: Quantity | None
    opening_area: Quantity | None = None
    volume: Quantity | None = None
    # Of one that may be had: what it costs a bank, and in how many days it comes.
    price: float = 0.0
    days: float = 0.0


GASKET_FIGURES = ("thickness", "bore", "opening_area", "volume")


@dataclass(frozen=True, slots=True)
class Operation:
    """One planned operation. Without a bank or a hole it applies to all."""

    op: OpName
    bank: str | None = None
    cylinder: int | None = None
    amount: Quantity | None = None
    gasket: Gasket | None = None
    # A deck cut that levels: its amounts at the first and the last hole; ``amount`` is midway.
    first: Quantity | None = None
    last: Quantity | None = None
    # A part to fit.
    part: FittedPart | None = None
    # A deck cut to a named height, and what that takes at each hole: told by its build, ``amount`` the deepest.
    to_height: Quantity | None = None
    depths: Mapping[int, Quantity] | None = None

    @property
    def deepest(self) -> float:
        """The most it takes anywhere, in mm or cc; nought for a gasket, and where nobody knows."""
        ends = (one.value for one in (self.amount, self.first, self.last) if one is not None)
        return max((value for value in ends if not math.isnan(value)), default=0.0)

    @property
    def is_level(self) -> bool:
        """True where it takes as much at every hole."""
        return self.first is None and self.depths is None

    def at(self, index: int, count: int, number: int) -> Operation:
        """Return the operation as it acts on one hole of a bank (trade.md 7).

        Parameters
        ----------
        index, count : int
            The hole's place from the front, from nought, and how many there are; no unit.
        number : int
            The hole; no unit.

        Returns
        -------
        Operation
            Of a levelling cut, linear along the bank, with one doubt for both ends; of a cut to a height what that
            takes there; any other as it is.
        """
        if self.depths is not None:
            return replace(self, amount=self.depths.get(number), depths=None)
        first, last, amount = self.first, self.last, self.amount
        if first is None or last is None or amount is None:
            return self
        share = index / (count - 1) if count > 1 else 0.5
        value = first.value + share * (last.value - first.value)
        u = first.u + share * (last.u - first.u)
        return replace(self, amount=replace(amount, value=value, u=u), first=None, last=None)

    def acts_on(self, bank: str, cylinder: int) -> bool:
        """Tell whether the operation changes a hole of a bank.

        Parameters
        ----------
        bank : str
            Name of a bank.
        cylinder : int
            Number of a hole; no unit.
        """
        return (self.bank is None or self.bank == bank) and (
            self.cylinder is None or self.cylinder == cylinder
        )


class MockUp(Record, frozen=True, kw_only=True, eq=False):
    """How a mock-up was made: one set of parts or every hole its own; holes between by the line or the stack."""

    sets: Annotated[str, OneOf("one", "own", null=False)] = "own"
    between: Annotated[str, OneOf("line", "stack", null=False)] = "stack"


def height_with_unknown_depth(height: Quantity) -> Quantity:
    """Return the amount of a cut to a height until its build tells how deep that is, in mm: not a number.

    Parameters
    ----------
    height : Quantity
        To which it is cut.
    """
    return replace(height, value=math.nan)


def midway(first: Quantity, last: Quantity) -> Quantity:
    """Return the amount of a levelling cut midway between its ends, in the unit of its first (trade.md 7).

    Parameters
    ----------
    first, last : Quantity
        At the first hole and at the last.
    """
    value = (first.value + last.value) / 2
    number = from_base(value, first.unit)
    return replace(
        first,
        value=value,
        u=(first.u + last.u) / 2,
        number=number,
        as_typed=f"{number:.4g} {first.unit.symbol}",
    )


@dataclass(frozen=True, slots=True)
class Targets:
    """The windows of a build. Lengths in mm."""

    compression_ratio: Window = OPEN
    quench: Window = OPEN
    deck_clearance: Window = OPEN
    ratio_spread: float | None = None
    quench_spread: float | None = None
    # Where each window comes from, by its result: one source, or two.
    sources: Mapping[str, tuple[str, ...]] = field(default_factory=dict)

    def on_hearsay(self) -> tuple[str, ...]:
        """Return the results whose window rests on hearsay alone."""
        return tuple(
            name for name, sources in self.sources.items() if sources and set(sources) <= {"hearsay"}
        )


@dataclass(frozen=True, slots=True)
class Levers:
    """How far each operation may go, what it takes, and which gaskets and parts may be had."""

    limits: Mapping[str, Quantity] = field(default_factory=dict)
    gaskets: tuple[Gasket, ...] = ()
    gasket_per_bank: bool = False
    means: Mapping[OpName, Means] = field(default_factory=dict)
    gasket_needs: tuple[str, ...] = ()
    parts: tuple[PartChoice, ...] = ()
    set_ups: Mapping[str, SetUpCost] = field(default_factory=dict)


@dataclass(frozen=True)
class Build:
    """One build, ready to be evaluated."""

    name: str
    layout: Layout
    banks: tuple[Bank, ...]
    figures: Mapping[str, Quantity]
    school: str = ""
    unstated_doubt: Literal["house", "zero"] = "house"
    rod_material: str = "steel"
    # What it is to run on, and what its head is made of; None and empty where nobody said.
    fuel: Fuel | None = None
    head_material: str = ""
    gasket_names: Mapping[str, str] = field(default_factory=dict)
    step_fills: tuple[tuple[Quantity, Quantity], ...] = ()
    planned: tuple[Operation, ...] = ()
    targets: Targets = Targets()
    levers: Levers = Levers()
    planning: Planning = USUAL_PLANNING
    # How far holes of a bank are expected to stand off its line or mean, by figure.
    between_holes: Mapping[str, float] = field(default_factory=dict)
    stated_ratio: float | None = None
    # Beside the document: what was noted, what of it is in use, and the figures without it.
    logbook: Logbook | None = None
    in_use: ReadingSelection | None = None
    paper: Mapping[str, Quantity] | None = None
    surveys: tuple[FaceSurvey, ...] = ()
    steps: tuple[Step, ...] = ()
    # What was cut at a machine since the build began, and when the heights of surveyed decks were read.
    cuts: CutLog = NOTHING_CUT
    surveyed_at: Mapping[str, str] = field(default_factory=dict)
    # What cuts before these figures left single holes with, by hole and engine-wide path: files have no word for it.
    of_holes: Mapping[int, Mapping[str, Quantity]] = field(default_factory=dict)
    # What was decided about facing, and what opens the valves.
    facing: Facing = NOTHING_DECIDED
    gear: ValveGear = NOTHING_SAID
    # Who agreed, decided and accepted what, without what was taken back.
    signed: Signed | None = None

    def __post_init__(self) -> None:
        """Tell what cuts to a named height take, from the heights as they are known now."""
        if any(op.to_height is not None for op in self.planned):
            from .heights import to_their_heights

            object.__setattr__(self, "planned", to_their_heights(self))

    @property
    def valve_gear(self) -> str:
        """What opens the valves; empty where nobody said."""
        return self.gear.kind

    @cached_property
    def measured_holes(self) -> frozenset[int]:
        """The holes that have a figure of their own; numbers without a unit."""
        return frozenset(number for path in self.figures for number in Place.parse(path).holes)

    @cached_property
    def is_measured(self) -> bool:
        """True where some figure comes from the logbook: its doubt is made of terms that others share."""
        return any(quantity.terms for quantity in self.figures.values())

    @property
    def has_chamber_in_block(self) -> bool:
        """True where part of the chamber lies in the block, over valves that stand there: a deck cut takes of it."""
        pocket = self.figures.get("parts.block.pocket_area")
        return pocket is not None and pocket.value > 0

    @property
    def mocked_with_one_set(self) -> bool:
        """True where one rod and piston were moved from hole to hole: what differs is the deck, or a throw."""
        return self.logbook is not None and self.logbook.mock_up.sets == "one"

    @property
    def cylinders(self) -> tuple[int, ...]:
        """Every hole, bank by bank; numbers without a unit."""
        return tuple(number for bank in self.banks for number in bank.cylinders)

    @cached_property
    def banks_are_alike(self) -> bool:
        """True where no figure and no gasket is a bank's own and nothing is planned for one bank alone.

        Also where nothing that was read hole by hole sets one bank apart from another.
        """
        own = any(Place.parse(path).scope is Scope.BANK for path in self.figures)
        planned = any(op.bank is not None for op in self.planned)
        fitted = any(self.gasket_names.get(bank.name) for bank in self.banks)
        return not (own or planned or fitted or self._banks_read_apart())

    def _banks_read_apart(self) -> bool:
        """Whether what was read of single holes differs from bank to bank by more than holes do."""
        for name, apart in _APART.items():
            means = []
            for bank in self.banks:
                own = [
                    q.value
                    for n in bank.cylinders
                    if (q := self.figures.get(f"cylinders.{n}.{name}")) is not None
                ]
                if own:
                    means.append(math.fsum(own) / len(own))
            if means and max(means) - min(means) > apart:
                return True
        return False

    def with_chamber(self, volume: Quantity) -> Build:
        """Return the build as if every chamber had a volume: to try it, up or down.

        Parameters
        ----------
        volume : Quantity
            In cc.

        Returns
        -------
        Build
            Another; what was measured of single chambers is set aside in it.
        """
        field, own = "parts.head.chamber_volume", "chamber_volume"
        others = {path: q for path, q in self.figures.items() if Place.parse(path).field != own}
        return replace(self, figures={**others, field: volume})

    def bank_of(self, cylinder: int) -> Bank:
        """Return the bank that a hole belongs to.

        Parameters
        ----------
        cylinder : int
            Number of a hole; no unit.
        """
        return next(bank for bank in self.banks if cylinder in bank.cylinders)

    def gasket_name(self, bank: str) -> str:
        """Return the name of the gasket fitted on a bank now; empty where it has none.

        Parameters
        ----------
        bank : str
            Name of a bank.
        """
        return self.gasket_names.get(bank, self.gasket_names.get("", ""))
