"""A logbook as files and rows have it, read into core's values."""

# long: one entry of a logbook after another, read
from __future__ import annotations

import math
from collections.abc import Collection, Iterable, Mapping
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from ..build.cut_log import CutLog, PassMade, read_pass, read_set_up
from ..build.document import read_document
from ..build.model import Build
from ..errors import QuantityError, shown
from ..fields import Field
from ..place import Position
from ..quantity import Quantity, Unstated, read_field, read_quantity
from ..units import Kind, Unit
from .face_surveys import FaceSurvey, read_face_survey
from .figures import measure
from .logbook import (
    READABLE,
    Check,
    Filled,
    Gauge,
    Logbook,
    Mishap,
    MockUp,
    Reading,
    Shots,
    Voided,
    Zero,
    place_of,
)
from .steps import Step, read_step

LOGBOOK_KEYS = (
    *("gauges", "zeros", "readings", "voided", "found", "accepted", "acceptances", "surveys", "steps"),
    *("set_ups", "passes", "decisions", "agreements", "verified"),
)
# A shot: from a drop to a litre.
_SHOT = (1e-4, 1000.0)
MOST_SHOTS = 10_000


def read_measured(document: Mapping[str, Any]) -> Build:
    """Return the build that a checked document and the logbook in it come to.

    Parameters
    ----------
    document : Mapping
        A build document that was checked when it was taken in, its facts among it.

    Returns
    -------
    Build
        With the figures that its readings give.
    """
    build = read_document(document)
    if any(document.get(key) for key in (*LOGBOOK_KEYS, "mock_up")):
        logbook = read_logbook(document)
        cuts = cut_log_of(document.get("set_ups") or (), document.get("passes") or (), set(logbook.void))
        from .facts import signed_of

        signed = signed_of(document)
        beside = replace(
            build,
            surveys=_surveys(document, logbook),
            steps=_steps(document, logbook),
            cuts=cuts,
            signed=signed,
        )
        return measure(beside, logbook)
    return build


def cut_log_of(
    set_ups: Iterable[Mapping[str, Any]], passes: Iterable[Mapping[str, Any]], void: Collection[str]
) -> CutLog:
    """Return a log of cuts, without what was voided.

    Parameters
    ----------
    set_ups, passes : iterable of Mapping
        As files have them, in the order in which they came.
    void : collection of str
        The ids that were taken back.
    """
    return CutLog(
        tuple(read_set_up(raw) for raw in set_ups if raw["id"] not in void),
        tuple(_timed(read_pass(raw, i)) for i, raw in enumerate(passes) if raw["id"] not in void),
    )


def _timed(one: PassMade) -> PassMade:
    return replace(one, at=moment(one.at)) if one.at else one


def _surveys(document: Mapping[str, Any], logbook: Logbook) -> tuple[FaceSurvey, ...]:
    unstated: Unstated = document.get("unstated_doubt", "house")
    listed = document.get("surveys") or ()
    return tuple(read_face_survey(raw, i, logbook.gauges, unstated) for i, raw in enumerate(listed))


def _steps(document: Mapping[str, Any], logbook: Logbook) -> tuple[Step, ...]:
    void = logbook.void
    return tuple(read_step(raw) for raw in document.get("steps") or () if raw["id"] not in void)


def read_logbook(document: Mapping[str, Any]) -> Logbook:
    """Return the logbook that a checked document carries.

    Parameters
    ----------
    document : Mapping
        A build document that was checked when it was taken in.

    Returns
    -------
    Logbook
        Empty where the document has none.
    """
    unstated: Unstated = document.get("unstated_doubt", "house")
    gauges = document.get("gauges") or {}
    zeros = document.get("zeros") or {}
    return Logbook(
        gauges={name: read_gauge(name, raw) for name, raw in gauges.items() if not name.startswith("x-")},
        zeros={name: read_zero(name, raw) for name, raw in zeros.items() if not name.startswith("x-")},
        readings=tuple(
            read_reading(raw, i, unstated) for i, raw in enumerate(document.get("readings") or ())
        ),
        voided=tuple(read_void(raw) for raw in document.get("voided") or ()),
        mock_up=read_mock_up(document.get("mock_up")),
    )


