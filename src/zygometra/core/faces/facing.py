"""What a shop has decided about facing: the gasket it is for, the set-up, how far, and what must remain."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from ..quantity import read_quantity
from ..units import Kind
from .model import NOT_SAID, SET_UPS, Pair, SetUp

GASKET_KINDS = ("multi-layer steel", "composite", "soft metal")
GasketKind = Literal["multi-layer steel", "composite", "soft metal"]
# Each face just cleaned, all banks to one height, a height that is named, or the clearance aimed at.
Target = Literal["clean", "common", "height", "clearance"]
TARGETS: tuple[Target, ...] = ("clean", "common", "height", "clearance")


@dataclass(frozen=True, slots=True)
class Facing:
    """Decisions about facing decks and heads; lengths in mm, None where nobody said.

    ``head_cut_so_far`` is what a head has lost before, of what a head may lose.
    """

    gasket_kind: str = ""
    set_up: SetUp | Literal[""] = ""
    target: Target = "clean"
    allowance: float = 0.0
    height: float | None = None
    support_span: Pair = NOT_SAID
    least_deck_height: float | None = None
    head_cut_so_far: float = 0.0


NOTHING_DECIDED = Facing()


def read_facing(raw: Mapping[str, Any] | None) -> Facing:
    """Return the decisions of a checked document.

    Parameters
    ----------
    raw : Mapping or None
        ``facing`` of a build document.
    """
    raw = raw or {}
    span = raw.get("support_span") or {}
    set_up = raw.get("set_up")
    return Facing(
        gasket_kind=raw.get("gasket_kind") or "",
        set_up=set_up if set_up in SET_UPS else "",
        target=raw.get("target") or "clean",
        allowance=_mm(raw.get("allowance")) or 0.0,
        height=_mm(raw.get("height")),
        support_span=Pair(_mm(span.get("along")), _mm(span.get("across"))),
        least_deck_height=_mm(raw.get("least_deck_height")),
        head_cut_so_far=_mm(raw.get("head_cut_so_far")) or 0.0,
    )


def _mm(raw: Any) -> float | None:
    return None if raw is None else read_quantity(raw, Kind.LENGTH, dimension="exact").value
