"""What the target bench shows."""

# long: what one bench shows, part by part
from __future__ import annotations

import json
from collections.abc import Iterator
from typing import Any, NamedTuple

from flask import url_for
from markupsafe import Markup, escape

from zygometra.core.build.document import operation_document
from zygometra.core.build.levers import limit_of
from zygometra.core.build.means import PRIORITIES
from zygometra.core.build.model import ASSEMBLED
from zygometra.core.build.record import op_words
from zygometra.core.digits import figure, ratio_text
from zygometra.core.fields import place_label
from zygometra.core.house_rules import SCHOOLS
from zygometra.core.planning.as_machined import from_the_start
from zygometra.core.planning.bounded import plans_within, ways_within
from zygometra.core.planning.crowns import closed_levers
from zygometra.core.planning.disassembly import fallen, last_moment, opened_for
from zygometra.core.planning.infeasibility import Relaxation
from zygometra.core.planning.plans import Plan, PlanAnswer
from zygometra.core.planning.results import wanted_of
from zygometra.core.planning.side_effects import side_effects
from zygometra.core.planning.single_lever_plans import SingleLeverPlan
from zygometra.core.planning.why_first import why
from zygometra.core.stack.cut_sheet import CAUTIONS
from zygometra.core.stack.results import Hole
from zygometra.core.uncertainty import Uncertainty
from zygometra.core.windows import Window
from zygometra.core.wording import Reader
from zygometra.drawing.bands import Estimate, axis, bands
from zygometra.drawing.plans import FACTOR, GapDrawn, gap

from ..build.bench import Bench, with_plan
from ..stack.crowns import asked_of_crowns
from ..verify.memory import told
from .asked import EDGES, PINNED, RESULTS, PlanQuery
from .parts import with_pushrods_of_the_shelf
from .searching import could_not_end, goes_on, line, searched
from .words import from_to, percent, plan_words

_LABELS = {"compression_ratio": "Ratio", "quench": "{quench}", "deck_clearance": "Deck clearance"}


class Found(NamedTuple):
    """What was found, whether that is all of it, and what is said of a search that goes on or could not end."""

    answer: PlanAnswer
    whole: bool
    says: str = ""


class Slider(NamedTuple):
    """An edge of a window that can be dragged."""

    name: str
    label: str
    value: float
    low: float
    high: float
    step: float
    says: str
    typed: str
    fault: str


class PlanRow(NamedTuple):
    """One plan in the list."""

    place: int
    gaps: list[Markup]
    words: list[str]
    ratio: str
    quench: str
    chance: str
    policy: str
    cost: str
    time: str
    metal: str
    risk: str
    why: str
    chosen: bool
    beside: bool
    choose: str
    compare: str


def plans_for(bench: Bench, asked: PlanQuery, *, wait: float, polls: bool = False) -> Found:
    """Return the plans for what is asked, as far as they are found; worked out once for what is kept.

    Parameters
    ----------
    bench : Bench
        The build.
    asked : PlanQuery
        Of it.
    wait : float
        How long the page waits, in seconds.
    polls : bool
        True where the page asks again for what it asked before.
    """
    held: dict[str, Found] = bench.kept.once(_hangs_on(bench, asked), dict)
    if "found" in held:
        return held["found"]
    job = searched(bench, held, plans_within, asked.build, asked.rules, asked.pins, asks="plans", polls=polls)
    if not line().wait(job, wait):
        so_far = job.so_far or PlanAnswer((), (), wanted_of(asked.build, asked.rules))
        return Found(so_far, whole=False, says=goes_on(job))
    answer: PlanAnswer = job.result or PlanAnswer((), (), wanted_of(asked.build, asked.rules))
    bounded = job.bounded or answer.bounded
    found = Found(
        answer._replace(bounded=bounded), whole=True, says="" if bounded is None else could_not_end(bounded)
    )
    if bounded is None:
        held["found"] = found
    return found