def read_mock_up(raw: Mapping[str, Any] | None) -> MockUp:
    """Return how the mock-up was made: each hole's own parts and the stack between, unless it is said.

    Parameters
    ----------
    raw : Mapping or None
        ``mock_up`` of a document.
    """
    raw = raw or {}
    return MockUp(raw.get("sets", "own"), raw.get("between", "stack"))


def read_void(raw: Mapping[str, Any]) -> Voided:
    """Return one voiding.

    Parameters
    ----------
    raw : Mapping
        An entry of ``voided``.
    """
    return Voided(raw["reading"], raw.get("why") or "", raw.get("by") or "", raw.get("at") or "")


def gauge_figure(raw: Any, kind: Kind | None = None) -> tuple[float, Kind | None]:
    """Return a figure of a gauge in base units: a number says nothing of what the gauge measures.

    Parameters
    ----------
    raw : object
        A quantity; with a unit it must be one of length, volume, angle or area.
    kind : Kind, optional
        What it must be, where that is known.

    Returns
    -------
    value : float
        In mm, cc, degrees or mm²; nought or more.
    kind : Kind or None
        What its unit says; None for a bare number.

    Raises
    ------
    QuantityError
        If it is no such quantity.

    Examples
    --------
    >>> gauge_figure("0.0005 in")[0], gauge_figure(0.01)
    (0.0127, (0.01, None))
    """
    kinds = (kind,) if kind else (Kind.LENGTH, Kind.VOLUME, Kind.ANGLE, Kind.AREA)
    refused: QuantityError | None = None
    for one in kinds:
        try:
            quantity = read_quantity(raw, one, dimension="exact", low=0, high=1e6)
        except QuantityError as error:
            refused = refused or error
            continue
        return quantity.value, one if _says_unit(raw) else None
    assert refused is not None
    raise refused


def _says_unit(raw: Any) -> bool:
    if isinstance(raw, Mapping):
        return raw.get("unit") is not None or isinstance(raw.get("value"), str)
    return isinstance(raw, str) and not raw.replace(".", "", 1).replace(",", "", 1).strip().isdigit()


GAUGE_FIGURES = ("resolution", "u", "u_travel", "repeatability", "feel")


def read_gauge(name: str, raw: Mapping[str, Any]) -> Gauge:
    """Return a gauge of a file or of the register.

    Parameters
    ----------
    name : str
        Its id.
    raw : Mapping
        An entry of ``gauges``.

    Returns
    -------
    Gauge
        In base units.

    Raises
    ------
    QuantityError
        If its figures have units of different kinds, or are none.
    """
    figures: dict[str, float | None] = {}
    measures: Kind | None = None
    for key in GAUGE_FIGURES:
        if raw.get(key) is None:
            figures[key] = None
            continue
        try:
            figures[key], kind = gauge_figure(raw[key], measures)
        except QuantityError as error:
            raise QuantityError(f"{key} {error.found}", error.wanted) from None
        measures = measures or kind
    checks = tuple(
        Check(
            one["on"], bool(one["good"]), None if one.get("off") is None else gauge_off(one["off"], measures)
        )
        for one in raw.get("checks") or ()
    )
    gauge = Gauge(
        id=name,
        kind=raw.get("kind") or "",
        resolution=figures["resolution"],
        u=figures["u"],
        u_travel=figures["u_travel"],
        repeatability=figures["repeatability"],
        feel=figures["feel"],
        read_with=raw.get("read_with") or "",
        material=raw.get("material") or "steel",
        compensated=bool(raw.get("compensated", False)),
        checks=checks,
        mishaps=tuple(Mishap(one["on"], one["what"]) for one in raw.get("mishaps") or ()),
        measures=measures,
    )
    if gauge.u is None and (tends := gauge.tends) is not None:
        # Nobody stated its doubt: what its checks showed stands in, as doubt and never as a correction.
        return replace(gauge, u=math.hypot(tends.bias, tends.u))
    return gauge


