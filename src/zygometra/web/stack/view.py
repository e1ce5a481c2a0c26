"""The stack bench as the page shows it: drawing, levers, what changed."""

from __future__ import annotations

import json
from typing import Any, NamedTuple

from flask import render_template
from markupsafe import Markup, escape

from zygometra.core.build.lever_table import OpName
from zygometra.core.build.levers import limit_in_plan
from zygometra.core.build.record import plan_changes
from zygometra.core.digits import UNKNOWN, figure, volume
from zygometra.core.findings.fuel import top_ratio_of
from zygometra.core.measuring.rooms import rooms
from zygometra.core.stack.results import State
from zygometra.core.stages import CLOSED
from zygometra.drawing.loupe import Limits
from zygometra.drawing.stack import stack_drawing

from .. import urls
from ..build.bench import Bench
from ..build.fragments import (
    asking_slot,
    carried,
    echo,
    findings_panel,
    keep_slot,
    kept_words,
    reckoning_panel,
    refusal,
    stations_list,
    swapped,
    waiting_slot,
    was_fields,
)
from ..build.page import context
from ..cutlog.made import made_words
from .crowns import asked_of_crowns
from .levers import (
    beside,
    chamber_echo,
    chosen_gasket,
    gasket_beside,
    levers_view,
    offered,
    plan_refused,
    scope_of,
    shown_levers,
    thickness_of,
)
from .what_if import ALL, WhatIf

_compact = json.JSONEncoder(ensure_ascii=False, separators=(",", ":")).encode


class StackShown(NamedTuple):
    """What a what-if changes besides the shared page: drawing, plan, address, and the offer to keep it."""

    drawing: str
    plan: str
    address: str
    keep_panel: Markup


def shown(result: WhatIf) -> StackShown:
    """Return the drawing of a what-if, and what keeps it."""
    bench, build = result.bench, result.bench.build
    drawing = ""
    if bench.evaluation is not None:
        cuts: tuple[OpName, ...] = ("deck_cut", "head_cut", "crown_cut")
        limits = Limits(*(limit_in_plan(build, op, bench.rules)[0] for op in cuts))
        drawing = stack_drawing(bench.evaluation, result.hole, bench.reader, limits)
    plan = _compact(bench.plan)
    query = {"hole": result.hole, "scope": ALL if bench.several_banks and not result.scope else ""}
    if result.tries_chamber:
        query["chamber"] = result.typed["chamber"]
    keep_panel, changes = kept_words(plan), []
    if bench.pending:
        query["plan"] = plan
        carried_on = {
            "version": bench.stored.version,
            "plan": plan,
            "hole": result.hole,
            "scope": scope_of(result),
        }
        changes = plan_changes(bench.document.get("planned") or [], bench.plan)
        keep_panel = keep_slot(bench.id, carried_on, changes)
        if asks := asked_of_crowns(bench):
            keep_panel = asking_slot(bench.id, carried_on, asks, urls.station(bench.id, "stack", **query))
    if result.faulty:
        keep_panel = waiting_slot(bench.id, result.hole, changes)
    return StackShown(drawing, plan, urls.station(bench.id, "stack", **query), keep_panel)


def _shared(result: WhatIf) -> dict[str, Any]:
    return context(result.bench, hole=result.hole, rest=_rest(result.bench, result.hole))


def view(result: WhatIf) -> dict[str, Any]:
    """Return everything the stack bench's page shows."""
    s = shown(result)
    return {
        **_shared(result),
        **levers_view(result, s.plan),
        "station": "stack",
        "drawing": s.drawing,
        "keep_panel": s.keep_panel,
        "made": made_words(result.bench),
        "closed": result.bench.stored.stage if result.bench.stored.stage in CLOSED else "",
    }


