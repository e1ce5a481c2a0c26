"""The loupe: the gap between piston, deck, gasket and head, magnified so that hundredths show."""

from __future__ import annotations

from typing import NamedTuple

from zygometra.core.digits import UNKNOWN
from zygometra.core.place import Place, Scope
from zygometra.core.stack.results import Hole, HoleResult
from zygometra.core.units import THOU, to_base
from zygometra.core.wording import Reader

from .marks import Slider, Up, basis_mark, chip, dimension, editable, handle, line, rect, text
from .section import USUAL_GASKET

WIDTH, HEIGHT = 330.0, 400.0
_PIXELS_PER_MM = 96 / 25.4
_SCALES = (2, 4, 6, 10, 15, 20, 25, 30, 40, 50, 60, 80, 100, 150, 200)


class Limits(NamedTuple):
    """How far each cut may go, in mm."""

    deck_cut: float
    head_cut: float
    crown_cut: float


class _Levels(NamedTuple):
    """Heights in mm over today's deck."""

    rim: float
    uncut_rim: float
    deck: float
    face: float
    head_cut: float


def loupe(now: Hole, planned: Hole, reader: Reader, limits: Limits) -> str:
    """Draw the gap of one hole as planned, with what the plan takes off.

    Parameters
    ----------
    now, planned : Hole
        The same hole in both states.
    reader : Reader
        Units and words of the labels.
    limits : Limits
        Far stops of the handles.

    Returns
    -------
    str
        SVG group of :data:`WIDTH` × :data:`HEIGHT`.
    """
    o, before = planned.outcome, now.outcome
    stands = before.deck_clearance or 0.0
    thickness = USUAL_GASKET if o.gasket_thickness is None else o.gasket_thickness
    levels = _Levels(
        -stands - o.areas.crown.rim_cut(o.crown_cut),
        -stands,
        -o.deck_cut,
        -o.deck_cut + thickness,
        head_cut=o.head_cut,
    )
    low = min(levels.rim, levels.deck, 0.0)
    high = max(levels.face + levels.head_cut, levels.uncut_rim)
    room = max(high - low, 0.6)
    factor = max((f for f in _SCALES if room * f * _PIXELS_PER_MM <= HEIGHT - 150), default=1)
    scale = factor * _PIXELS_PER_MM
    zero = HEIGHT / 2 + 8 + (high + low) / 2 * scale

    def y(mm: float) -> float:
        return zero - mm * scale

    return "".join(
        (
            rect(0, 0, WIDTH, HEIGHT, css="loupe-ground", radius=6),
            '<g clip-path="url(#loupe-clip)">',
            _metal(levels, y),
            "</g>",
            rect(0, 0, WIDTH, HEIGHT, css="loupe-rim", radius=6),
            _labels(planned, levels, y, reader, factor=factor),
            _handles(o, levels, y, reader, scale=scale, limits=limits),
            _scale_bar(scale, reader),
        )
    )


_DECK_RIGHT, _GASKET_RIGHT, _PISTON_LEFT = 108.0, 92.0, 114.0


def _metal(levels: _Levels, y: Up) -> str:
    return "".join(
        (
            rect(0, 0, WIDTH, y(levels.face), css="metal head"),
            rect(0, y(levels.deck), _DECK_RIGHT, HEIGHT - y(levels.deck), css="metal block"),
            _taken_off(levels, y),
            rect(0, y(levels.face), _GASKET_RIGHT, y(levels.deck) - y(levels.face), css="gasket"),
            line(0, y(0), _DECK_RIGHT, y(0), css="was") if levels.deck < 0 else "",
            rect(
                _PISTON_LEFT, y(levels.rim), WIDTH - _PISTON_LEFT, HEIGHT - y(levels.rim), css="metal piston"
            ),
            line(0, y(levels.face), WIDTH, y(levels.face), css="face"),
        )
    )


