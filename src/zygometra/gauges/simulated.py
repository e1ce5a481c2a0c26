"""Simulated gauges: each reads a hidden true value through its own faults, and sends lines as a real one would.

A stand-in knows its scatter, its step, a bias of its own, its zero and its temperature; all of it is drawn
from a seed, so that the same gauge on the same place sends the same readings.
"""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import dataclass
from typing import NamedTuple


@dataclass(frozen=True, slots=True)
class Kind:
    """One kind of stand-in: what it is called, its unit and step, its scatter and bias as standard deviations.

    ``against_zero``: reads a difference from its datum, so its zero is drawn too. ``tips``: sends the two
    sides of a rocking piston one after another. ``shots``: sends whole shots and then a part.
    """

    key: str
    label: str
    unit: str
    step: float
    scatter: float
    bias: float
    figures: tuple[str, ...]
    against_zero: bool = False
    tips: float = 0.0
    shots: float = 0.0
    material: str = "steel"


KINDS: tuple[Kind, ...] = (
    Kind(
        "depth",
        "depth indicator",
        "mm",
        0.01,
        scatter=0.004,
        bias=0.003,
        figures=("deck_clearance",),
        against_zero=True,
        tips=0.075,
    ),
    Kind("bore", "bore gauge", "mm", 0.002, scatter=0.002, bias=0.002, figures=("bore",)),
    Kind(
        "micrometer",
        "micrometer",
        "mm",
        0.001,
        scatter=0.0015,
        bias=0.001,
        figures=(
            "compression_height",
            "length",
            "stroke",
            "thickness",
            "gasket_bore",
            "top_land_height",
            "top_land_diameter",
            "crown_thickness",
            "above_rim_thickness",
            "above_rim",
        ),
    ),
    Kind(
        "burette", "burette", "cc", 0.1, scatter=0.08, bias=0.05, figures=("chamber_volume", "crown_volume")
    ),
    Kind(
        "syringe",
        "shot syringe",
        "cc",
        0.05,
        scatter=0.05,
        bias=0.02,
        figures=("chamber_volume", "crown_volume"),
        shots=2.5,
    ),
    Kind(
        "probe",
        "touch probe",
        "mm",
        0.001,
        scatter=0.002,
        bias=0.001,
        figures=("deck_height",),
        material="invar",
    ),
    Kind(
        "wall",
        "ultrasonic wall gauge",
        "mm",
        0.05,
        scatter=0.04,
        bias=0.05,
        figures=("crown_thickness", "above_rim_thickness"),
    ),
)
KIND: dict[str, Kind] = {kind.key: kind for kind in KINDS}


class Truth(NamedTuple):
    """What a stand-in is held to: the true value in its unit, and how a reading of a warm part grows, per K."""

    value: float
    expansion: float = 0.0


@dataclass(frozen=True, slots=True)
class Simulated:
    """A stand-in at one place: a :class:`~zygometra.gauges.port.Port`.

    Parameters
    ----------
    kind : Kind
        What it is.
    truth : Truth
        What it reads.
    seed : str
        Of its own faults: the gauge's name and the zero in force; its scatter hangs on ``place`` too.
    place : str
        Where it reads.
    temperature : float
        Of the part, in °C.
    count : int
        How many readings it sends before it is switched off.
    """

    kind: Kind
    truth: Truth
    seed: str
    place: str = ""
    temperature: float = 20.0
    count: int = 1000

    def portions(self) -> Iterator[bytes]:
        """Yield its lines as bytes, each with its end."""
        for number in self.numbers():
            yield f"{number:+.{self._places}f} {self.kind.unit}\r\n".encode()

    @property
    def _places(self) -> int:
        return max(0, len(f"{self.kind.step:.6f}".rstrip("0").partition(".")[2]))

    def numbers(self) -> Iterator[float]:
        """Yield what it shows, rounded to its step: one side after the other, shots before the part."""
        kind = self.kind
        own = random.Random(f"{kind.key} {self.seed}")  # seeded: a stand-in, no secret
        bias = own.gauss(0, kind.bias)
        zero = own.gauss(0, kind.scatter) if kind.against_zero else 0.0
        here = random.Random(f"{kind.key} {self.seed} {self.place}")
        grown = self.truth.value * (1 + self.truth.expansion * (self.temperature - 20.0))
        for i in range(self.count):
            shown = grown + bias - zero + here.gauss(0, kind.scatter)
            if kind.tips:
                shown += kind.tips if i % 2 else -kind.tips
            if kind.shots:
                whole, part = divmod(max(shown, 0.0), kind.shots)
                yield float(int(whole))
                yield self._rounded(part)
                continue
            yield self._rounded(shown)

    def _rounded(self, value: float) -> float:
        return round(value / self.kind.step) * self.kind.step


def hidden_value(figure: str, place: str, stated: float, doubt: float, seed: str) -> float:
    """Return what a part truly measures in the demo: its paper figure, off by something that nobody knows.

    Parameters
    ----------
    figure : str
        As a reading names it.
    place : str
        Where.
    stated : float
        On paper, in the base unit.
    doubt : float
        Of the paper figure, a standard uncertainty in the base unit; half of it is shared by all
        pieces, half is each piece's own.
    seed : str
        Of the engine.

    Returns
    -------
    float
        In the base unit; always the same for the same engine and place.
    """
    common = random.Random(f"{seed} {figure}").gauss(0, 1)
    own = random.Random(f"{seed} {figure} {place}").gauss(0, 1)
    return stated + doubt * (0.7 * common + 0.4 * own)
