"""Causes: whether a planted fault is found, and how often a faultless engine is accused."""

from __future__ import annotations

from functools import partial
from random import Random

from support.engines import PAPER, PITCH, Engine, engine
from trials.study import Share, Table, over_all, percent
from zygometra.core.measuring.causes import attainable, causes
from zygometra.core.measuring.read_in import read_measured

KINDS = ("reading", "zero", "gauge", "part", "swap", "catalogue", "bearing")
# Planted by their size in mm, or in mm per m, and the share that must be found: first, or among the first three.
BY_SIZE = {
    "deck height": ((0.3, 0.5), (0.5, 0.7), (0.7, 0.9)),
    "deck slope": ((0.8, 1.2), (1.2, 1.6)),
    "swap of read pieces": ((0.12, 0.2), (0.2, 0.3)),
}
FOUND = 0.95
# How many cylinders in how many banks.
LAYOUTS = ((4, 1), (6, 1), (6, 2), (8, 2))
PIECES_READ = ("compression_height", "length")
SIZES = (3.0, 4.0, 5.0, 6.0, 8.0)
FIGURES = ("deck_clearance", "compression_height", "length", "bore", "chamber_volume")
PAPER_OF = {
    "deck_height": ("block", "deck_height"),
    "stroke": ("crank", "stroke"),
    "length": ("rod", "length"),
    "compression_height": ("piston", "compression_height"),
    "bore": ("block", "bore"),
    "chamber_volume": ("head", "chamber_volume"),
}
UPRIGHT = {"caps": "torqued", "oiled": True, "block": "upright"}


def drawn(seed: int, *, unread: bool = False) -> Engine:
    """A faultless engine, inline or vee, read two or three times, against two zeros.

    Every piece is read, or with ``unread`` no rod and no piston; a fifth of the engines whose pieces are read
    have pistons of two heights.
    """
    rng = Random(seed)
    holes, banks = rng.choice(LAYOUTS)
    made = engine(
        seed,
        holes=holes,
        banks=banks,
        register=rng.choice([0.7, 1.0, 1.3]),
        coarse=rng.random() < 0.5,
        sag=True,
    )
    if not unread and rng.random() < 0.2:
        _two_heights(made, rng)
    for repeat in range(rng.choice([2, 3])):
        for figure in FIGURES:
            if unread and figure in PIECES_READ:
                continue
            for hole in made.holes:
                entry = made.reading(figure, hole, zero=f"z{1 + repeat % 2}")
                if figure == "deck_clearance":
                    entry["conditions"] = UPRIGHT
                made.document["readings"].append(entry)
    return made


def _two_heights(made: Engine, rng: Random) -> None:
    """Some pistons come from another box."""
    apart = rng.uniform(0.2, 0.6) * rng.choice([-1, 1])
    others = rng.sample(made.holes, rng.randint(1, len(made.holes) - 1))
    for hole in others:
        made.truth["compression_height", hole] += apart
        made.truth["deck_clearance", hole] -= apart


def accused(seed: int) -> bool:
    """Whether a faultless engine is accused of something."""
    return bool(causes(read_measured(drawn(seed).document)))


def planted(seed: int, kind: str, size: float) -> tuple[bool, bool]:
    """Plant one fault of a size in its own attainable doubts: whether it is the first named, and among three."""
    made, rng = drawn(seed, unread=kind in ("part", "catalogue")), Random(seed + 1)
    faults = [one for one in attainable(read_measured(made.document)) if one.kind == kind]
    wanted = rng.choice(faults)
    by = size * wanted.doubt * (rng.choice([-1, 1]) if kind not in ("bearing",) else 1)
    if kind == "swap":
        i, j = wanted.cylinders
        _swap(made, wanted.about, i=i, j=j, apart=by, rng=rng)
    elif kind == "catalogue":
        part, name = PAPER_OF[wanted.about]
        made.document["parts"][part][name]["value"] -= by
    else:
        for reading in made.document["readings"]:
            if moved := wanted.moves.get(reading["id"], 0.0) * by:
                _move(made, reading, moved)
    found = causes(read_measured(made.document))[:3]
    hits = [_is(one, kind, wanted.about, wanted.cylinders) for one in found]
    return hits[:1] == [True], any(hits)


