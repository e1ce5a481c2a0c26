"""The deck that the simulated probe touches: hidden, near its drawing, always the same for the same build."""

from __future__ import annotations

from zygometra.core.build.model import Bank
from zygometra.gauges.probe import HiddenDeck
from zygometra.gauges.simulated import hidden_value

from ..build.bench import Bench

# How far a deck of the demo stands off its drawing, in mm (standard deviations).
_OFF, _WEDGE, _LEAN, _TWIST = 0.06, 0.09, 0.04, 0.03
_EDGE = 0.88


def hidden_deck(bench: Bench, bank: Bank) -> HiddenDeck | None:
    """Return the deck of a bank as it truly is; None where pitch, bore or height are not known."""
    figures = bench.build.paper or bench.build.figures
    height = figures.get(f"banks.{bank.name}.deck_height") or figures.get("parts.block.deck_height")
    pitch, bore = figures.get("engine.bore_pitch"), figures.get("parts.block.bore")
    if height is None or pitch is None or bore is None or not pitch.value:
        return None
    seed = f"{bench.build.name} {bank.name}"

    def drawn(what: str, doubt: float) -> float:
        return hidden_value(what, bank.name, stated=0.0, doubt=doubt, seed=seed)

    return HiddenDeck(
        bank=bank.name,
        holes=bank.cylinders,
        pitch=pitch.value,
        bore=bore.value,
        height=height.value + drawn("height", _OFF),
        half_width=_EDGE * bore.value,
        wedge=drawn("wedge", _WEDGE),
        lean=drawn("lean", _LEAN),
        twist=drawn("twist", _TWIST),
        side="right" if bank is bench.build.banks[0] or bank.name == bench.build.banks[0].name else "left",
    )
