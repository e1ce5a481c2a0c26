"""The map of the field: each recipe a point, two results across and up, the windows shaded."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import NamedTuple

from markupsafe import escape

from zygometra.core.windows import Window

from .marks import line, rect, text

WIDTH, HEIGHT = 330.0, 290.0
Place = Callable[[float], float]
_LEFT, _RIGHT, _TOP, _BOTTOM = 46.0, 12.0, 24.0, 36.0


class Point(NamedTuple):
    """One recipe on the map: its key, where it lies, what it says, and how it counts.

    ``state`` is ``chosen``, ``pinned``, ``in`` or ``out``; ``machined`` recipes are
    drawn open.
    """

    key: str
    x: float
    y: float
    says: str
    state: str
    machined: bool


class Axis(NamedTuple):
    """One axis: the result's key and name with its unit, its window, decimals.

    ``per`` is what one unit shown is in base units.
    """

    key: str
    label: str
    window: Window
    decimals: int
    per_shown: float


# long: one drawing, from back to front
def field_map(points: Sequence[Point], across: Axis, up: Axis) -> str:
    """Draw the map.

    Parameters
    ----------
    points : sequence of Point
        In base units; the last are drawn on top.
    across, up : Axis
        The two axes.

    Returns
    -------
    str
        A whole ``svg`` element. The edges of the windows are sliders: they drag, and
        move with the arrow keys.
    """
    x_low, x_high = _range([p.x for p in points], across.window)
    y_low, y_high = _range([p.y for p in points], up.window)
    x_scale = (WIDTH - _LEFT - _RIGHT) / (x_high - x_low)
    y_scale = (HEIGHT - _TOP - _BOTTOM) / (y_high - y_low)

    def at_x(value: float) -> float:
        return min(max(_LEFT + (value - x_low) * x_scale, _LEFT), WIDTH - _RIGHT)

    def at_y(value: float) -> float:
        return min(max(HEIGHT - _BOTTOM - (value - y_low) * y_scale, _TOP), HEIGHT - _BOTTOM)

    out = [
        f'<svg viewBox="0 0 {WIDTH:g} {HEIGHT:g}" class="field-map" role="group"'
        f' aria-label="Map of recipes: {escape(across.label)} across, {escape(up.label)} up">',
        rect(_LEFT, _TOP, WIDTH - _LEFT - _RIGHT, HEIGHT - _TOP - _BOTTOM, css="map-ground"),
        _shade(across.window, up.window, at_x, at_y),
    ]
    for value in _ticks(x_low, x_high, across.per_shown):
        out.append(line(at_x(value), HEIGHT - _BOTTOM, at_x(value), HEIGHT - _BOTTOM + 4, css="map-tick"))
        out.append(
            text(
                at_x(value),
                HEIGHT - _BOTTOM + 15,
                _number(value / across.per_shown),
                "map-text",
                anchor="middle",
            )
        )
    for value in _ticks(y_low, y_high, up.per_shown):
        out.append(line(_LEFT - 4, at_y(value), _LEFT, at_y(value), css="map-tick"))
        out.append(text(_LEFT - 6, at_y(value) + 4, _number(value / up.per_shown), "map-text", anchor="end"))
    out.append(text(WIDTH - _RIGHT, HEIGHT - 4, f"{across.label} →", "map-name", anchor="end"))
    out.append(text(_LEFT, _TOP - 11, f"↑ {up.label}", "map-name"))
    out.append('<g role="radiogroup" aria-label="Recipes">')
    chosen = any(p.state == "chosen" for p in points)
    for i, p in enumerate(points):
        on = p.state == "chosen" or (not chosen and i == len(points) - 1)
        out.append(
            f'<g class="point {p.state}{" machined" if p.machined else ""}" role="radio" aria-checked='
            f'"{"true" if p.state == "chosen" else "false"}" tabindex="{0 if on else -1}" data-recipe="{escape(p.key)}"'
            f' aria-label="{escape(p.says)}" transform="translate({at_x(p.x):.1f} {at_y(p.y):.1f})">'
            f"{_MARK[p.state]}</g>"
        )
    out.append("</g>")
    for name, edge in (("min", across.window.low), ("max", across.window.high)):
        if edge is not None:
            place = HEIGHT - _BOTTOM if name == "min" else _TOP
            out.append(_edge(across, name, edge, (at_x(edge), place), per=1 / x_scale))
    for name, edge in (("min", up.window.low), ("max", up.window.high)):
        if edge is not None:
            place = _LEFT if name == "min" else WIDTH - _RIGHT
            out.append(_edge(up, name, edge, (place, at_y(edge)), per=-1 / y_scale))
    return "".join(out) + "</svg>"


_MARK = {
    "in": '<circle r="3.4"/>',
    "out": '<path d="M-2.4-2.4l4.8 4.8M2.4-2.4l-4.8 4.8"/>',
    "pinned": '<path d="M0-6l5 6l-5 6l-5-6z"/>',
    "chosen": '<circle r="7.5" class="ring-round"/><circle r="4"/>',
}


def _edge(axis: Axis, edge: str, value: float, at: tuple[float, float], per: float) -> str:
    """The handle of a window's edge; ``per`` is the value of one drawing unit, below nought for the upright axis."""
    (x, y), way = at, "horizontal" if per > 0 else "vertical"
    name = {"min": "least", "max": "most"}[edge]
    shown = value / axis.per_shown
    grip = "M-4-7h8v14h-8z" if way == "horizontal" else "M-7-4h14v8h-14z"
    return (
        f'<g class="edge" role="slider" tabindex="0" data-edge="{axis.key}.{edge}" data-value="{shown:.6g}"'
        f' data-per="{per / axis.per_shown:.6g}" data-way="{way}" data-decimals="{axis.decimals}"'
        f' aria-orientation="{way}" aria-label="{name} {escape(axis.label)}" aria-valuenow="{shown:.6g}"'
        f' aria-valuetext="{shown:.{axis.decimals}f}" transform="translate({x:.1f} {y:.1f})">'
        f'<rect x="-20" y="-20" width="40" height="40" class="reach"/><path d="{grip}"/></g>'
    )