def planted_by_size(seed: int, what: str, sizes: tuple[float, float]) -> tuple[bool, bool]:
    """Plant one fault of a size in mm, or mm per m: whether it is the first named, and among three."""
    made, rng = drawn(seed), Random(seed + 1)
    by = rng.uniform(*sizes) * rng.choice([-1, 1])
    banks = [bank["cylinders"] for bank in made.document["engine"]["banks"]]
    at = rng.randrange(len(banks))
    bank, name = banks[at], "AB"[at]
    if what == "swap of read pieces":
        figure = rng.choice(PIECES_READ)
        i, j = sorted(rng.sample(made.holes, 2))
        _swap(made, figure, i=i, j=j, apart=by, rng=rng)
        wanted = "swap", figure, (i, j)
    else:
        heights = [made.truth["deck_height", hole] - PAPER["deck_height"][0] for hole in bank]
        for i, hole in enumerate(bank):
            moved = by * PITCH / 1000 * (i - (len(bank) - 1) / 2)
            if what == "deck height":
                # The bank comes to stand off its paper by so much: what it stood off before is in it.
                moved = by - sum(heights) / len(heights)
            for reading in made.document["readings"]:
                if reading["figure"] == "deck_clearance" and reading["cylinder"] == hole:
                    _move(made, reading, moved)
        wanted = "deck", f"{what.removeprefix('deck ')} of bank {name}", tuple(bank)
    found = causes(read_measured(made.document))[:3]
    hits = [_is(one, *wanted) for one in found]
    return hits[:1] == [True], any(hits)


def _move(made: Engine, reading: dict, by: float) -> None:
    if "shots" in reading:
        part = reading["shots"]["part"]
        part["value"] = round(part["value"] + by, 3)
        # A part that is more than a shot, or less than none, is counted as shots.
        while part["value"] < 0:
            part["value"], reading["shots"]["count"] = (
                round(part["value"] + 2.5, 3),
                reading["shots"]["count"] - 1,
            )
        return
    step = made.gauges[reading["figure"]][1]
    reading["value"] = round(round((reading["value"] + by) / step) * step, 6)


def _swap(made: Engine, figure: str, i: int, j: int, apart: float, rng: Random) -> None:
    """Make two pieces differ so much, and let each stand in the other's hole on the mock-up."""
    now = made.truth[figure, i] - made.truth[figure, j]
    for reading in made.document["readings"]:
        hole = reading["cylinder"]
        if reading["figure"] == figure and hole in (i, j):
            _move(made, reading, (apart - now) / 2 * (1 if hole == i else -1))
        if reading["figure"] == "deck_clearance" and hole in (i, j):
            # Its own piece would have stood by (apart − now)/2 otherwise; the other's stands there now.
            own = made.truth[figure, hole]
            there = (
                (made.truth[figure, j] - (apart - now) / 2)
                if hole == i
                else (made.truth[figure, i] + (apart - now) / 2)
            )
            _move(made, reading, own - there)


def _is(cause, kind: str, about: str, cylinders: tuple[int, ...]) -> bool:
    """Whether an entry names the fault, or one of those it cannot be told from is it."""
    named = [
        (cause.kind, cause.about, cause.cylinders),
        *((a.kind, a.about, a.cylinders) for a in cause.alike),
    ]
    return (kind, about, cylinders) in named


def study(engines: int, seed: int = 2, sizes=SIZES) -> Table:
    """Count faultless engines that are accused, then faults that are found, kind by kind and size by size."""
    rows, fails = [], []
    base = seed * 10**7
    clean = over_all(accused, range(base, base + engines))
    share = Share(sum(clean), len(clean), 0.02)
    rows.append(("no fault", "—", f"accused {percent(share.share)}", "", str(share.cases)))
    if share.share > 0.02 + share.strays:
        fails.append(f"{percent(share.share)} of faultless engines are accused")
    for kind in KINDS:
        for size in sizes:
            count = max(10, engines // (10 if size == 6.0 else 40))
            work = partial(planted, kind=kind, size=size)
            done = over_all(work, range(base + 10**6, base + 10**6 + count))
            first, three = (Share(sum(one[i] for one in done), len(done), 0.9) for i in (0, 1))
            rows.append((kind, f"{size:.0f}", percent(first.share), percent(three.share), str(count)))
            if size == 6.0 and three.share < 0.9 - three.strays:
                fails.append(f"{kind}: {percent(three.share)} in the first three at six times its doubt")
    for what, of_size in BY_SIZE.items():
        for low, high in of_size:
            count = max(10, engines // 10)
            work = partial(planted_by_size, what=what, sizes=(low, high))
            done = over_all(work, range(base + 2 * 10**6, base + 2 * 10**6 + count))
            first, three = (Share(sum(one[i] for one in done), len(done), FOUND) for i in (0, 1))
            unit = "mm per m" if what == "deck slope" else "mm"
            rows.append(
                (what, f"{low} to {high} {unit}", percent(first.share), percent(three.share), str(count))
            )
            asked = three if what == "swap of read pieces" else first
            if asked.share < FOUND - asked.strays:
                fails.append(f"{what} of {low} to {high}: {percent(asked.share)} found")
    return Table(
        "Planted faults",
        ("fault", "size, or size ÷ attainable doubt", "first", "in the first three", "engines"),
        rows,
        fails,
    )
