"""Recipes side by side on one deck line: the gap magnified above, the whole stack to scale below."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import escape

from zygometra.core.wording import Reader

from .marks import line, path, rect, text

COLUMN, GAP_HEIGHT, STACK_HEIGHT = 118.0, 132.0, 176.0
_LEFT, _TOP = 4.0, 20.0
_PIXELS_PER_MM = 96 / 25.4
_FACTORS = (1, 2, 3, 4, 6, 8, 10, 15, 20, 25, 30, 40, 50)


@dataclass(frozen=True, slots=True)
class Stack:
    """What is drawn of one recipe. Lengths in mm, crown volume in cc.

    ``key`` names it, ``title`` stands over it, ``half`` is the half-width of the band of
    its clearance, ``state`` one of ``chosen``, ``pinned`` or empty, ``out`` what is
    wrong where it lies outside a window.
    """

    key: str
    title: str
    deck_height: float
    bore: float
    stroke: float
    rod: float
    compression: float
    clearance: float
    half: float
    thickness: float
    crown: float
    chamber_depth: float
    state: str = ""
    out: str = ""


# long: one drawing, from back to front
def stacks_drawing(
    stacks: Sequence[Stack], window: tuple[float | None, float | None], reader: Reader, columns: int = 0
) -> str:
    """Draw recipes of one block side by side.

    Parameters
    ----------
    stacks : sequence of Stack
        From left to right.
    window : tuple
        Least and most deck clearance wanted, in mm; None where open.
    reader : Reader
        Units and words.
    columns : int
        Room for so many, however few there are.

    Returns
    -------
    str
        A whole ``svg`` element.
    """
    width = _LEFT + COLUMN * max(len(stacks), columns)
    height = _TOP + GAP_HEIGHT + STACK_HEIGHT + 8
    if not stacks:
        return ""
    low = min(min(s.clearance for s in stacks), 0.0)
    high = max(max(s.clearance for s in stacks), 0.0)
    thick = max(s.thickness for s in stacks)
    factor = max(
        (f for f in _FACTORS if (high - low + thick + 0.4) * f * _PIXELS_PER_MM <= GAP_HEIGHT), default=1
    )
    scale = factor * _PIXELS_PER_MM
    # Proud reaches up, down reaches down: the deck line lies where both have room.
    deck = _TOP + 6 + (thick + max(-low, 0.0) + 0.15) * scale
    deck = min(max(deck, _TOP + 24), _TOP + GAP_HEIGHT - 18)
    tallest = max(s.deck_height + s.thickness + s.chamber_depth for s in stacks)
    lowest = max(s.stroke for s in stacks) / 2
    small = (STACK_HEIGHT - 10) / (tallest + lowest + 6)
    base = _TOP + GAP_HEIGHT + 6
    out = [
        f'<svg viewBox="0 0 {width:g} {height:g}" class="stack recipes" role="group" aria-label="Recipes side by'
        f' side on one {reader.deck} line, the gap magnified {factor} times">',
        '<defs><pattern id="hatch" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">'
        '<line x1="0" y1="0" x2="0" y2="7" class="hatch"/></pattern><pattern id="hatch-back" width="7" height="7"'
        ' patternUnits="userSpaceOnUse" patternTransform="rotate(-45)"><line x1="0" y1="0" x2="0" y2="7"'
        ' class="hatch"/></pattern></defs>',
    ]
    for i, stack in enumerate(stacks):
        x = _LEFT + COLUMN * i
        out.append(
            f'<g class="recipe {stack.state}" role="button" tabindex="0" data-recipe="{escape(stack.key)}"'
            f' aria-pressed="{"true" if stack.state == "chosen" else "false"}"'
            f' aria-label="{escape(_says(stack, reader))}">'
        )
        out.append(rect(x + 1, 1, COLUMN - 6, height - 2, css="recipe-ground", radius=4))
        out.append(text(x + COLUMN / 2 - 2, 15, stack.title, "recipe-title", anchor="middle"))
        out.append(_gap(stack, x, deck, scale, window=window, reader=reader))
        out.append(_whole(stack, x + COLUMN / 2 - 2, base, small))
        out.append("</g>")
    out.append(line(_LEFT, deck, width - 4, deck, css="deck-line"))
    out.append(text(_LEFT - 5, deck + 4, f"{reader.deck} · {factor}×", "name", anchor="end"))
    out.append("</svg>")
    return "".join(out)


def _says(stack: Stack, reader: Reader) -> str:
    """What is read out: what is written on it, in that order, and more."""
    return f"{stack.title} {_stands(stack, reader)}: piston" + (
        f", outside: {stack.out}" if stack.out else ""
    )


def _stands(stack: Stack, reader: Reader) -> str:
    return reader.clearance(stack.clearance, stack.half / 2)


# long: one drawing, from back to front
def _gap(
    stack: Stack,
    x: float,
    deck: float,
    scale: float,
    window: tuple[float | None, float | None],
    reader: Reader,
) -> str:
    left, right = x + 8, x + COLUMN - 14
    middle = x + 36
    bottom, top = _TOP + GAP_HEIGHT - 2, _TOP + 3

    def y(clearance: float) -> float:
        return min(max(deck + clearance * scale, top), bottom)

    face = y(-stack.thickness)
    rim = y(stack.clearance)
    out = [rect(left, top, right - left, face - top, css="metal head")]
    if window[0] is not None or window[1] is not None:
        high = y(window[0]) if window[0] is not None else top
        low = y(window[1]) if window[1] is not None else bottom
        out.append(rect(middle, min(high, low), right - middle, abs(low - high), css="map-window"))
    out.append(rect(left, deck, middle - left - 5, bottom - deck, css="metal block"))
    out.append(rect(left, face, middle - left - 8, deck - face, css="gasket"))
    css = "metal piston through" if stack.clearance + stack.thickness <= 0 else "metal piston"
    out.append(rect(middle, rim, right - middle, max(bottom - rim, 2), css=css))
    if stack.half:
        out.append(
            line(
                middle + 6,
                y(stack.clearance - stack.half),
                middle + 6,
                y(stack.clearance + stack.half),
                css="plan-band",
            )
        )
    label = rim + 14 if rim < bottom - 18 else rim - 5
    if rim < deck < label + 4:
        # A piston just proud: beneath the deck line, not across it.
        label = min(deck + 14, bottom - 4)
    out.append(text(right - 2, label, _stands(stack, reader), "value halo", anchor="end"))
    return "".join(out)


# long: one drawing, from back to front
def _whole(stack: Stack, axis: float, base: float, scale: float) -> str:
    """The stack to scale: head, bore, piston, rod, throw."""
    crank = base + STACK_HEIGHT - 8 - stack.stroke / 2 * scale - 2

    def y(mm: float) -> float:
        return crank - mm * scale

    half = min(stack.bore / 2 * scale, COLUMN / 2 - 14)
    pin = stack.stroke / 2 + stack.rod
    rim = pin + stack.compression
    deck = rim + stack.clearance
    face = deck + stack.thickness
    wall = half + 7
    dome = stack.crown * 1000 / (0.7 * 0.7854 * stack.bore**2)
    big, small = 0.27 * stack.bore * scale, 0.14 * stack.bore * scale
    return "".join(
        (
            path(
                f"M{axis - wall:.1f} {y(face):.1f}V{y(face + stack.chamber_depth * 1.6):.1f}"
                f"H{axis + wall:.1f}V{y(face):.1f}H{axis + half * 0.85:.1f}"
                f"Q{axis:.1f} {y(face + stack.chamber_depth * 1.7):.1f} {axis - half * 0.85:.1f} {y(face):.1f}Z",
                "metal head",
            ),
            rect(axis - wall, y(face), wall - half, max((face - deck) * scale, 0.8), css="gasket"),
            rect(axis + half, y(face), wall - half, max((face - deck) * scale, 0.8), css="gasket"),
            rect(
                axis - wall,
                y(deck),
                wall - half,
                (deck - stack.stroke * 0.55) * scale * 0.62,
                css="metal block",
            ),
            rect(
                axis + half,
                y(deck),
                wall - half,
                (deck - stack.stroke * 0.55) * scale * 0.62,
                css="metal block",
            ),
            f'<circle cx="{axis:.1f}" cy="{crank:.1f}" r="{stack.stroke / 2 * scale:.1f}" class="path-of-crank"/>',
            path(
                f"M{axis - half + 0.6:.1f} {y(rim):.1f}H{axis - half * 0.72:.1f}"
                f"Q{axis:.1f} {y(rim - 2 * dome):.1f} {axis + half * 0.72:.1f} {y(rim):.1f}"
                f"H{axis + half - 0.6:.1f}V{y(pin - 0.28 * stack.bore):.1f}H{axis - half + 0.6:.1f}Z",
                "metal piston",
            ),
            path(
                f"M{axis - small * 0.7:.1f} {y(pin):.1f}"
                f"L{axis - big * 0.6:.1f} {y(stack.stroke / 2):.1f}H{axis + big * 0.6:.1f}"
                f"L{axis + small * 0.7:.1f} {y(pin):.1f}Z",
                "metal rod",
            ),
            f'<circle cx="{axis:.1f}" cy="{y(stack.stroke / 2):.1f}" r="{big:.1f}" class="metal rod"/>',
            f'<circle cx="{axis:.1f}" cy="{y(pin):.1f}" r="{small:.1f}" class="metal rod"/>',
            f'<circle cx="{axis:.1f}" cy="{crank:.1f}" r="1.8" class="centre"/>',
        )
    )