def _shade(across: Window, up: Window, at_x: Place, at_y: Place) -> str:
    if across.low is None and across.high is None and up.low is None and up.high is None:
        return ""
    left = at_x(across.low) if across.low is not None else _LEFT
    right = at_x(across.high) if across.high is not None else WIDTH - _RIGHT
    bottom = at_y(up.low) if up.low is not None else HEIGHT - _BOTTOM
    top = at_y(up.high) if up.high is not None else _TOP
    out = rect(left, top, right - left, bottom - top, css="map-window")
    if across.aim is not None:
        out += line(at_x(across.aim), top, at_x(across.aim), bottom, css="map-aim")
    if up.aim is not None:
        out += line(left, at_y(up.aim), right, at_y(up.aim), css="map-aim")
    return out


def _range(values: Sequence[float], window: Window) -> tuple[float, float]:
    known = [*values, *(edge for edge in (window.low, window.aim, window.high) if edge is not None)]
    if not known:
        return 0.0, 1.0
    low, high = min(known), max(known)
    pad = 0.06 * (high - low) or max(abs(high) * 0.02, 0.05)
    return low - pad, high + pad


def _ticks(low: float, high: float, per_shown: float) -> list[float]:
    """About five round numbers in the unit shown, returned in base units."""
    span = (high - low) / per_shown
    step = 10 ** math.floor(math.log10(span / 4)) if span > 0 else 1.0
    for factor in (5, 2, 1):
        if span / (step * factor) >= 3:
            step *= factor
            break
    first = math.ceil(low / per_shown / step)
    return [n * step * per_shown for n in range(first, math.floor(high / per_shown / step) + 1)]


def _number(value: float) -> str:
    shown = f"{value:.3f}".rstrip("0").rstrip(".")
    return shown.replace("-", "−") if shown not in ("-0", "") else "0"
