"""What opens the valves and what lies between the banks: what a cut of deck or head moves elsewhere."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from ..quantity import read_quantity
from ..units import Kind

VALVES = ("intake", "exhaust")
# Valves meet a pocket cut parallel with them, or the flat of the crown.
VALVE_FACES = ("pocket", "flat")


@dataclass(frozen=True, slots=True)
class ValveGear:
    """What is known of the valve gear; lengths in mm, angles in degrees, None where nobody said.

    ``pitch_radius`` of the cam wheel, ``run_cosine`` of the run of chain or belt against the bore;
    ``pushrod_tilt`` against the bore, ``pushrod_length`` in use and ``pushrods`` that are to be had;
    ``preload`` of the lifters with the least and most that they take; ``intake_face_angle`` between the
    deck, carried on into the valley, and the intake face; ``manifold_room`` to either side in its holes;
    ``valve_room`` along the bore by valve, ``valve_angle`` of each against the bore.
    """

    kind: str = ""
    pitch_radius: float | None = None
    run_cosine: float | None = None
    pushrod_tilt: float | None = None
    pushrod_length: float | None = None
    pushrods: tuple[float, ...] = ()
    preload: float | None = None
    preload_range: tuple[float | None, float | None] = (None, None)
    intake_face_angle: float | None = None
    manifold_room: float | None = None
    valve_room: Mapping[str, float] = field(default_factory=dict)
    valve_angle: Mapping[str, float] = field(default_factory=dict)
    valve_faces: str = ""


NOT_SAID = ValveGear()


def read_valve_gear(raw: Mapping[str, Any] | None) -> ValveGear:
    """Return the valve gear of a checked document.

    Parameters
    ----------
    raw : Mapping or None
        ``valve_gear`` of a build document.
    """
    raw = raw or {}

    def value(of: Mapping[str, Any], name: str, kind: Kind = Kind.LENGTH) -> float | None:
        return None if of.get(name) is None else read_quantity(of[name], kind, dimension="exact").value

    def by_valve(name: str, kind: Kind) -> dict[str, float]:
        own = raw.get(name) or {}
        return {valve: found for valve in VALVES if (found := value(own, valve, kind)) is not None}

    between = raw.get("preload_range") or {}
    return ValveGear(
        kind=raw.get("kind") or "",
        pitch_radius=value(raw, "pitch_radius"),
        run_cosine=None if raw.get("run_cosine") is None else float(raw["run_cosine"]),
        pushrod_tilt=value(raw, "pushrod_tilt", Kind.ANGLE),
        pushrod_length=value(raw, "pushrod_length"),
        pushrods=tuple(
            read_quantity(one, Kind.LENGTH, dimension="exact").value for one in raw.get("pushrods") or ()
        ),
        preload=value(raw, "preload"),
        preload_range=(value(between, "min"), value(between, "max")),
        intake_face_angle=value(raw, "intake_face_angle", Kind.ANGLE),
        manifold_room=value(raw, "manifold_room"),
        valve_room=by_valve("valve_room", Kind.LENGTH),
        valve_angle=by_valve("valve_angle", Kind.ANGLE),
        valve_faces=raw.get("valve_faces") or "",
    )
