"""From the reading page to a fact: what was typed, with its unit, gauge, zero and conditions."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

from zygometra.core.digits import figure
from zygometra.core.errors import BuildFaults, Fault, QuantityError, shown
from zygometra.core.measuring.agreement import axis_wanted, odd_rock, slipped
from zygometra.core.measuring.cut_since import passes_over
from zygometra.core.measuring.logbook import AXES, READABLE, SURFACES, Gauge, Logbook, Reading
from zygometra.core.moments import moment
from zygometra.core.typed import check_text, whole_number
from zygometra.core.units import Kind, from_base, read_typed
from zygometra.core.wording import Reader
from zygometra.core.written import AsTyped
from zygometra.exchange.logbook_faults import reading_entry

from ..build.bench import Bench
from ..forms.form import Form
from ..forms.read import in_unit, is_sided, with_settled

# Conditions that are words, or yes and no.
_WORDS = ("caps", "rod", "piston", "fastener")
_FLAGS = ("plate", "oiled", "shells", "level_stood")
# Two readings alike of one place so many seconds apart were likely one, pressed twice.
_TWICE_WITHIN = 3.0
_INSIST = "Press “it is right” to keep"
_OR = f"a slipped point, or another unit? Put it right. {_INSIST} it."


class Sent(NamedTuple):
    """A reading as the page sent it, or one sentence; ``sure`` would take it all the same."""

    key: str
    reading: Reading | None
    fault: str = ""
    may_insist: bool = False


def stamp(body: dict[str, Any], form: Form, by: str, now: str) -> dict[str, Any]:
    """Put who and when into a fact: the time at which it was typed, where that is sent and not to come."""
    typed = form.raw("at")
    try:
        at = moment(typed)[:19] + "Z" if typed else now
    except QuantityError:
        at = now
    return {**body, "by": by, "at": min(at, now)}


def read_sent(
    bench: Bench, form: Form, gauges: Mapping[str, Gauge], reader: Reader, by: str, now: str
) -> Sent:
    """Read what the reading page sent.

    Parameters
    ----------
    bench : Bench
        The build.
    form : Form
        As it was sent.
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
        key = form.key
        body = stamp({"id": key, **_body(form)}, form, by, now)
    except QuantityError as error:
        return Sent(key, None, _sentence(error, reader))
    banks, holes = [bank.name for bank in bench.build.banks], list(bench.build.cylinders)
    try:
        reading = reading_entry("reading", body, gauges=gauges, names=banks, numbers=holes)
    except BuildFaults as error:
        return Sent(key, None, _fault_words(error.faults[0], reader))
    logbook = bench.build.logbook or Logbook()
    if reading.id in logbook.by_id:
        # Sent again: whatever was asked then was answered.
        return Sent(key, reading)
    if reading.zero and logbook.has_moved(reading.zero):
        return Sent(
            key,
            None,
            f"The zero {reading.zero} has come back off its mark: zero the gauge again, and read against the new one.",
        )
    odd = "" if form.raw("sure") else _odd(bench, reading, logbook, reader)
    return Sent(key, reading, odd, may_insist=bool(odd))


def _sentence(error: QuantityError, reader: Reader) -> str:
    return error.says.written(reader)


def _fault_words(fault: Fault, reader: Reader) -> str:
    return _sentence(QuantityError(fault.found, fault.wanted), reader)


def _body(form: Form) -> dict[str, Any]:
    """The entry of a build file that a form describes."""
    name = form.raw("figure")
    field = READABLE.get(name)
    if field is None:
        raise QuantityError(f"the figure {shown(name)}", "one that can be read, such as deck_clearance")
    body: dict[str, Any] = {"figure": name}
    if form["cylinder"]:
        body["cylinder"] = whole_number(form["cylinder"], "the number of a hole", low=1, high=99)
    if form["bank"]:
        body["bank"] = form["bank"]
    unit, sided = form["unit"], is_sided(field)
    way = form.raw("way")
    if way == "shots":
        body["shots"] = _shots(form)
    elif way == "tipped":
        body["tipped"] = [
            with_settled(form[name], unit, field.kind, sided=sided) for name in ("value", "side")
        ]
    else:
        body["value"] = with_settled(form["value"], unit, field.kind, sided=sided)
    if form.raw("heard") == "yes":
        # Only stand-ins send to a page so far: what they sent is no real figure.
        body["simulated"] = True
    return body | _circumstances(form)


