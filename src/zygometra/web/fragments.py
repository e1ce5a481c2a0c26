"""The parts of the bench that every what-if writes anew, as plain string building.

A template engine escapes and joins each of some six hundred small texts of a
vee eight's reckoning; written straight, the same markup costs a tenth. Only
what is redrawn at every step of a lever is here; pages stay templates.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from markupsafe import Markup, escape

from zygometra.core.findings import Finding

WORDS = {"stop": "Stop", "warn": "Check", "note": "Note"}
_MARKS = {
    "stop": '<path d="M4 1h4l3 3v4l-3 3H4L1 8V4z"/>',
    "warn": '<path d="M6 1l5.5 10H.5z"/>',
    "note": '<circle cx="6" cy="6" r="2.5"/>',
}
_STATES = {
    "done": '<path d="M1 1h10v10H1z"/>',
    "part": '<path d="M1 1h10v10H1z" class="open"/><path d="M1 1h5v10H1z"/>',
    "blocked": '<path d="M4 1h4l3 3v4l-3 3H4L1 8V4z"/>',
    "due": '<path d="M1 1h10v10H1z" class="open"/>',
}


class Row(NamedTuple):
    """One hole of one result, written out; ``mark`` and ``says`` where it lies outside its window."""

    number: int
    band: str
    now: str
    planned: str
    mark: str
    says: str


class Station(NamedTuple):
    """One station of the path: where it leads, its state as shape and word."""

    key: str
    label: str
    href: str
    state: str
    says: str


def reckoning_rows(rows: Sequence[Row], key: str, hole: int) -> Markup:
    """Return the rows of one result's table.

    Parameters
    ----------
    rows : sequence of Row
        One a hole; their texts are figures of our own writing.
    key : str
        The result, for its working.
    hole : int
        The hole on screen.

    Returns
    -------
    Markup
        Table rows.
    """
    out = []
    for number, band, now, planned, mark, says in rows:
        value = planned or now
        outside = ", " + says if says else ""
        out.append(
            f'<tr{" class=chosen" if number == hole else ""}><th scope="row"><button type="button"'
            f' data-hole="{number}" aria-label="Show hole {number}">{number}</button></th><td>{band}</td>'
            f'<td class="was">{now if planned else ""}</td><td class="will"><button type="button" data-working="{key}"'
            f' data-of="{number}" aria-label="{value}{outside}: show the working">{value}</button></td>'
            f'<td class="side"{f" title={chr(34)}{says}{chr(34)}" if says else ""}>{mark}</td></tr>'
        )
    return Markup("".join(out))


def findings_list(found: Sequence[Finding], build_address: str) -> Markup:
    """Return findings as list items, worst first, each leading to the place that helps.

    Parameters
    ----------
    found : sequence of Finding
        In order.
    build_address : str
        Address of the build, under which its stations lie; empty for no links.

    Returns
    -------
    Markup
        List items.
    """
    out = []
    for f in found:
        link = _where(f.where, build_address) if build_address else ""
        out.append(
            f'<li class="finding {f.severity}"><span class="word"><svg viewBox="0 0 12 12" aria-hidden="true">'
            f"{_MARKS[f.severity]}</svg>{WORDS[f.severity]}</span><details><summary>{escape(f.says)}</summary>"
            f'<p>{escape(f.why)}</p></details><span class="do">{escape(f.do)} {link}</span></li>'
        )
    return Markup("".join(out))


def _where(where: str, address: str) -> str:
    head, _, rest = where.partition(".")
    if head == "cylinders":
        number = rest.split(",")[0].split(".")[0]
        return f'<a href="{address}/stack?hole={number}">hole {number}</a>'
    if head in ("parts", "banks"):
        return f'<a href="{address}/figures">figures</a>'
    return f'<a href="{address}/aim">aim</a>' if head in ("school", "engine") else ""


def refusal(problem: str) -> Markup:
    """Return what stands in place of a drawing where a build cannot be evaluated."""
    return Markup(f'<div class="message-stop" role="alert"><b>Stop.</b> {escape(problem)}</div>')


def carried(plan: str, hole: int) -> Markup:
    """Return what the levers' form carries along: the plan on screen and the hole."""
    return Markup(
        f'<input type="hidden" name="plan" value="{escape(plan)}"><input type="hidden" name="hole"'
        f' value="{hole}" id="hole-on-screen"><input type="hidden" name="nudge" value="" id="nudge">'
        '<input type="hidden" name="solve" value="" id="solving">'
        '<input type="hidden" name="refresh" value="" id="refresh">'
    )


def keep_slot(address: str, carried_on: dict[str, object], differs: Sequence[str]) -> Markup:
    """Return what fills the form that keeps a plan: what it changes, and the way to drop it.

    Parameters
    ----------
    address : str
        Of the build.
    carried_on : dict
        Version, plan, hole and scope.
    differs : sequence of str
        What the plan on screen changes.

    Returns
    -------
    Markup
        The inside of the form.
    """
    hidden = "".join(
        f'<input type="hidden" name="{name}" value="{escape(value)}">' for name, value in carried_on.items()
    )
    return Markup(
        f'{hidden}<span class="pending"><b>Not kept:</b> {escape("; ".join(differs))}</span>'
        '<button class="button is-link is-small" id="keep-button">Keep</button>'
        f'<a class="button is-small" id="drop" href="{address}/stack?hole={carried_on["hole"]}">Drop</a>'
    )


def echo(lever: str, refused: str, beside: str, *, out_of_band: bool = False) -> Markup:
    """Return what stands under a lever's field: why it was refused, or the other system's figure."""
    swap = ' hx-swap-oob="true"' if out_of_band else ""
    css = "echo bad" if refused else "echo"
    return Markup(f'<span class="{css}" id="echo-{lever}"{swap}>{escape(refused or beside)}</span>')


def stations_list(path: Sequence[Station], current: str) -> Markup:
    """Return the stations of a build as list items.

    Parameters
    ----------
    path : sequence of Station
        In working order.
    current : str
        The key of the station on screen.

    Returns
    -------
    Markup
        List items.
    """
    out = []
    for key, label, href, state, says in path:
        here = ' aria-current="page"' if key == current else ""
        out.append(
            f'<li><a href="{href}" class="station {state}"{here}><svg class="mark {state}" viewBox="0 0 12 12"'
            f' aria-hidden="true">{_STATES[state]}</svg><span><b>{escape(label)}</b><small>'
            f'<span class="unseen">{state}: </span>{escape(says)}</small></span></a></li>'
        )
    return Markup("".join(out))