def _hangs_on(bench: Bench, asked: PlanQuery) -> tuple[Any, ...]:
    missed = tuple((op, own.tolerance and own.tolerance.u) for op, own in asked.build.levers.means.items())
    return (*asked.key, missed, tuple(bench.stored.shop_rules.items()))


# -- the page --------------------------------------------------------------------


def page_view(bench: Bench, asked: PlanQuery) -> dict[str, Any]:
    """Return what the page shows besides the plans: windows, choices, levers to fix."""
    reader = bench.reader
    return {
        "sliders": [_sliders(asked, result, reader) for result in RESULTS],
        "priorities": [(one, one) for one in PRIORITIES],
        "priority": asked.build.planning.priority,
        "schools": [("", "the build's own"), *((s.key, s.label) for s in SCHOOLS)],
        "school": asked.typed.get("school", ""),
        "school_says": next((s.why for s in SCHOOLS if s.key == asked.build.school), ""),
        "pin_fields": list(_pin_fields(asked)),
        "typed": asked.typed,
        "faults": asked.faults,
        "changed": asked.changed,
        "answer_address": url_for("plan.answered", build_id=bench.id),
        "again_address": url_for("plan.answered", build_id=bench.id, **_query(asked), again=1),
        "ways_address": url_for("plan.ways_page", build_id=bench.id, **_query(asked)),
        "ways_again_address": url_for("plan.ways_page", build_id=bench.id, **_query(asked), again=1),
        "machines": told(bench),
        "cut": bool(bench.build.cuts.passes),
        "closed": [says.written(reader) for says in closed_levers(asked.build)],
        "cautions": CAUTIONS,
    }


def _query(asked: PlanQuery, **changed: object) -> dict[str, Any]:
    kept = {name: value for name, value in asked.typed.items() if value and name != "full"}
    return kept | {name: value for name, value in changed.items() if value is not None}


# long: what it puts together is told field by field, a line each
def _sliders(asked: PlanQuery, result: str, reader: Reader) -> dict[str, Any]:
    window: Window = getattr(asked.build.targets, result)
    label = _LABELS[result].format(quench=reader.quench.capitalize())
    values = [value for value in (window.low, window.aim, window.high) if value is not None]
    step, wide = (0.05, 1.5) if result == "compression_ratio" else (0.01, 0.6)
    middle = (
        sum(values) / len(values)
        if values
        else (10.0 if step == 0.05 else 1.1 if result == "quench" else 0.2)
    )
    low, high = min([middle - wide, *values]) - step, max([middle + wide, *values]) + step
    low, high = round(low / step) * step, round(high / step) * step
    edges = []
    for edge, value in zip(EDGES, (window.low, window.high), strict=True):
        name = f"{result}.{edge}"
        at = value if value is not None else (low if edge == "min" else high)
        says = (
            "open"
            if value is None
            else ratio_text(value)
            if result == "compression_ratio"
            else reader.limit(value)
        )
        which = "least" if edge == "min" else "most"
        typed, fault = asked.typed.get(name, ""), asked.faults.get(name, "")
        edges.append(
            Slider(
                name=name,
                label=f"{label}, {which}",
                value=round(at, 4),
                low=round(low, 4),
                high=round(high, 4),
                step=step,
                says=says,
                typed=typed,
                fault=fault,
            )
        )
    left, right = ((edge.value - low) / (high - low) * 100 for edge in edges)
    return {
        "label": label,
        "edges": edges,
        "left": round(left, 2),
        "width": round(max(right - left, 0.4), 2),
        "open": not window.is_bounded,
    }


class PinField(NamedTuple):
    """A field in which something is fixed by hand; with choices a list to choose from."""

    name: str
    label: str
    typed: str
    hint: str = ""
    fault: str = ""
    choices: list[tuple[str, str]] | None = None