def _shots(form: Form) -> dict[str, Any]:
    """Counted shots: how many, of which size, and a part of one."""
    count = whole_number(form["value"] or "0", "how many whole shots, such as 21", low=0, high=10_000)
    if not form["size"]:
        raise QuantityError("no size of a shot", "the volume of one shot, such as 2.5 cc")
    shots: dict[str, Any] = {"count": count, "size": _cc(form["size"], form["size_u"])}
    if form["side"]:
        shots["part"] = _cc(form["side"], form["part_u"])
    if form["random"]:
        shots["random"] = in_unit(form["random"], Kind.VOLUME)
    return shots


def _cc(typed: str, doubt: str) -> Any:
    written = in_unit(typed, Kind.VOLUME)
    if not doubt:
        return written
    read = read_typed(written, Kind.VOLUME)
    unit = read.unit.symbol if read.unit else "cc"
    return {"value": read.number, "unit": unit, "u": in_unit(doubt, Kind.VOLUME)}


def _circumstances(form: Form) -> dict[str, Any]:
    """Gauge, zero, where on the part, temperature, and under which conditions."""
    out: dict[str, Any] = {}
    for name in ("gauge", "zero"):
        if words := form[name]:
            out[name] = check_text(words, f"the name of a {name} of up to 80 characters", most=80)
    for name, among in (("on", SURFACES), ("axis", AXES)):
        if (word := form[name]) in among:
            out[name] = word
        elif word:
            raise QuantityError(f"{name} {shown(word)}", "one of " + ", ".join(among))
    if form["rim_below"]:
        out |= _filling(form)
    for name in ("depth", "pad_height"):
        if typed := form[name]:
            out[name] = typed if read_typed(typed, Kind.LENGTH).unit else f"{typed} mm"
    for name, low, high, wanted in (
        ("clock", 0.0, 360.0, "degrees from 0 to 360"),
        ("temperature", -60.0, 200.0, "degrees Celsius, such as 21.5"),
        ("gauge_temperature", -60.0, 200.0, "degrees Celsius, such as 21.5"),
    ):
        if (number := form.number(name, wanted, low=low, high=high)) is not None:
            out[name] = number
    if conditions := _conditions(form):
        out["conditions"] = conditions
    if says := form["says"]:
        out["says"] = check_text(says, "a note of up to 400 characters", most=400)
    return out


def _filling(form: Form) -> dict[str, Any]:
    """A crown that was filled in its bore: how far below the deck its rim stood, and the bore."""
    if form.raw("figure") != "crown_volume":
        return {}
    out: dict[str, Any] = {"rim_below": in_unit(form["rim_below"], Kind.LENGTH)}
    if bore := form["bore"]:
        out["bore"] = in_unit(bore, Kind.LENGTH)
    if ring := form["ring_volume"]:
        out["ring_volume"] = in_unit(ring, Kind.VOLUME)
    return out


def _conditions(form: Form) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for name in _WORDS:
        if words := form[name]:
            found[name] = check_text(words, "a few words of up to 80 characters", most=80)
    for name in _FLAGS:
        if (word := form.raw(name)) in ("yes", "no"):
            found[name] = word == "yes"
    if (block := form.raw("block")) in ("upright", "inverted"):
        found["block"] = block
    hours = form.number("hours", "hours since the last machining, such as 12", low=0.0, high=1e6)
    return found if hours is None else {**found, "hours_since_machining": hours}


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
