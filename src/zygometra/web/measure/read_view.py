"""The reading page: one place, one field, what was read last, and how it agrees."""

# long: one page: its place, its field, what was read before
from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from flask import url_for

from zygometra.core.measuring.agreement import agreement
from zygometra.core.measuring.logbook import READABLE, Logbook, Reading, place_of
from zygometra.core.measuring.what_next import what_next
from zygometra.core.place import Place, Scope
from zygometra.store import gauges
from zygometra.store.gauges import Register

from ..build.bench import Bench
from ..build.practice import may_simulate
from ..db import db
from ..forms.read import UNITS, bare_unit_of
from .reading_words import ReadingLine, agreement_words, label, line, mark_of, value_words

# What stays as it is from one reading to the next.
SETUP = (
    "figure",
    "way",
    "gauge",
    "unit",
    "zero",
    "on",
    "axis",
    "depth",
    "pad_height",
    "clock",
    "temperature",
    "gauge_temperature",
    "caps",
    "plate",
    "oiled",
    "shells",
    "block",
    "level_stood",
    "rim_below",
    "bore",
    "ring_volume",
    "hours",
    "rod",
    "piston",
    "size",
    "size_u",
    "random",
    "part_u",
    "then",
)
# In the order in which the choice offers them.
FIGURES = (
    "deck_clearance",
    "chamber_volume",
    "bore",
    "compression_height",
    "length",
    "stroke",
    "deck_height",
    "thickness",
    "gasket_bore",
    "crown_volume",
    "top_land_height",
    "top_land_diameter",
    "crown_thickness",
    "above_rim_thickness",
    "dish_area",
    "above_rim",
    "above_rim_area",
    "opening_area",
    "opening_perimeter",
    "wall_draft",
    "removal_rate",
    "other_volume",
    "pocket_area",
    "edge_width",
    "edge_angle",
    "gasket_volume",
    "gasket_opening_area",
    "swept_volume",
    "intake_closes",
    "at_lift",
)
_WAYS = {
    "deck_clearance": ("plain", "tipped"),
    "chamber_volume": ("plain", "shots"),
    "crown_volume": ("plain", "shots"),
}
_WAY_WORDS = {"plain": "one figure", "tipped": "tipped both ways", "shots": "counted shots"}
_LAST = 3


class ReadingSpot(NamedTuple):
    """One place on the strip of places: its value for the form, its name, how often it was read, how it agrees."""

    value: str
    label: str
    times: int
    mark: str
    says: str


class Recent(NamedTuple):
    """What was read of a place last: read back large, the last three, and how they agree."""

    where: str
    back: str
    beside: str
    lines: tuple[ReadingLine, ...]
    agrees: str
    state: str
    mark: str = ""


def place_value(place: Place) -> str:
    """Return how the form names a place: ``h3``, ``bA``, ``e``."""
    if place.scope is Scope.HOLE:
        return f"h{place.number}"
    return f"b{place.bank}" if place.scope is Scope.BANK else "e"


def gauges_known(bench: Bench) -> tuple[Register, dict[str, Any]]:
    """Return the register, and every gauge that a reading of this build may name."""
    register = gauges.register(db())
    own = (bench.build.logbook or Logbook()).gauges
    return register, {**register.gauges, **own}


def places_of(bench: Bench, figure: str) -> list[Place]:
    """Return where a figure is read in this build, in the order of the bench."""
    field = READABLE[figure]
    holes = (
        [place_of(figure, cylinder=number) for number in bench.build.cylinders] if field.per_cylinder else []
    )
    if field.is_each_holes:
        return holes
    if field.per_bank and bench.several_banks:
        return [*(place_of(figure, bank=bank.name) for bank in bench.build.banks), *holes]
    return [place_of(figure), *holes]


class Refusal(NamedTuple):
    """What was sent and not taken: why, in one sentence, and whether it would be taken all the same."""

    says: str
    typed: Mapping[str, str]
    may_insist: bool = False


NOT_REFUSED = Refusal("", {})


