"""A probe's file: points in the axes of its machine, with the datum chain that says how the block lies.

One entry a line, described in docs/probe-file.md. It is taken whole or not at all, every fault by its line.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any, NamedTuple

from zygometra.core.errors import BuildFaults, Fault, QuantityError, shown
from zygometra.core.faces.probing import SIDES, Chain, Frame, Touch, bores_of, frame_of
from zygometra.core.measuring.face_surveys import MOST_POINTS, PointRead
from zygometra.core.typed import is_printable, plain_number, whole_number

from .logbook_faults import plane_faults

MOST_BYTES = 1_000_000
_MOST_LINES, _MOST_FAULTS, _MOST_LENGTH = 20_000, 100, 200
FIRST = "zygometra-probe 1"
_UNITS = {"mm": 1.0, "in": 25.4}
_FAR = 20_000.0
# What a heights' reading is rounded to in the survey, in mm: a tenth of what any probe shows.
_DIGITS = 5
_STEEP = 50.0
# A deck lies over the crank, and nearly level: else the chain is wrong, in mm.
_LEAST_HEIGHT, _MOST_UNEVEN = 20.0, 10.0


class Probed(NamedTuple):
    """What a probe's file holds, in the block's axes: the entry of a survey, and how bent the crank's line is."""

    bank: str
    entry: dict[str, Any]
    bent: float


class _Line(NamedTuple):
    number: int
    words: list[str]


def read_probe(data: bytes | str) -> Probed:
    """Read a probe's file.

    Parameters
    ----------
    data : bytes or str
        UTF-8.

    Returns
    -------
    Probed
        A deck survey without id, by and at.

    Raises
    ------
    BuildFaults
        With every fault by its line; nothing is taken then.
    """
    lines = _lines(data)
    reader = _Reader()
    for line in lines:
        reader.take(line)
        if len(reader.faults) >= _MOST_FAULTS:
            break
    if not reader.faults:
        _check_end(lines, reader)
    if reader.faults:
        raise BuildFaults(reader.faults)
    return _probed(reader)


def _lines(data: bytes | str) -> list[_Line]:
    if len(data) > MOST_BYTES:
        raise BuildFaults([Fault("the file", f"{len(data):,} bytes".replace(",", " "), "at most 1 MB")])
    try:
        text = data.decode("utf-8-sig") if isinstance(data, bytes) else data
    except UnicodeDecodeError:
        raise BuildFaults([Fault("the file", "bytes that are not text", "text in UTF-8")]) from None
    rows = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    if len(rows) > _MOST_LINES:
        raise BuildFaults([Fault("the file", f"{len(rows)} lines", f"at most {_MOST_LINES}")])
    found = []
    for number, row in enumerate(rows, start=1):
        if len(row) > _MOST_LENGTH or not is_printable(row.replace("\t", " ")):
            raise BuildFaults(
                [Fault(f"line {number}", shown(row), f"text of up to {_MOST_LENGTH} characters")]
            )
        words = row.partition("#")[0].split()
        if words:
            found.append(_Line(number, words))
    if not found or " ".join(found[0].words) != FIRST:
        at = f"line {found[0].number}" if found else "line 1"
        raise BuildFaults([Fault(at, shown(" ".join(found[0].words) if found else ""), FIRST)])
    return found[1:]


class _Reader:
    """A probe's file while it is read, line by line."""

    def __init__(self) -> None:
        self.faults: list[Fault] = []
        self.scale = 1.0
        self.u: float | None = None
        self.bank = ""
        self.side = ""
        self.crank: list[Touch] = []
        self.rotation: tuple[float, Touch] | None = None
        self.hole: tuple[float, Touch] | None = None
        self.intake: Touch | None = None
        self.points: list[Touch] = []
        self.walls: dict[int, list[Touch]] = {}
        self.corners: dict[str, Touch] = {}
        self.rails: list[Touch] = []
        self.at: dict[str, int] = {}
        self.ended: tuple[int, int] | None = None
        self.wall_lines: dict[int, int] = {}

    def wrong(self, line: int, found: str, wanted: str) -> None:
        self.faults.append(Fault(f"line {line}", found, wanted))

    def take(self, line: _Line) -> None:
        name, *rest = line.words
        known = _ENTRIES.get(name)
        if known is None:
            self.wrong(line.number, f"the entry {shown(name)}", "one of " + ", ".join(_ENTRIES))
            return
        count, example, once, put = known
        if self.ended is not None:
            self.wrong(line.number, f"{name} after the end", "nothing after end")
        elif once and name in self.at:
            self.wrong(line.number, f"{name} twice (line {self.at[name]})", f"{name} once")
        elif len(rest) != count:
            self.wrong(line.number, f"{name} with {len(rest)} figures", example)
        else:
            self.at.setdefault(name, line.number)
            try:
                put(self, rest, line.number)
            except QuantityError as error:
                self.wrong(line.number, error.found, f"{error.wanted}: {example}")

    def touch(self, words: list[str]) -> Touch:
        low, high = -_FAR / self.scale, _FAR / self.scale
        return Touch(*(plain_number(w, "a figure", low=low, high=high) * self.scale for w in words))

    def length(self, word: str) -> float:
        return plain_number(word, "a figure", low=-_FAR / self.scale, high=_FAR / self.scale) * self.scale


