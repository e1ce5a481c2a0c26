"""Skims held against faces that nobody made: does the band of when they are clean hold what it says?"""

from __future__ import annotations

import numpy as np

from trials.study import Share, Table, over_all, percent
from zygometra.core.faces.forecast import forecast
from zygometra.core.faces.model import Pass, Point

SHARES = (0.25, 0.5, 0.75)
STATED, POINTS = 0.90, 3.0
# Kinds of face: how far tilted, twisted, bowed and worn, against one another; how many points are worn.
KINDS = {
    "all of it": (1.0, 0.5, 0.5, 0.6, 0.2),
    "tilted": (1.5, 0.2, 0.2, 0.3, 0.1),
    "nearly true": (0.4, 0.4, 0.5, 0.5, 0.25),
    "worn": (0.5, 0.3, 0.3, 0.8, 0.4),
}


def face(random: np.random.Generator, kind: str):
    """Points of a face and how deep each lies under the highest of it; not only of the points that are watched."""
    tilt, twist, bow, wear, share = KINDS[kind]
    along, across = int(random.integers(3, 8)), int(random.integers(2, 4))
    u, v = (axis.ravel() for axis in np.meshgrid(np.linspace(-1, 1, along), np.linspace(-1, 1, across)))
    fine = [axis.ravel() for axis in np.meshgrid(np.linspace(-1, 1, 41), np.linspace(-1, 1, 9))]
    size = random.choice([0.02, 0.04, 0.08])
    c = size * random.normal(0, (tilt, 0.6 * tilt, twist, bow, 0.3 * bow))

    def surface(u, v):
        return c[0] * u + c[1] * v + c[2] * u * v + c[3] * (1 - u * u) + c[4] * (1 - v * v)

    depth = surface(u, v) + np.where(
        random.random(len(u)) < share, random.exponential(wear * size, len(u)), 0.0
    )
    depth += random.normal(0, 0.05 * size, len(u))
    top = min(depth.min(), surface(*fine).min())
    return [Point(250 * a, 80 * b, None) for a, b in zip(u.tolist(), v.tolist(), strict=True)], depth - top


def one_skim(case: tuple[int, str, float, bool]) -> tuple[bool, float] | None:
    """Whether the last point is clean within the band that was told once a share was touched, and how wide that was."""
    seed, kind, share, says_clean = case
    random = np.random.default_rng(seed)
    points, depth = face(random, kind)
    grain = random.exponential(0.01, len(depth)) if says_clean else np.zeros(len(depth))
    step, total, passes = float(random.choice([0.01, 0.02, 0.03, 0.05])), 0.0, []
    touched = clean = np.zeros(len(depth), dtype=bool)
    while touched.mean() < share:
        total += step
        now, done = depth <= total, depth + grain <= total
        fresh = np.nonzero(done & ~clean)[0].tolist() if says_clean else ()
        passes.append(Pass(step, tuple(np.nonzero(now & ~touched)[0].tolist()), tuple(fresh)))
        touched, clean = now, done
    if clean.all():
        return None
    found, end = forecast(points, passes), float((depth + grain).max())
    return found.low <= end <= found.high, (found.high - found.low) / end


def study(faces: int, seed: int = 3, shares=SHARES) -> Table:
    """Skim so many faces to each share of their points."""
    rows, fails = [], []
    for share in shares:
        every: list[tuple[bool, float]] = []
        for k, kind in enumerate(KINDS):
            cases = [(seed * 10**6 + k * 10**5 + i, kind, share, k == 3) for i in range(faces // len(KINDS))]
            told = [one for one in over_all(one_skim, cases) if one is not None]
            every += told
            rows.append(_row(share, kind, told))
        rows.append(_row(share, "together", every))
        held = Share(sum(one[0] for one in every), len(every), STATED)
        if not held.within(POINTS):
            fails.append(f"{percent(share)} touched: the band held {percent(held.share)}")
    heads = ("touched", "face", "faces", "band held (90 % stated)", "its width, of the depth in the end")
    return Table("When a face will be clean", heads, rows, fails)


def _row(share: float, kind: str, told) -> tuple[str, ...]:
    held, width = (float(np.mean([one[i] for one in told])) for i in (0, 1))
    return percent(share), kind, str(len(told)), percent(held), f"{width:.2f}"
