"""The parts of the bench that every what-if writes anew, as plain string building.

A template engine escapes and joins each of some six hundred small texts of a
vee eight's reckoning; written straight, the same markup costs a tenth. Only
what is redrawn at every step of a lever is here; pages stay templates.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from markupsafe import Markup, escape

from zygometra.core.findings.said import Finding
from zygometra.core.place import Place, Scope

from ..urls import station

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


class ReckoningRow(NamedTuple):
    """One hole of one result, written out; ``mark`` and ``says`` where it lies outside its window."""

    number: int
    band: str
    now: str
    planned: str
    mark: str
    says: str


class Stop(NamedTuple):
    """One station of the path as it is shown: where it leads, its letter, its state as shape and word."""

    key: str
    label: str
    href: str
    letter: str
    state: str
    says: str


def reckoning_rows(rows: Sequence[ReckoningRow], key: str, hole: int) -> Markup:
    """Return the rows of one result's table.

    Parameters
    ----------
    rows : sequence of ReckoningRow
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


_LEGEND = (
    '<p class="legend"><svg viewBox="0 0 22 12" class="band" aria-hidden="true"><path d="M2 6H20M11 2v8" class="now"/>'
    '</svg>now <svg viewBox="0 0 22 12" class="band" aria-hidden="true"><path d="M2 7H20" class="plan"/>'
    '<path d="M11 3l3.6 7h-7.2z" class="wedge"/></svg>planned, 95 % <svg viewBox="0 0 22 12" class="band"'
    ' aria-hidden="true"><rect width="22" height="12" class="window"/><path d="M11 0v12" class="aim"/></svg>'
    "window, aim</p>"
)
_COLUMNS = (
    '<table><thead class="unseen"><tr><th scope="col">hole</th><th scope="col">band</th><th scope="col">as it stands'
    '</th><th scope="col">as planned</th><th scope="col">against the window</th></tr></thead><tbody>'
)


class Reckoning(NamedTuple):
    """One result of every hole."""

    key: str
    title: str
    window: str
    unit: str
    rows: tuple[ReckoningRow, ...]


def reckoning_panel(
    reckonings: Sequence[Reckoning], hole: int, rest: Sequence[tuple[str, str]], problem: str
) -> Markup:
    """Return the whole reckoning: why there is none, or a table a result and the small figures.

    Parameters
    ----------
    reckonings : sequence of Reckoning
        One a result.
    hole : int
        The hole on screen.
    rest : sequence of (str, str)
        Name and figure of what is shown beneath.
    problem : str
        Why the build cannot be evaluated; empty where it can.

    Returns
    -------
    Markup
        The inside of the reckoning.
    """
    out = []
    if problem:
        out.append(f'<div class="message-stop" role="alert"><b>Stop.</b> {escape(problem)}</div>')
    for r in reckonings:
        unit = f"{r.unit} · " if r.unit else ""
        out.append(
            f"<section><header><h2>{r.title}</h2><small>{unit}{r.window}</small></header>{_COLUMNS}"
            f"{reckoning_rows(r.rows, r.key, hole)}</tbody></table></section>"
        )
    if reckonings:
        out.append(_LEGEND)
    if rest:
        rows = "".join(f"<div><dt>{name}</dt><dd>{value}</dd></div>" for name, value in rest)
        out.append(f'<dl class="rest">{rows}</dl>')
    return Markup("".join(out))


def findings_panel(found: Sequence[Finding], build_id: int | None, problem: str) -> Markup:
    """Return the whole place of the findings, which says so where there is nothing to say."""
    head = '<h2 class="unseen">Findings, worst first</h2>'
    if found:
        return Markup(f"{head}<ul>{findings_list(found, build_id)}</ul>")
    if problem:
        return Markup(head)
    return Markup(
        f'{head}<p class="nothing">Nothing stands against this build: every hole lies inside its windows.</p>'
    )


def findings_list(found: Sequence[Finding], build_id: int | None) -> Markup:
    """Return findings as list items, worst first, each leading to the place that helps.

    Parameters
    ----------
    found : sequence of Finding
        In order.
    build_id : int or None
        The build whose stations they lead to; None for no links.

    Returns
    -------
    Markup
        List items.
    """
    out = []
    for f in found:
        link = "" if build_id is None else _where(f.where, build_id)
        out.append(
            f'<li class="finding {f.severity}"><span class="word"><svg viewBox="0 0 12 12" aria-hidden="true">'
            f"{_MARKS[f.severity]}</svg>{WORDS[f.severity]}</span><details><summary>{escape(f.says)}</summary>"
            f'<p>{escape(f.why)}</p></details><span class="do">{escape(f.do)} {link}</span></li>'
        )
    return Markup("".join(out))


def _where(where: Place, build_id: int) -> str:
    if where.holes:
        number = where.holes[0]
        return f'<a href="{station(build_id, "stack", hole=number)}">hole {number}</a>'
    if where.scope is Scope.BANK or where.keys[:1] == ("parts",):
        return f'<a href="{station(build_id, "figures")}">figures</a>'
    return (
        f'<a href="{station(build_id, "aim")}">aim</a>'
        if where.keys[:1] in (("school",), ("engine",))
        else ""
    )


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