def _taken_off(levels: _Levels, y: Up) -> str:
    out = []
    if levels.deck < 0:
        out.append(rect(0, y(0), _DECK_RIGHT, y(levels.deck) - y(0), css="taken"))
    if levels.rim < levels.uncut_rim:
        height = y(levels.rim) - y(levels.uncut_rim)
        out.append(rect(_PISTON_LEFT, y(levels.uncut_rim), WIDTH - _PISTON_LEFT, height, css="taken"))
        out.append(line(_PISTON_LEFT, y(levels.uncut_rim), WIDTH, y(levels.uncut_rim), css="was"))
    if levels.head_cut:
        top = y(levels.face + levels.head_cut)
        out.append(rect(0, top, WIDTH, y(levels.face) - top, css="taken head-taken"))
        out.append(line(0, top, WIDTH, top, css="was"))
    return "".join(out)


def _labels(planned: Hole, levels: _Levels, y: Up, reader: Reader, factor: int) -> str:
    """What is written in the loupe: never under the hatch of a cut, its figure or its handle."""
    o = planned.outcome
    middle = 236.0
    # The gap that no crown cut hatches; else the piston, else the head over what is cut there.
    clear = y(max(levels.rim, levels.uncut_rim)) - y(levels.face)
    # A piston that meets the head stands in what is cut off its face.
    under = max(y(levels.rim), y(levels.face))
    under_rim = clear < _LABEL and under <= HEIGHT - 133
    if clear >= _LABEL:
        anchor_y = y(levels.face) + clear / 2
    elif under_rim:
        anchor_y = under + 58
    else:
        anchor_y = min(y(levels.face + levels.head_cut), y(levels.uncut_rim)) - 34
    scale_words = f"loupe, {factor} × life size" if o.quench is not None else "not to scale yet"
    out = [
        dimension(middle + 62, y(levels.face), y(levels.rim)),
        _quench(o, (middle, min(max(anchor_y, 49), HEIGHT - 60)), reader),
        text(10, 20, f"hole {planned.number}", "name"),
        text(WIDTH - 10, 20, scale_words, "name", anchor="end"),
    ]
    out.append(_gasket_label(planned, levels, y, reader))
    # Beside the handle of the crown stands how much is cut; under it the gap where it has no other place.
    lower = 74 if under_rim else 20 if levels.rim < levels.uncut_rim else 0
    out.append(_rim_label(planned, min(under + 20 + lower, HEIGHT - 40), reader))
    return "".join(out)


# How high the gap must be for its figures to stand in it.
_LABEL = 64


def _quench(o: HoleResult, at: tuple[float, float], reader: Reader) -> str:
    """The gap in large figures; what it waits for stands beside as chips."""
    x, level = at
    if o.quench is None:
        return text(x, level - 20, reader.quench, "name", anchor="middle") + text(
            x, level + 4, UNKNOWN, "big", anchor="middle"
        )
    u = o.doubts.quench.u
    big, unit = reader.length_parts(o.quench, u)
    other = reader.length(o.quench, u, other=True)
    half = reader.band(o.doubts.quench.half) if u else "no doubt stated"
    return (
        f'<g class="figure" role="button" tabindex="0" data-working="quench" aria-label="'
        f'{reader.quench} {big} {unit} {"± " if u else ""}{half} · {other}: show the working">'
        + text(x, level - 20, reader.quench, "name", anchor="middle")
        + text(x, level + 4, f"{big} {unit}", "big", anchor="middle")
        + text(x, level + 21, f"{'± ' if u else ''}{half} · {other}", "beside", anchor="middle")
        + "</g>"
    )


def _gasket_label(planned: Hole, levels: _Levels, y: Up, reader: Reader) -> str:
    thickness = planned.sources.get("parts.gasket.thickness")
    if thickness is None:
        middle = (_GASKET_RIGHT / 2, (y(levels.face) + y(levels.deck)) / 2)
        return chip("parts.gasket.thickness", "compressed gasket thickness", middle, "middle", words="gasket")
    gasket_y = (y(levels.face) + y(levels.deck)) / 2
    words = reader.quantity(thickness.quantity)
    if y(levels.deck) - y(levels.face) >= 30:
        inner = (
            text(10, gasket_y - 2, "gasket", "on-dark name")
            + text(22, gasket_y + 13, words, "on-dark value")
            + basis_mark(14, gasket_y + 9, thickness.quantity.basis)
        )
    elif levels.head_cut or levels.face < 0:
        # Over the face lies the hatch of a cut: under the deck, clear of its handle, nothing does.
        inner = text(10, min(y(levels.deck) + 44, HEIGHT - 16), f"gasket {words}", "value halo")
    else:
        inner = text(52, y(levels.face) - 8, f"gasket {words}", "value halo")
    place = thickness.path
    if Place.parse(place).scope is Scope.PLAN:
        return inner
    return editable(place, f"gasket {words} thickness: change", inner)


