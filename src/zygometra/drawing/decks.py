"""The decks of an engine from above, their cylinders in place: what a mock-up read in each hole."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from markupsafe import escape

from .marks import line, path, rect, text

WIDTH = 700.0
_LEFT, _RIGHT, _GAP, _TOP = 74.0, 74.0, 26.0, 20.0
# Of a bore: how much deck stands round it, along at the ends and across.
_END, _SIDE = 0.2, 0.34
_MOST_RADIUS, _LEAST_RADIUS = 62.0, 24.0


class HoleDrawn(NamedTuple):
    """One hole: its number, how it stands, and what is written in it.

    ``state`` is ``read``, ``filled`` or ``due``; ``one`` and ``other`` are the two sides of a rocking piston.
    """

    number: int
    state: str
    stands: str
    rock: str
    one: str
    other: str
    is_next: bool
    address: str
    says: str


class DeckDrawn(NamedTuple):
    """One deck: its name, its holes from the front, and the cuts at its ends, written out."""

    name: str
    holes: tuple[HoleDrawn, ...]
    front: str
    rear: str


def decks_from_above(decks: Sequence[DeckDrawn], bore_share: float, label: str) -> str:
    """Draw the decks, front to the left, to scale along and across.

    Parameters
    ----------
    decks : sequence of DeckDrawn
        Bank by bank.
    bore_share : float
        Bore over bore pitch; no unit.
    label : str
        What the drawing shows, in words.

    Returns
    -------
    str
        A whole ``svg`` element.
    """
    most = max(len(deck.holes) for deck in decks)
    room = WIDTH - _LEFT - _RIGHT
    # The ends stand out by so much of a pitch beyond the first and the last centre.
    pitch = room / (most - 1 + bore_share * (1 + 2 * _END))
    radius = pitch * bore_share / 2
    if radius > _MOST_RADIUS:
        pitch, radius = pitch * _MOST_RADIUS / radius, _MOST_RADIUS
    height = 2 * radius * (1 + _SIDE)
    whole = _TOP + len(decks) * (height + _GAP)
    out = [
        f'<svg viewBox="0 0 {WIDTH:g} {whole:.0f}" class="decks" role="group" aria-label="{escape(label)}">',
        text(_LEFT, 13, "← front", "soft"),
        text(WIDTH - _RIGHT, 13, "rear →", "soft", anchor="end"),
    ]
    for i, deck in enumerate(decks):
        out.append(_deck(deck, _TOP + i * (height + _GAP), (pitch, radius, height)))
    return "".join(out) + "</svg>"


def _deck(deck: DeckDrawn, top: float, sizes: tuple[float, float, float]) -> str:
    pitch, radius, height = sizes
    first = _LEFT + radius * (1 + 2 * _END)
    length = pitch * (len(deck.holes) - 1) + 2 * radius * (1 + 2 * _END)
    middle = top + height / 2
    out = [
        rect(_LEFT, top, length, height, css="deck-face", radius=5),
        text(_LEFT - 10, middle - 22, deck.name, "deck-name", anchor="end"),
        _end(_LEFT - 10, middle, deck.front, "end"),
        _end(_LEFT + length + 10, middle, deck.rear, "start"),
        line(_LEFT, middle, _LEFT + length, middle, css="axis"),
    ]
    out += [_hole(hole, first + i * pitch, middle, radius) for i, hole in enumerate(deck.holes)]
    return "".join(out)


def _end(x: float, middle: float, words: str, anchor: str) -> str:
    """What is cut at an end: a figure and the word beneath it."""
    if not words:
        return ""
    return text(x, middle + 4, words, "end-cut", anchor=anchor) + text(
        x, middle + 18, "off here", "soft", anchor=anchor
    )


def _hole(hole: HoleDrawn, x: float, y: float, radius: float) -> str:
    """A hole; it leads to its reading page. The two sides of the piston stand above and below the pin."""
    big = min(19.0, radius * 0.42)
    out = [
        f'<a href="{escape(hole.address)}" class="hole {hole.state}{" next" if hole.is_next else ""}"'
        f' data-hole-link="{hole.number}"><title>{escape(hole.says)} </title>',
        f'<circle cx="{x:.1f}" cy="{y:.1f}" r="{radius:.1f}" class="rim"/>',
    ]
    if hole.is_next:
        out.append(f'<circle cx="{x:.1f}" cy="{y:.1f}" r="{radius - 5:.1f}" class="ring"/>')
    out.append(text(x - radius * 0.86, y - radius * 0.74, str(hole.number), "number", anchor="end"))
    if hole.stands:
        out.append(
            f'<text x="{x:.1f}" y="{y + big * 0.2:.1f}" class="stands" text-anchor="middle"'
            f' font-size="{big:.1f}">{escape(hole.stands)} </text>'
        )
    if hole.rock and radius > _LEAST_RADIUS:
        out.append(text(x, y + big * 0.2 + 15, hole.rock, "soft", anchor="middle"))
    if hole.one and radius > _LEAST_RADIUS:
        # The pin lies along the engine: the piston tips across it.
        out.append(path(f"M{x - 5:.1f} {y - radius + 6:.1f}l5-5l5 5", "tip"))
        out.append(text(x, y - radius + 19, hole.one, "side", anchor="middle"))
        out.append(path(f"M{x - 5:.1f} {y + radius - 6:.1f}l5 5l5-5", "tip"))
        out.append(text(x, y + radius - 10, hole.other, "side", anchor="middle"))
    if hole.is_next and not hole.stands:
        out.append(text(x, y + 5, "read next", "word", anchor="middle"))
    elif hole.state == "filled":
        out.append(text(x, y + big * 0.2 + 15, "by the line", "soft", anchor="middle"))
    elif hole.state == "due":
        out.append(text(x, y + 5, "not read", "soft", anchor="middle"))
    return "".join(out) + "</a>"