def keep_slot(build_id: int, carried_on: dict[str, object], differs: Sequence[str]) -> Markup:
    """Return what fills the form that keeps a plan: what it changes, and the way to drop it.

    Parameters
    ----------
    build_id : int
        The build.
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
        f'<a class="button is-small" id="drop" href="{station(build_id, "stack", hole=carried_on["hole"])}">Drop</a>'
    )


def waiting_slot(build_id: int, hole: int, differs: Sequence[str]) -> Markup:
    """Return what fills the form that keeps a plan while an entry of the levers is not understood.

    Parameters
    ----------
    build_id : int
        The build.
    hole : int
        On screen.
    differs : sequence of str
        What the plan on screen changes, without that entry.

    Returns
    -------
    Markup
        Without a button: what is on screen is not what was typed.
    """
    drop = ""
    if differs:
        drop = f'<a class="button is-small" id="drop" href="{station(build_id, "stack", hole=hole)}">Drop</a>'
    return Markup(
        '<span class="pending"><b>An entry is not understood:</b> put it right or empty it, then keep.</span>'
        + drop
    )


def asking_slot(build_id: int, carried_on: dict[str, object], asks: str, back: str) -> Markup:
    """Return what fills the form that keeps a plan while something must be said of a crown first.

    Parameters
    ----------
    build_id : int
        The build.
    carried_on : dict
        Version, plan, hole and scope.
    asks : str
        What must be said, in one or two sentences.
    back : str
        Address of the page with the plan on it.

    Returns
    -------
    Markup
        The inside of the form: nothing stands above the rim, or the form of its height.
    """
    hidden = "".join(
        f'<input type="hidden" name="{name}" value="{escape(value)}">'
        for name, value in {**carried_on, "value": "0 mm", "back": back}.items()
    )
    place = "parts.piston.above_rim"
    return Markup(
        f'{hidden}<span class="pending"><b>Not kept:</b> {escape(asks)}</span>'
        f'<button class="button is-link is-small" name="at" value="{place}"'
        f' formaction="{station(build_id, "figure")}">Nothing stands above the rim</button>'
        f'<button type="button" class="button is-small" data-figure="{place}">Give its height</button>'
        f'<a class="button is-small" id="drop" href="{station(build_id, "stack", hole=carried_on["hole"])}">Drop</a>'
    )


def kept_words(plan: str) -> Markup:
    """Return what stands where the plan on screen is the one that is kept."""
    if plan == "[]":
        return Markup(
            '<span class="kept">Nothing planned. Move a lever, or drag a handle in the loupe.</span>'
        )
    return Markup('<span class="kept">The plan is kept.</span>')


def echo(
    lever: str, refused: str, beside: str, offers: Sequence[str] = (), *, out_of_band: bool = False
) -> Markup:
    """Return what stands under a lever's field: why it was refused, or the other system's figure.

    What else may have been meant goes into the field with one press.
    """
    swap = ' hx-swap-oob="true"' if out_of_band else ""
    css = "echo bad" if refused else "echo"
    field = "gasket_thickness" if lever == "gasket" else lever
    buttons = "".join(
        f' <button type="button" class="button is-small" data-fill="{escape(offer)}" data-into="{field}">'
        f"did you mean {escape(offer)}?</button>"
        for offer in offers
    )
    return Markup(f'<span class="{css}" id="echo-{lever}"{swap}>{escape(refused or beside)}{buttons}</span>')


def was_fields(chosen: str, thickness: str, *, out_of_band: bool = False) -> Markup:
    """Return what remembers the gasket that the page shows, to know what a person changes."""
    swap = ' hx-swap-oob="true"' if out_of_band else ""
    return Markup(
        f'<input type="hidden" name="gasket_was" id="gasket_was" value="{escape(chosen)}"{swap}>'
        f'<input type="hidden" name="gasket_thickness_was" id="gasket_thickness_was" value="{escape(thickness)}"{swap}>'
    )


def swapped(place: str, inside: str, tag: str = "div") -> str:
    """Return what htmx puts in place of the inside of another part of the page."""
    return f'<{tag} id="{place}" hx-swap-oob="innerHTML">{inside}</{tag}>'


def stations_list(path: Sequence[Stop], current: str) -> Markup:
    """Return the stations of a build as list items.

    Parameters
    ----------
    path : sequence of Stop
        In working order.
    current : str
        The key of the station on screen.

    Returns
    -------
    Markup
        List items.
    """
    out = []
    for key, label, href, letter, state, says in path:
        here = ' aria-current="page"' if key == current else ""
        out.append(
            f'<li><a href="{href}" class="station {state}" data-key="{letter}"{here}>'
            f'<svg class="mark {state}" viewBox="0 0 12 12" aria-hidden="true">{_STATES[state]}</svg>'
            f"<span><b>{escape(label)}</b><small>"
            f'<span class="unseen">{state}: </span>{escape(says)}</small></span></a></li>'
        )
    return Markup("".join(out))


def besides_row(benches: Sequence[Stop], current: str) -> Markup:
    """Return the benches side by side under a station, each with how far it is.

    Parameters
    ----------
    benches : sequence of Stop
        In working order.
    current : str
        The key of the one on screen.

    Returns
    -------
    Markup
        Links.
    """
    out = []
    for key, label, href, _, state, says in benches:
        here = ' aria-current="page"' if key == current else ""
        out.append(
            f'<a href="{href}"{here}><svg class="mark {state}" viewBox="0 0 12 12" aria-hidden="true">{_STATES[state]}'
            f'</svg><span><b>{escape(label)}</b> <small><span class="unseen">{state}: </span>{escape(says)}</small>'
            "</span></a>"
        )
    return Markup("".join(out))
