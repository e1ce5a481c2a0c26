"""Plans held against rebuilds: does the share that ends inside all windows agree with the yield that was stated?"""

from __future__ import annotations

import itertools
import json
import random

import numpy as np

from support.rebuilds import READS, Rebuild
from trials.study import Share, Table, over_all, percent
from zygometra.core.planning.plans import Planner
from zygometra.exchange.build_file import build_from_text

# Readings a hole, and by how many points the yields may be off.
CASES = ((2, 3.0), (3, 2.0), (5, 2.0))
# How much too wide a house may hold the scatter between holes, and the readings a hole of those rebuilds.
WIDE, WIDE_READINGS = 1.6, 3


def one_rebuild(case: tuple[int, int, float, bool]) -> list[tuple[str, float, bool, float, bool]]:
    """Of one rebuild: which plan, its yield, whether it came out, the stated risk of the floor, whether it broke.

    Engines are drawn until one can be planned: what cannot be brought inside as it is stated tells nothing of yields.
    """
    seed, repeats, scatter, logbook = case
    told: list[tuple[str, float, bool, float, bool]] = []
    for again in range(40):
        made = Rebuild(seed * 40 + again, repeats, scatter, logbook=logbook)
        _, build = build_from_text(json.dumps(made.document))
        planner = Planner(build)
        plans = planner.shown(planner.searched())
        if plans:
            break
    else:
        return told
    told += _carried_out(made, plans[0], "first")
    other = _at_random(planner, seed)
    if other is not None:
        told += _carried_out(made, other, "random")
    return told


def _at_random(planner: Planner, seed: int):
    """One admissible plan, any: a gasket and a deck cut drawn until they are inside as stated."""
    from zygometra.core.build.model import Operation
    from zygometra.core.planning.decisions import move_of

    chooser = random.Random(seed)
    bank = planner.build.banks[0]
    deck = move_of(planner.build, planner.rules, "deck_cut", bank)
    for _ in range(60):
        gasket = chooser.choice([None, *planner.build.levers.gaskets])
        amount = chooser.randrange(0, 61) / 100
        planned = [] if gasket is None else [Operation("gasket", gasket=gasket)]
        if amount:
            planned.append(Operation("deck_cut", "A", amount=deck.quantity(amount)))
        plan = planner.weighed(tuple(planned))
        if plan is not None:
            return plan
    return None


def _carried_out(made: Rebuild, plan, name: str):
    deck, gasket = 0.0, None
    for op in plan.planned:
        if op.op == "deck_cut":
            deck = op.amount.value
        elif op.gasket is not None:
            gasket = [g["name"] for g in made.document["levers"]["gaskets"]].index(op.gasket.name)
    taken = deck + made.missed() if deck else 0.0
    inside, under = made.ends(taken, gasket)
    yield f"{name}, one cut", plan.chance, inside, plan.floor_risk, under
    if plan.policy is not None:
        leave = plan.policy.leave["A"]
        first = deck - leave
        off = first + made.missed() if first > 1e-9 else 0.0
        read = np.array([[c - off + made.random.gauss(0, READS) for c in made.clearance]])
        last = float(plan.policy.last["A"].taken(read)[0])
        inside, under = made.ends(off + (last + made.missed() if last else 0.0), gasket)
        yield f"{name}, policy", plan.policy.chance, inside, plan.floor_risk, under
        yield f"{name}, clairvoyant", plan.policy.clairvoyant, inside, plan.floor_risk, under


def study(rebuilds: int, seed: int = 5, cases=CASES, scatter: float = 1.0, *, logbook: bool = True) -> Table:
    """Plan, cut and look at so many rebuilds a case."""
    rows, fails = [], []
    for repeats, points in cases:
        listed = [(seed * 10**6 + repeats * 10**5 + i, repeats, scatter, logbook) for i in range(rebuilds)]
        found = [one for told in over_all(one_rebuild, listed) for one in told]
        for name in dict.fromkeys(one[0] for one in found):
            if name.endswith("clairvoyant"):
                continue
            own = [one for one in found if one[0] == name]
            for label, share, good in (*_tenths(own, points), _broken(own)):
                told = (str(share.cases), percent(share.stated), percent(share.share), "" if good else "off")
                rows.append((str(repeats), name, label, *told))
                if not good:
                    fails.append(
                        f"{repeats} readings, {name}, {label}: {share.share:.4f} of {share.stated:.4f} stated"
                    )
        rows += _gains(found, repeats)
    rows += _wide(rebuilds // 2, seed, logbook=logbook)
    heads = ("readings", "plan", "stated yield", "rebuilds", "stated (mean)", "inside", "")
    return Table("Plans and rebuilds", heads, rows, fails)


def _tenths(own, points: float):
    """Each tenth of the scale that holds something: its label, its share, and whether that agrees."""
    for tenth in range(10):
        some = [one for one in own if min(int(one[1] * 10), 9) == tenth]
        if some:
            share = Share(sum(one[2] for one in some), len(some), sum(one[1] for one in some) / len(some))
            yield f"{tenth / 10:.1f} to {tenth / 10 + 0.1:.1f}", share, share.within(points)


def _broken(own):
    """How often the floor was broken: a label, its share, and whether it is no more than was stated."""
    share = Share(sum(one[4] for one in own), len(own), sum(one[3] for one in own) / len(own))
    return "under the floor", share, share.share <= share.stated + share.strays + 0.002


def _wide(rebuilds: int, seed: int, *, logbook: bool):
    """What a scatter between holes costs that the house holds too wide: the same rebuilds, planned both ways."""
    asked = [
        (seed * 10**6 + WIDE_READINGS * 10**5 + i, WIDE_READINGS, scatter, logbook)
        for scatter in (1.0, WIDE)
        for i in range(rebuilds)
    ]
    told = over_all(one_rebuild, asked)
    for scatter, found in ((1.0, told[:rebuilds]), (WIDE, told[rebuilds:])):
        every = [one for some in found for one in some]
        for name in ("first, one cut", "first, policy"):
            own = [one for one in every if one[0] == name]
            if own:
                stated, inside = (sum(one[i] for one in own) / len(own) for i in (1, 2))
                yield (
                    str(WIDE_READINGS),
                    name,
                    f"all, scatter held × {scatter}",
                    str(len(own)),
                    percent(stated),
                    percent(inside),
                    "",
                )


def _gains(found, repeats: int):
    """What cut, measure, cut again is worth: mean stated yields."""
    for name in ("first", "random"):
        known = {}
        for one in found:
            known.setdefault(one[0], []).append(one[1])
        policy, seer = known.get(f"{name}, policy"), known.get(f"{name}, clairvoyant")
        if policy and seer:
            one = [told[1] for told, then in itertools.pairwise(found) if then[0] == f"{name}, policy"]
            words = (
                f"one cut {percent(float(np.mean(one)))}, policy {percent(float(np.mean(policy)))},"
                f" clairvoyant {percent(float(np.mean(seer)))}"
            )
            yield (str(repeats), name, "mean of plans that cut", str(len(policy)), words, "", "")
