"""The page of a build: every bench of a build is shown through here."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from flask import render_template

from ..people import request_is_partial
from .bench import Bench, engine_line
from .path import besides, path_of
from .reckoning import reckon


def context(bench: Bench, *, hole: int | None = None, rest: Sequence[tuple[str, str]] = ()) -> dict[str, Any]:
    """Return what every page of a build shows: head, path, reckoning, findings.

    Parameters
    ----------
    bench : Bench
        The build.
    hole : int, optional
        The hole on screen; the first where there is none.
    rest : sequence of (str, str)
        Name and figure of what stands under the reckoning.

    Returns
    -------
    dict
        For a template that extends ``build/page.html``.
    """
    return {
        "bench": bench,
        # What the page shows: whatever is newer is told.
        "seen": {"version": bench.stored.version, "stage": bench.stored.stage, "fact": bench.kept.facts.seq},
        "build": bench.build,
        "document": bench.document,
        "engine": engine_line(bench.build, bench.document, bench.shown_state),
        "path": path_of(bench),
        "reckonings": reckon(bench),
        "hole": bench.build.cylinders[0] if hole is None else hole,
        "rest": rest,
    }


def render(bench: Bench, station: str, template: str, **own: Any) -> str:
    """Show a bench of a build.

    Parameters
    ----------
    bench : Bench
        The build.
    station : str
        Key of the station on screen.
    template : str
        The bench's own, which extends ``build/page.html``.
    **own
        What only this bench shows; ``hole`` and ``rest`` replace the shared ones, ``tab`` names the bench
        where several stand side by side.

    Returns
    -------
    str
        The whole page.
    """
    shared = context(bench) | {"station": station, "tab": station, "besides": besides(bench, station)}
    return render_template(template, **{**shared, **own})


def render_aside(bench: Bench, template: str, **own: Any) -> str:
    """Show something of a build in a dialog, or as a page of its own where there are no scripts.

    Parameters
    ----------
    bench : Bench
        The build.
    template : str
        One that extends ``partial.html`` or ``base.html`` by ``partial``.
    **own
        What it shows.

    Returns
    -------
    str
        The part, or the page.
    """
    return render_template(template, bench=bench, partial=request_is_partial(), **own)
