"""The reckoning's bands: a window, today's estimate and the planned one, on one scale."""

from __future__ import annotations

from typing import NamedTuple

from zygometra.core.windows import Window

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


class Bands(NamedTuple):
    """How the bands of one result are drawn: the scale, and what all of them show alike."""

    low: float
    scale: float
    ground: str

    def x(self, value: float) -> float:
        """Return where a value lies, stopped at the ends."""
        return min(max(_PAD + (value - self.low) * self.scale, 0.0), WIDTH)

    def draw(self, now: Estimate, planned: Estimate, *, changed: bool) -> str:
        """Draw one hole's band.

        Parameters
        ----------
        now, planned : Estimate
            A tick with whisker above, and a wedge with whisker below.
        changed : bool
            False where nothing is planned: then only today's is drawn.

        Returns
        -------
        str
            An ``svg`` element, hidden from readers (the figures stand beside it).
        """
        tick = wedge = ""
        if now.value is not None:
            at, half, y = self.x(now.value), now.half * self.scale, 6 if changed else 10
            tick = (
                f'<path d="M{max(at - half, 0):.1f} {y}H{min(at + half, WIDTH):.1f}M{at:.1f} {y - 4}v8"'
                ' class="now"/>'
            )
        if changed and planned.value is not None:
            at, half = self.x(planned.value), planned.half * self.scale
            wedge = (
                f'<path d="M{max(at - half, 0):.1f} 14H{min(at + half, WIDTH):.1f}" class="plan"/>'
                f'<path d="M{at:.1f} 10l3.6 7h-7.2z" class="wedge"/>'
            )
        return f"{self.ground}{tick}{wedge}</svg>"


def bands(axis: Axis, window: Window) -> Bands:
    """Prepare the bands of one result.

    Parameters
    ----------
    axis : Axis
        Shared by the holes.
    window : Window
        Shaded where it is bounded; the aim is a line.

    Returns
    -------
    Bands
        Ready to draw each hole's.
    """
    made = Bands(axis.low, (WIDTH - 2 * _PAD) / (axis.high - axis.low), "")
    ground = f'<svg viewBox="0 0 {WIDTH:g} {HEIGHT:g}" class="band" aria-hidden="true">'
    if window.low is not None or window.high is not None:
        left = made.x(window.low) if window.low is not None else 0.0
        right = made.x(window.high) if window.high is not None else WIDTH
        ground += f'<path d="M{left:.1f} 1H{right:.1f}v18H{left:.1f}z" class="window"/>'
    ground += f'<path d="M0 10H{WIDTH:g}" class="base"/>'
    if window.aim is not None:
        ground += f'<path d="M{made.x(window.aim):.1f} 1v18" class="aim"/>'
    return made._replace(ground=ground)
