"""The port of a gauge that sends its readings: lines of text, as over a serial line or from a keyboard.

What comes is bytes in any portions; a reading is a line. The shape is the plain one that most gauges with
a data socket can be set to: an optional channel, a sign, digits with a point or a comma, a unit::

    +0.310 mm        01A+000.310        12.2 thou        0,31

A gauge that types like a keyboard sends the same characters and Enter. A line without a unit is in the unit
that the gauge was set to. Whatever is no reading is told, and the port goes on with the next line.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from typing import NamedTuple, Protocol

# A line longer than this is noise, and so is what comes without an end.
LONGEST_LINE = 120
_UNITS = ("mm", "thou", "in", "cc", "um", "tenth", "ml")
_LINE = re.compile(
    r"""(?:(?P<channel>\d{2}[A-Z])\s*)?
        (?P<number>[+\-−]?\s*(?:\d{1,7}(?:[.,]\d{0,7})?|[.,]\d{1,7}))
        \s*(?P<unit>[A-Za-z"µ]{0,6})\s*""",
    re.VERBOSE,
)
_SPELLED = {"": "", '"': "in", "inch": "in", "ml": "cc", "µm": "um"}


class Sent(NamedTuple):
    """One reading as it was sent: the number as written, its unit (empty: the gauge's own), the channel."""

    number: str
    unit: str
    channel: str = ""

    @property
    def typed(self) -> str:
        """The reading as a hand would have typed it."""
        return f"{self.number} {self.unit}".strip()


class Noise(NamedTuple):
    """A line that is no reading."""

    line: str


class Port(Protocol):
    """What a gauge that sends looks like: a serial line, a keyboard wedge, or a simulated one."""

    def portions(self) -> Iterator[bytes]:
        """Yield bytes as they come; ends where the gauge is switched off."""


def lines_of(portions: Iterable[bytes]) -> Iterator[str]:
    """Yield whole lines from portions of bytes.

    Parameters
    ----------
    portions : iterable of bytes
        Cut anywhere; lines end with CR, LF or both.

    Yields
    ------
    str
        Without their ends, empty ones left out; bytes that are no letters become a question mark. What
        comes without an end for longer than 120 characters is one line of noise.
    """
    kept = b""
    for portion in portions:
        kept += portion
        *whole, kept = re.split(rb"[\r\n]+", kept)
        for line in whole:
            if line.strip():
                yield _words(line)
        if len(kept) > LONGEST_LINE:
            yield _words(kept)
            kept = b""
    if kept.strip():
        yield _words(kept)


def _words(line: bytes) -> str:
    return line[: LONGEST_LINE + 1].decode("utf-8", errors="replace").replace("\ufffd", "?").strip()


def read_line(line: str) -> Sent | Noise:
    """Read one line that a gauge sent.

    Parameters
    ----------
    line : str
        Without its end.

    Returns
    -------
    Sent or Noise
        Noise where it is no reading.

    Examples
    --------
    >>> read_line("01A+000.310"), read_line("12.2 thou").typed
    (Sent(number='+000.310', unit='', channel='01A'), '12.2 thou')
    >>> read_line("E-02")
    Noise(line='E-02')
    """
    found = _LINE.fullmatch(line) if len(line) <= LONGEST_LINE else None
    if found is None:
        return Noise(line[:LONGEST_LINE])
    unit = _SPELLED.get(found["unit"], found["unit"])
    if unit and unit not in _UNITS:
        return Noise(line)
    number = found["number"].replace("−", "-").replace(" ", "")
    return Sent(number, unit, found["channel"] or "")


def readings_from(port: Port) -> Iterator[Sent | Noise]:
    """Yield what a port sends, line by line.

    Parameters
    ----------
    port : Port
        A gauge that sends.
    """
    return (read_line(line) for line in lines_of(port.portions()))
