"""What must come off an assembled engine for a plan, what is bought anew, read again, and signed again.

The smallest set in working order, from how far the engine is assembled and the deepest thing that a plan does.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from ..build.lever_table import AMOUNTS
from ..build.model import ASSEMBLED, Build, Operation
from ..gates import GATE, Gate
from ..measuring.signed import Accepted

# How far an engine is assembled, from complete to bare; each names what is still on.
# How far each operation needs it open.
_NEEDS = {
    "gasket": 1,
    "head_cut": 1,
    "open_chamber": 1,
    "swap_heads": 1,
    "crown_cut": 2,
    "bowl": 2,
    "deck_cut": 3,
}
_FITS = {"piston": 2, "rod": 2, "crank": 3, "head": 1}


class Removal(NamedTuple):
    """One thing that comes off: what, what is done with it, how many must be bought, and about how long it takes."""

    what: str
    then: str
    buy: int
    of: str
    minutes: int


class Opened(NamedTuple):
    """What a plan opens: in order; what is read again; which gates want their acceptance again."""

    taken: tuple[Removal, ...]
    read_again: tuple[str, ...]
    falls: tuple[str, ...]

    @property
    def minutes(self) -> int:
        """About how long it takes to open it, in minutes."""
        return sum(one.minutes for one in self.taken)


def opened_for(build: Build, planned: tuple[Operation, ...], assembled: str) -> Opened:
    """Return what must come off for a plan.

    Parameters
    ----------
    build : Build
        For its banks and holes.
    planned : tuple of Operation
        The plan.
    assembled : str
        One of :data:`ASSEMBLED`; anything else counts as bare.
    """
    at = ASSEMBLED.index(assembled) if assembled in ASSEMBLED else 3
    need = max((_need(op) for op in planned), default=0)
    holes, banks = len(build.cylinders), len(build.banks)
    taken: list[Removal] = []
    if at < 1 <= need:
        taken += _heads(build, holes, banks)
    if at < 2 <= need:
        taken += _pistons(holes, planned)
    if at < 3 <= need:
        taken += [
            Removal(what="front cover and its seal", then="single use", buy=1, of="front seals", minutes=30),
            Removal(
                what="crank with its bearings", then="shells back to their journal", buy=0, of="", minutes=60
            ),
            Removal(
                what="plugs, studs and dowels of the block",
                then="wash after facing, plugs new",
                buy=1,
                of="sets of plugs",
                minutes=60,
            ),
        ]
    return Opened(tuple(taken), tuple(_read_again(build, planned)), tuple(_falls(planned)))


def _need(op: Operation) -> int:
    return _FITS[op.part.kind] if op.part is not None else _NEEDS.get(op.op, 0)


def _heads(build: Build, holes: int, banks: int) -> list[Removal]:
    out = [
        Removal(
            what="manifolds", then="back to their side", buy=2, of="sets of manifold gaskets", minutes=40
        ),
        Removal(what="valve covers", then="single use under them", buy=banks, of="cover gaskets", minutes=15),
    ]
    if build.valve_gear == "overhead cam":
        out.append(
            Removal(
                what="chain or belt, timing marked",
                then="belt single use",
                buy=1,
                of="belts, where it is one",
                minutes=40,
            )
        )
    elif build.valve_gear == "pushrod":
        out.append(
            Removal(
                what="rockers, pushrods, lifters",
                then=f"each back to its place ({2 * holes} of each)",
                buy=0,
                of="",
                minutes=30,
            )
        )
    out += [
        Removal(
            what="head bolts",
            then="stretch bolts are single use",
            buy=banks,
            of="sets of head bolts, where they stretch",
            minutes=20,
        ),
        Removal(what="heads", then="bank and end marked", buy=banks, of="head gaskets", minutes=25 * banks),
    ]
    return out


def _pistons(holes: int, planned: tuple[Operation, ...]) -> list[Removal]:
    out = [
        Removal(what="oil pan", then="single use under it", buy=1, of="pan gaskets", minutes=25),
        Removal(
            what="rods with pistons",
            then="cap, shells, rings and piston back to their hole",
            buy=2 * holes,
            of="rod bolts, where they stretch",
            minutes=12 * holes,
        ),
    ]
    apart = any(
        op.op == "crown_cut" or (op.part is not None and op.part.kind in ("piston", "rod")) for op in planned
    )
    if apart:
        out.append(
            Removal(
                what="pistons off their rods",
                then="pin retainers are single use",
                buy=2 * holes,
                of="pin retainers",
                minutes=6 * holes,
            )
        )
    return out


def _read_again(build: Build, planned: tuple[Operation, ...]) -> list[str]:
    ops = {op.op for op in planned}
    parts = {op.part.kind for op in planned if op.part is not None}
    said = []
    if "deck_cut" in ops:
        said += ["deck height at both ends of each deck cut", "deck clearance of every hole"]
        said += ["chamber volume of every hole", "valve seats and lift"] if build.has_chamber_in_block else []
    if ops & {"crown_cut", "bowl"} or parts & {"piston", "rod", "crank"}:
        said += [
            "deck clearance of every hole",
            "crown volume and what is left of the crown",
            "weights of the set",
        ]
    if "head_cut" in ops or "open_chamber" in ops or "head" in parts:
        said += ["chamber volume of every hole", "flatness of the face"]
    if "gasket" in ops:
        said.append("the gasket's compressed thickness, from pellets or a used one")
    if planned:
        said.append("valve room, and lifter preload or cam timing, on the trial assembly")
    return list(dict.fromkeys(said))


def _falls(planned: tuple[Operation, ...]) -> list[str]:
    """Which gates a cut asks again."""
    ops = {op.op for op in planned}
    said = []
    if "deck_cut" in ops:
        said += [
            "5 line-hone before the deck",
            "6 mock-up or computed band",
            "7 covers bolted on",
            "8 face before finish-hone",
            "13 number pad recorded",
        ]
    if "head_cut" in ops:
        said.append("9 every chamber measured")
    if ops:
        said += [
            "10 measured again what a cut fed",
            "11 what moved elsewhere checked",
            "15 agreed by buyer, builder and machinist",
        ]
    if ops & {lever.key for lever in AMOUNTS}:
        said.append("16 last moment of the other way")
    return said


# The figures that an operation changes: what was signed for on them is asked again.
_CHANGES: dict[str, tuple[str, ...]] = {
    "deck_cut": ("deck_height", "deck_clearance"),
    "head_cut": ("chamber_volume",),
    "open_chamber": ("chamber_volume",),
    "swap_heads": ("chamber_volume",),
    "gasket": ("thickness",),
    "crown_cut": (
        "compression_height",
        "crown_volume",
        "crown_thickness",
        "above_rim",
        "above_rim_thickness",
        "top_land_height",
        "deck_clearance",
    ),
    "bowl": ("crown_volume", "crown_thickness"),
    "piston": ("compression_height", "crown_volume", "crown_thickness", "top_land_height", "deck_clearance"),
    "rod": ("length", "rod_length", "deck_clearance"),
    "crank": ("stroke", "deck_clearance"),
    "head": ("chamber_volume",),
}


class Fallen(NamedTuple):
    """An acceptance that a plan makes void: which gate, who signed it and when, and the places that change."""

    gate: Gate
    by: str
    at: str
    places: tuple[str, ...]


def fallen(build: Build, planned: tuple[Operation, ...], accepted: Iterable[Accepted]) -> tuple[Fallen, ...]:
    """Return the acceptances that were signed on figures which a plan changes.

    Parameters
    ----------
    build : Build
        For its banks.
    planned : tuple of Operation
        The plan.
    accepted : iterable of Accepted
        The acceptances among the facts of the build, in their order; of each gate the newest counts.

    Returns
    -------
    tuple of Fallen
        In the order of the gates.
    """
    newest = {one.gate: one for one in accepted if one.gate is not None}
    found = []
    for number, one in sorted(newest.items()):
        places = tuple(path for path in one.covers if _is_changed(build, planned, path))
        if places:
            found.append(Fallen(GATE[number], one.by, one.at, places))
    return tuple(found)


def _is_changed(build: Build, planned: tuple[Operation, ...], path: str) -> bool:
    keys = path.split(".")
    for op in planned:
        if keys[-1] not in _CHANGES.get(op.part.kind if op.part is not None else op.op, ()):
            continue
        for bank in build.banks:
            here = {"cylinders": [n for n in bank.cylinders if str(n) == keys[1]]}.get(keys[0])
            holes = (
                bank.cylinders
                if here is None and (keys[0] != "banks" or keys[1] == bank.name)
                else here or ()
            )
            if any(op.acts_on(bank.name, number) for number in holes):
                return True
    return False


def last_moment(planned: tuple[Operation, ...]) -> list[tuple[str, str]]:
    """Return until when the way back is open, for each kind of thing a plan does.

    Parameters
    ----------
    planned : tuple of Operation
        The plan.

    Returns
    -------
    list of tuple of str
        What, and its last moment.
    """
    out = []
    for op in planned:
        where = f" {op.bank}" if op.bank else f" {op.cylinder}" if op.cylinder else ""
        if op.op == "gasket":
            out.append(
                (
                    f"gasket{where}",
                    "until the head is torqued down on it; after that a new one brings it back",
                )
            )
        elif op.op == "swap_heads":
            out.append(("heads side for side", "any time the heads are off"))
        elif op.part is not None:
            out.append((f"{op.part.kind}s", "until they are ordered; fitted, the old ones bring it back"))
        else:
            out.append(
                (
                    f"{op.op.replace('_', ' ')}{where}",
                    "before the first chip: metal off does not come back, only a thicker gasket or another part",
                )
            )
    return out
