"""From the reading page to a fact: what was typed, with its unit, gauge, zero and conditions."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

from zygometra.core.digits import figure
from zygometra.core.errors import Fault, QuantityError, shown
from zygometra.core.measuring.agreement import axis_wanted, odd_rock, slipped
from zygometra.core.measuring.cut_since import passes_over
from zygometra.core.measuring.logbook import AXES, READABLE, SURFACES, Gauge, Logbook, Reading
from zygometra.core.measuring.read_in import moment, read_reading
from zygometra.core.spoken import as_written
from zygometra.core.typed import check_text, plain_number, whole_number
from zygometra.core.units import Kind, from_base, read_typed
from zygometra.core.wording import Reader
from zygometra.core.written import AsTyped
from zygometra.exchange.logbook_faults import reading_entry_faults

from ..build.bench import Bench
from ..forms.read import is_sided
from ..queued import KEY

# Conditions that are words, or yes and no.
_WORDS = ("caps", "rod", "piston", "fastener")
_FLAGS = ("plate", "oiled", "shells", "level_stood")
# Units of a setting that is settled once for a series.
UNITS = {Kind.LENGTH: ("mm", "thou", "in"), Kind.VOLUME: ("cc",), Kind.AREA: ("mm2",), Kind.ANGLE: ("°",)}
# Two readings alike of one place so many seconds apart were likely one, pressed twice.
_TWICE_WITHIN = 3.0
_INSIST = "Press “it is right” to keep"
_OR = f"a slipped point, or another unit? Put it right. {_INSIST} it."


class Sent(NamedTuple):
    """A reading as the page sent it: its fact, or one sentence; ``sure`` would take it all the same."""

    key: str
    body: dict[str, Any]
    fault: str = ""
    may_insist: bool = False


def key_of(form: Mapping[str, str]) -> str:
    """Return the key that was made where a fact was typed.

    Parameters
    ----------
    form : Mapping
        What was sent.

    Raises
    ------
    QuantityError
        If there is none, or none such.
    """
    key = form.get("key", "")
    if not KEY.fullmatch(key):
        raise QuantityError(f"the key {shown(key)}", "1 to 80 letters, digits, spaces and _ . : -")
    return key


def stamp(body: dict[str, Any], form: Mapping[str, str], by: str, now: str) -> dict[str, Any]:
    """Put who and when into a fact: the time at which it was typed, where that is sent and not to come."""
    typed = form.get("at", "")
    try:
        at = moment(typed)[:19] + "Z" if typed else now
    except QuantityError:
        at = now
    return {**body, "by": by, "at": min(at, now)}


def read_sent(
    bench: Bench, form: Mapping[str, str], gauges: Mapping[str, Gauge], reader: Reader, by: str, now: str
) -> Sent:
    """Read what the reading page sent.

    Parameters
    ----------
    bench : Bench
        The build.
    form : Mapping
        Texts by field.
    gauges : Mapping
        Those that are known: of the shop and of the build.
    reader : Reader
        Who typed.
    by, now : str
        Who, and when it came.

    Returns
    -------
    Sent
        Checked against the build.
    """
    key = ""
    try:
        key = key_of(form)
        body = stamp({"id": key, **_body(form)}, form, by, now)
    except QuantityError as error:
        return Sent(key, {}, _sentence(error, reader))
    banks, holes = [bank.name for bank in bench.build.banks], list(bench.build.cylinders)
    faults = list(reading_entry_faults("reading", body, order=0, gauges=gauges, names=banks, numbers=holes))
    if faults:
        return Sent(key, body, _fault_words(faults[0], reader))
    reading = read_reading(body, 0)
    logbook = bench.build.logbook or Logbook()
    if reading.id in logbook.by_id:
        # Sent again: whatever was asked then was answered.
        return Sent(key, body)
    if reading.zero and logbook.has_moved(reading.zero):
        return Sent(
            key,
            body,
            f"The zero {reading.zero} has come back off its mark: zero the gauge again, and read against the new one.",
        )
    if form.get("sure"):
        return Sent(key, body)
    odd = _odd(bench, reading, logbook, reader)
    return Sent(key, body, odd, may_insist=bool(odd))


def _sentence(error: QuantityError, reader: Reader) -> str:
    return error.says.written(reader)


def _fault_words(fault: Fault, reader: Reader) -> str:
    return _sentence(QuantityError(fault.found, fault.wanted), reader)


def _body(form: Mapping[str, str]) -> dict[str, Any]:
    """The entry of a build file that a form describes."""
    name = form.get("figure", "")
    field = READABLE.get(name)
    if field is None:
        raise QuantityError(f"the figure {shown(name)}", "one that can be read, such as deck_clearance")
    body: dict[str, Any] = {"figure": name}
    if form.get("cylinder", "").strip():
        body["cylinder"] = whole_number(form["cylinder"], "the number of a hole", low=1, high=99)
    if form.get("bank", "").strip():
        body["bank"] = form["bank"].strip()
    unit = form.get("unit", "").strip()
    sided = is_sided(field)
    way = form.get("way", "plain")
    if way == "shots":
        body["shots"] = _shots(form)
    elif way == "tipped":
        body["tipped"] = [
            _valued(form.get(name, ""), unit, field.kind, sided=sided) for name in ("value", "side")
        ]
    else:
        body["value"] = _valued(form.get("value", ""), unit, field.kind, sided=sided)
    if form.get("heard") == "yes":
        # Only stand-ins send to a page so far: what they sent is no real figure.
        body["simulated"] = True
    return body | _circumstances(form)


def _valued(typed: str, unit: str, kind: Kind, *, sided: bool) -> str:
    """A figure as a file writes it: as typed, with the unit that was settled where it has none."""
    text = as_written(typed.strip(), sided=sided)
    if not text:
        raise QuantityError("nothing", f"a figure, such as {_EXAMPLE[kind]}")
    if read_typed(text, kind).unit is not None:
        return text
    if unit not in UNITS.get(kind, ()):
        likely = " or ".join(f"{text} {one}" for one in UNITS.get(kind, ())[:2])
        raise QuantityError(
            f"{text} without a unit", f"{likely or 'a figure with its unit'}, or a unit chosen once"
        )
    return f"{text} {unit}"


_EXAMPLE = {Kind.LENGTH: "0.31 mm", Kind.VOLUME: "52.4 cc", Kind.AREA: "4200 mm2", Kind.ANGLE: "12.5°"}


def _shots(form: Mapping[str, str]) -> dict[str, Any]:
    """Counted shots: how many, of which size, and a part of one."""
    count = whole_number(
        form.get("value", "").strip() or "0", "how many whole shots, such as 21", low=0, high=10_000
    )
    part = form.get("side", "").strip()
    size = form.get("size", "").strip()
    if not size:
        raise QuantityError("no size of a shot", "the volume of one shot, such as 2.5 cc")
    shots: dict[str, Any] = {"count": count, "size": _cc(size, "size_u", form)}
    if part:
        shots["part"] = _cc(part, "part_u", form)
    if form.get("random", "").strip():
        shots["random"] = _in_cc(form["random"])
    return shots


def _cc(typed: str, doubt: str, form: Mapping[str, str]) -> Any:
    if not form.get(doubt, "").strip():
        return _in_cc(typed)
    read = read_typed(_in_cc(typed), Kind.VOLUME)
    unit = read.unit.symbol if read.unit else "cc"
    return {"value": read.number, "unit": unit, "u": _in_cc(form[doubt])}


def _in_cc(typed: str) -> str:
    text = as_written(typed.strip())
    return text if read_typed(text, Kind.VOLUME).unit is not None else f"{text} cc"


def _circumstances(form: Mapping[str, str]) -> dict[str, Any]:
    """Gauge, zero, where on the part, temperature, and under which conditions."""
    out: dict[str, Any] = {}
    for name in ("gauge", "zero"):
        if words := form.get(name, "").strip():
            out[name] = check_text(words, f"the name of a {name} of up to 80 characters", most=80)
    for name, among in (("on", SURFACES), ("axis", AXES)):
        if (word := form.get(name, "").strip()) in among:
            out[name] = word
        elif word:
            raise QuantityError(f"{name} {shown(word)}", "one of " + ", ".join(among))
    if body_of_crown := form.get("rim_below", "").strip():
        out |= _filling(body_of_crown, form)
    if depth := form.get("depth", "").strip():
        out["depth"] = depth if read_typed(depth, Kind.LENGTH).unit else f"{depth} mm"
    if pad := form.get("pad_height", "").strip():
        out["pad_height"] = pad if read_typed(pad, Kind.LENGTH).unit else f"{pad} mm"
    for name, low, high, wanted in (
        ("clock", 0.0, 360.0, "degrees from 0 to 360"),
        ("temperature", -60.0, 200.0, "degrees Celsius, such as 21.5"),
        ("gauge_temperature", -60.0, 200.0, "degrees Celsius, such as 21.5"),
    ):
        if typed := form.get(name, "").strip():
            out[name] = plain_number(typed, wanted, low=low, high=high)
    conditions = _conditions(form)
    if conditions:
        out["conditions"] = conditions
    if says := form.get("says", "").strip():
        out["says"] = check_text(says, "a note of up to 400 characters", most=400)
    return out


def _filling(below: str, form: Mapping[str, str]) -> dict[str, Any]:
    """A crown that was filled in its bore: how far below the deck its rim stood, and the bore."""
    if form.get("figure") != "crown_volume":
        return {}
    out: dict[str, Any] = {"rim_below": _in_mm(below)}
    if bore := form.get("bore", "").strip():
        out["bore"] = _in_mm(bore)
    if ring := form.get("ring_volume", "").strip():
        out["ring_volume"] = _in_cc(ring)
    return out


def _in_mm(typed: str) -> str:
    text = as_written(typed)
    return text if read_typed(text, Kind.LENGTH).unit is not None else f"{text} mm"


def _conditions(form: Mapping[str, str]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for name in _WORDS:
        if words := form.get(name, "").strip():
            found[name] = check_text(words, "a few words of up to 80 characters", most=80)
    for name in _FLAGS:
        if (word := form.get(name, "")) in ("yes", "no"):
            found[name] = word == "yes"
    if (block := form.get("block", "")) in ("upright", "inverted"):
        found["block"] = block
    if hours := form.get("hours", "").strip():
        wanted = "hours since the last machining, such as 12"
        found["hours_since_machining"] = plain_number(hours, wanted, low=0.0, high=1e6)
    return found


def _odd(bench: Bench, reading: Reading, logbook: Logbook, reader: Reader) -> str:
    """What is odd about a reading that could be meant all the same; empty where nothing is."""
    standing = [
        one for one in logbook.readings if one.figure == reading.figure and one.id not in logbook.void
    ]
    here = [one for one in standing if one.place == reading.place]
    same = bool(here) and (here[-1].value, here[-1].tipped) == (reading.value, reading.tipped)
    if same and _apart(here[-1].at, reading.at) < _TWICE_WITHIN:
        return (
            f"That is the same figure for the same place within three seconds: pressed twice? {_INSIST} both."
        )
    if (rock := odd_rock(reading, bench.rules["usual_rock"])) is not None:
        told = bench.reader.length(rock, rock / 20)
        return f"The two sides make a rock of {told}, which no piston has: {_OR}"
    if axis_wanted(reading, standing):
        where = "off the pin axis" if reading.spot.axis else "with no axis told"
        return (
            f"A plain reading {where} may hold the piston's rock: read over the pin axis and say so, or tip it both "
            f"ways. {_INSIST} it."
        )
    paper = (bench.build.paper or bench.build.figures).get(str(reading.place))
    if paper is None and (state := bench.kept.now) is not None and reading.figure == "deck_clearance":
        expected = state.hole(reading.place.number).outcome.deck_clearance
    else:
        general = (bench.build.paper or bench.build.figures).get(READABLE[reading.figure].path)
        expected = paper.value if paper else general.value if general else None
    # What was read before a cut moved it says nothing of how it stands now.
    as_it_is = [one for one in standing if not _was_cut_since(bench, one)]
    like = slipped(reading, [one.value for one in as_it_is[-24:]], expected)
    if like is None:
        return ""
    shows = read_figure(reading, reader)
    if like == reading.value:
        return f"{shows} is not what such a figure usually is: {_OR}"
    return f"{shows}, where {_like(like, reading)} would be like the others: {_OR}"


def _was_cut_since(bench: Bench, one: Reading) -> bool:
    return any(at > one.at for at in passes_over(bench.build, one.place, one.figure))


def _apart(one: str, other: str) -> float:
    from datetime import datetime

    if not one or not other:
        return 1e9
    return abs((datetime.fromisoformat(other) - datetime.fromisoformat(one)).total_seconds())


def read_figure(reading: Reading, reader: Reader) -> str:
    """Return what a reading shows, as it was typed."""
    if reading.tipped or reading.shots or reading.filled:
        return _like(reading.value, reading)
    from zygometra.core.quantity import read_field

    return AsTyped(read_field(reading.typed["value"], READABLE[reading.figure])).written(reader)


def _like(value: float, reading: Reading) -> str:
    """A value in the unit that was typed."""
    if READABLE[reading.figure].kind is not Kind.LENGTH:
        return f"{figure(value, 1)} {reading.unit.symbol}"
    decimals = {"mm": 2, "in": 4, "thou": 1}.get(reading.unit.symbol, 2)
    words = f"{figure(abs(from_base(value, reading.unit)), decimals)} {reading.unit.symbol}"
    if reading.figure == "deck_clearance" and value:
        return f"{words} {'down' if value > 0 else 'proud'}"
    return words