def view(bench: Bench, setup: Mapping[str, str], at: str, refused: Refusal = NOT_REFUSED) -> dict[str, Any]:
    """Return what the reading page shows.

    Parameters
    ----------
    bench : Bench
        The build.
    setup : Mapping
        What was settled.
    at : str
        The place to be read, as the form names it; the one that is due where it names none.
    refused : Refusal
        What was sent and not taken; the figure stays in the field.
    """
    setup = settled(bench, setup)
    figure = setup["figure"]
    places = places_of(bench, figure)
    spots = [_spot(bench, place) for place in places]
    chosen = at if at in {spot.value for spot in spots} else _due(spots)
    place = next(p for p in places if place_value(p) == chosen)
    register, known = gauges_known(bench)
    field = READABLE[figure]
    way = setup["way"]
    return {
        "setup": setup,
        "spots": spots,
        "round": round_of(bench, figure, chosen),
        "place": chosen,
        "where": _where(place),
        "figures": [(name, label(READABLE[name]).capitalize()) for name in FIGURES],
        "ways": [(way, _WAY_WORDS[way]) for way in _WAYS.get(figure, ("plain",))],
        "gauges": _gauge_choices(register, known),
        "units": [(unit, unit) for unit in UNITS.get(field.kind, ())] or [("", "—")],
        "heads": _heads(way, setup["unit"]),
        "two": way in ("tipped", "shots"),
        "depth": figure == "deck_clearance",
        "spotted": figure in ("bore", "thickness"),
        "poured": figure in ("chamber_volume", "crown_volume"),
        "crown": figure == "crown_volume",
        "fault": refused.says,
        "typed": refused.typed,
        "may_insist": refused.may_insist,
        "recent": recent_of(bench, place),
        "carry": [(name, setup[name]) for name in SETUP if setup.get(name)],
        "label": label(field),
        "listen": _listen(bench, register, setup, chosen),
        "zero_moved": (bench.build.logbook or Logbook()).has_moved(setup["zero"]) if setup["zero"] else False,
        "zeros": _zeros(bench, setup["gauge"]),
        "choices": _CHOICES,
    }


_CHOICES = {
    "on": [("rim", "flat rim"), ("pad", "quench pad"), ("dome", "dome top")],
    "axis": [("", "not said"), ("pin", "pin axis"), ("thrust", "thrust axis")],
    "yes": [("", "not said"), ("yes", "yes"), ("no", "no")],
    "caps": [("", "not said"), ("torqued", "torqued"), ("snug", "snug")],
    "block": [("", "not said"), ("upright", "upright"), ("inverted", "upside down")],
    "then": [("round", "on to the next place"), ("stay", "stay at this place")],
}


def settled(bench: Bench, setup: Mapping[str, str]) -> dict[str, str]:
    """Return what was settled for this series, with what is usual where nothing was said."""
    found = {name: setup.get(name, "").strip() for name in SETUP}
    if found["figure"] not in FIGURES:
        advice = what_next(bench.build, bench.kept.now).readings if bench.kept.now is not None else ()
        found["figure"] = advice[0].figure if advice and advice[0].figure in FIGURES else "deck_clearance"
    figure = found["figure"]
    field = READABLE[figure]
    last = _last_of(bench, figure)
    if found["way"] not in _WAYS.get(figure, ("plain",)):
        found["way"] = last.way if last is not None and last.way in _WAYS.get(figure, ()) else "plain"
    if last is not None and "then" not in setup:
        # Nothing was settled yet: it goes on as the last one left it.
        before = _circumstances(last)
        found |= {name: words for name, words in before.items() if name not in setup}
    if found["unit"] not in UNITS.get(field.kind, ()):
        usual = last.unit.symbol if last is not None else bare_unit_of(field, bench.reader).symbol
        found["unit"] = usual if usual in UNITS.get(field.kind, ()) else (UNITS.get(field.kind) or ("",))[0]
    if figure == "crown_volume" and not found["bore"]:
        bore = (bench.build.figures).get("parts.block.bore")
        found["bore"] = f"{bore.value:g} mm" if bore is not None else ""
    if figure != "crown_volume":
        found["rim_below"] = found["bore"] = found["ring_volume"] = ""
    if figure != "deck_clearance":
        found["on"] = found["zero"] = ""
    elif not found["on"]:
        found["on"] = "rim"
    found["then"] = found["then"] if found["then"] in ("round", "stay") else "round"
    return found


def _last_of(bench: Bench, figure: str) -> Reading | None:
    logbook = bench.build.logbook or Logbook()
    return next((one for one in reversed(logbook.readings) if one.figure == figure), None)


def _circumstances(last: Reading) -> dict[str, str]:
    """With what, on what and under which conditions a reading was taken, as the form has it."""
    flags = {"true": "yes", "false": "no"}
    found = {name: flags.get(value, value) for name, value in last.conditions if name in SETUP}
    found["hours"] = dict(last.conditions).get("hours_since_machining", "")
    found |= {"gauge": last.gauge, "zero": last.zero, "on": last.on, "axis": last.spot.axis or ""}
    if last.temperature is not None:
        found["temperature"] = f"{last.temperature:g}"
    return found


def _where(place: Place) -> str:
    if place.scope is Scope.HOLE:
        return f"Hole {place.number}"
    return f"Bank {place.bank}" if place.scope is Scope.BANK else "Whole engine"


def _heads(way: str, unit: str) -> tuple[str, str]:
    """What the two fields ask for."""
    if way == "tipped":
        return f"One way, {unit}", f"The other way, {unit}"
    if way == "shots":
        return "Whole shots", "Part of one, cc"
    return f"Reads, {unit}" if unit else "Reads", ""


