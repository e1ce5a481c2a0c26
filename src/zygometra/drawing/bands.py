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
    low, scale = axis.low, (WIDTH - 2 * _PAD) / (axis.high - axis.low)
    left_stop, right_stop = 0.0, WIDTH

    def x(value: float) -> float:
        return min(max(_PAD + (value - low) * scale, left_stop), right_stop)

    out = [f'<svg viewBox="0 0 {WIDTH:g} {HEIGHT:g}" class="band" aria-hidden="true">']
    if window.low is not None or window.high is not None:
        left = x(window.low) if window.low is not None else left_stop
        right = x(window.high) if window.high is not None else right_stop
        out.append(f'<path d="M{left:.1f} 1H{right:.1f}v18H{left:.1f}z" class="window"/>')
    aim = f'<path d="M{x(window.aim):.1f} 1v18" class="aim"/>' if window.aim is not None else ""
    out.append(f'<path d="M0 10H{WIDTH:g}" class="base"/>{aim}')
    if now.value is not None:
        at, half, y = x(now.value), now.half * scale, 6 if changed else 10
        out.append(
            f'<path d="M{max(at - half, left_stop):.1f} {y}H{min(at + half, right_stop):.1f}'
            f'M{at:.1f} {y - 4}v8" class="now"/>'
        )
    if changed and planned.value is not None:
        at, half = x(planned.value), planned.half * scale
        out.append(
            f'<path d="M{max(at - half, left_stop):.1f} 14H{min(at + half, right_stop):.1f}" class="plan"/>'
            f'<path d="M{at:.1f} 10l3.6 7h-7.2z" class="wedge"/>'
        )
    out.append("</svg>")
    return "".join(out)
