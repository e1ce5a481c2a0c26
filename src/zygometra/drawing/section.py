"""One cylinder at top dead centre, cut through and drawn to scale, with its chain of lengths."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

from zygometra.core.quantity import Source
from zygometra.core.stack.arithmetic import circle_area
from zygometra.core.stack.assumed import is_assumed
from zygometra.core.stack.results import Hole
from zygometra.core.wording import Reader

from .marks import Up, basis_mark, chip, dimension, editable, line, path, rect, text

WIDTH, HEIGHT = 410.0, 440.0
_TOP, _BOTTOM = 14.0, 8.0
_AXIS = 212.0
# Drawn where none is known, in mm.
USUAL_GASKET = 1.0


@dataclass(frozen=True, slots=True)
class SectionLayout:
    """Where the section put the gap, so that the loupe can point at it."""

    svg: str
    gap_x: float
    gap_y: float
    scale: float


class _Sizes(NamedTuple):
    """The lengths of one hole in mm, up from the crank centre."""

    bore: float
    stroke: float
    rod: float
    pin: float
    rim: float
    deck: float
    face: float
    compression: float
    roof: float


def _sizes(hole: Hole) -> _Sizes:
    value = {path: source.quantity.value for path, source in hole.sources.items()}
    o = hole.outcome
    # Where a length is not known a usual one is drawn, by what is known beside it.
    stroke = value.get("parts.crank.stroke")
    bore = value.get("parts.block.bore", 1.05 * stroke if stroke else 90.0)
    stroke = stroke or 0.95 * bore
    rod = value.get("parts.rod.length", 1.7 * stroke)
    pin = stroke / 2 + rod
    compression = value.get("parts.piston.compression_height", 0.38 * bore)
    compression -= o.areas.crown.rim_cut(o.crown_cut)
    rim = pin + compression
    deck = rim + (o.deck_clearance or 0.0)
    face = deck + (USUAL_GASKET if o.gasket_thickness is None else o.gasket_thickness)
    opening = value.get("parts.head.opening_area") or 0.6 * circle_area(bore)
    roof = 0.2 * bore if o.terms.chamber is None else 1.5 * max(o.terms.chamber, 0.0) * 1000 / opening
    roof = max(0.06 * bore, min(0.6 * bore, roof))
    return _Sizes(bore, stroke, rod, pin, rim=rim, deck=deck, face=face, compression=compression, roof=roof)


def section(hole: Hole, reader: Reader) -> SectionLayout:
    """Draw the section of one hole.

    Parameters
    ----------
    hole : Hole
        In the state to be drawn.
    reader : Reader
        Units and words of the labels.

    Returns
    -------
    SectionLayout
        SVG group of :data:`WIDTH` × :data:`HEIGHT`, and where the gap is.

    Notes
    -----
    Deck height, stroke, rod, compression height, bore, gasket and clearance are to
    one scale. The chamber's outline is only likely: its depth follows its volume
    over its opening.
    """
    s = _sizes(hole)
    key = _as_seen(s, hole, reader)
    known = _DRAWN.get(key)
    if known is None:
        if len(_DRAWN) >= _MOST_DRAWN:
            _DRAWN.clear()
        # The sources are kept with the picture: their identities are part of its key.
        known = _DRAWN[key] = (hole.sources, _draw(s, hole, reader))
    return known[1]


_MOST_DRAWN = 256
_DRAWN: dict[tuple[object, ...], tuple[dict[str, Source], SectionLayout]] = {}
# What is not written on the drawing once it is known, but wanted there while it is not.
_INSIDE = (
    ("parts.head.chamber_volume", "chamber volume"),
    ("parts.piston.crown_volume", "crown volume"),
    ("parts.gasket.bore", "gasket bore"),
)
_ABOVE = "parts.piston.above_rim"
_LABELLED = (
    _ABOVE,
    "parts.piston.compression_height",
    "parts.rod.length",
    "parts.crank.stroke",
    "parts.block.deck_height",
    "parts.block.bore",
    *(place for place, _ in _INSIDE),
)


def _as_seen(s: _Sizes, hole: Hole, reader: Reader) -> tuple[object, ...]:
    """What the picture depends on, as far as it can be seen: to a twentieth of a drawing unit.

    A lever moves the section by thousandths of its size; the same picture serves
    until something in it moves visibly.
    """
    fine = 10 * HEIGHT / (s.face + s.roof)
    outcome = hole.outcome
    return (
        reader,
        *(round(mm * fine) for mm in s),
        reader.length(hole.above_rim) if hole.above_rim else "",
        round((hole.above_rim or 0.0) * fine),
        round(_top_radius(hole, s) * fine),
        round((outcome.terms.crown or 0.0) * fine),
        round(_opening_radius(hole, s) * fine),
        *(id(hole.sources.get(place)) for place in _LABELLED),
    )


def _draw(s: _Sizes, hole: Hole, reader: Reader) -> SectionLayout:
    head = s.roof + 0.14 * s.bore
    top_mm, bottom_mm = s.face + head, -s.stroke / 2 - 0.12 * s.bore
    scale = min((HEIGHT - _TOP - _BOTTOM) / (top_mm - bottom_mm), 205 / (1.5 * s.bore))
    crank_y = _TOP + top_mm * scale

    def y(mm: float) -> float:
        return crank_y - mm * scale

    half = s.bore / 2 * scale
    parts = [
        _head(s, y, half, head),
        _block(s, y, half, scale),
        _gasket(hole, y, half, scale, s=s),
        _piston(hole, s, y, half, scale=scale),
        _rod(s, y, scale),
        _chain(hole, s, y, half, reader=reader),
        _wanted(hole, s, y),
        _said_of_top(hole, s, y, reader),
    ]
    return SectionLayout("".join(parts), _AXIS + half, y((s.deck + s.face) / 2), scale)


def _head(s: _Sizes, y: Up, half: float, head: float) -> str:
    wall = half * 1.45
    left, right = _AXIS - wall, _AXIS + wall
    mouth = half * 0.86
    d = (
        f"M{left:.1f} {y(s.face):.1f}V{y(s.face + head):.1f}H{right:.1f}V{y(s.face):.1f}"
        f"H{_AXIS + mouth:.1f}"
        f"C{_AXIS + mouth * 0.8:.1f} {y(s.face + s.roof * 1.1):.1f} {_AXIS + mouth * 0.25:.1f} "
        f"{y(s.face + s.roof * 1.25):.1f} {_AXIS - mouth * 0.2:.1f} {y(s.face + s.roof):.1f}"
        f"Q{_AXIS - mouth * 0.75:.1f} {y(s.face + s.roof * 0.7):.1f} {_AXIS - mouth:.1f} "
        f"{y(s.face):.1f}Z"
    )
    return path(d, "metal head")


def _block(s: _Sizes, y: Up, half: float, scale: float) -> str:
    wall = half * 1.45
    skirt = max(s.pin - s.stroke - 0.15 * s.bore, s.stroke / 2 * 0.9)
    jacket = half * 0.2
    sides = []
    for way in (-1, 1):
        inner, outer = _AXIS + way * half, _AXIS + way * wall
        sides.append(
            path(f"M{inner:.1f} {y(s.deck):.1f}H{outer:.1f}V{y(skirt):.1f}H{inner:.1f}Z", "metal block")
        )
        x = min(inner + way * half * 0.13, inner + way * (half * 0.13 + jacket))
        high, low = s.deck - 0.12 * s.bore, max(skirt + 0.12 * s.bore, s.deck - 1.0 * s.bore)
        sides.append(rect(x, y(high), jacket, (high - low) * scale, css="water", radius=jacket / 2))
    return "".join(sides)


def _opening_radius(hole: Hole, s: _Sizes) -> float:
    """The radius of the gasket's opening in mm; a little over the bore's where it is not known."""
    area = hole.outcome.gasket_area
    return 0.51 * s.bore if math.isnan(area) else math.sqrt(area / math.pi)


def _wanted(hole: Hole, s: _Sizes, y: Up) -> str:
    """Chips for what the volumes want and the drawing does not show otherwise."""
    # What the house assumes is asked for like what is not there.
    have = {place for place, source in hole.sources.items() if not is_assumed(source)}
    levels = (s.face + 0.45 * s.roof, s.pin + 0.62 * s.compression, s.deck - 1.35 * s.bore)
    given = {"parts.gasket.bore": {"parts.gasket.opening_area", "parts.gasket.volume"}}
    return "".join(
        chip(place, label, (_AXIS, y(level)), "middle")
        for (place, label), level in zip(_INSIDE, levels, strict=True)
        if not have & {place, *given.get(place, ())}
    )


def _gasket(hole: Hole, y: Up, half: float, scale: float, s: _Sizes) -> str:
    inner = _opening_radius(hole, s) * scale
    wall = half * 1.45
    height = max((s.face - s.deck) * scale, 0.8)
    return rect(_AXIS - wall, y(s.face), wall - inner, height, css="gasket") + rect(
        _AXIS + inner, y(s.face), wall - inner, height, css="gasket"
    )


def _piston(hole: Hole, s: _Sizes, y: Up, half: float, scale: float) -> str:
    gap = max(0.5, 0.006 * half)
    left, right = _AXIS - half + gap, _AXIS + half - gap
    skirt = s.rim - max(1.55 * s.compression, 0.45 * s.bore)
    crown = (hole.outcome.terms.crown or 0.0) * 1000 / (0.55 * circle_area(s.bore))
    dish = half * 0.72
    face = (
        f"H{_AXIS - dish:.1f}Q{_AXIS:.1f} {y(s.rim - 2 * crown):.1f} {_AXIS + dish:.1f} {y(s.rim):.1f}"
        if not hole.above_rim
        else _top(hole, s, y, scale)
    )
    outline = path(
        f"M{left:.1f} {y(s.rim):.1f}{face}"
        f"H{right:.1f}V{y(skirt):.1f}H{right - half * 0.24:.1f}"
        f"Q{_AXIS:.1f} {y(s.pin + 0.28 * s.bore):.1f} {left + half * 0.24:.1f} {y(skirt):.1f}"
        f"H{left:.1f}Z",
        "metal piston",
    )
    rings = []
    for i in range(3):
        level = s.rim - (0.06 + 0.055 * i) * s.bore
        if level > s.pin:
            rings.append(rect(left - gap, y(level), half * 0.1, 0.018 * s.bore * scale, css="ring"))
            rings.append(
                rect(right + gap - half * 0.1, y(level), half * 0.1, 0.018 * s.bore * scale, css="ring")
            )
    return outline + "".join(rings)


def _top_radius(hole: Hole, s: _Sizes) -> float:
    """The radius of what stands above the rim in mm; a likely one where its area is not known."""
    area = hole.outcome.areas.crown.above_area
    area = 0.5 * circle_area(s.bore) if math.isnan(area) or not area else area
    return min(math.sqrt(area / math.pi), 0.47 * s.bore)


def _top(hole: Hole, s: _Sizes, y: Up, scale: float) -> str:
    """The outline of what stands above the rim, to scale in height and area; its sides are only likely."""
    radius, top = _top_radius(hole, s) * scale, s.rim + (hole.above_rim or 0.0)
    lean = min(0.6 * (y(s.rim) - y(top)), 0.3 * radius)
    return (
        f"H{_AXIS - radius:.1f}L{_AXIS - radius + lean:.1f} {y(top):.1f}"
        f"H{_AXIS + radius - lean:.1f}L{_AXIS + radius:.1f} {y(s.rim):.1f}"
    )


def _said_of_top(hole: Hole, s: _Sizes, y: Up, reader: Reader) -> str:
    """How much stands above the rim, in words under the crown; nothing where nothing does."""
    told = hole.sources.get(_ABOVE)
    if told is None or not told.quantity.value:
        return ""
    height = reader.length(hole.above_rim)
    words = text(_AXIS, y(s.rim) + 13, height, "beside", anchor="middle")
    words += text(_AXIS, y(s.rim) + 24, "above the rim", "name", anchor="middle")
    return editable(told.path, f"{height} above the rim: change", words)


def _rod(s: _Sizes, y: Up, scale: float) -> str:
    throw = s.stroke / 2
    big, small = 0.29 * s.bore * scale, 0.16 * s.bore * scale
    crank_pin = y(throw)
    return (
        f'<circle cx="{_AXIS}" cy="{y(0):.1f}" r="{throw * scale:.1f}" class="path-of-crank"/>'
        + path(
            f"M{_AXIS - small * 0.72:.1f} {y(s.pin):.1f}L{_AXIS - big * 0.62:.1f} {crank_pin:.1f}"
            f"H{_AXIS + big * 0.62:.1f}L{_AXIS + small * 0.72:.1f} {y(s.pin):.1f}Z",
            "metal rod",
        )
        + f'<circle cx="{_AXIS}" cy="{crank_pin:.1f}" r="{big:.1f}" class="metal rod"/>'
        + f'<circle cx="{_AXIS}" cy="{crank_pin:.1f}" r="{big * 0.68:.1f}" class="metal crank-pin"/>'
        + f'<circle cx="{_AXIS}" cy="{y(s.pin):.1f}" r="{small:.1f}" class="metal rod"/>'
        + f'<circle cx="{_AXIS}" cy="{y(s.pin):.1f}" r="{small * 0.6:.1f}" class="metal wrist-pin"/>'
        + line(_AXIS, _TOP - 8, _AXIS, y(0) + 10, css="axis")
        + line(_AXIS - 26, y(0), _AXIS + 26, y(0), css="axis")
        + f'<circle cx="{_AXIS}" cy="{y(0):.1f}" r="2.4" class="centre"/>'
    )


def _chain(hole: Hole, s: _Sizes, y: Up, half: float, reader: Reader) -> str:
    """Deck height on the left; the stack of half stroke, rod and compression height on the right."""
    wall = half * 1.45
    left, right = _AXIS - wall - 12, _AXIS + wall + 12
    out = [
        line(left - 5, y(0), _AXIS - 30, y(0), css="witness"),
        line(_AXIS + 30, y(0), right + 5, y(0), css="witness"),
        line(_AXIS, y(s.stroke / 2), right + 5, y(s.stroke / 2), css="witness"),
        line(_AXIS, y(s.pin), right + 5, y(s.pin), css="witness"),
        line(_AXIS + half, y(s.rim), right + 5, y(s.rim), css="witness"),
        line(left - 5, y(s.deck), _AXIS - wall, y(s.deck), css="witness"),
        dimension(left, y(s.deck), y(0)),
        dimension(right, y(s.rim), y(s.pin)),
        dimension(right, y(s.pin), y(s.stroke / 2)),
        dimension(right, y(s.stroke / 2), y(0)),
    ]
    chain = (
        ("parts.piston.compression_height", "compression height", right + 9, (s.rim + s.pin) / 2, "start"),
        ("parts.rod.length", "rod length", right + 9, (s.pin + s.stroke / 2) / 2, "start"),
        ("parts.crank.stroke", "stroke", right + 9, s.stroke / 4, "start"),
        ("parts.block.deck_height", f"{reader.deck} height", left - 9, s.deck / 2, "end"),
        ("parts.block.bore", "bore", left - 9, max(s.deck - 0.35 * s.bore, s.deck * 0.72), "end"),
    )
    for place, label, x, level, anchor in chain:
        out.append(_label(hole, place, label, (x, y(level)), anchor=anchor, reader=reader))
    return "".join(out)


def _label(hole: Hole, place: str, label: str, at: tuple[float, float], anchor: str, reader: Reader) -> str:
    x, y = at
    source = hole.sources.get(place)
    if source is None:
        return chip(
            place, label, at, anchor, words="pin to rim" if place.endswith("compression_height") else ""
        )
    quantity = source.quantity
    value = reader.quantity(quantity)
    beside = reader.beside(quantity)
    mark, aside = (x + 4, x + 12) if anchor == "start" else (x - 4, x - 12)
    inner = (
        text(x, y - 11, label, "name", anchor=anchor)
        + text(aside, y + 4, value, "value", anchor=anchor)
        + basis_mark(mark, y, quantity.basis)
        + text(x, y + 17, beside, "beside", anchor=anchor)
    )
    return editable(source.path, f"{label} {value} {beside} {quantity.basis}: change", inner)