def _pin_fields(asked: PlanQuery) -> Iterator[PinField]:
    """Fields in which a lever is fixed by hand, bank by bank."""
    build, levers = asked.build, asked.build.levers

    def field(
        name: str, label: str, hint: str = "", choices: list[tuple[str, str]] | None = None
    ) -> PinField:
        return PinField(
            name=name,
            label=label,
            typed=asked.typed.get(name, ""),
            hint=hint,
            fault=asked.faults.get(name, ""),
            choices=choices,
        )

    for bank in build.banks:
        for op in PINNED:
            if op in levers.means:
                most = f"up to {limit_of(build, op, asked.rules)[0]:g} mm"
                hint = most + ("; front / rear" if op == "deck_cut" else "")
                yield field(f"pin.{op}.{bank.name}", f"{op_words(op).capitalize()} {bank.name}", hint)
        if levers.gaskets:
            listed = [(str(i), g.name or f"gasket {i + 1}") for i, g in enumerate(levers.gaskets)]
            choices = [("", "any"), ("kept", "the one there"), *listed]
            yield field(f"pin.gasket.{bank.name}", f"Gasket {bank.name}", "", choices)
    if "crown_cut" in levers.means:
        yield field("pin.crown_cut", "Crown cut")
    if "bowl" in levers.means:
        yield field("pin.bowl", "Bowl", f"up to {limit_of(build, 'bowl', asked.rules)[0]:g} cc")
    if levers.parts:
        fitted = [(str(i), f"{c.part.kind} {c.part.name}".strip()) for i, c in enumerate(levers.parts)]
        yield field("pin.part", "Part", "", [("", "any"), ("kept", "those there"), *fitted])


# -- plans -----------------------------------------------------------------------


def answer(bench: Bench, asked: PlanQuery, found: Found) -> dict[str, Any]:
    """Return what the page shows of plans."""
    plans, closed = found.answer.plans, list(closed_levers(asked.build))
    at = min(asked.chosen, len(plans) - 1) if plans else 0
    beside = (
        asked.beside
        if asked.beside is not None and asked.beside < len(plans) and asked.beside != at
        else None
    )
    return {
        "problem": "",
        "whole": found.whole,
        "search_says": found.says,
        "plans": [_shown(bench, asked, plans=plans, i=i, at=at, beside=beside) for i in range(len(plans))],
        "chosen": _detail(bench, asked, plans[at], at) if plans else None,
        "compared": None if beside is None else _compared(bench, plans[at], plans[beside], (at, beside)),
        # Levers that rest for want of a figure are told above.
        "reasons": [
            _reason(bench, asked, reason) for reason in found.answer.none_because if reason.says not in closed
        ],
        "conflict": _windows_in_words(found.answer.none_because, bench.reader),
        "below": bool(plans) and plans[0].chance < asked.build.planning.least_yield,
        "least": percent(asked.build.planning.least_yield),
        "shrinks": bool(asked.build.between_holes),
        "factor": f"{FACTOR:g}",
    }


def _shown(
    bench: Bench, asked: PlanQuery, plans: tuple[Plan, ...], i: int, at: int, beside: int | None
) -> PlanRow:
    plan, reader = plans[i], bench.reader
    ratios = [
        h.outcome.compression_ratio for h in plan.result.holes if h.outcome.compression_ratio is not None
    ]
    gaps = [h.outcome.quench for h in plan.result.holes if h.outcome.quench is not None]
    policy = plan.policy
    return PlanRow(
        place=i,
        gaps=_gaps(bench, asked, plan),
        words=plan_words(plan.planned, reader),
        ratio=from_to([ratio_text(min(ratios)), ratio_text(max(ratios))]) if ratios else "—",
        quench=from_to([reader.limit(round(min(gaps), 3)), reader.limit(round(max(gaps), 3))])
        if gaps
        else "—",
        chance=percent(plan.chance),
        policy="" if policy is None else percent(policy.chance),
        cost=figure(plan.bill.cost, 0),
        time=_time(plan),
        metal=figure(plan.bill.metal, 1),
        risk="" if plan.floor_risk < 0.0005 else f"{figure(100 * plan.floor_risk, 1)} % under the floor",
        why=str(why(asked.build.planning.priority, i, plans)),
        chosen=i == at,
        beside=i == beside,
        choose=url_for("plan.page", build_id=bench.id, _anchor="in-hand", **_query(asked, at=i, full=1)),
        compare=url_for(
            "plan.page", build_id=bench.id, _anchor="compared", **_query(asked, beside=i, full=1)
        ),
    )