def _unit(reader: _Reader, rest: list[str], _line: int) -> None:
    if rest[0] not in _UNITS:
        raise QuantityError(f"the unit {shown(rest[0])}", "mm or in")
    if set(reader.at) - {"unit", "bank", "side"}:
        raise QuantityError("a unit after figures", "it before the first figure")
    reader.scale = _UNITS[rest[0]]


def _u(reader: _Reader, rest: list[str], _line: int) -> None:
    reader.u = plain_number(rest[0], "a figure", low=0, high=1) * reader.scale


def _bank(reader: _Reader, rest: list[str], _line: int) -> None:
    reader.bank = rest[0]


def _side(reader: _Reader, rest: list[str], _line: int) -> None:
    if rest[0] not in SIDES:
        raise QuantityError(f"the side {shown(rest[0])}", "left or right")
    reader.side = rest[0]


def _rotation(reader: _Reader, rest: list[str], _line: int) -> None:
    angle = plain_number(rest[0], "degrees from -180 to 180", low=-180, high=180)
    reader.rotation = (angle, reader.touch(rest[1:]))


def _hole(reader: _Reader, rest: list[str], _line: int) -> None:
    reader.hole = (reader.length(rest[0]), reader.touch(rest[1:]))


def _bore(reader: _Reader, rest: list[str], line: int) -> None:
    number = whole_number(rest[0], "the number of a hole", low=1, high=99)
    reader.walls.setdefault(number, []).append(reader.touch(rest[1:]))
    reader.wall_lines[number] = line


def _corner(reader: _Reader, rest: list[str], _line: int) -> None:
    name = rest[0].replace("-", " ")
    if name in reader.corners:
        raise QuantityError(f"the corner {shown(name)} twice", "each corner once")
    reader.corners[name] = reader.touch(rest[1:])
    reader.points.append(reader.corners[name])


def _end(reader: _Reader, rest: list[str], line: int) -> None:
    reader.ended = (whole_number(rest[0], "how many entries there are", low=0, high=_MOST_LINES), line)


def _to(where: str) -> Callable[[_Reader, list[str], int], None]:
    def put(reader: _Reader, rest: list[str], _line: int) -> None:
        getattr(reader, where).append(reader.touch(rest))

    return put


def _intake(reader: _Reader, rest: list[str], _line: int) -> None:
    reader.intake = reader.touch(rest)


# Of each entry: how many figures, an example, whether it stands once, and where it goes.
_ENTRIES: dict[str, tuple[int, str, bool, Callable[[_Reader, list[str], int], None]]] = {
    "unit": (1, "unit mm", True, _unit),
    "u": (1, "u 0.003", True, _u),
    "bank": (1, "bank A", True, _bank),
    "side": (1, "side right", True, _side),
    "crank": (3, "crank 0 0 0", False, _to("crank")),
    "rotation": (4, "rotation 90 250 180 0", True, _rotation),
    "hole": (4, "hole -42.5 10 20 230", True, _hole),
    "intake": (3, "intake 250 120 200", True, _intake),
    "rail": (3, "rail 0 120 -60", False, _to("rails")),
    "point": (3, "point 12.5 -60 231.402", False, _to("points")),
    "corner": (4, "corner front-intake 0 70 231.4", False, _corner),
    "bore": (4, "bore 1 46 0 210", False, _bore),
    "end": (1, "end 57", True, _end),
}
_NEEDED = ("bank", "side", "crank", "rotation", "hole", "intake", "point")


