"""What the mock-up bench shows."""

from __future__ import annotations

from typing import Any, NamedTuple

from flask import url_for
from markupsafe import Markup

from zygometra.core.digits import figure
from zygometra.core.measuring.corners import BankRead, Clear, HoleRead, MockedUp, mocked_up
from zygometra.core.measuring.faces import Aim, aims_of_clearance
from zygometra.core.units import THOU, from_base
from zygometra.core.wording import Reader
from zygometra.drawing.decks import DeckDrawn, HoleDrawn, decks_from_above

from ..build.bench import Bench, is_begun
from ..measure.face_view import per_length
from ..measure.reading_words import mark_of
from ..measure.view import CAUTIONS

# Bore over pitch where either is not known: an ordinary block.
_USUAL_SHARE = 0.88
SETS = (
    ("one", "four ends, one rod and piston moved round"),
    ("own", "every hole with its own parts"),
)
BETWEEN = (
    ("line", "holes nobody read lie on the line of their bank"),
    ("stack", "holes nobody read stay on paper"),
)


class MockUpRow(NamedTuple):
    """One hole in the table."""

    number: int
    sides: str
    stands: str
    band: str
    rock: str
    least: str
    times: str
    apart: str
    cut: str
    filled: bool
    address: str


class Tag(NamedTuple):
    """What is written on the tape at one place of a block."""

    where: str
    says: str
    other: str


def mocked(bench: Bench) -> MockedUp:
    """Return the mock-up of a build, worked out once for what is kept."""
    build = bench.kept.build
    leave = {name: aim.left for name, aim in aims_of(bench).items()}
    return bench.kept.once(("mocked-up",), lambda: mocked_up(build, leave))


def aims_of(bench: Bench) -> dict[str, Aim]:
    """Return the deck clearance that each bank aims at, worked out once for what is kept."""
    return bench.kept.once(("aims",), lambda: aims_of_clearance(bench.kept.build))


def _aim_words(bench: Bench) -> str:
    """What the cuts leave, in words: one figure, or one for each bank; empty where nothing is aimed at."""
    words = {name: bench.reader.clearance(aim.wanted) for name, aim in aims_of(bench).items()}
    if len(set(words.values())) <= 1:
        return next(iter(words.values()), "")
    return ", ".join(f"{says} on bank {name}" for name, says in words.items())


def progress_words(bench: Bench) -> tuple[str, str]:
    """Return how far the mock-up is, for the row of benches."""
    found = mocked(bench)
    holes = [hole for bank in found.banks for hole in bank.holes]
    read = sum(hole.is_read for hole in holes)
    if not read:
        return "due", "nothing read yet"
    if found.following is not None:
        return "part", f"hole {found.following} next"
    filled = sum(hole.is_filled for hole in holes)
    return "done", f"{read} read{f', {filled} by the line' if filled else ''}"


def read_address(bench: Bench, number: int) -> str:
    """Return the page on which a hole is read."""
    return url_for(
        "measure.read", build_id=bench.id, figure="deck_clearance", way="tipped", place=f"h{number}"
    )


def view(bench: Bench) -> dict[str, Any]:
    """Return what the mock-up bench shows."""
    found = mocked(bench)
    mock_up = bench.document.get("mock_up") or {}
    following = found.following
    return {
        "drawing": Markup(_drawing(bench, found)),
        "banks": [(bank.bank, _rows(bench, bank), _line_of(bench, bank)) for bank in found.banks],
        "sets": SETS,
        "between": BETWEEN,
        "chosen": {"sets": mock_up.get("sets", "own"), "between": mock_up.get("between", "stack")},
        "span": _typed_span(bench),
        "aim": _aim_words(bench),
        "heads": ("Hole", "Tipped", "#Rim stops", "#95 %", "#Rock", "#Least, tipped", "Read", "#Take off"),
        "following": following,
        "next_address": read_address(bench, following) if following is not None else "",
        "may_plan": bool(plan_cuts(bench)),
        "cautions": CAUTIONS,
    }


def _typed_span(bench: Bench) -> str:
    typed = ((bench.document.get("facing") or {}).get("support_span") or {}).get("along")
    return "" if typed is None else f"{typed} mm" if isinstance(typed, (int, float)) else str(typed)


def _drawing(bench: Bench, found: MockedUp) -> str:
    figures = bench.build.figures
    bore, pitch = figures.get("parts.block.bore"), figures.get("engine.bore_pitch")
    known = bore is not None and pitch is not None and pitch.value > bore.value
    share = bore.value / pitch.value if known and bore and pitch else _USUAL_SHARE
    decks = [
        DeckDrawn(
            f"bank {bank.bank}" if bench.several_banks else "deck",
            tuple(_hole(bench, hole, found.following) for hole in bank.holes),
            _short_cut(bank.first, bench.reader),
            _short_cut(bank.last, bench.reader),
        )
        for bank in found.banks
    ]
    label = "Decks from above, front to the left: what the mock-up read in each hole"
    return decks_from_above(decks, share, label)


