"""A surveyed face from above: its points with their error magnified, its corners and holes with their cuts."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

from markupsafe import escape

from .marks import line, rect, text

WIDTH = 700.0
_SIDE, _TOP, _BOTTOM = 104.0, 56.0, 46.0
# Between a corner and what is written beside it.
_AWAY = 14.0
# How long the longest stroke is, and how narrow a face may be drawn, in drawing units.
_STROKE, _LEAST_HEIGHT, _MOST_HEIGHT = 32.0, 96.0, 300.0
# Beyond so many points only those that hold the plane are drawn with a foot.
_FEW = 160


class PointDrawn(NamedTuple):
    """A point of the face: where it is, how far it stands off the plane in mm, and what it says."""

    x: float
    y: float
    off: float
    holds: bool
    says: str


class SpotDrawn(NamedTuple):
    """A corner or a hole: where it is in mm, what is written there, and its radius (nought for a corner)."""

    x: float
    y: float
    words: str
    name: str
    radius: float = 0.0


def face_from_above(
    points: Sequence[PointDrawn], corners: Sequence[SpotDrawn], holes: Sequence[SpotDrawn], label: str
) -> tuple[str, int]:
    """Draw a face, front to the left, intake up, to scale.

    Parameters
    ----------
    points : sequence of PointDrawn
        With their errors.
    corners, holes : sequence of SpotDrawn
        With their cuts written out.
    label : str
        What the drawing shows, in words.

    Returns
    -------
    svg : str
        A whole ``svg`` element.
    factor : int
        How much larger than the plan the errors are drawn; no unit.
    """
    everything = [(p.x, p.y, 0.0) for p in points] + [(s.x, s.y, s.radius) for s in (*corners, *holes)]
    low_x, high_x = (min(x - r for x, _, r in everything), max(x + r for x, _, r in everything))
    low_y, high_y = (min(y - r for _, y, r in everything), max(y + r for _, y, r in everything))
    scale = (WIDTH - 2 * _SIDE) / max(high_x - low_x, 1.0)
    if (high_y - low_y) * scale > _MOST_HEIGHT:
        scale = _MOST_HEIGHT / (high_y - low_y)
    height = max((high_y - low_y) * scale, _LEAST_HEIGHT)
    middle = _TOP + height / 2
    left = (WIDTH - (high_x - low_x) * scale) / 2

    def at(x: float, y: float) -> tuple[float, float]:
        return left + (x - low_x) * scale, middle - (y - (low_y + high_y) / 2) * scale

    worst = max((abs(p.off) for p in points), default=0.0)
    factor = _round_down(_STROKE / worst / scale) if worst > 1e-9 else 1
    out = [
        f'<svg viewBox="0 0 {WIDTH:g} {_TOP + height + _BOTTOM:.0f}" class="face-map" role="img"'
        f' aria-label="{escape(label)}">',
        rect(left, _TOP, (high_x - low_x) * scale, height, css="deck-face", radius=4),
        text(left, 13, "← front", "soft"),
        text(WIDTH - left, 13, "rear →", "soft", anchor="end"),
        text(WIDTH / 2, 13, "intake side", "soft", anchor="middle"),
    ]
    out += [_hole(hole, *at(hole.x, hole.y), hole.radius * scale) for hole in holes]
    few = len(points) <= _FEW
    out += [_point(p, *at(p.x, p.y), p.off * factor * scale, few=few or p.holds) for p in points]
    out += [_corner(corner, *at(corner.x, corner.y)) for corner in corners]
    return "".join(out) + "</svg>", factor


def _round_down(factor: float) -> int:
    """A factor that can be remembered: 1, 2 or 5 and noughts, not above what fits."""
    if factor <= 1:
        return 1
    power = 10 ** math.floor(math.log10(factor))
    step = next(step for step in (5, 2, 1) if step * power <= factor)
    return int(step * power)


def _point(point: PointDrawn, x: float, y: float, rise: float, *, few: bool) -> str:
    """A stroke from the plane to the point: up where it is high, down where it is low."""
    way = "high" if point.off >= 0 else "low"
    out = [f'<g class="off {way}"><title>{escape(point.says)}</title>']
    if few:
        out.append(line(x - 4, y, x + 4, y, css="foot"))
    out.append(line(x, y, x, y - rise, css="stroke"))
    head = y - rise
    tip = -3.5 if rise >= 0 else 3.5
    out.append(
        f'<path d="M{x - 3:.1f} {head - tip:.1f}L{x:.1f} {head:.1f}L{x + 3:.1f} {head - tip:.1f}" class="stroke"/>'
    )
    if point.holds:
        out.append(f'<circle cx="{x:.1f}" cy="{head:.1f}" r="6.5" class="holds"/>')
    return "".join(out) + "</g>"


def _hole(hole: SpotDrawn, x: float, y: float, radius: float) -> str:
    return (
        f'<circle cx="{x:.1f}" cy="{y:.1f}" r="{radius:.1f}" class="bore"/>'
        + text(x, y - 2, hole.name, "soft", anchor="middle")
        + text(x, y + 13, hole.words, "cut", anchor="middle")
    )


def _corner(corner: SpotDrawn, x: float, y: float) -> str:
    """A corner's cut beside the face, and its name beneath it."""
    beside, anchor = (x - _AWAY, "end") if x < WIDTH / 2 else (x + _AWAY, "start")
    return text(beside, y + 1, corner.words, "cut", anchor=anchor) + text(
        beside, y + 14, corner.name, "soft", anchor=anchor
    )