def _time(plan: Plan) -> str:
    hours = f"{figure(plan.bill.minutes / 60, 1)} h" if plan.bill.minutes else ""
    days = f"{figure(plan.bill.days, 0)} d" if plan.bill.days else ""
    return ", ".join(word for word in (hours, days) if word) or "—"


def _gaps(bench: Bench, asked: PlanQuery, plan: Plan) -> list[Markup]:
    out = []
    window = plan_window(asked)
    for bank in asked.build.banks:
        holes = [plan.result.hole(number) for number in bank.cylinders]
        known = [
            h
            for h in holes
            if h.outcome.deck_clearance is not None and h.outcome.gasket_thickness is not None
        ]
        if len(known) < len(holes):
            continue
        drawn = GapDrawn(
            label=bank.name if bench.several_banks else "",
            gasket=holes[0].outcome.gasket_thickness or 0.0,
            clearances=tuple(h.outcome.deck_clearance or 0.0 for h in holes),
            first=holes[0].outcome.deck_cut,
            last=holes[-1].outcome.deck_cut,
            head=holes[0].outcome.head_cut,
            window=window,
        )
        quenches = [h.outcome.quench or 0.0 for h in holes]
        says = (
            f"Bank {bank.name}: {bench.reader.quench} {bench.reader.limit(round(min(quenches), 3))} to "
            f"{bench.reader.limit(round(max(quenches), 3))}"
        )
        out.append(Markup(gap(drawn, str(escape(says)))))
    return out


def plan_window(asked: PlanQuery) -> tuple[float | None, float | None]:
    """Return the window of the gap that plans are drawn against: no lower than the floor."""
    window = asked.build.targets.quench.over_floor(asked.rules.quench_floor(asked.build.rod_material))
    return window.low, window.high


# long: what one plan shows, part by part
def _detail(bench: Bench, asked: PlanQuery, plan: Plan, at: int) -> dict[str, Any]:
    """Everything about the plan that is chosen."""
    reader, policy = bench.reader, plan.policy
    assembled = _assembled(bench)
    whole = [operation_document(op) for op in from_the_start(bench.build, plan.planned)]
    opened = opened_for(asked.build, plan.planned, assembled)
    worth = None
    if policy is not None:
        of = {name: f" on bank {name}" if bench.several_banks else "" for name in policy.leave}
        leave = ", ".join(f"{reader.limit(mm)}{of[name]}" for name, mm in policy.leave.items())
        worth = {
            "single": percent(plan.chance),
            "policy": percent(policy.chance),
            "clairvoyant": percent(policy.clairvoyant),
            "leave": leave,
            "gain": figure(100 * (policy.chance - plan.chance), 1),
            "pays": policy.chance - plan.chance >= 0.01,
        }
    return {
        "place": at + 1,
        "words": plan_words(plan.planned, reader),
        "holes": _holes(asked, plan, reader),
        "worth": worth,
        "reading_loses": policy is None and any(op.op == "deck_cut" for op in plan.planned),
        "elsewhere": [
            (e.what, e.says.written(reader))
            for e in side_effects(
                with_pushrods_of_the_shelf(bench.build),
                from_the_start(bench.build, plan.planned),
                asked.rules,
            )
        ],
        "irreversible": list(plan.irreversible),
        "buys": list(plan.buys),
        "opens": list(plan.opens),
        "opened": opened,
        "fallen": [
            (
                f"gate {one.gate.number}",
                one.by,
                one.at[:10],
                ", ".join(place_label(path) for path in one.places),
            )
            for one in fallen(asked.build, plan.planned, bench.kept.facts.signed.accepted)
        ],
        "assembled": assembled,
        "assembled_choices": ASSEMBLED,
        "last_moment": last_moment(plan.planned),
        "planned": json.dumps(whole),
        "nothing": not plan.planned,
        "asks": asked_of_crowns(with_plan(bench, plan.planned)) if _cuts_crowns(plan) else "",
    }