def gauge_off(raw: Any, kind: Kind | None = None) -> float:
    """Return by how much a gauge showed more than its master, in its base unit.

    Parameters
    ----------
    raw : object
        A quantity, either way of nought.
    kind : Kind, optional
        What the gauge measures; a length where nobody said.

    Examples
    --------
    >>> gauge_off("-4 um")
    -0.004
    """
    return read_quantity(raw, kind or Kind.LENGTH, dimension="exact", low=-50, high=50).value


def read_zero(name: str, raw: Mapping[str, Any]) -> Zero:
    """Return a zero of a file.

    Parameters
    ----------
    name : str
        Its id.
    raw : Mapping
        An entry of ``zeros``.

    Returns
    -------
    Zero
        In mm.
    """

    def read(key: str) -> float | None:
        if raw.get(key) is None:
            return None
        return read_quantity(raw[key], Kind.LENGTH, dimension="exact", low=-1000, high=1000).value

    return Zero(name, raw.get("gauge") or "", read("before"), read("after"))


# long: every key of a reading, one after another
def read_reading(raw: Mapping[str, Any], order: int, unstated: Unstated = "house") -> Reading:
    """Return a reading of a file or of a fact.

    Parameters
    ----------
    raw : Mapping
        An entry of ``readings``.
    order : int
        Its place in the logbook; no unit.
    unstated : {"house", "zero"}
        What unstated doubt becomes: that of a shot's parts.

    Returns
    -------
    Reading
        In base units.

    Raises
    ------
    QuantityError
        If its figure, its place or its value is none that could be.
    """
    figure = raw["figure"]
    field = READABLE.get(figure)
    if field is None:
        raise QuantityError(f"the figure {shown(str(figure))}", "one of " + ", ".join(READABLE))
    try:
        place = place_of(figure, raw.get("bank"), raw.get("cylinder"))
    except KeyError:
        where = "a hole" if raw.get("cylinder") is not None else "a bank"
        raise QuantityError(f"{field.label} of {where}", _may_be_read_at(figure)) from None
    if figure == "deck_clearance" and raw.get("cylinder") is None:
        raise QuantityError("a deck clearance without a hole", "the cylinder it was read in")
    value, unit, tipped, shots = _value_of(raw, field, unstated)
    filled = _filled(raw, figure)
    if filled is not None:
        value = _left_of(value, filled, field)
    depth, pad = raw.get("depth"), raw.get("pad_height")
    conditions = raw.get("conditions") or {}
    return Reading(
        id=raw["id"],
        figure=figure,
        place=place,
        value=value,
        unit=unit,
        order=order,
        tipped=tipped,
        shots=shots,
        gauge=raw.get("gauge") or "",
        zero=raw.get("zero") or "",
        on=raw.get("on") or "",
        pad_height=_maybe(pad),
        spot=Position(depth=_maybe(depth), axis=raw.get("axis"), clock=raw.get("clock")),
        temperature=raw.get("temperature"),
        gauge_temperature=raw.get("gauge_temperature"),
        conditions=frozenset(
            (key, _said(value)) for key, value in conditions.items() if not key.startswith("x-")
        ),
        by=raw.get("by") or "",
        at=moment(raw["at"]) if raw.get("at") else "",
        typed=raw,
        filled=filled,
        simulated=bool(raw.get("simulated")),
    )


def _left_of(poured: float, filled: Filled, field: Field) -> float:
    """What is left of a filling once the bore over the rim is taken off, in cc."""
    value = poured - filled.over_the_rim
    if not field.low <= value <= field.high:
        raise QuantityError(
            f"{value:.6g} cc once the bore is taken off", f"{field.low:g} to {field.high:g} cc"
        )
    return value


def _filled(raw: Mapping[str, Any], figure: str) -> Filled | None:
    """How a crown was filled; None where what was read is the crown itself."""
    if raw.get("rim_below") is None:
        return None
    if figure != "crown_volume":
        raise QuantityError(f"a rim below the deck with {figure}", "it with crown_volume only")
    if raw.get("bore") is None:
        raise QuantityError("a crown that was filled without its bore", "bore, such as 92.0 mm")
    below = read_quantity(raw["rim_below"], Kind.LENGTH, dimension="exact", low=0, high=500)
    bore = read_quantity(raw["bore"], Kind.LENGTH, dimension="exact", low=5, high=1500)
    ring = raw.get("ring_volume")
    volume = None if ring is None else read_quantity(ring, Kind.VOLUME, dimension="exact", low=0, high=1000)
    return Filled(below.value, _stated_u(below), bore.value, volume.value if volume else 0.0)


