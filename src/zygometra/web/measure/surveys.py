"""Surveys of a face as they are typed in a grid, or come as a file: kept as one fact each."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

from zygometra.core.digits import figure
from zygometra.core.errors import BuildFaults, QuantityError
from zygometra.core.measuring.face_surveys import FaceSurvey
from zygometra.core.measuring.faces import surveys_in_use
from zygometra.core.wording import Reader
from zygometra.exchange.logbook_faults import survey_entry
from zygometra.store.facts import New

from ..build.bench import Bench
from ..forms.form import Form
from ..forms.read import length
from ..people import person, told_error
from .noting import fault_words, note, now

ROWS = ("intake edge", "middle", "exhaust edge")
MOST_COLUMNS = 13
# Where the edges of a face lie where nobody knows, as a share of the bore.
_EDGE = 0.9
_USUAL_PITCH, _USUAL_BORE = 100.0, 88.0


class Grid(NamedTuple):
    """A grid to be typed into: where its columns and rows lie, as texts; ``assumed`` says what nobody gave."""

    columns: tuple[str, ...]
    rows: tuple[str, ...]
    assumed: str = ""


def grid_of(bench: Bench, bank: str) -> Grid:
    """Return where a face of a bank is usually read: at its ends and between its holes, edges and middle."""
    figures = bench.build.figures
    pitch_of, bore_of = figures.get("engine.bore_pitch"), figures.get("parts.block.bore")
    pitch = pitch_of.value if pitch_of is not None and pitch_of.value else _USUAL_PITCH
    bore = bore_of.value if bore_of is not None else _USUAL_BORE
    holes = next(len(one.cylinders) for one in bench.build.banks if one.name == bank)
    between = [(i + 0.5) * pitch for i in range(holes - 1)]
    columns = [-0.6 * pitch, *between, (holes - 1) * pitch + 0.6 * pitch]
    step = max(1, -(-len(columns) // MOST_COLUMNS))
    edge = round(_EDGE * bore)
    rows = [float(edge), 0.0, float(-edge)]
    reader = bench.reader
    wanting = []
    if pitch_of is None or not pitch_of.value:
        wanting.append(f"the columns are assumed at a bore pitch of {reader.limit(pitch)}")
    if bore_of is None:
        wanting.append(f"the rows at a bore of {reader.limit(bore)}")
    assumed = " and ".join(wanting)
    if assumed:
        assumed = (
            f"{assumed[0].upper()}{assumed[1:]}: nobody gave it. Write over them where you read elsewhere."
        )
    return Grid(
        tuple(_text(x, reader) for x in columns[::step]), tuple(_text(y, reader) for y in rows), assumed
    )


def _text(mm: float, reader: Reader) -> str:
    if reader.system == "inch":
        return f"{mm / 25.4:.2f}".rstrip("0").rstrip(".")
    return f"{mm:.0f}"


def read_grid(form: Form, reader: Reader, *, small: bool) -> list[dict[str, Any]]:
    """Return the points of a grid as it was typed; empty cells are places where nobody read.

    Parameters
    ----------
    form : Form
        Fields ``x.0`` …, ``y.0`` …, ``z.0.0`` …; takes the faults.
    reader : Reader
        Whose bare numbers these are.
    small : bool
        True where heights are an indicator's, a few thou either way.
    """
    columns = [form.take(f"x.{i}", length(form[f"x.{i}"], reader)) for i in range(MOST_COLUMNS)]
    rows = [form.take(f"y.{j}", length(form[f"y.{j}"], reader)) for j in range(len(ROWS))]
    points = []
    for j, y in enumerate(rows):
        for i, x in enumerate(columns):
            name = f"z.{j}.{i}"
            if not form[name]:
                continue
            z = form.take(name, length(form[name], reader, small=small))
            if x is None or y is None:
                where = "column" if x is None else "row"
                form.faults.setdefault(
                    name, f"Found a height without its place; wanted where its {where} lies."
                )
            elif z is not None:
                points.append({"x": x, "y": y, "z": z})
    return points


def keep_survey(bench: Bench, key: str, entry: Mapping[str, Any]) -> str:
    """Keep a survey as a fact of a build, once however often it is sent, and commit.

    Parameters
    ----------
    bench : Bench
        The build.
    key : str
        Made where it was typed.
    entry : Mapping
        As in a build file, without id, by and at.

    Returns
    -------
    str
        Why it is not taken, in one sentence; empty where it is.

    Raises
    ------
    BuildFaults
        With what is wrong with it.
    """
    body = {"id": key, **{k: v for k, v in entry.items() if v not in (None, "", {})}}
    banks, holes = [bank.name for bank in bench.build.banks], list(bench.build.cylinders)
    survey = survey_entry("survey", {**body, "by": person(), "at": now()}, banks, holes)
    return note(bench.id, [New(key, survey)]).says


def keep_typed(bench: Bench, form: Form, typed: Mapping[str, Any], *, small: bool) -> dict[str, str]:
    """Keep a survey that was typed in a grid.

    Parameters
    ----------
    bench : Bench
        The build.
    form : Form
        The grid, its key, gauge and remark; takes the faults.
    typed : Mapping
        Which face it is, and how it was held.
    small : bool
        True where heights are an indicator's.

    Returns
    -------
    dict of str to str
        Faults by field, that of the whole under ``survey``; empty where it is kept.
    """
    entry = {
        **typed,
        "gauge": form["gauge"],
        "points": read_grid(form, bench.reader, small=small),
        "says": form["says"][:400],
    }
    if form.faults:
        return form.faults
    try:
        refusal = keep_survey(bench, form.key, entry)
    except QuantityError as error:
        refusal = told_error(error)
    except BuildFaults as error:
        refusal = fault_words(error.faults[0])
    return {"survey": refusal} if refusal else {}


class SurveyMade(NamedTuple):
    """One survey in the list of those that were made."""

    id: str
    says: str
    who: str
    state: str


def made(bench: Bench, face: str) -> list[SurveyMade]:
    """Return the surveys of decks or heads that were made, the newest first, with how each counts."""
    void = bench.build.logbook.void if bench.build.logbook else {}
    counting = {one.id for one in surveys_in_use(bench.build).values()}
    out = []
    for one in reversed([s for s in bench.build.surveys if s.face == face]):
        reason = void.get(one.id)
        state = f"void: {reason.why}" if reason else "" if one.id in counting else "older"
        out.append(
            SurveyMade(
                one.id, _made_words(one), f"{one.by}, {one.at[:16].replace('T', ' ')}".strip(", "), state
            )
        )
    return out


def _made_words(one: FaceSurvey) -> str:
    held = f", {one.held}" if one.held else ""
    by = f" by {one.gauge}" if one.gauge else ""
    bores = f", {len(one.bores)} bores" if one.bores else ""
    simulated = ", simulated" if one.simulated else ""
    return f"{one.face} {one.bank}{held}: {figure(len(one.points), 0)} points{bores}{by}{simulated}"
