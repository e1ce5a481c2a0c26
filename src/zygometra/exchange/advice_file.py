"""What ``zygometra next`` and ``zygometra causes`` print."""

from __future__ import annotations

from typing import Any

from zygometra.core.measuring.cause_words import cause_words
from zygometra.core.measuring.causes import SuspectedCause
from zygometra.core.measuring.logbook import Logbook
from zygometra.core.measuring.what_next import Next
from zygometra.core.place import Place, Scope


def next_document(advice: Next) -> dict[str, Any]:
    """Return what to measure next as the command prints it. Numbers are unrounded.

    Parameters
    ----------
    advice : Next
        Best first.

    Returns
    -------
    dict
        The document.
    """
    readings = []
    for one in advice.readings:
        entry: dict[str, Any] = {"figure": one.figure} | _place(one.place)
        if one.gauge:
            entry["gauge"] = one.gauge
        if one.zero:
            entry["zero"] = one.zero
        readings.append(
            entry | {"share": one.share, "u_now": one.u_now, "u_after": one.u_after, "minutes": one.minutes}
        )
    return {
        "format": "zygometra.next",
        "version": 1,
        "decides": advice.decides,
        "cylinder": advice.hole,
        "readings": readings,
    }


def _place(place: Place) -> dict[str, Any]:
    if place.scope is Scope.HOLE:
        return {"cylinder": place.number}
    return {"bank": place.bank} if place.scope is Scope.BANK else {}


def causes_document(found: tuple[SuspectedCause, ...], logbook: Logbook) -> dict[str, Any]:
    """Return the probable causes as the command prints them. Numbers are unrounded.

    Parameters
    ----------
    found : tuple of SuspectedCause
        Likeliest first.
    logbook : Logbook
        In which they were found.

    Returns
    -------
    dict
        The document.
    """
    return {
        "format": "zygometra.causes",
        "version": 1,
        "causes": [
            {
                "kind": one.kind,
                "about": one.about,
                "cylinders": list(one.cylinders),
                "off_by": one.off_by if one.tilt is None else one.tilt.per_metre,
                "explains": one.explains,
                "alike": [
                    {"kind": also.kind, "about": also.about, "cylinders": list(also.cylinders)}
                    for also in one.alike
                ],
                "decided_by": _told(one),
                "says": str(cause_words(one, logbook)),
            }
            for one in found
        ],
    }


def _told(cause: SuspectedCause) -> dict[str, Any] | None:
    told = cause.decided_by
    if told is None:
        return None
    return {"figure": told.figure} | ({"cylinder": told.cylinder} if told.cylinder is not None else {})
