"""Small pieces that every drawing shares: dimension lines, texts, basis marks, handles.

Drawings carry classes and data attributes, never colours or addresses: the style
sheet decides how steel and dye look, the page decides where a figure is edited.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from markupsafe import escape

# From a height in mm to a place down the page, in drawing units.
Up = Callable[[float], float]


def text(x: float, y: float, words: str, css: str = "", anchor: str = "start") -> str:
    """Return a text element; a space ends it, so that texts drawn apart are read apart.

    Parameters
    ----------
    x, y : float
        Where its baseline starts, in drawing units.
    words : str
        Escaped here.
    css : str
        Classes.
    anchor : str
        ``start``, ``middle`` or ``end``.

    Returns
    -------
    str
        SVG.
    """
    return f'<text x="{x:.1f}" y="{y:.1f}" class="{css}" text-anchor="{anchor}">{escape(words)} </text>'


def line(x1: float, y1: float, x2: float, y2: float, css: str) -> str:
    """Return a straight line with classes."""
    return f'<line x1="{x1:.2f}" y1="{y1:.2f}" x2="{x2:.2f}" y2="{y2:.2f}" class="{css}"/>'


def rect(x: float, y: float, width: float, height: float, css: str, radius: float = 0) -> str:
    """Return a rectangle with classes; one of no height is still drawn as a hairline."""
    return (
        f'<rect x="{x:.2f}" y="{y:.2f}" width="{max(width, 0):.2f}" height="{max(height, 0):.2f}"'
        f' rx="{radius:g}" class="{css}"/>'
    )


def path(d: str, css: str) -> str:
    """Return a path with classes."""
    return f'<path d="{d}" class="{css}"/>'


def dimension(x: float, y1: float, y2: float, css: str = "dim") -> str:
    """Return an upright dimension line with arrow heads at both ends.

    Parameters
    ----------
    x : float
        Where it stands.
    y1, y2 : float
        Its ends; close ends get their arrows from outside.
    css : str
        Classes.

    Returns
    -------
    str
        SVG.
    """
    top, bottom = min(y1, y2), max(y1, y2)
    if bottom - top < 14:
        return (
            line(x, top - 12, x, top, css=css)
            + line(x, bottom, x, bottom + 12, css=css)
            + _arrow(x, top, 1)
            + _arrow(x, bottom, -1)
        )
    return line(x, top, x, bottom, css=css) + _arrow(x, top, -1) + _arrow(x, bottom, 1)


def _arrow(x: float, y: float, way: int) -> str:
    """An arrow head whose tip is at (x, y); ``way`` 1 points down the page."""
    back = y - 6 * way
    return f'<path d="M{x:.1f} {y:.1f}L{x - 2.4:.1f} {back:.1f}H{x + 2.4:.1f}Z" class="tip"/>'


BASIS_WORDS = {
    "measured": "measured",
    "mock-up": "read on a mock-up",
    "catalogue": "from a catalogue",
    "advertised": "advertised",
    "assumed": "assumed",
}


def basis_mark(x: float, y: float, basis: str) -> str:
    """Return the mark of a basis: a shape of its own for each, filled where it was read.

    Parameters
    ----------
    x, y : float
        Its centre.
    basis : str
        One of the five.

    Returns
    -------
    str
        SVG of about 8 units.
    """
    shapes = {
        "measured": f'<circle cx="{x:.1f}" cy="{y:.1f}" r="3.2"/>',
        "mock-up": f'<path d="M{x:.1f} {y - 4:.1f}l4 4l-4 4l-4-4z"/>',
        "catalogue": f'<circle cx="{x:.1f}" cy="{y:.1f}" r="2.8"/>',
        "advertised": f'<path d="M{x - 3:.1f} {y + 3:.1f}h6l-3-6z"/>',
        "assumed": f'<path d="M{x - 3:.1f} {y - 3:.1f}h6v6h-6z"/>',
    }
    return f'<g class="basis {basis}">{shapes[basis]}</g>'


def editable(place: str, label: str, inner: str) -> str:
    """Wrap a part of a drawing so that it opens the figure at ``place`` for editing."""
    return (
        f'<g class="figure" role="button" tabindex="0" data-figure="{escape(place)}"'
        f' aria-label="{escape(label)}">{inner}</g>'
    )


def chip(place: str, label: str, at: tuple[float, float], anchor: str = "start", words: str = "") -> str:
    """Draw an empty chip where a figure is wanted: pressed, it takes the figure.

    Parameters
    ----------
    place : str
        Where the figure would stand in the build document.
    label : str
        What it is called.
    at : tuple of float
        Where its text begins, ends or has its middle, in drawing units.
    anchor : str
        ``start``, ``middle`` or ``end``.
    words : str
        What is written in it, where the label is too long.

    Returns
    -------
    str
        An SVG group that is reached by keyboard too.
    """
    x, y = at
    words = words or label
    width = 5.8 * len(words) + 26
    left = {"start": x - 4, "middle": x - width / 2, "end": x + 4 - width}[anchor]
    inner = rect(left, y - 12, width, 24, css="chip", radius=12) + text(
        left + width / 2, y + 4, f"+ {words}", "name", anchor="middle"
    )
    return editable(place, f"{label} is not known: give it", inner)


class Slider(NamedTuple):
    """A lever as a handle moves it.

    Parameters
    ----------
    lever, label, value : str
        What it moves, what that is called, and its value as read out.
    mm_per_unit : float
        How many mm of cut one drawing unit of downward drag makes (signed).
    now, limit : float
        Its value and its far stop, in mm.
    """

    lever: str
    label: str
    value: str
    mm_per_unit: float
    now: float
    limit: float


def handle(x: float, y: float, slider: Slider, *, reach: int = 0) -> str:
    """Return a handle that drags up and down, takes arrow keys, and says its value.

    Parameters
    ----------
    x, y : float
        Its centre.
    slider : Slider
        What it moves.
    reach : int
        Which way it can be taken beyond its grip: 1 downwards, −1 upwards.

    Returns
    -------
    str
        SVG.
    """
    lever, label, value, mm_per_unit, now, limit = slider
    return (
        f'<g class="handle" id="handle-{lever}" role="slider" tabindex="0" data-lever="{lever}"'
        f' data-mm="{mm_per_unit:.6g}" data-now="{now:.6g}" aria-label="{escape(label)}"'
        f' aria-orientation="vertical" aria-valuemin="0" aria-valuemax="{limit:g}"'
        f' aria-valuenow="{now:g}" aria-valuetext="{escape(value)}"'
        f' transform="translate({x:.1f} {y:.1f})">'
        f'<rect x="-22" y="{-32 if reach < 0 else -12}" width="44" height="44" class="reach"/>'
        '<rect x="-15" y="-12" width="30" height="24" rx="3" class="grip"/>'
        '<path d="M-5-3L0-8L5-3M-5 3L0 8L5 3" class="chevrons"/></g>'
    )
