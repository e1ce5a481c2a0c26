"""What opens the valves and what lies between the banks: what a cut of deck or head moves elsewhere."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Annotated

from ..records import DimensionTable, ListOf, Nested, Record
from ..slots import OneOf, Plain, Real, length
from ..units import Kind

VALVES = ("intake", "exhaust")
# Valves meet a pocket cut parallel with them, or the flat of the crown.
VALVE_FACES = ("pocket", "flat")


_POSITIVE, _PRELOAD = length(0.1, 5000), length(-20, 50)
_TILT, _FACE_ANGLE = (Plain(Kind.ANGLE, "exact", 0, high) for high in (80, 180))


class PreloadRange(Record, frozen=True, kw_only=True, eq=False):
    """Between what lifters take, in mm."""

    min: Annotated[float | None, _PRELOAD] = None
    max: Annotated[float | None, _PRELOAD] = None


class ValveGear(Record, frozen=True, kw_only=True, eq=False):
    """What is known of the valve gear; lengths in mm, angles in degrees, None where nobody said.

    ``pitch_radius`` of the cam wheel, ``run_cosine`` of the run of chain or belt against the bore;
    ``pushrod_tilt`` against the bore, ``pushrod_length`` in use and ``pushrods`` that are to be had;
    ``preload`` of the lifters with the least and most that they take; ``intake_face_angle`` between the
    deck, carried on into the valley, and the intake face; ``manifold_room`` to either side in its holes;
    ``valve_room`` along the bore by valve, ``valve_angle`` of each against the bore.
    """

    kind: Annotated[str, OneOf("pushrod", "overhead cam", "valve in block")] = ""
    pitch_radius: Annotated[float | None, _POSITIVE] = None
    run_cosine: Annotated[float | None, Real(-1, 1)] = None
    pushrod_tilt: Annotated[float | None, _TILT] = None
    pushrod_length: Annotated[float | None, _POSITIVE] = None
    pushrods: Annotated[tuple[float, ...], ListOf(_POSITIVE, 100)] = ()
    preload: Annotated[float | None, _PRELOAD] = None
    taken: Annotated[PreloadRange | None, Nested(PreloadRange)] = None
    intake_face_angle: Annotated[float | None, _FACE_ANGLE] = None
    manifold_room: Annotated[float | None, length(0, 50)] = None
    valve_room: Annotated[Mapping[str, float], DimensionTable("Room", dict.fromkeys(VALVES, _PRELOAD))] = {}
    valve_angle: Annotated[Mapping[str, float], DimensionTable("Tilt", dict.fromkeys(VALVES, _TILT))] = {}
    valve_faces: Annotated[str, OneOf(*VALVE_FACES)] = ""

    KEYS = {"taken": "preload_range"}

    @property
    def preload_range(self) -> tuple[float | None, float | None]:
        """Between what lifters take, in mm."""
        return (None, None) if self.taken is None else (self.taken.min, self.taken.max)


NOT_SAID = ValveGear()
