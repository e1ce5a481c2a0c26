"""What a shop has decided about facing: the gasket it is for, the set-up, how far, and what must remain."""

from __future__ import annotations

from typing import Annotated, Literal

from ..records import Nested, Record
from ..slots import OneOf, length
from .model import NOT_SAID, SET_UPS, Pair, SetUp

GASKET_KINDS = ("multi-layer steel", "composite", "soft metal")
GasketKind = Literal["multi-layer steel", "composite", "soft metal"]
# Each face just cleaned, all banks to one height, a height that is named, or the clearance aimed at.
Target = Literal["clean", "common", "height", "clearance"]
TARGETS: tuple[Target, ...] = ("clean", "common", "height", "clearance")


class SupportSpan(Record, frozen=True, kw_only=True, eq=False):
    """Between the machinist's supports, in mm; None where nobody said."""

    along: Annotated[float | None, length(0, 20_000)] = None
    across: Annotated[float | None, length(0, 20_000)] = None

    @property
    def pair(self) -> Pair:
        """The same as a pair."""
        return Pair(self.along, self.across)


class Facing(Record, frozen=True, kw_only=True, eq=False):
    """Decisions about facing decks and heads; lengths in mm, None where nobody said.

    ``head_cut_so_far`` is what a head has lost before, of what a head may lose.
    """

    gasket_kind: Annotated[str, OneOf(*GASKET_KINDS)] = ""
    set_up: Annotated[SetUp | Literal[""], OneOf(*SET_UPS)] = ""
    target: Annotated[Target, OneOf(*TARGETS)] = "clean"
    allowance: Annotated[float, length(0, 50)] = 0.0
    height: Annotated[float | None, length(-20_000, 20_000)] = None
    supports: Annotated[SupportSpan | None, Nested(SupportSpan)] = None
    least_deck_height: Annotated[float | None, length(-20_000, 20_000)] = None
    head_cut_so_far: Annotated[float, length(0, 50)] = 0.0

    KEYS = {"supports": "support_span"}

    @property
    def support_span(self) -> Pair:
        """Between the machinist's supports, in mm."""
        return NOT_SAID if self.supports is None else self.supports.pair


NOTHING_DECIDED = Facing()
