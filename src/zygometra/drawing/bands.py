"""The reckoning's bands: a window, today's estimate and the planned one, on one scale."""

from __future__ import annotations

from typing import NamedTuple

from zygometra.core.build import Window

WIDTH, HEIGHT = 132.0, 20.0
_PAD = 4.0


class Estimate(NamedTuple):
    """A value and the half-width of its 95 % band; the value is None where there is none."""

    value: float | None
    half: float


class Axis(NamedTuple):
    """What lies at the left and right end of every band of one result."""

    low: float
    high: float

    def x(self, value: float) -> float:
        """Return where a value lies, stopped a little inside the ends."""
        share = (value - self.low) / (self.high - self.low)
        return _PAD + min(max(share, -0.02), 1.02) * (WIDTH - 2 * _PAD)


def axis(estimates: list[Estimate], window: Window, least_span: float) -> Axis:
    """Choose the scale that all holes of one result share.

    Parameters
    ----------
    estimates : list of Estimate
        Now and planned, of every hole.
    window : Window
        What is wanted.
    least_span : float
        So that a hair's breadth does not fill the band.

    Returns
    -------
    Axis
        Holding every value and the window.
    """
    values = [e.value for e in estimates if e.value is not None]
    values += [v for v in (window.low, window.aim, window.high) if v is not None]
    if not values:
        return Axis(0.0, 1.0)
    low, high = min(values), max(values)
    span = max(high - low, least_span)
    middle = (low + high) / 2
    return Axis(middle - span * 0.62, middle + span * 0.62)


def band(axis: Axis, window: Window, now: Estimate, planned: Estimate, *, changed: bool) -> str:
    """Draw one hole's band.

    Parameters
    ----------
    axis : Axis
        Shared by the holes.
    window : Window
        Shaded where it is bounded; the aim is a line.
    now, planned : Estimate
        A tick with whisker above, and a wedge with whisker below.
    changed : bool
        False where nothing is planned: then only today's is drawn.

    Returns
    -------
    str
        An ``svg`` element, hidden from readers (the figures stand beside it).
    """
    out = [f'<svg viewBox="0 0 {WIDTH:g} {HEIGHT:g}" class="band" aria-hidden="true">']
    if window.low is not None or window.high is not None:
        left = axis.x(window.low) if window.low is not None else 0
        right = axis.x(window.high) if window.high is not None else WIDTH
        out.append(f'<rect x="{left:.1f}" y="1" width="{right - left:.1f}" height="18" class="window"/>')
    out.append(f'<path d="M0 10H{WIDTH:g}" class="base"/>')
    if window.aim is not None:
        out.append(f'<path d="M{axis.x(window.aim):.1f} 1v18" class="aim"/>')
    if now.value is not None:
        x, y = axis.x(now.value), 6 if changed else 10
        a, b = axis.x(now.value - now.half), axis.x(now.value + now.half)
        out.append(f'<path d="M{a:.1f} {y}H{b:.1f}M{x:.1f} {y - 4}v8" class="now"/>')
    if changed and planned.value is not None:
        x = axis.x(planned.value)
        a, b = axis.x(planned.value - planned.half), axis.x(planned.value + planned.half)
        out.append(
            f'<path d="M{a:.1f} 14H{b:.1f}" class="plan"/>'
            f'<path d="M{x:.1f} 10l3.6 7h-7.2z" class="wedge"/>'
        )
    out.append("</svg>")
    return "".join(out)
