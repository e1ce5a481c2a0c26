"""Readings and what they come to, written for whoever stands at the engine."""

from __future__ import annotations

from typing import Any, NamedTuple

from zygometra.core.digits import decimals_for, figure, number_of
from zygometra.core.fields import Field
from zygometra.core.measuring.agreement import Agreement
from zygometra.core.measuring.cause_words import where_words
from zygometra.core.measuring.logbook import READABLE, Reading
from zygometra.core.quantity import Quantity, read_field
from zygometra.core.units import Kind, from_base
from zygometra.core.wording import Reader
from zygometra.core.written import AsTyped

_MARKS = {"agree": "✓", "more": "…", "apart": "≠"}


class ReadingLine(NamedTuple):
    """One reading as a list shows it."""

    key: str
    what: str
    value: str
    beside: str
    how: str
    who: str
    at: str
    state: str = ""
    why: str = ""
    photos: tuple[str, ...] = ()


def value_words(reading: Reading, reader: Reader) -> str:
    """Return what was read, as it was typed; of a pair the mean, its rock and the least gap."""
    field = READABLE[reading.figure]
    if reading.shots:
        part = " and a part" if reading.shots.part else ""
        return f"{volume_words(reading.value)} ({reading.shots.count} shots{part})"
    if reading.tipped:
        unit = reading.unit
        places = _places(reading)
        mean, rock, least = (
            figure(from_base(value, unit), places + extra)
            for value, extra in (
                (reading.value, _half_step(reading, places)),
                (reading.rock or 0.0, _half_step(reading, places)),
                (min(reading.tipped), 0),
            )
        )
        return f"{mean} {unit.symbol} · rock {rock} · least gap {least}"
    if reading.filled:
        return f"{volume_words(reading.value)} (rim {reader.length(reading.filled.below)} below the deck)"
    typed = AsTyped(read_field(reading.typed["value"], field)).written(reader)
    return _down(typed, reading.value) if reading.figure == "deck_clearance" else typed


def _half_step(reading: Reading, places: int) -> int:
    """One more decimal where the mean of two sides falls between two steps."""
    assert reading.tipped is not None
    steps = sum(from_base(side, reading.unit) * 10**places for side in reading.tipped)
    return 1 if round(steps) % 2 else 0


def _places(reading: Reading) -> int:
    """Decimals of the finer side of a pair, as typed."""
    sides = [str(side.get("value") if isinstance(side, dict) else side) for side in reading.typed["tipped"]]
    numbers = [side.split()[0].replace(",", ".") for side in sides]
    return max(len(number.partition(".")[2]) for number in numbers)


def _down(typed: str, value: float) -> str:
    if not value:
        return "level"
    return f"{typed.lstrip('−-+')} {'down' if value > 0 else 'proud'}"


def volume_words(cc: float) -> str:
    """Return a volume that was filled, in cc."""
    return f"{figure(cc, 2)} cc"


def beside_words(reading: Reading, reader: Reader) -> str:
    """Return the same in the other system; empty for what is no length."""
    if READABLE[reading.figure].kind is not Kind.LENGTH:
        return ""
    metric = reading.unit.symbol in ("mm", "um", "cm")
    swapped = metric == (reader.system == "mm")
    return reader.length(abs(reading.value), 0.002, other=swapped)


def place_words(reading: Reading) -> str:
    """Return what was read and where, in words: ``deck clearance, hole 3 · pin axis``."""
    where = where_words(reading.place)
    spot = [
        f"{reading.spot.axis} axis" if reading.spot.axis else "",
        f"{figure(reading.spot.depth, 0)} mm deep" if reading.spot.depth is not None else "",
        f"{figure(reading.spot.clock, 0)}° round" if reading.spot.clock is not None else "",
        f"on the {reading.on}" if reading.on and reading.on != "rim" else "",
    ]
    return " · ".join(filter(None, (f"{label(READABLE[reading.figure])}{where}", *spot)))


def label(field: Field) -> str:
    """Return what a figure is called on the reading page."""
    return "deck clearance" if field.part == "mock-up" else field.label


def how_words(reading: Reading) -> str:
    """Return with which gauge and zero, at what temperature and under which conditions it was read."""
    conditions = [words for name, value in sorted(reading.conditions) if (words := _condition(name, value))]
    parts = [
        "simulated" if reading.simulated else "",
        reading.gauge,
        f"zero {reading.zero}" if reading.zero else "",
        f"{figure(reading.temperature, 1)} °C" if reading.temperature is not None else "",
        *conditions,
    ]
    return " · ".join(filter(None, parts))


def _condition(name: str, value: str) -> str:
    names = {"hours_since_machining": "hours since machining", "plate": "torque plate", "shells": "shells in"}
    called = names.get(name, name)
    if value in ("true", "false"):
        return called if value == "true" else f"no {called}"
    return f"{called} {value}"


def agreement_words(how: Agreement, kind: Kind, reader: Reader) -> str:
    """Return how the readings of a place stand, in one sentence."""
    if how.state == "more":
        return f"{number_of(how.more, 'more reading')} of this place to see whether they agree."

    def write(value: float) -> str:
        if kind is Kind.VOLUME:
            return f"{figure(value, 2)} cc"
        return reader.length(value, max(how.within, 1e-4) / 8)

    last = "The last two" if kind is Kind.VOLUME else "The last three"
    if how.state == "agree":
        return f"{last} agree: {write(how.range)} apart."
    return f"{last} are {write(how.range)} apart, more than {write(how.within)}: read again."


def mark_of(how: Agreement) -> str:
    """Return the shape that stands for an agreement."""
    return _MARKS[how.state]


def quantity_words(quantity: Quantity, field: Field, reader: Reader) -> tuple[str, str]:
    """Return a measured figure and half of its 95 % band, with no more digits than the doubt allows."""
    half = quantity.uncertainty.half
    if field.kind is Kind.LENGTH:
        unit_u = quantity.u
        value = (
            reader.clearance(quantity.value, unit_u)
            if field.part == "mock-up"
            else reader.length(quantity.value, unit_u)
        )
        return value, f"± {reader.band(half)}" if half else ""
    places = decimals_for(quantity.u, 2) if quantity.u else 2
    symbol = "cc" if field.kind is Kind.VOLUME else quantity.unit.symbol
    return f"{figure(quantity.value, places)} {symbol}", f"± {figure(half, places)}" if half else ""


def line(reading: Reading, reader: Reader, **more: Any) -> ReadingLine:
    """Return a reading as a list shows it."""
    return ReadingLine(
        key=reading.id,
        what=place_words(reading),
        value=value_words(reading, reader),
        beside=beside_words(reading, reader),
        how=how_words(reading),
        who=reading.by,
        at=reading.at[:16].replace("T", " "),
        **more,
    )
