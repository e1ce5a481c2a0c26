"""A plan as a drawn gap: head face, gasket, deck and the rims of a bank, dashed where faces stood before."""

from __future__ import annotations

from typing import NamedTuple

WIDTH, HEIGHT = 132.0, 84.0
_LEFT, _RIGHT = 6.0, 104.0
# Millimetres of the drawing for one of the engine.
FACTOR = 26.0


class GapDrawn(NamedTuple):
    """One bank: its gasket, its clearances (down positive), what comes off deck ends and head, the window of the gap.

    All in mm; ``window`` from least to most, None where that edge is open.
    """

    label: str
    gasket: float
    clearances: tuple[float, ...]
    first: float
    last: float
    head: float
    window: tuple[float | None, float | None]


def gap(bank: GapDrawn, says: str) -> str:
    """Draw one bank's gap, magnified, the deck level in the middle.

    Parameters
    ----------
    bank : GapDrawn
        What it is.
    says : str
        What a reader of the page hears.

    Returns
    -------
    str
        An ``svg`` element.
    """
    deck = 44.0
    face = deck - bank.gasket * FACTOR
    parts = [f'<svg viewBox="0 0 {WIDTH:g} {HEIGHT:g}" class="gap" role="img" aria-label="{says}">']
    low, high = bank.window
    if low is not None or high is not None:
        top = face + (low or 0.0) * FACTOR
        bottom = face + (high if high is not None else 1.9) * FACTOR
        size = f'width="{_RIGHT - _LEFT}" height="{max(bottom - top, 0):.1f}"'
        parts.append(f'<rect x="{_LEFT}" y="{top:.1f}" {size} class="window"/>')
    parts.append(f'<path d="M{_LEFT} {face:.1f}H{_RIGHT}V{max(face - 14, 1):.1f}H{_LEFT}z" class="head"/>')
    if bank.head:
        # Where the head's face would stand uncut.
        was = face + min(bank.head * FACTOR, 30)
        parts.append(f'<path d="M{_LEFT - 4} {was:.1f}H{_RIGHT + 4}" class="off"/>')
    count = len(bank.clearances)
    wide = (_RIGHT - _LEFT) / count
    for i, clearance in enumerate(bank.clearances):
        x, y = _LEFT + i * wide, deck + clearance * FACTOR
        across, top = wide - 6, min(y, HEIGHT - 2)
        parts.append(
            f'<path d="M{x + 3:.1f} {top:.1f}h{across:.1f}V{HEIGHT - 1:g}h-{across:.1f}z" class="rim"/>'
        )
    first, last = deck - bank.first * FACTOR, deck - bank.last * FACTOR
    if bank.first or bank.last:
        # Where the deck stood before.
        parts.append(f'<path d="M{_LEFT - 4} {first:.1f}L{_RIGHT + 4} {last:.1f}" class="off"/>')
    parts.append(f'<path d="M{_LEFT - 6} {deck}H{_RIGHT + 4}" class="deck"/>')
    parts.append(
        f'<text x="{_RIGHT + 6}" y="{face - 3:.1f}">head</text><text x="{_RIGHT + 6}" y="{deck + 4}">deck</text>'
    )
    parts.append(f'<text x="{_RIGHT + 6}" y="{HEIGHT - 4:g}" class="factor">×{FACTOR:g}</text>')
    if bank.label:
        parts.append(f'<text x="{_LEFT + 2}" y="9" class="bank">{bank.label}</text>')
    return "".join(parts) + "</svg>"
