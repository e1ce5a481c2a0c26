"""A face while it is cut: its zones to be marked with a thumb, what the tool touched, what is clean."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from typing import NamedTuple

from markupsafe import escape

from .marks import rect, text

WIDTH = 480.0
_TOP, _BOTTOM, _GAP = 20.0, 6.0, 3.0
_ROW = 74.0


class ZoneDrawn(NamedTuple):
    """A zone: its name, where its middle lies along the face in mm, its row from the intake edge, how it stands.

    ``state`` is ``clean``, ``touched`` or empty; ``says`` what is known of it, such as the pass.
    """

    name: str
    x: float
    row: int
    state: str
    says: str


class HoleDrawn(NamedTuple):
    """A bore: its number, where it lies along the face and how wide it is, in mm."""

    number: int
    x: float
    diameter: float


def skim_map(
    zones: Sequence[ZoneDrawn], holes: Sequence[HoleDrawn], label: str, *, open_to_marks: bool
) -> str:
    """Draw a face from above, front to the left, intake up: each zone a field to be pressed.

    Parameters
    ----------
    zones : sequence of ZoneDrawn
        Of the face.
    holes : sequence of HoleDrawn
        Its bores.
    label : str
        What the drawing shows, in words.
    open_to_marks : bool
        True where zones can be pressed; each is then a button of its own.
    """
    columns = sorted({zone.x for zone in zones})
    rows = max(zone.row for zone in zones) + 1
    edges = _edges(columns)
    low, high = edges[0], edges[-1]
    scale = WIDTH / (high - low)
    height = _TOP + rows * _ROW + _BOTTOM
    out = [
        f'<svg viewBox="0 0 {WIDTH:g} {height:g}" class="skim" role="group" aria-label="{escape(label)}">',
        text(2, 13, "← front", "soft"),
        text(WIDTH / 2, 13, "intake side", "soft", anchor="middle"),
        text(WIDTH - 2, 13, "rear →", "soft", anchor="end"),
        rect(0, _TOP, WIDTH, rows * _ROW, css="deck-face", radius=4),
    ]
    out += [_zone(zone, columns, edges, low, scale=scale, open_to_marks=open_to_marks) for zone in zones]
    middle = _TOP + rows * _ROW / 2
    for hole in holes:
        x, radius = (hole.x - low) * scale, min(hole.diameter * scale / 2, rows * _ROW / 2 - 4)
        out.append(f'<circle cx="{x:.1f}" cy="{middle:.1f}" r="{radius:.1f}" class="bore"/>')
        out.append(text(x, middle + 5, str(hole.number), "soft", anchor="middle"))
    return "".join(out) + "</svg>"


def _edges(columns: Sequence[float]) -> list[float]:
    """Where one column of zones ends and the next begins."""
    between = [(a + b) / 2 for a, b in itertools.pairwise(columns)]
    first = columns[0] - ((between[0] - columns[0]) if between else 50.0)
    last = columns[-1] + ((columns[-1] - between[-1]) if between else 50.0)
    return [first, *between, last]


def _zone(
    zone: ZoneDrawn,
    columns: Sequence[float],
    edges: Sequence[float],
    low: float,
    scale: float,
    *,
    open_to_marks: bool,
) -> str:
    i = columns.index(zone.x)
    x, y = (edges[i] - low) * scale, _TOP + zone.row * _ROW
    width = (edges[i + 1] - edges[i]) * scale
    said = f"{zone.name}: {zone.says or 'not touched'}"
    role = (
        f' role="button" tabindex="0" data-zone="{escape(zone.name)}" data-state="{zone.state}"'
        if open_to_marks
        else f' role="img" data-state="{zone.state}"'
    )
    mark = {"clean": "✓", "touched": "/"}.get(zone.state, "")
    return (
        f'<g class="zone"{role} aria-label="{escape(said)}"><title>{escape(said)}</title>'
        + rect(x + _GAP / 2, y + _GAP / 2, width - _GAP, _ROW - _GAP, css="field", radius=5)
        + text(x + width / 2, y + _ROW / 2 + 7, mark, "mark", anchor="middle")
        + "</g>"
    )


def running_bar(done: float, asked: float | None, limit: float, lost: float | None, label: str) -> str:
    """Draw what came off against what was asked, where the target is lost, and the limit; lengths in mm.

    Parameters
    ----------
    done, limit : float
        In mm; the limit may be infinite.
    asked, lost : float or None
        What the plan takes, and where no other lever brings the target back, in mm; None where there is none.
    label : str
        The same in words.
    """
    ends = [value for value in (done, asked, lost) if value is not None]
    far = min(limit, 3 * max([*ends, 0.02])) if limit < 1e6 else 1.4 * max([*ends, 0.02])
    if asked is None and limit < 1e6:
        # Where nothing was planned the limit is what there is to look at.
        far = max(limit, done)
    scale = (WIDTH - 8) / max(far * 1.02, 1e-6)
    out = [
        f'<svg viewBox="0 0 {WIDTH:g} 46" class="running" role="img" aria-label="{escape(label)}">',
        rect(4, 16, WIDTH - 8, 14, css="trough", radius=3),
        rect(4, 16, min(done * scale, WIDTH - 8), 14, css="off", radius=3),
    ]
    for value, kind, words in (
        (asked, "asked", "asked"),
        (lost, "lost", "last moment"),
        (limit, "limit", "limit"),
    ):
        # Where nothing is lost before the limit, the limit is all there is to say.
        if kind == "lost" and value is not None and value > limit - 1e-3:
            continue
        if value is not None and value <= far + 1e-9:
            x = 4 + min(value * scale, WIDTH - 8)
            anchor = "end" if x > WIDTH * 0.6 else "start"
            level = 42 if kind == "asked" else 11
            out.append(f'<path d="M{x:.1f} 13V33" class="tick {kind}"/>')
            out.append(text(x + (-4 if anchor == "end" else 4), level, words, "soft", anchor=anchor))
    return "".join(out) + "</svg>"
