"""A step of the working: formula, figures put in with their basis, answer; and how each is written."""

from __future__ import annotations

import math
from typing import NamedTuple

from ..digits import figure
from ..fields import field_at
from ..place import Place, Scope
from ..quantity import Source
from ..wording import Reader
from .results import Hole


class Given(NamedTuple):
    """One figure put into a formula, in the reader's units."""

    symbol: str
    label: str
    value: str
    basis: str
    doubt: str
    path: str


class WorkingStep(NamedTuple):
    """One line of the derivation."""

    key: str
    label: str
    formula: str
    figures: str
    answer: str
    band: str
    given: tuple[Given, ...]
    note: str = ""


def given_of(source: Source | None, reader: Reader) -> tuple[Given, ...]:
    """Return a figure as it is put into a formula; nothing where it is not known.

    Parameters
    ----------
    source : Source, optional
        The figure.
    reader : Reader
        Units and words.
    """
    if source is None:
        return ()
    quantity = source.quantity
    name = source.path
    if Place.parse(name).scope is Scope.PLAN:
        symbol, label = "t", "gasket to fit"
        if name.endswith(".bore"):
            symbol, label = "G", "bore of the gasket to fit"
    else:
        field = field_at(name)
        symbol, label = field.symbol, field.label
    basis = quantity.basis if quantity.basis_stated or quantity.readings else "basis not stated"
    doubt = {
        "stated": "doubt as stated",
        "tolerance": "tolerance",
        "readings": quantity.rests_on,
        "house": "house default doubt",
        "none": "doubt taken as nought",
    }[quantity.doubt]
    return (
        Given(
            symbol=symbol, label=label, value=reader.quantity(quantity), basis=basis, doubt=doubt, path=name
        ),
    )


def value_in(hole: Hole, path: str) -> float | None:
    """Return the value of a figure of a hole in its base unit; None where it is not known.

    Parameters
    ----------
    hole : Hole
        One hole of one state.
    path : str
        The figure's engine-wide place.
    """
    source = hole.sources.get(path)
    return None if source is None else source.quantity.value


def band_of(hole: Hole, name: str, write: str, reader: Reader) -> str:
    """Return the 95 % band of a result, written as ``length``, ``cc`` or ``ratio``; empty where nothing is in doubt.

    Parameters
    ----------
    hole : Hole
        One hole of one state.
    name : str
        The name, as files have it.
    write : {"length", "cc", "ratio"}
        How it is written.
    reader : Reader
        Units and words.
    """
    spread = getattr(hole.outcome.doubts, name)
    if spread.u == 0 or math.isnan(spread.u):
        return ""
    half = spread.half
    if write == "length":
        return f"± {reader.band(half)} (95 %)"
    digits = max(0, min(3, 1 - math.floor(math.log10(half)))) if half > 0 else 0
    return f"± {figure(half, digits)}{' cc' if write == 'cc' else ''} (95 %)"
