"""A simulated touch probe over a block: it sends a probe's file, in the axes of its machine.

The block lies in the machine as it happened to be clamped: turned and shifted, drawn from the seed. The deck
that it touches is hidden: a plane with a wedge and a twist about its drawing.
"""

from __future__ import annotations

import math
import random
from dataclasses import dataclass

Vector = tuple[float, float, float]
# A grid of points from edge to edge, and how many touches a bore gets.
_COLUMNS_PER_HOLE, _TOUCHES = 2, 6
# The probe's scatter and its step, in mm.
SCATTER, STEP = 0.002, 0.001


@dataclass(frozen=True, slots=True)
class HiddenDeck:
    """A deck as it truly is; lengths in mm.

    ``wedge`` is its rise from the first hole to the last, ``lean`` the rise across from edge to edge,
    ``twist`` how far opposite corners stand crosswise (as their certificate counts it).
    """

    bank: str
    holes: tuple[int, ...]
    pitch: float
    bore: float
    height: float
    half_width: float
    wedge: float = 0.0
    lean: float = 0.0
    twist: float = 0.0
    side: str = "right"

    @property
    def ends(self) -> tuple[float, float]:
        """Where the face begins and ends along the bank, from the first hole."""
        overhang = self.pitch * 0.62
        return -overhang, (len(self.holes) - 1) * self.pitch + overhang

    def at(self, x: float, y: float) -> float:
        """Return its height over the crank.

        Parameters
        ----------
        x, y : float
            Along from the first hole and across, in mm.
        """
        front, rear = self.ends
        xi, eta = (2 * x - front - rear) / (rear - front), y / self.half_width
        length = self.pitch * max(len(self.holes) - 1, 1)
        return self.height + self.wedge * x / length + self.lean * eta / 2 + self.twist * xi * eta / 2


class _Machine:
    """How the block lies: block axes (along, across, up) turned and shifted into those of the machine."""

    def __init__(self, side: str, seed: str, scatter: float, step: float) -> None:
        draw = random.Random(f"probe {seed}")  # seeded: a stand-in, no secret
        turn, tip, roll = (math.radians(draw.uniform(-40, 40)) for _ in range(3))
        self.shift = tuple(draw.uniform(-200, 400) for _ in range(3))
        along = (math.cos(turn) * math.cos(tip), math.sin(turn) * math.cos(tip), math.sin(tip))
        level = (-math.sin(turn), math.cos(turn), 0.0)
        square = _cross(along, level)
        up = tuple(math.cos(roll) * s + math.sin(roll) * t for s, t in zip(square, level, strict=True))
        right = _cross(along, (up[0], up[1], up[2]))
        sign = 1.0 if side == "right" else -1.0
        self.axes = (along, tuple(sign * part for part in right), up)
        self.draw, self.scatter, self.step = draw, scatter, step

    def touch(self, x: float, y: float, z: float) -> str:
        """The figures of a touch, with the probe's scatter and to its step."""
        shown = []
        for i in range(3):
            true = self.shift[i] + x * self.axes[0][i] + y * self.axes[1][i] + z * self.axes[2][i]
            read = true + self.draw.gauss(0, self.scatter)
            shown.append(f"{round(read / self.step) * self.step:.6f}".rstrip("0").rstrip("."))
        return " ".join(shown)


def _cross(a: Vector, b: Vector) -> Vector:
    return a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]


def probe_file(
    deck: HiddenDeck, seed: str, *, scatter: float = SCATTER, step: float = STEP, angle: float = 90.0
) -> str:
    """Return what a probe sends of a deck: its datum chain, a grid of points, the corners, the bores.

    Parameters
    ----------
    deck : HiddenDeck
        What it touches.
    seed : str
        Of how the block lies and of the probe's scatter.
    scatter, step : float
        Of one touch, in mm.
    angle : float
        Where about the crank the rotation's point lies, in degrees from the cylinders' axis towards the intake.

    Returns
    -------
    str
        As docs/probe-file.md has it.
    """
    machine = _Machine(deck.side, seed, scatter, step)
    front, rear = deck.ends
    wide = deck.half_width
    middle = (front + rear) / 2
    lines = ["unit mm", f"u {max(scatter, 1e-6):.6f}", f"bank {deck.bank}", f"side {deck.side}"]
    mains = len(deck.holes) + 1
    reach, turned = wide * 1.4, math.radians(angle)
    for i in range(mains):
        lines.append(f"crank {machine.touch(front + (rear - front) * i / (mains - 1), 0.0, 0.0)}")
    lines += [
        f"rotation {angle:.9g} {machine.touch(middle, reach * math.sin(turned), reach * math.cos(turned))}",
        f"hole {front:.6f} {machine.touch(front, wide * 0.9, deck.height)}",
        f"intake {machine.touch(middle, wide, deck.height * 0.8)}",
    ]
    for x in (front, rear):
        lines += [f"rail {machine.touch(x, y, -deck.height * 0.3)}" for y in (-wide, wide)]
    for name, x, y in (
        ("front-exhaust", front, -wide),
        ("rear-exhaust", rear, -wide),
        ("rear-intake", rear, wide),
        ("front-intake", front, wide),
    ):
        lines.append(f"corner {name} {machine.touch(x, y, deck.at(x, y))}")
    lines += [f"point {machine.touch(x, y, deck.at(x, y))}" for x, y in _grid(deck)]
    for i, hole in enumerate(deck.holes):
        for k in range(_TOUCHES):
            angle = 2 * math.pi * k / _TOUCHES
            x = i * deck.pitch + deck.bore / 2 * math.cos(angle)
            y = deck.bore / 2 * math.sin(angle)
            lines.append(f"bore {hole} {machine.touch(x, y, deck.height - 10.0)}")
    return "\n".join(["zygometra-probe 1", *lines, f"end {len(lines)}", ""])


def _grid(deck: HiddenDeck) -> list[tuple[float, float]]:
    """Where a probe touches metal: along both edges and between the holes."""
    front, rear = deck.ends
    columns = _COLUMNS_PER_HOLE * len(deck.holes) + 1
    found = []
    for i in range(columns):
        x = front + (rear - front) * i / (columns - 1)
        for y in (-deck.half_width * 0.86, 0.0, deck.half_width * 0.86):
            inside = any(
                math.hypot(x - k * deck.pitch, y) <= deck.bore / 2 + 2 for k in range(len(deck.holes))
            )
            if not inside:
                found.append((x, y))
    return found
