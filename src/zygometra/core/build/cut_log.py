"""The log of cuts as they are made: set-ups, passes, and what they come to on each hole."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Annotated, Literal, NamedTuple

from ..faces.facing import SupportSpan
from ..faces.model import SET_UPS, Spot
from ..quantity import Quantity
from ..records import ListOf, Nested, Record
from ..slots import HOLE, ID, NOTE, WORD, WORDS, Day, Flag, Moment, NumberSlot, OneOf, Whole, length

if TYPE_CHECKING:
    from .lever_table import OpName
    from .model import Bank, Operation

# What is cut at a machine, pass by pass; rods are gauged as a set and move no lever.
CutOp = Literal["deck_cut", "head_cut", "crown_cut", "rods"]
CUT_OPS: tuple[CutOp, ...] = ("deck_cut", "head_cut", "crown_cut", "rods")
FACES: tuple[Literal["deck_cut", "head_cut"], ...] = ("deck_cut", "head_cut")
SETS: tuple[CutOp, ...] = ("crown_cut", "rods")
PASS_KINDS = ("rough", "finish", "skim")
# Two passes that are one: their depths differ by less than this, in mm.
_SAME = 1e-6


class CutPlace(NamedTuple):
    """What is cut: a deck or head of a bank, or one piece of a set by its hole."""

    op: CutOp
    bank: str = ""
    cylinder: int | None = None


_OFF = length(-50, 50)
_DEPTH = length(0, 50)
_ZONES = ListOf(WORD, 200)
_ALONG = length(-20_000, 20_000)


class Swept(Record, frozen=True, kw_only=True, eq=False):
    """One reading of the sweep before the first chip: where, and how high, in mm."""

    x: Annotated[float, _ALONG]
    y: Annotated[float, _ALONG]
    z: Annotated[float, _OFF]


class _OfCut(Record, frozen=True, kw_only=True, eq=False):
    """What names a place that is cut."""

    id: Annotated[str, ID]
    op: Annotated[CutOp, OneOf(*CUT_OPS)]
    bank: Annotated[str | None, NOTE] = None

    @property
    def place(self) -> CutPlace:
        """What is cut."""
        if self.op in SETS:
            return CutPlace(self.op, "", getattr(self, "cylinder", None))
        return CutPlace(self.op, self.bank or "")


class SetUpRecord(_OfCut, frozen=True, kw_only=True, eq=False):
    """How a part was set up before the first chip: a fact.

    Lengths in mm. ``spring`` is how much the part moved between free and clamped; ``limit`` the most that
    may come off in all; ``aim`` says whether it is cut to a height or skimmed until clean. None: nobody said.
    """

    machine: Annotated[str, WORD] = ""
    shop: Annotated[str, WORD] = ""
    reference: Annotated[str, OneOf(*SET_UPS, "its own face", "pin arbor")] = ""
    sweep: Annotated[tuple[Swept, ...], ListOf(Nested(Swept), 200)] = ()
    moved: Annotated[str, WORDS] = ""
    spring: Annotated[float | None, _OFF] = None
    rigid: Annotated[bool | None, Flag()] = None
    limit: Annotated[float | None, _DEPTH] = None
    aim: Annotated[Literal["height", "clean"], OneOf("height", "clean")] = "height"
    support_span: Annotated[SupportSpan | None, Nested(SupportSpan)] = None
    by: Annotated[str, NOTE] = ""
    at: Annotated[str, Day()] = ""

    @property
    def span(self) -> tuple[float, float] | None:
        """Between the supports along and across, in mm; None where nobody said."""
        span = self.support_span
        return None if span is None else (span.along or 0.0, span.across or 0.0)


class PassMade(_OfCut, frozen=True, kw_only=True, eq=False):
    """One pass as it was made: a fact.

    ``depth`` is that pass alone, in mm. ``number`` counts the passes of one place from 1; None where a file
    does not say. ``touched`` and ``clean`` name the zones that the tool reached first, and those with nothing
    old left. ``stopped`` and ``finished`` are what a piece of a set was gauged at against the first piece.
    """

    cylinder: Annotated[int | None, HOLE] = None
    number: Annotated[int | None, Whole(1, 999)] = None
    depth: Annotated[float, length(0, 10)]
    kind: Annotated[str, OneOf(*PASS_KINDS)] = ""
    feed: Annotated[float | None, NumberSlot(0, 1e6)] = None
    speed: Annotated[float | None, NumberSlot(0, 1e6)] = None
    touched: Annotated[tuple[str, ...], _ZONES] = ()
    clean: Annotated[tuple[str, ...], _ZONES] = ()
    stopped: Annotated[float | None, _OFF] = None
    finished: Annotated[tuple[float, ...], ListOf(_OFF, 8)] = ()
    says: Annotated[str, WORDS] = ""
    by: Annotated[str, NOTE] = ""
    at: Annotated[str, Moment()] = ""
    order: int = 0


def pass_at(place: CutPlace, depth: float, id: str, *, order: int) -> PassMade:
    """Return a pass that nobody made, after all others: to ask what would follow from it.

    Parameters
    ----------
    place : CutPlace
        A face, or a piece.
    depth : float
        Of that pass, in mm.
    id : str
        What it is called.
    order : int
        Its place in the log; no unit.
    """
    return PassMade(
        id=id,
        op=place.op,
        bank=place.bank or None,
        cylinder=place.cylinder,
        depth=depth,
        order=order,
        at="9999",
    )


class VerifiedCut(_OfCut, frozen=True, kw_only=True, eq=False):
    """What a finished cut came out at beside what was asked of its machine: a fact; in mm."""

    cylinder: Annotated[int | None, HOLE] = None
    machine: Annotated[str, WORD] = ""
    shop: Annotated[str, WORD] = ""
    asked: Annotated[float, _DEPTH]
    achieved: Annotated[float, _OFF]
    u: Annotated[float, _DEPTH] = 0.0
    by: Annotated[str, NOTE] = ""
    at: Annotated[str, Day()] = ""


class Counted(NamedTuple):
    """The passes of one place in their order, those that say the same pass again, and those that contradict it."""

    passes: tuple[PassMade, ...]
    again: tuple[PassMade, ...]
    against: tuple[PassMade, ...]


def counted(passes: Iterable[PassMade]) -> Counted:
    """Return the passes of one place, each once and in order.

    Parameters
    ----------
    passes : iterable of PassMade
        Of one place, as they came.

    Returns
    -------
    Counted
        A number stands for one pass: whoever enters it again, from another page or another hand, adds
        nothing. With another depth it is no second pass either but a question; the first to come counts.

    Examples
    --------
    >>> came = [("b", 0.1, 2), ("a", 0.2, 1), ("c", 0.1, 2)]
    >>> found = counted(
    ...     PassMade(id=key, op="deck_cut", bank="A", depth=depth, number=n, order=i)
    ...     for i, (key, depth, n) in enumerate(came)
    ... )
    >>> [one.id for one in found.passes], [one.id for one in found.again]
    (['a', 'b'], ['c'])
    """
    listed = sorted(passes, key=lambda one: one.order)
    by_number: dict[int, PassMade] = {}
    loose, again, against = [], [], []
    for one in listed:
        if one.number is None:
            loose.append(one)
        elif (first := by_number.get(one.number)) is None:
            by_number[one.number] = one
        elif abs(first.depth - one.depth) < _SAME:
            again.append(one)
        else:
            against.append(one)
    numbered = [by_number[number] for number in sorted(by_number)]
    return Counted((*numbered, *loose), tuple(again), tuple(against))


_NONE = Counted((), (), ())


@dataclass(frozen=True)
class CutLog:
    """Everything that was logged at the machine, voids taken out."""

    set_ups: tuple[SetUpRecord, ...] = ()
    passes: tuple[PassMade, ...] = ()

    @cached_property
    def _counted(self) -> dict[CutPlace, Counted]:
        """The passes of each place, each once."""
        found: dict[CutPlace, list[PassMade]] = {}
        for one in self.passes:
            found.setdefault(one.place, []).append(one)
        return {place: counted(own) for place, own in found.items()}

    def of(self, place: CutPlace) -> Counted:
        """Return the passes of one place.

        Parameters
        ----------
        place : CutPlace
            A face, or a piece.
        """
        return self._counted.get(place, _NONE)

    def set_up(self, place: CutPlace) -> SetUpRecord | None:
        """Return the newest set-up record of a place; of a piece that of its set; None where there is none.

        Parameters
        ----------
        place : CutPlace
            A face, or a piece.
        """
        own = (one for one in reversed(self.set_ups) if one.place.op == place.op)
        return next((one for one in own if one.place.bank in ("", place.bank)), None)

    def total(self, place: CutPlace, after: str = "") -> float:
        """Return what came off a place in all, in mm.

        Parameters
        ----------
        place : CutPlace
            A face, or a piece.
        after : str
            Only passes made after this moment; a pass of which nobody said when was made before any.
        """
        passes = self.of(place).passes
        return math.fsum(one.depth for one in passes if not after or one.at > after)

    def on_hole(
        self, op: OpName, bank: Bank, cylinder: int, planned: Iterable[Operation], after: str = ""
    ) -> float:
        """Return what the logged passes took at one hole, in mm.

        Parameters
        ----------
        op : str
            The lever.
        bank : Bank
            The hole's bank.
        cylinder : int
            The hole; no unit.
        planned : iterable of Operation
            The plan: a levelling cut takes its wedge first, so that less comes off at its shallow end.
        after : str
            Only passes made after this moment.

        Notes
        -----
        The tool's plane lies parallel with the finished face: at a hole that is to lose w less than the deepest,
        the first w of the total cut air there.
        """
        if not self.passes or op not in CUT_OPS:
            return 0.0
        if op in SETS:
            return self.total(CutPlace(op, "", cylinder), after)
        place = CutPlace(op, bank.name)
        whole = self.total(place)
        short = _wedge(op, bank, cylinder, planned)
        before = whole - self.total(place, after) if after else 0.0
        return max(whole - short, 0.0) - max(before - short, 0.0)


def _wedge(op: OpName, bank: Bank, cylinder: int, planned: Iterable[Operation]) -> float:
    """How much less a plan takes at a hole than where it takes most of its bank."""
    amounts = dict.fromkeys(bank.cylinders, 0.0)
    for one in planned:
        if one.op == op and not one.is_level:
            for i, number in enumerate(bank.cylinders):
                if not one.acts_on(bank.name, number):
                    continue
                at = one.at(i, len(bank.cylinders), number).amount
                # Where nobody knows the height it is taken to cut as deep as anywhere.
                amounts[number] += one.deepest if at is None or math.isnan(at.value) else at.value
    return max(amounts.values()) - amounts[cylinder]


NOTHING_CUT = CutLog()


class Zone(NamedTuple):
    """A zone of a face that a tool touches or leaves: its name, and where its middle lies, in mm."""

    name: str
    spot: Spot


ROWS = ("intake", "middle", "exhaust")


def zones(holes: int, pitch: float, bore: float) -> tuple[Zone, ...]:
    """Return the zones of a face, from the front: at both ends and between the holes, edges and middle (trade.md 14).

    Parameters
    ----------
    holes : int
        Of the bank; no unit.
    pitch, bore : float
        In mm; x runs from the first hole.

    Examples
    --------
    >>> [zone.name for zone in zones(1, 100, 88)][:3]
    ['intake 1', 'middle 1', 'exhaust 1']
    """
    between = [(i + 0.5) * pitch for i in range(holes - 1)]
    columns = [-0.6 * pitch, *between, (holes - 1) * pitch + 0.6 * pitch]
    edge = 0.9 * bore
    return tuple(
        Zone(f"{row} {i}", Spot(x, y))
        for i, x in enumerate(columns, start=1)
        for row, y in zip(ROWS, (edge, 0.0, -edge), strict=True)
    )


def amount_of(planned: Iterable[Operation], place: CutPlace, bank: Bank) -> Quantity | None:
    """Return what a plan takes off a place where it takes most; in mm, None where it takes nothing.

    Parameters
    ----------
    planned : iterable of Operation
        The plan.
    place : CutPlace
        A face, or a piece.
    bank : Bank
        Whose.
    """
    own = [
        one
        for one in planned
        if one.op == place.op and one.acts_on(bank.name, place.cylinder or bank.cylinders[0])
    ]
    if not own or own[0].amount is None:
        return None
    deepest = math.fsum(one.deepest for one in own)
    return own[0].amount if len(own) == 1 and own[0].first is None else _with_value(own[0].amount, deepest)


def _with_value(quantity: Quantity, value: float) -> Quantity:
    from dataclasses import replace

    from ..units import from_base

    number = from_base(value, quantity.unit)
    return replace(
        quantity, value=value, number=number, as_typed=f"{round(number, 6):.10g} {quantity.unit.symbol}"
    )