def _cuts_crowns(plan: Plan) -> bool:
    return any(op.op == "crown_cut" for op in plan.planned)


def _assembled(bench: Bench) -> str:
    return str((bench.document.get("engine") or {}).get("assembled") or "")


def _holes(asked: PlanQuery, plan: Plan, reader: Reader) -> list[dict[str, Any]]:
    """Result of each hole with its band, against the windows."""
    targets = asked.build.targets
    gap_window = targets.quench.over_floor(asked.rules.quench_floor(asked.build.rod_material))
    holes = plan.result.holes
    drawn = [
        ("compression_ratio", targets.compression_ratio, 0.1),
        ("quench", gap_window, 0.05),
    ]
    scales = {
        name: bands(axis([_estimate(h, name) for h in holes], window, least), window)
        for name, window, least in drawn
    }
    return [
        {
            "number": hole.number,
            "clearance": reader.clearance(hole.outcome.deck_clearance, hole.outcome.doubts.deck_clearance.u),
            "quench": reader.length(hole.outcome.quench, hole.outcome.doubts.quench.u),
            "quench_band": reader.band(hole.outcome.doubts.quench.half),
            "ratio": _ratio(hole),
            "ratio_band": ratio_text(_doubt(hole).half, _doubt(hole).u),
            "drawn": [
                Markup(scales[name].draw(Estimate(None, 0.0), _estimate(hole, name), changed=True))
                for name, _, _ in drawn
            ],
        }
        for hole in holes
    ]


def _doubt(hole: Hole) -> Uncertainty:
    return hole.outcome.doubts.compression_ratio


def _ratio(hole: Hole) -> str:
    return ratio_text(hole.outcome.compression_ratio, _doubt(hole).u)


def _both(hole: Hole, reader: Reader) -> str:
    """Quench and ratio of a hole."""
    return f"{reader.length(hole.outcome.quench, hole.outcome.doubts.quench.u)}, {_ratio(hole)}"


def _estimate(hole: Hole, name: str) -> Estimate:
    value = getattr(hole.outcome, name)
    return Estimate(value, getattr(hole.outcome.doubts, name).half if value is not None else 0.0)


def _compared(bench: Bench, one: Plan, other: Plan, places: tuple[int, int]) -> dict[str, Any]:
    """Two plans over one another: what differs between them."""
    reader = bench.reader
    rows = [
        ("Does", "; ".join(plan_words(one.planned, reader)), "; ".join(plan_words(other.planned, reader))),
        ("Yield", percent(one.chance), percent(other.chance)),
        ("Cost", figure(one.bill.cost, 0), figure(other.bill.cost, 0)),
        ("Time", _time(one), _time(other)),
        ("Metal, cc", figure(one.bill.metal, 1), figure(other.bill.metal, 1)),
        ("Buys", ", ".join(one.buys) or "nothing", ", ".join(other.buys) or "nothing"),
        ("Cannot be undone", str(len(one.irreversible)), str(len(other.irreversible))),
    ]
    for a, b in zip(one.result.holes, other.result.holes, strict=True):
        rows.append((f"Hole {a.number}", _both(a, reader), _both(b, reader)))
    return {"places": (places[0] + 1, places[1] + 1), "rows": [(*row, row[1] != row[2]) for row in rows]}


# -- none ------------------------------------------------------------------------