def _rim_label(planned: Hole, under: float, reader: Reader) -> str:
    o = planned.outcome
    if o.deck_clearance is None:
        place = str(Place.hole(planned.number, "deck_clearance"))
        label = f"{reader.deck} clearance as read"
        return chip(place, label, (_PISTON_LEFT + 18, under), words=f"{reader.deck} clearance")
    clearance_u = o.doubts.deck_clearance.u
    beside = reader.length(abs(o.deck_clearance), clearance_u, other=True)
    stands = reader.clearance(o.deck_clearance, clearance_u)
    return (
        f'<g class="figure" role="button" tabindex="0" data-working="deck_clearance"'
        f' aria-label="rim {stands} {beside}: show the working">'
        + text(_PISTON_LEFT + 14, under, f"rim {stands}", "value")
        + text(_PISTON_LEFT + 14, under + 15, beside, "beside")
        + "</g>"
    )


# Which way a handle can be taken beside its grip, so that a thumb finds it: away from the gap.
_REACH = {"deck_cut": 1, "head_cut": -1, "crown_cut": 1}


# long: what it puts together is told field by field, a line each
def _handles(o: HoleResult, levels: _Levels, y: Up, reader: Reader, scale: float, limits: Limits) -> str:
    def says(mm: float) -> str:
        return f"{reader.length(mm)} off"

    rows = [
        ("deck_cut", f"{reader.deck} cut", 30.0, y(levels.deck) + 12, o.deck_cut, 1 / scale, limits.deck_cut),
        (
            "head_cut",
            "head cut",
            30.0,
            y(levels.face + levels.head_cut) - 12,
            o.head_cut,
            -1 / scale,
            limits.head_cut,
        ),
        ("crown_cut", "crown cut", WIDTH - 28, y(levels.rim) + 12, o.crown_cut, 1 / scale, limits.crown_cut),
    ]
    out = []
    for lever, label, x, level, now, per, limit in rows:
        inside = min(max(level, 40), HEIGHT - 34)
        out.append(
            handle(x, inside, Slider(lever, label, says(now), per, now=now, limit=limit), reach=_REACH[lever])
        )
        if now:
            anchor = "end" if x > WIDTH / 2 else "start"
            # What is hatched: of a crown what goes off its rim.
            off = o.areas.crown.rim_cut(now) if lever == "crown_cut" else now
            band, words = off * scale, f"−{reader.limit(now)}"
            if lever == "crown_cut" and off < now:
                words += f", {reader.limit(off)} off the rim" if off else " above the rim"
            middle = level + (-12 - band / 2 if lever == "crown_cut" else 12 + band / 2)
            if lever != "deck_cut" and band >= 17 and 10 < middle < HEIGHT - 10:
                # Left of the line that measures the gap.
                place = WIDTH - 40 if anchor == "end" else 10
                out.append(text(place, middle + 4, words, "cut halo", anchor=anchor))
            else:
                shift = -20 if anchor == "end" else 20
                # Over the rim that stays, under which its own label stands.
                at = inside + 4 if off else inside - 18
                out.append(text(x + shift, at, words, "cut halo", anchor=anchor))
    return "".join(out)


def _scale_bar(scale: float, reader: Reader) -> str:
    lengths = (to_base(n, THOU) for n in (50, 20, 10, 5)) if reader.system == "inch" else (1, 0.5, 0.2, 0.1)
    length = next((mm for mm in lengths if mm * scale <= 110), 0.1)
    x, y = WIDTH - 14 - length * scale, HEIGHT - 12
    return (
        line(x, y, x + length * scale, y, css="scale-bar")
        + line(x, y - 4, x, y + 4, css="scale-bar")
        + line(x + length * scale, y - 4, x + length * scale, y + 4, css="scale-bar")
        + text(x - 6, y + 4, reader.length(length), "beside halo", anchor="end")
    )