def answer_parts(result: WhatIf) -> tuple[str, str]:
    """Return the answer to a moved lever, and the address that carries it.

    Parameters
    ----------
    result : WhatIf
        What came of the move.

    Returns
    -------
    html : str
        The drawing, and beside it every part of the page that changes. While a person
        types, the levers' fields are left alone: only what stands under them is written.
    address : str
        Of the page with that what-if on it.
    """
    bench, s, shared = result.bench, shown(result), _shared(result)
    problem = bench.problem
    out = [
        s.drawing or refusal(problem),
        swapped("carried", carried(s.plan, result.hole)),
        swapped("reckoning", reckoning_panel(shared["reckonings"], result.hole, shared["rest"], problem)),
        swapped("findings", findings_panel(bench.findings, bench.id, problem)),
        swapped("stations", stations_list(shared["path"], "stack"), tag="ol"),
        swapped("keep", s.keep_panel),
        swapped("echo-solve", escape(plan_refused(result)), tag="p"),
    ]
    out.append(echo("chamber", *chamber_echo(result), out_of_band=True))
    if result.typing:
        for lever in shown_levers(result.bench.build):
            refused, other = result.refused.get(lever.key, ""), beside(result, lever.key)
            out.append(echo(lever.key, refused, other, offered(result, lever.key), out_of_band=True))
        offers, refused = offered(result, "gasket"), result.refused.get("gasket", "")
        out.append(echo("gasket", refused, gasket_beside(result), offers, out_of_band=True))
        out.append(was_fields(chosen_gasket(result)[0], thickness_of(result), out_of_band=True))
    else:
        out.append(swapped("levers", render_template("stack/_levers.html", **levers_view(result, s.plan))))
    return "".join(out), s.address


def _rest(bench: Bench, hole: int) -> list[tuple[str, str]]:
    """The small figures under the reckoning."""
    if bench.evaluation is None:
        return []
    state = bench.evaluation.planned
    o, cc = state.hole(hole).outcome, state.displacement_cc
    rows = [
        ("displacement", UNKNOWN if cc is None else f"{figure(cc, 0)} cc"),
        ("rod ratio", figure(state.rod_ratio, 3)),
        (f"clearance volume, hole {hole}", volume(o.clearance)),
    ]
    rows += _over_the_crown(bench, state, hole)
    if o.effective is not None:
        closes = bench.build.figures["cam.intake_closes"]
        lift = bench.build.figures.get("cam.at_lift")
        at = f" at {bench.reader.quantity(lift)}" if lift is not None else ""
        rows.append((f"effective ratio, closes {figure(closes.number, 0)}°{at}", figure(o.effective, 2)))
    if (top := _fuel_ends(bench, state)) is not None:
        rows.append(top)
    return rows


def _fuel_ends(bench: Bench, state: State) -> tuple[str, str] | None:
    """Where the shop's table ends for the fuel that was told: advice, beside the ratio."""
    fuel, top = bench.build.fuel, top_ratio_of(bench.build, state, bench.rules)
    if fuel is None:
        return None
    if top is None:
        return (f"fuel, {fuel.words}", UNKNOWN)
    ends = dict.fromkeys(figure(end, 1) for end in (top.low, top.high))
    return (f"fuel, {fuel.words}: the shop's table ends about", " to ".join(ends))


def _over_the_crown(bench: Bench, state: State, hole: int) -> list[tuple[str, str]]:
    """What stands above the rim of a hole, and the room over its dome or pad where that was read."""
    rows, write = [], bench.reader.length
    told = state.hole(hole)
    if told.above_rim is not None and (told.above_rim or told.outcome.areas.crown.above_rim):
        rows.append((f"stands above the rim, hole {hole}", write(told.above_rim)))
    for one in rooms(bench.build, state).get(hole, ()):
        said = UNKNOWN
        if one.value is not None:
            said = f"{write(one.value, one.uncertainty.u)} ± {bench.reader.band(one.uncertainty.half)}"
        rows.append((f"over the {one.on}, to the plane of the head's face", said))
    return rows
