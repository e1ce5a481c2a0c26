"""The stack bench's drawing: section, loupe, and the line that ties them."""

from __future__ import annotations

from zygometra.core.stack.results import Evaluation
from zygometra.core.wording import Reader

from . import loupe, section
from .marks import line, rect

WIDTH, HEIGHT = 772.0, 448.0
_LOUPE_X, _LOUPE_Y = 436.0, 24.0


def stack_drawing(evaluation: Evaluation, cylinder: int, reader: Reader, limits: loupe.Limits) -> str:
    """Draw one hole of a build as planned.

    Parameters
    ----------
    evaluation : Evaluation
        Of a build.
    cylinder : int
        The hole.
    reader : Reader
        Units and words.
    limits : Limits
        Far stops of the handles, in mm.

    Returns
    -------
    str
        A whole ``svg`` element.
    """
    now, planned = evaluation.now.hole(cylinder), evaluation.planned.hole(cylinder)
    drawn = section.section(planned, reader)
    x, y = drawn.gap_x, drawn.gap_y
    ties = (
        rect(x - 12, y - 9, 20, 18, css="loupe-mark", radius=3)
        + line(x + 8, y - 9, _LOUPE_X, y - 44, css="tie")
        + line(x + 8, y + 9, _LOUPE_X, y - 16, css="tie")
    )
    clearance = reader.clearance(planned.outcome.deck_clearance)
    quench = reader.length(planned.outcome.quench)
    return (
        f'<svg viewBox="0 0 {WIDTH:g} {HEIGHT:g}" class="stack" role="group" aria-label="Section of'
        f" hole {cylinder} at top dead centre, to scale: piston {clearance},"
        f' {reader.quench} {quench}"><defs>'
        '<pattern id="hatch" width="7" height="7" patternUnits="userSpaceOnUse"'
        ' patternTransform="rotate(45)"><line x1="0" y1="0" x2="0" y2="7" class="hatch"/></pattern>'
        '<pattern id="hatch-back" width="7" height="7" patternUnits="userSpaceOnUse"'
        ' patternTransform="rotate(-45)"><line x1="0" y1="0" x2="0" y2="7" class="hatch"/></pattern>'
        f'<clipPath id="loupe-clip"><rect width="{loupe.WIDTH:g}" height="{loupe.HEIGHT:g}" rx="6"/>'
        f'</clipPath></defs><g class="section-part">{drawn.svg}</g><g class="ties">{ties}</g>'
        f'<g class="loupe-part" transform="translate({_LOUPE_X:g} {_LOUPE_Y:g})">'
        f"{loupe.loupe(now, planned, reader, limits)}</g></svg>"
    )
