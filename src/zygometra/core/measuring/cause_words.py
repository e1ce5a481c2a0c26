"""Causes and advice in words."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..digits import count_of
from ..place import Place, Scope
from ..sentence import Given, Sentence, sentence
from ..units import Kind
from ..written import Length, Volume
from .logbook import READABLE, Logbook, Reading

if TYPE_CHECKING:
    # What it only names: the arithmetic of causes is heavy, and loaded where it is asked.
    from .causes import DecidingReading, IndistinguishableCause, SuspectedCause

_SIDE = {True: "more", False: "less"}


def _amount(by: float, u: float, unit: Kind) -> Given:
    # A doubt of the first order, as wide as the fault at most: the first digit is always told.
    u = min(max(u, 0.001), abs(by) / 4)
    return Volume(abs(by)) if unit is Kind.VOLUME else Length(abs(by), u)


def reading_words(reading: Reading) -> str:
    """Return a reading's figure and place in words, such as ``deck clearance, hole 3``.

    Parameters
    ----------
    reading : Reading
        Any.
    """
    return f"{label_of(reading.figure)}{where_words(reading.place)}"


def label_of(figure: str) -> str:
    """Return what a figure is called in a sentence.

    Parameters
    ----------
    figure : str
        As a reading names it.
    """
    return "deck clearance" if figure == "deck_clearance" else READABLE[figure].label


def where_words(place: Place) -> str:
    """Return a place in words, to be put behind a figure: ``, hole 3``; empty for the whole engine.

    Parameters
    ----------
    place : Place
        Of a reading.
    """
    if place.scope is Scope.HOLE:
        return f", hole {place.number}"
    return f", bank {place.bank}" if place.scope is Scope.BANK else ""


# What is said of each kind of cause; names in braces stand for what :func:`_given` puts there.
_SAYS: dict[str, str] = {
    "reading": "One reading of {what} is misread: it shows {by} {side} than all else gives",
    "zero": "The zero {about} stood off: all that was read against it shows {by} {side}",
    "gauge": "The gauge {about} reads {by} {side} than true",
    "swap": "The {pieces} of holes {hole} and {other} stand in one another's place",
    "part": "Hole {hole} holds another {piece}: its {figure} is {by} {side}",
    "bearing": "Other bearings {where}: the pistons stand {by} {side} down",
    "catalogue": "The paper figure of the {figure} is wrong: the parts measure {by} {side}",
    "deck": "The deck{bank} stands {by} {height} than all else gives",
    "tilt": "The deck{bank} slopes along the crank: it stands {by} {height} at its last hole than at its first",
}


def cause_words(cause: SuspectedCause, logbook: Logbook) -> Sentence:
    """Return one sentence that says what is probably wrong, and what it cannot be told from.

    Parameters
    ----------
    cause : SuspectedCause
        One of those found.
    logbook : Logbook
        The one they were found in.

    Returns
    -------
    Sentence
        To be written for a reader.
    """
    text = Sentence(_SAYS["tilt" if cause.tilt else cause.kind], _given(cause, logbook))
    alike = [also_words(one) for one in cause.alike[:4]]
    more = f"; these readings cannot tell it from {', '.join(alike)}" if alike else ""
    told = f". It would be decided by reading {told_words(cause.decided_by)}" if cause.decided_by else ""
    return sentence("{text}{more}{told}.", text=text, more=more, told=told)


def _given(cause: SuspectedCause, logbook: Logbook) -> dict[str, Given]:
    """What stands at the places of a cause's sentence."""
    figure = cause.about.partition(" ")[0]
    piece = "piston" if figure == "compression_height" else "rod"
    hole, other = (*cause.cylinders, 0, 0)[:2]
    under = "under the whole crank" if cause.about == "main bearings" else f"of the rod in hole {hole}"
    reading = logbook.by_id.get(cause.about)
    return {
        "what": reading_words(reading) if reading is not None else "",
        "about": cause.about,
        "by": _amount(cause.off_by, cause.u, cause.unit),
        "side": _SIDE[cause.off_by > 0],
        "pieces": f"{piece}s",
        "piece": piece,
        "hole": str(hole),
        "other": str(other),
        "where": under,
        "figure": label_of(figure) if figure in READABLE else "",
        "bank": f" of {bank_words(cause.about)}" if cause.kind == "deck" else "",
        "height": "higher" if cause.off_by > 0 else "lower",
    }


def also_words(also: IndistinguishableCause) -> str:
    """Return another cause in a few words.

    Parameters
    ----------
    also : IndistinguishableCause
        One that is alike.
    """
    holes = count_of(list(also.cylinders), of=0).lower() if len(also.cylinders) == 1 else ""
    if also.kind == "reading":
        return f"a misread figure in {holes}" if holes else "a misread figure"
    if also.kind in ("zero", "gauge"):
        return f"the {also.kind} {also.about}"
    if also.kind == "part":
        piece = "piston" if also.about.startswith("compression_height") else "rod"
        return f"another {piece} in {holes}" if len(also.cylinders) == 1 else f"a whole set of other {piece}s"
    if also.kind == "bearing":
        return also.about.replace("cylinder", "hole")
    if also.kind == "swap":
        what = "pistons" if also.about == "compression_height" else "rods"
        return f"the {what} of holes {also.cylinders[0]} and {also.cylinders[1]} exchanged"
    if also.kind == "deck":
        what = "slope" if also.about.startswith("slope") else "height"
        return f"the {what} of the deck of {bank_words(also.about)}"
    return f"a wrong paper figure of the {label_of(also.about)}"


def bank_words(about: str) -> str:
    """Return the bank that a deck's cause is about: ``bank left``.

    Parameters
    ----------
    about : str
        Such as ``height of bank left``.

    Examples
    --------
    >>> bank_words("slope of bank left")
    'bank left'
    """
    return about.partition(" of ")[2]


def told_words(told: DecidingReading) -> str:
    """Return the reading that would decide, in words.

    Parameters
    ----------
    told : DecidingReading
        Figure and hole.
    """
    where = f" of hole {told.cylinder}" if told.cylinder is not None else ""
    return f"{label_of(told.figure)}{where}"