def _value_of(
    raw: Mapping[str, Any], field: Field, unstated: Unstated
) -> tuple[float, Unit, tuple[float, float] | None, Shots | None]:
    """What was read in the base unit, the unit it was typed in, and the two sides or the shots it is made of."""
    if raw.get("tipped") is not None:
        sides = [read_field(side, field, unstated) for side in raw["tipped"]]
        return (sides[0].value + sides[1].value) / 2, sides[-1].unit, (sides[0].value, sides[1].value), None
    if raw.get("shots") is not None:
        shots, size = _shots(raw["shots"])
        if not field.low <= shots.volume <= field.high:
            raise QuantityError(f"{shots.volume:.6g} cc", f"{field.low:g} to {field.high:g} cc")
        return shots.volume, size.unit, None, shots
    quantity = read_field(raw["value"], field, unstated)
    return quantity.value, quantity.unit, None, None


def _said(value: Any) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)


def _length(raw: Any) -> float:
    return read_quantity(raw, Kind.LENGTH, dimension="exact", low=-3000, high=3000).value


def _maybe(raw: Any) -> float | None:
    return None if raw is None else _length(raw)


def _may_be_read_at(figure: str) -> str:
    """Where a figure may be read, in words."""
    field = READABLE[figure]
    places = [
        *(("a cylinder",) if field.per_cylinder else ()),
        *(("a bank",) if field.per_bank else ()),
        *(("no place, for the whole engine",) if field.part != "mock-up" else ()),
    ]
    return " or ".join(places)


def _shots(raw: Mapping[str, Any]) -> tuple[Shots, Quantity]:
    size = read_quantity(raw["size"], Kind.VOLUME, dimension="exact", low=_SHOT[0], high=_SHOT[1])
    part = raw.get("part")
    read = None if part is None else read_quantity(part, Kind.VOLUME, dimension="exact", low=0, high=_SHOT[1])
    random = raw.get("random")
    return Shots(
        count=raw["count"],
        size=size.value,
        size_u=_stated_u(size),
        random=None if random is None else gauge_figure(random, Kind.VOLUME)[0],
        part=read.value if read else 0.0,
        part_u=_stated_u(read) if read else 0.0,
    ), size


def _stated_u(quantity: Quantity) -> float | None:
    return None if quantity.doubt in ("none", "house") else quantity.u


def moment(text: str) -> str:
    """Return a time as text that sorts by time: UTC; a time without a zone counts as UTC.

    Parameters
    ----------
    text : str
        As in ISO 8601, such as ``2026-05-05T09:12:00Z``.

    Raises
    ------
    QuantityError
        If it is none.

    Examples
    --------
    >>> moment("2026-05-05T11:12:00+02:00")
    '2026-05-05T09:12:00.000000Z'
    """
    try:
        read = datetime.fromisoformat(text)
        read = read.replace(tzinfo=UTC) if read.tzinfo is None else read.astimezone(UTC)
    except (ValueError, OverflowError):
        raise QuantityError(
            f"the time {shown(text)}", "a date and time such as 2026-05-05T09:12:00Z"
        ) from None
    return f"{read:%Y-%m-%dT%H:%M:%S.%f}Z" if read.year > 999 else f"0{read:%Y-%m-%dT%H:%M:%S.%f}Z"


def without_facts(document: Mapping[str, Any]) -> dict[str, Any]:
    """Return a document without its logbook, which is kept as facts beside it.

    Parameters
    ----------
    document : Mapping
        A build document.
    """
    return {key: value for key, value in document.items() if key not in LOGBOOK_KEYS}


def ids_twice(items: Iterable[Mapping[str, Any]]) -> list[int]:
    """Return the indices of entries whose id stood before; places without a unit.

    Parameters
    ----------
    items : iterable of Mapping
        Entries with an ``id``.
    """
    seen: set[str] = set()
    twice = []
    for i, item in enumerate(items):
        if item["id"] in seen:
            twice.append(i)
        seen.add(item["id"])
    return twice