def _hole(bench: Bench, hole: HoleRead, following: int | None) -> HoleDrawn:
    reader = bench.reader
    state = "read" if hole.is_read else "filled" if hole.is_filled else "due"
    stands = "" if hole.clearance is None else _plain(hole.clearance.mm, reader)
    sides = [_plain(one, reader) for one in hole.tipped] if hole.tipped else ["", ""]
    rock = "" if hole.rock is None else f"rock {_plain(hole.rock, reader)}"
    says = f"Hole {hole.number}: "
    if hole.clearance is None:
        says += "not read yet"
    else:
        says += reader.clearance(hole.clearance.mm) + (", by the line of its bank" if hole.is_filled else "")
    if hole.number == following:
        says += "; read it next"
    address = read_address(bench, hole.number)
    return HoleDrawn(
        number=hole.number,
        state=state,
        stands=stands,
        rock=rock,
        one=sides[0],
        other=sides[1],
        is_next=hole.number == following,
        address=address,
        says=says,
    )


def _plain(mm: float, reader: Reader) -> str:
    """What a hand read, without its unit: whole thou as whole ones."""
    if reader.system == "inch":
        thou = from_base(mm, THOU)
        return figure(thou, 0 if abs(thou - round(thou)) < 0.05 else 1)
    return figure(mm, 2)


def _short_cut(cut: Clear | None, reader: Reader) -> str:
    return "" if cut is None else reader.length(cut.mm, cut.half / 2)


def _rows(bench: Bench, bank: BankRead) -> list[MockUpRow]:
    return [_row(bench, hole) for hole in bank.holes]


def _row(bench: Bench, hole: HoleRead) -> MockUpRow:
    reader = bench.reader
    stands = band = cut = ""
    if hole.clearance is not None:
        u = hole.clearance.half / 2
        stands, band = reader.clearance(hole.clearance.mm, u), f"± {reader.band(hole.clearance.half)}"
    if hole.cut is not None:
        cut = reader.length(hole.cut.mm, hole.cut.half / 2)
    sides = " / ".join(reader.length(one) for one in hole.tipped) if hole.tipped else ""
    times = f"{len(hole.readings)}× {mark_of(hole.agrees)}" if hole.agrees is not None else ""
    apart = ""
    if hole.agrees is not None and len(hole.readings) > 1:
        apart = f"{reader.length(hole.agrees.range)} apart"
    return MockUpRow(
        number=hole.number,
        sides=sides,
        stands=stands,
        band=band,
        rock="" if hole.rock is None else reader.length(hole.rock),
        least="" if hole.least is None else reader.clearance(hole.least),
        times=times,
        apart=apart,
        cut=cut,
        filled=hole.is_filled,
        address=read_address(bench, hole.number),
    )


def _line_of(bench: Bench, bank: BankRead) -> dict[str, str]:
    """The line of a bank in words: its rise, its cuts at both ends, and the shim for the wedge."""
    reader = bench.reader
    out: dict[str, str] = {}
    if bank.slope is not None:
        over, called = per_length(reader)
        rise, half = bank.slope.mm * over, bank.slope.half * over
        way = "to the rear" if rise > 0 else "to the front"
        out["rise"] = f"{reader.length(abs(rise), half / 2)} per {called} {way} (± {reader.band(half)})"
    if bank.first is not None and bank.last is not None:
        ends = {bank.holes[0].number: bank.first, bank.holes[-1].number: bank.last}
        out["cuts"] = " · ".join(
            f"{reader.length(cut.mm, cut.half / 2)} at hole {number}" for number, cut in ends.items()
        )
        if min(bank.first.mm, bank.last.mm) < 0:
            out["short"] = (
                "At one end the deck would have to grow: aim further down, or another gasket or piston."
            )
    if bank.shim is not None:
        end = "rear" if bank.shim >= 0 else "front"
        out["shim"] = f"{reader.length(abs(bank.shim))} under the {end} support of the block"
    return out


def tags(bench: Bench) -> list[Tag]:
    """Return what is written on the tape at either end of each deck."""
    found = mocked(bench)
    reader = bench.reader
    out = []
    for bank in found.banks:
        name = f"bank {bank.bank}, " if bench.several_banks else ""
        ends = (("front", bank.holes[0], bank.first), ("rear", bank.holes[-1], bank.last))
        for where, hole, cut in ends[: len(bank.holes)]:
            if cut is None:
                continue
            u = cut.half / 2
            if cut.mm <= 0:
                out.append(Tag(f"{name}{where}, at hole {hole.number}", "take nothing", ""))
                continue
            out.append(
                Tag(
                    f"{name}{where}, at hole {hole.number}",
                    f"take {reader.length(cut.mm, u)}",
                    reader.length(cut.mm, u, other=True),
                )
            )
    return out


def plan_cuts(bench: Bench) -> list[dict[str, Any]]:
    """Return the deck cuts that the mock-up asks for, as a plan has them; empty where it asks for none."""
    if is_begun(bench, "deck_cut"):
        return []
    found = mocked(bench)
    ops = []
    for bank in found.banks:
        if bank.first is None or bank.last is None or min(bank.first.mm, bank.last.mm) < 0:
            return []
        if bank.first.mm == bank.last.mm == 0:
            continue
        own = {"bank": bank.bank} if bench.several_banks else {}
        first, last = (as_typed(cut.mm, bench.reader) for cut in (bank.first, bank.last))
        ops.append(
            {"op": "deck_cut", **own}
            | ({"amount": first} if first == last else {"first": first, "last": last})
        )
    return ops


def as_typed(mm: float, reader: Reader) -> str:
    """Return a depth of cut as somebody would type it: to a hundredth of a mm, or half a thou."""
    if reader.system == "inch":
        return f"{round(2 * from_base(mm, THOU)) / 2:g} thou"
    return f"{round(mm, 2):g} mm"