def _windows_in_words(reasons: tuple[Relaxation, ...], reader: Reader) -> str:
    names = {
        "compression_ratio": "the ratio's window",
        "quench": f"the window of the {reader.quench}",
        "deck_clearance": "the window of the deck clearance",
        "spread.compression_ratio": "how far ratios may lie apart",
        "spread.quench": f"how far {reader.quench} may lie apart",
    }
    windows = reasons[0].windows if reasons else ()
    return " and ".join(names[name] for name in windows)


def _reason(bench: Bench, asked: PlanQuery, reason: Relaxation) -> dict[str, Any]:
    """One way to open a plan; what moves a window can be tried at once."""
    targets = (reason.typed or {}).get("targets") or {}
    changed: dict[str, object] = {}
    for result in RESULTS:
        for edge, value in (targets.get(result) or {}).items():
            changed[f"{result}.{edge}"] = f"{value:g}" if result == "compression_ratio" else f"{value:.6g} mm"
    address = url_for("plan.page", build_id=bench.id, **_query(asked, full=1, **changed)) if changed else ""
    share = "" if reason.share is None else f"{figure(100 * reason.share, 0)} % of it"
    return {"says": reason.says.written(bench.reader), "share": share, "address": address}


class Ways(NamedTuple):
    """Each lever alone, whether that is all, and what is said of a search that goes on or could not end."""

    rows: list[dict[str, Any]]
    whole: bool
    says: str = ""


def ways(bench: Bench, asked: PlanQuery, *, wait: float, polls: bool) -> Ways:
    """Return each lever alone, as far as they were tried; see :func:`plans_for`."""
    held: dict[str, Any] = bench.kept.once(("ways", *_hangs_on(bench, asked)), dict)
    job = searched(bench, held, ways_within, asked.build, asked.rules, asks="ways", polls=polls)
    if not line().wait(job, wait):
        return Ways(_way_rows(bench, asked, job.so_far or ()), whole=False, says=goes_on(job))
    says = "" if job.bounded is None else could_not_end(job.bounded)
    return Ways(_way_rows(bench, asked, job.result or ()), whole=True, says=says)


def _way_rows(bench: Bench, asked: PlanQuery, found: tuple[SingleLeverPlan, ...]) -> list[dict[str, Any]]:
    reader, known = bench.reader, with_pushrods_of_the_shelf(bench.build)
    rows = []
    for way in found:
        plan = way.plan
        row: dict[str, Any] = {"label": way.label, "words": [], "why_not": "", "drags": []}
        if plan is not None:
            opened = opened_for(asked.build, plan.planned, _assembled(bench))
            row |= {
                "words": plan_words(plan.planned, reader),
                "chance": percent(plan.chance),
                "cost": figure(plan.bill.cost, 0),
                "time": _time(plan),
                "metal": figure(plan.bill.metal, 1),
                "drags": [
                    e.says.written(reader)
                    for e in side_effects(known, from_the_start(bench.build, plan.planned), asked.rules)
                ],
                "results": [f"{hole.number}: {_both(hole, reader)}" for hole in plan.result.holes],
                "buys": list(plan.buys),
                "irreversible": list(plan.irreversible),
                "opened": [one.what for one in opened.taken],
            }
        elif way.why_not is not None:
            row["why_not"] = f"Not alone. {way.why_not.says.written(reader)}"
        else:
            row["why_not"] = "Not alone: figures are missing."
        rows.append(row)
    return rows


def progress_words(bench: Bench) -> tuple[str, str]:
    """Return how far the plan is, for the path."""
    targets = bench.build.targets
    if not (
        targets.compression_ratio.is_bounded or targets.quench.is_bounded or targets.deck_clearance.is_bounded
    ):
        return "due", "no windows yet"
    count = len(bench.document.get("planned") or [])
    return ("done", f"{count} operation{'' if count == 1 else 's'}") if count else ("due", "nothing planned")