def standing_at(bench: Bench, place: Place) -> list[Reading]:
    """Return the readings of a place that are neither void nor set aside, in their order."""
    used = bench.build.in_use
    series = used.series.get(place) if used is not None else None
    return list(series.readings) if series is not None else []


def _spot(bench: Bench, place: Place) -> ReadingSpot:
    readings = standing_at(bench, place)
    names = {Scope.HOLE: lambda: str(place.number), Scope.BANK: lambda: place.bank}
    called = names.get(place.scope, lambda: "engine")()
    if not readings:
        return ReadingSpot(value=place_value(place), label=called, times=0, mark="", says="not read yet")
    how = agreement(readings, bench.build.logbook or Logbook())
    field = READABLE[readings[0].figure]
    return ReadingSpot(
        value=place_value(place),
        label=called,
        times=len(readings),
        mark=mark_of(how),
        says=agreement_words(how, field.kind, bench.reader),
    )


def _due(spots: Sequence[ReadingSpot]) -> str:
    """The place that was read least often; the first of them."""
    return min(spots, key=lambda spot: spot.times).value


def next_place(bench: Bench, setup: Mapping[str, str], at: str) -> str:
    """Return the place that comes after one: the next on the bench, or the same where that was chosen."""
    values = round_of(bench, setup["figure"], at)
    if setup.get("then") == "stay" or at not in values:
        return at
    return values[(values.index(at) + 1) % len(values)]


def round_of(bench: Bench, figure: str, at: str) -> list[str]:
    """Return the places that follow one another, as the form names them.

    One set of parts goes to the ends of each bank; a gasket is read where it covers, pellets hole by hole. From
    a place that is not on that round one goes through all.
    """
    values = [place_value(place) for place in places_of(bench, figure)]
    some = values
    if figure == "deck_clearance" and bench.build.mocked_with_one_set:
        ends = [(bank.cylinders[0], bank.cylinders[-1]) for bank in bench.build.banks]
        some = [f"h{number}" for pair in ends for number in dict.fromkeys(pair)]
    elif not READABLE[figure].is_each_holes:
        wide = [value for value in values if not value.startswith("h")]
        some = wide if at in wide else [value for value in values if value not in wide]
    return some if at in some else values


def recent(bench: Bench, just: Reading) -> Recent:
    """Return what is said after a reading was taken."""
    found = recent_of(bench, just.place)
    logbook = bench.build.logbook or Logbook()
    kept = logbook.by_id.get(just.id, just)
    return found._replace(back=value_words(kept, bench.reader), beside=line(kept, bench.reader).beside)


def recent_of(bench: Bench, place: Place) -> Recent:
    """Return what was read of a place last."""
    logbook = bench.build.logbook or Logbook()
    readings = [one for one in logbook.readings if one.place == place and one.id not in logbook.void]
    used = bench.build.in_use
    aside = {one.reading.id: one.why for one in used.aside} if used is not None else {}
    lines = tuple(
        line(one, bench.reader, why=aside.get(one.id, ""), state="aside" if one.id in aside else "")
        for one in reversed(readings[-_LAST:])
    )
    standing = standing_at(bench, place)
    if not standing:
        return Recent(where=_where(place), back="", beside="", lines=lines, agrees="", state="")
    how = agreement(standing, logbook)
    kind = READABLE[standing[-1].figure].kind
    return Recent(
        where=_where(place),
        back="",
        beside="",
        lines=lines,
        agrees=agreement_words(how, kind, bench.reader),
        state=how.state,
        mark=mark_of(how),
    )


def _gauge_choices(register: Register, known: Mapping[str, Any]) -> list[tuple[str, str]]:
    retired = {name for name, raw in register.entries.items() if "x-retired" in raw}
    rows = [(name, f"{name}: {gauge.kind}" if gauge.kind else name) for name, gauge in sorted(known.items())]
    return [("", "none that is named"), *((name, words) for name, words in rows if name not in retired)]


def _zeros(bench: Bench, gauge: str) -> list[tuple[str, str]]:
    """The zeros that are in force with a gauge, the newest first."""
    logbook = bench.build.logbook or Logbook()
    names = [
        name
        for name, zero in logbook.zeros.items()
        if not logbook.has_moved(name) and zero.gauge in (gauge, "")
    ]
    return [("", "none"), *((name, name) for name in reversed(names))]


def _listen(bench: Bench, register: Register, setup: Mapping[str, str], at: str) -> str:
    """The address of what the chosen gauge sends, where it is one that sends."""
    entry = register.entries.get(setup["gauge"]) or {}
    if not entry.get("x-simulated") or not may_simulate(bench):
        return ""
    figure, way = setup["figure"], setup["way"]
    return url_for("gauges.stream", name=setup["gauge"], build=bench.id, figure=figure, way=way, place=at)
