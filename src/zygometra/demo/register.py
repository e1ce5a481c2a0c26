"""The gauges of the demo shop: stand-ins that send, one whose check failed, one that was dropped."""

from __future__ import annotations

from typing import Any

# Name and figures, then what was noted of it: kind and body. All of it is made up.
GAUGES: tuple[tuple[str, dict[str, Any], tuple[tuple[str, dict[str, Any]], ...]], ...] = (
    (
        "depth-1",
        {"kind": "depth indicator", "resolution": "0.01 mm", "u": "0.004 mm", "repeatability": "0.005 mm"},
        (("check", {"on": "2026-10-01", "good": True}), ("check", {"on": "2026-11-20", "good": False})),
    ),
    (
        "depth-2",
        {
            "kind": "depth indicator",
            "resolution": "0.01 mm",
            "u": "0.003 mm",
            "repeatability": "0.004 mm",
            "x-simulated": "depth",
        },
        (("check", {"on": "2026-09-14", "good": True}),),
    ),
    (
        "bore-1",
        {
            "kind": "bore gauge",
            "resolution": "0.002 mm",
            "u": "0.002 mm",
            "repeatability": "0.002 mm",
            "x-simulated": "bore",
        },
        (("check", {"on": "2026-10-02", "good": True}),),
    ),
    (
        "mic-25",
        {
            "kind": "micrometer",
            "resolution": "0.001 mm",
            "u": "0.001 mm",
            "repeatability": "0.0015 mm",
            "x-simulated": "micrometer",
        },
        (("check", {"on": "2026-10-02", "good": True}),),
    ),
    (
        "rods-1",
        {"kind": "height gauge", "resolution": "0.005 mm", "u": "0.004 mm", "repeatability": "0.004 mm"},
        (("check", {"on": "2026-08-30", "good": True}),),
    ),
    (
        "burette-1",
        {
            "kind": "burette",
            "resolution": "0.1 cc",
            "u": "0.05 cc",
            "repeatability": "0.08 cc",
            "x-simulated": "burette",
        },
        (),
    ),
    (
        "syringe-1",
        {
            "kind": "shot syringe",
            "resolution": "0.05 cc",
            "u": "0.02 cc",
            "repeatability": "0.05 cc",
            "x-simulated": "syringe",
        },
        (("check", {"on": "2026-10-05", "good": True}),),
    ),
    (
        "probe-1",
        {
            "kind": "touch probe",
            "resolution": "0.001 mm",
            "u": "0.001 mm",
            "repeatability": "0.002 mm",
            "material": "invar",
            "x-simulated": "probe",
        },
        (("check", {"on": "2026-10-05", "good": True}),),
    ),
    (
        "wall-1",
        {
            "kind": "ultrasonic wall gauge",
            "resolution": "0.05 mm",
            "u": "0.05 mm",
            "repeatability": "0.04 mm",
            "x-simulated": "wall",
        },
        (("check", {"on": "2026-07-21", "good": True}),),
    ),
    (
        "calliper-3",
        {"kind": "calliper", "resolution": "0.02 mm", "u": "0.015 mm", "repeatability": "0.01 mm"},
        (("check", {"on": "2026-06-11", "good": True}), ("mishap", {"on": "2026-11-02", "what": "dropped"})),
    ),
)
