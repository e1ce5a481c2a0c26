"""The shop floor as its pages show it: the list of builds, and the form of a new one."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, NamedTuple

from zygometra.core.build.model import LAYOUTS
from zygometra.core.digits import figure
from zygometra.core.findings.summary import worst_read
from zygometra.core.stages import STAGE_NAMES
from zygometra.core.wording import Reader
from zygometra.store.builds import ListedBuild

from .new import USUAL_HOLES

_WORDS = {"stop": "Stop", "warn": "Check", "fine": "Fine"}


class FloorEntry(NamedTuple):
    """One build of the list, written out."""

    build: ListedBuild
    about: str
    ratio: str
    quench: str
    clearance: str
    verdict: str
    word: str
    worst: str
    # What was cut by the log, planned or not.
    made: str = ""


_CUT = {"deck_cut": "deck", "head_cut": "head", "crown_cut": "crowns", "rods": "rods"}


def list_view(found: Sequence[ListedBuild], search: str, stage: str, read_as: Reader) -> dict[str, Any]:
    """Return what the list of builds shows.

    Parameters
    ----------
    found : sequence of ListedBuild
        The builds of the shop, or those that a search finds.
    search, stage : str
        What was searched for.
    read_as : Reader
        Units and words.

    Returns
    -------
    dict
        For the template.
    """
    sought = search or stage
    nothing = "No builds yet. Start one, or take in a build file."
    if sought:
        nothing = f"No build has “{sought}” in its name, engine, customer or duty."
    return {
        "entries": [_entry(build, read_as) for build in found],
        "unsettled": sum(not build.is_settled for build in found),
        "search": search,
        "stage": stage,
        "stages": [("", "every stage"), *((name, name) for name in STAGE_NAMES)],
        "quench_word": read_as.quench.capitalize(),
        "nothing": nothing,
    }


def _entry(build: ListedBuild, read_as: Reader) -> FloorEntry:
    summary = build.summary
    holes = summary["holes"]
    engine = f"{build.family} {'single' if holes == 1 else summary['layout'] + ' ' + str(holes)}".strip()
    if summary.get("displacement_cc") is not None:
        engine += f" · {figure(summary['displacement_cc'], 0)} cc"
    counts = summary["counts"]
    verdict = "stop" if counts["stop"] else "warn" if counts["warn"] else "fine"
    state = summary.get("planned_state") or {}
    return FloorEntry(
        build=build,
        about=f"{engine} · {build.customer}" if build.customer else engine,
        ratio=in_range(state.get("compression_ratio"), lambda v: figure(v, 2)),
        quench=in_range(state.get("quench"), read_as.length),
        clearance=in_range(state.get("deck_clearance"), read_as.clearance),
        verdict=verdict,
        word=_WORDS[verdict],
        worst=worst_read(summary.get("worst"), read_as),
        made=", ".join(f"{_CUT.get(op, op)} cut" for op in summary.get("cut") or ()),
    )


def in_range(values: Sequence[float] | None, write: Callable[[float], str]) -> str:
    """Return the least and the most of a result in words: what both share is said once."""
    if not values:
        return "—"
    low, high = write(values[0]), write(values[1])
    if low == high:
        return low
    # "0.04 to 0.14 mm down": what both ends share is said once.
    first, last = low.split(" "), high.split(" ")
    return f"{first[0] if first[1:] == last[1:] else low} to {high}"


def new_view(
    typed: Mapping[str, str], faults: Mapping[str, str], known: Sequence[ListedBuild], from_id: int
) -> dict[str, Any]:
    """Return what the page of a new build shows.

    Parameters
    ----------
    typed, faults : Mapping
        Texts and sentences by field.
    known : sequence of ListedBuild
        Builds that can be copied.
    from_id : int
        The one that is offered first.

    Returns
    -------
    dict
        For the template.
    """
    shown = {"name", "family", "layout", "holes", "angle", "copy_name"}
    return {
        "typed": typed,
        "faults": faults,
        "layouts": [(name, name) for name in LAYOUTS],
        "layout": typed.get("layout", "inline"),
        "holes": typed.get("holes", USUAL_HOLES),
        "known": [(str(b.id), b.name) for b in known],
        "from_id": str(from_id),
        "other_faults": [says for name, says in faults.items() if name not in shown],
    }