def _check_end(lines: list[_Line], reader: _Reader) -> None:
    last = lines[-1].number if lines else 1
    if reader.ended is None:
        reader.wrong(
            last, "the last line without an end: the file was cut short", "end and the number of entries"
        )
        return
    said, at = reader.ended
    if said != len(lines) - 1:
        reader.wrong(at, f"end {said} after {len(lines) - 1} entries", "the number of entries before it")
    for name in _NEEDED:
        if name not in reader.at and not (name == "point" and reader.points):
            reader.wrong(
                at, f"no {name} in the datum chain" if name != "point" else "no point", _ENTRIES[name][1]
            )
    if "crank" in reader.at and len(reader.crank) < 2:
        reader.wrong(reader.at["crank"], "one crank point", "two or more, front first")
    for number, touches in reader.walls.items():
        if len(touches) < 3:
            found = f"{len(touches)} points on the circle of bore {number}"
            reader.wrong(reader.wall_lines[number], found, "three or more round it")
    if len(reader.points) > MOST_POINTS:
        reader.wrong(at, f"{len(reader.points)} points", f"at most {MOST_POINTS}")


def _probed(reader: _Reader) -> Probed:
    assert reader.rotation is not None
    assert reader.hole is not None
    assert reader.intake is not None
    side = SIDES[SIDES.index(reader.side)]
    chain = Chain(tuple(reader.crank), side, *reader.rotation, *reader.hole, intake=reader.intake)
    try:
        frame = frame_of(chain)
    except QuantityError as error:
        name = next((n for n in ("crank", "rotation", "intake") if n in error.found), "crank")
        raise BuildFaults([Fault(f"line {reader.at[name]}", error.found, error.wanted)]) from None
    _lies_level(frame, reader)
    try:
        circles = bores_of(frame, reader.walls)
    except QuantityError as error:
        number = int(error.found.split(":")[0].removeprefix("bore "))
        raise BuildFaults([Fault(f"line {reader.wall_lines[number]}", error.found, error.wanted)]) from None
    points = [_point(frame, touch, reader.u) for touch in reader.points]
    read = [PointRead.read(point) for point in points]
    if faults := list(plane_faults(f"line {reader.at.get('point', 1)}", read)):
        raise BuildFaults(faults)
    entry: dict[str, Any] = {"face": "deck", "bank": reader.bank, "datum": "crank", "points": points}
    if reader.corners:
        placed = {name: frame.placed(touch) for name, touch in reader.corners.items()}
        entry["corners"] = {name: [_round(x), _round(y)] for name, (x, y, _) in placed.items()}
    if circles:
        entry["bores"] = [
            {"number": n, "x": _round(c.x), "y": _round(c.y), "diameter": _round(c.diameter)}
            | {"out_of_round": _round(c.out_of_round)}
            for n, c in sorted(circles.items())
        ]
    if slope := _rail_slope(frame, reader.rails):
        entry["rail_slope"] = slope
    return Probed(reader.bank, entry, frame.bent)


def _lies_level(frame: Frame, reader: _Reader) -> None:
    """Refuse a deck that comes to lie where none is: the chain is of the other hand, or its angle wrong."""
    heights = [frame.placed(touch)[2] for touch in reader.points]
    low, high = min(heights), max(heights)
    if low < _LEAST_HEIGHT or high - low > _MOST_UNEVEN:
        found = f"a deck that comes to lie {low:.1f} to {high:.1f} mm over the crank"
        level = f"{_LEAST_HEIGHT:g} mm and more, even to {_MOST_UNEVEN:g} mm"
        wanted = f"{level}: no axis mirrored, and the rotation's angle as it is"
        raise BuildFaults([Fault(f"line {reader.at['rotation']}", found, wanted)])


def _round(mm: float) -> float:
    return round(mm, _DIGITS)


def _point(frame: Frame, touch: Touch, u: float | None) -> dict[str, Any]:
    x, y, z = frame.placed(touch)
    height: Any = _round(z) if u is None else {"value": _round(z), "unit": "mm", "basis": "measured", "u": u}
    return {"x": _round(x), "y": _round(y), "z": height}


def _rail_slope(frame: Frame, rails: list[Touch]) -> dict[str, float]:
    """How the pan rails rise against the crank, in mm per m: along, and across where both were touched."""
    placed = [frame.placed(touch) for touch in rails]
    if len(placed) < 2 or math.dist((placed[0][0],), (placed[-1][0],)) < 1:
        return {}
    import numpy as np

    x, y, z = np.array(placed).T
    both = len(placed) > 2 and np.ptp(y) > 1
    terms = [np.ones_like(x), x] + ([y] if both else [])
    slopes = np.linalg.lstsq(np.stack(terms, axis=1), z, rcond=None)[0]
    # Rails that lie steep to this bank say how it leans in the vee, not how they are off.
    names = ("along", "across") if both and abs(1000 * slopes[2]) < _STEEP else ("along",)
    return {name: round(1000 * float(slope), 6) for name, slope in zip(names, slopes[1:], strict=False)}
