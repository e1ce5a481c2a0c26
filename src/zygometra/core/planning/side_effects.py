"""What a plan does elsewhere: valve gear, cam timing, valve room, manifold, what is left of deck, head and crown.

By trade.md 12. What is not known is said, never left out.
"""

# long: one effect of a cut after another, as the trade lists them
from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import NamedTuple

from ..build.model import Bank, Build, Operation
from ..build.valve_gear import VALVES
from ..house_rules import HouseRules, rules_for
from ..sentence import Sentence, sentence
from ..stack.arithmetic import circle_area, cylinder_volume
from ..stack.as_cut import cut_before
from ..stack.evaluate import evaluate
from ..stack.kernel import flat_cut
from ..stack.results import Hole, State
from ..written import Length, Limit, Number, Volume
from .crowns import bowl_limit, crown_limit
from .results import parts_of

# g per cm³ of light alloy; pistons of another metal are weighed.
_ALLOY = 2.7
# Later than any pass: what all of them moved.
_LATER = "9999"
# What moves less than this is not worth a word, in mm.
_STILL = 0.0005


class SideEffect(NamedTuple):
    """One thing that a plan moves elsewhere: what, by how much in mm (None where it cannot be told), in words."""

    what: str
    amount: float | None
    says: Sentence


@dataclass(frozen=True)
class Lowered:
    """A bank whose head comes to sit lower over the crank by ``by`` mm, and whose pistons rise by ``rise`` mm.

    ``rise`` is the growth of the stack, crowns cut included; ``faced`` the part of it that a crown cut takes
    back, which a valve that faces a pocket does not feel.
    """

    bank: Bank
    by: float
    rise: float
    faced: float


def side_effects(
    build: Build, planned: tuple[Operation, ...], rules: HouseRules | None = None
) -> tuple[SideEffect, ...]:
    """Return what a plan moves elsewhere.

    Parameters
    ----------
    build : Build
        With its valve gear; what it plans itself does not count.
    planned : tuple of Operation
        The plan.
    rules : HouseRules, optional
        For what must remain.

    Returns
    -------
    tuple of Effect
        Bank by bank, then of the engine; empty where nothing is planned and nothing was cut. What the log says was
        cut counts beside what is planned: it moved what it moved.
    """
    if not planned and not build.cuts.passes:
        return ()
    rules = rules or rules_for(build.school)
    evaluation = evaluate(replace(build, planned=planned))
    banks = [_lowered(build, bank, evaluation.now, evaluation.planned) for bank in build.banks]
    found: list[SideEffect] = []
    for one in banks:
        if one is not None and abs(one.by) > _STILL:
            found += [_lowering(build, one), *_gear(build, one)]
        if one is not None and (abs(one.by) > _STILL or abs(one.rise) > _STILL):
            found += _valve_room(build, one, rules)
    known = [one for one in banks if one is not None]
    if any(abs(one.by) > _STILL for one in known):
        found += _manifold(build, known)
    found += _left(build, planned, evaluation.planned, rules)
    found += _mass(build, planned, evaluation.planned)
    return tuple(found)


def _lowered(build: Build, bank: Bank, now: State, then: State) -> Lowered | None:
    """How far a head comes down, midway along the bank; None where that is not known."""
    pairs = [(now.hole(number), then.hole(number)) for number in (bank.cylinders[0], bank.cylinders[-1])]
    total = rise = faced = 0.0
    for before, after in pairs:
        if before.outcome.gasket_thickness is None or after.outcome.gasket_thickness is None:
            return None
        thicker = after.outcome.gasket_thickness - before.outcome.gasket_thickness
        total += after.outcome.deck_cut + after.outcome.head_cut - thicker
        if build.cuts.passes:
            total += build.cuts.on_hole("deck_cut", bank, after.number, build.planned)
            total += build.cuts.on_hole("head_cut", bank, after.number, build.planned)
            off = -cut_before(build, "compression_height", after.number, _LATER)
            rise, faced = rise - off, faced + off
        taken = after.outcome.areas.crown.rim_cut(after.outcome.crown_cut) if after.outcome.crown_cut else 0.0
        if before.outcome.deck_clearance is not None and after.outcome.deck_clearance is not None:
            # A deck cut lowers the clearance without moving the piston.
            rise += before.outcome.deck_clearance - after.outcome.deck_clearance - after.outcome.deck_cut
        faced += taken
    return Lowered(bank, total / 2, rise / 2, faced / 2)


def _named(build: Build, bank: Bank) -> str:
    return f", bank {bank.name}" if len(build.banks) > 1 else ""


def _lowering(build: Build, one: Lowered) -> SideEffect:
    where = _named(build, one.bank)
    way = "lower" if one.by > 0 else "higher"
    says = sentence(
        "The head" + "{where} comes to sit {by} " + way + ".", where=where, by=Length(abs(one.by))
    )
    return SideEffect(f"head over the crank{where}", -one.by, says)


def _gear(build: Build, one: Lowered) -> Iterator[SideEffect]:
    gear = build.gear
    if gear.kind == "pushrod":
        yield from _pushrods(build, one)
    elif gear.kind == "overhead cam":
        yield _timing(build, one)
    elif not gear.kind:
        says = Sentence("Preload or cam timing: not stated: what opens the valves.")
        yield SideEffect(f"valve gear{_named(build, one.bank)}", None, says)


def _pushrods(build: Build, one: Lowered) -> Iterator[SideEffect]:
    """Lifter preload grows by δ·cos ψ, or pushrods shorten by it."""
    gear, where = build.gear, _named(build, one.bank)
    by = one.by * math.cos(math.radians(gear.pushrod_tilt or 0.0))
    tilt = "" if gear.pushrod_tilt is not None else " (not stated: their tilt; taken as upright)"
    if gear.preload is None:
        says = sentence(
            "Lifter preload changes by {by}{tilt}; not stated: what it is now.", by=Length(by), tilt=tilt
        )
        yield SideEffect(f"lifter preload{where}", by, says)
    else:
        after = gear.preload + by
        low, high = gear.preload_range
        outside = (low is not None and after < low) or (high is not None and after > high)
        end = " It is outside what they take." if outside else ""
        says = sentence(
            "Lifter preload goes from {now} to {after}{tilt}." + end,
            now=Length(gear.preload),
            after=Length(after),
            tilt=tilt,
        )
        yield SideEffect(f"lifter preload{where}", by, says)
    if gear.pushrod_length is None:
        says = sentence(
            "To keep it, pushrods {by} "
            + ("shorter" if by > 0 else "longer")
            + " are wanted; not stated: their length.",
            by=Length(abs(by)),
        )
        yield SideEffect(f"pushrods{where}", -by, says)
        return
    wanted = gear.pushrod_length - by
    near = min(gear.pushrods, key=lambda length: abs(length - wanted), default=None)
    if near is None:
        had = sentence("not stated: which lengths are to be had.")
    elif abs(near - wanted) <= _PUSHROD_STEP / 2:
        had = sentence("{near} is to be had.", near=Limit(near))
    else:
        had = sentence("none of that length is to be had; the nearest is {near}.", near=Limit(near))
    says = sentence("To keep it, pushrods of {wanted} are wanted: {had}", wanted=Length(wanted), had=had)
    yield SideEffect(f"pushrods{where}", -by, says)


# Pushrods come in steps of about 50 thou: half of one either way is taken up by the lifter.
_PUSHROD_STEP = 1.27


def _timing(build: Build, one: Lowered) -> SideEffect:
    """The cam retards by δ·cos/r at the cam, twice that at the crank."""
    gear, where = build.gear, _named(build, one.bank)
    run = one.by * (1.0 if gear.run_cosine is None else gear.run_cosine)
    if gear.pitch_radius is None:
        says = sentence(
            "The run of chain or belt "
            + ("shortens" if run > 0 else "lengthens")
            + " by {run}: the cam "
            + ("retards" if run > 0 else "advances")
            + "; not stated: the pitch radius of the cam wheel.",
            run=Length(abs(run)),
        )
        return SideEffect(f"cam timing{where}", -run, says)
    crank = 2 * math.degrees(run / gear.pitch_radius)
    note = (
        ""
        if gear.run_cosine is not None
        else " (not stated: the slant of the run; taken as parallel with the bore)"
    )
    says = sentence(
        "The cam "
        + ("retards" if crank > 0 else "advances")
        + " by {crank}° at the crank{note}; the tensioner takes up {run}.",
        crank=Number(abs(crank), 1),
        run=Length(abs(run)),
        note=note,
    )
    return SideEffect(f"cam timing{where}", -run, says)


def _valve_room(build: Build, one: Lowered, rules: HouseRules) -> Iterator[SideEffect]:
    """Room falls by δ and by what the piston rises; × cos γ against a parallel pocket, ÷ cos γ against a flat crown."""
    gear, where = build.gear, _named(build, one.bank)
    if gear.kind == "valve in block":
        return
    flat = gear.valve_faces == "flat"
    # A crown cut does not deepen a pocket: its floor stays where it was.
    less = one.by + one.rise + (0.0 if flat else one.faced)
    for valve in VALVES:
        room, angle = gear.valve_room.get(valve), gear.valve_angle.get(valve)
        cosine = math.cos(math.radians(angle or 0.0))
        along = less / cosine if flat else less * cosine
        if room is None:
            says = sentence(
                "Room at the {valve} valve "
                + ("falls" if less > 0 else "grows")
                + " by {by}; not stated: how much there is.",
                valve=valve,
                by=Length(abs(along)),
            )
            yield SideEffect(f"{valve} valve room{where}", -along, says)
            continue
        after = room / cosine - along if flat else room * cosine - along
        floor = rules[f"valve_room.{valve}"]
        end = " That is under the house's {floor}." if after < floor else ""
        says = sentence(
            "Room at the {valve} valve comes to {after}." + end,
            valve=valve,
            after=Length(after),
            floor=Limit(floor),
        )
        yield SideEffect(f"{valve} valve room{where}", -along, says)


# long: a manifold cut, left uncut, or that cannot be
def _manifold(build: Build, banks: list[Lowered]) -> Iterator[SideEffect]:
    """Faces and rails of a manifold between two banks, cut or left as they are."""
    if build.layout != "vee" or len(banks) != 2:
        return
    angle, beta = build.figures.get("engine.bank_angle"), build.gear.intake_face_angle
    if angle is None or beta is None:
        says = Sentence("Manifold faces and rails: not stated: the angle of the intake faces.")
        yield SideEffect("intake manifold", None, says)
        return
    theta = math.radians(angle.value / 2)
    alpha = theta + math.radians(beta) - math.pi / 2
    cosine, sine = math.cos(alpha), math.sin(alpha)
    if abs(cosine) < _FLAT:
        yield SideEffect(
            "intake manifold",
            None,
            Sentence("The intake faces stand upright: no cut of them brings the manifold down."),
        )
        return
    one, two = (bank.by for bank in banks)
    if abs(one - two) > _STILL and abs(sine) < _FLAT:
        yield SideEffect(
            "intake manifold",
            None,
            Sentence("With level intake faces unequal banks cannot be made up by the faces."),
        )
        return
    yield from _faces(build, (one, two), (theta, alpha))
    if abs(one - two) <= _STILL:
        step, drop = (
            one * math.cos(theta - alpha),
            one * math.sin(theta) / sine if abs(sine) > _FLAT else None,
        )
        says = sentence(
            "Left uncut on its rails, the ports step by {step} and the faces "
            + ("part" if one * math.sin(alpha - theta) > 0 else "press")
            + " by {gap}.",
            step=Length(abs(step)),
            gap=Length(abs(one * math.sin(alpha - theta))),
        )
        yield SideEffect("port step on the rails", step, says)
        if drop is not None:
            says = sentence(
                "Dropped until its faces touch, the ports step by {drop}.", drop=Length(abs(drop))
            )
            yield SideEffect("port step on the faces", drop, says)


# Below this sine or cosine a face is upright or level.
_FLAT = 0.02


def _faces(build: Build, by: tuple[float, float], angles: tuple[float, float]) -> Iterator[SideEffect]:
    """Rails m, sideways s, face cuts δ·sin(θ − α) ± s·cos α + m·sin α."""
    theta, alpha = angles
    mean, apart = sum(by) / 2, (by[1] - by[0]) / 2
    rails = mean * math.cos(theta - alpha) / math.cos(alpha)
    equal = abs(apart) * 2 <= _STILL
    aside = 0.0 if equal else apart * math.cos(theta - alpha) / math.sin(alpha)
    cuts = (
        by[0] * math.sin(theta - alpha) + aside * math.cos(alpha) + rails * math.sin(alpha),
        by[1] * math.sin(theta - alpha) - aside * math.cos(alpha) + rails * math.sin(alpha),
    )
    yield SideEffect(
        "manifold rails", rails, sentence("Off the manifold's end rails: {rails}.", rails=Length(rails))
    )
    for bank, cut in zip(build.banks, cuts, strict=True):
        says = sentence("Off the manifold's face on bank {bank}: {cut}.", bank=bank.name, cut=Length(cut))
        yield SideEffect(f"manifold face, bank {bank.name}", cut, says)
    if not equal:
        room = build.gear.manifold_room
        to = build.banks[0 if aside > 0 else 1].name
        end = (
            "not stated: the room in its holes."
            if room is None
            else ("its holes have the room." if room >= abs(aside) else "its holes have not that room.")
        )
        says = sentence(
            "The manifold moves {aside} towards bank {to}; {end}", aside=Length(abs(aside)), to=to, end=end
        )
        yield SideEffect("manifold sideways", aside, says)


def _left(
    build: Build, planned: tuple[Operation, ...], then: State, rules: HouseRules
) -> Iterator[SideEffect]:
    """What remains of deck, head, crown, land and bowl."""
    for bank in build.banks:
        holes = [then.hole(number) for number in bank.cylinders]
        yield from _deck_left(build, bank, holes)
        yield from _head_left(build, bank, holes)
    worst = max(then.holes, key=lambda hole: _off_the_crown(build, hole), default=None)
    if worst is not None and (crown := _off_the_crown(build, worst)):
        yield from _crown_left(build, planned, hole=worst, cut=crown, rules=rules)
    if sunk := _sunk(planned):
        yield from _bowl_left(build, planned, hole=then.holes[0], sunk=sunk, rules=rules)


def _off_the_crown(build: Build, hole: Hole) -> float:
    """What comes off a crown in all, in mm: by the log, and still planned."""
    made = (
        build.cuts.on_hole("crown_cut", build.bank_of(hole.number), hole.number, ())
        if build.cuts.passes
        else 0.0
    )
    return made + hole.outcome.crown_cut


def _deck_left(build: Build, bank: Bank, holes: list[Hole]) -> Iterator[SideEffect]:
    most = max(hole.outcome.deck_cut for hole in holes)
    if not most:
        return
    where, least = _named(build, bank), build.facing.least_deck_height
    height = holes[0].sources.get("parts.block.deck_height")
    if height is None or least is None:
        missing = "the least deck height" if least is None else "the deck height"
        says = sentence("Off the deck: {cut}; not stated: {missing}.", cut=Length(most), missing=missing)
    else:
        left = height.quantity.value - most - least
        says = sentence("Deck height left above its least: {left}.", left=Length(left))
    yield SideEffect(f"deck{where}", -most, says)


def _head_left(build: Build, bank: Bank, holes: list[Hole]) -> Iterator[SideEffect]:
    made = build.cuts.on_hole("head_cut", bank, holes[0].number, ()) if build.cuts.passes else 0.0
    cut = holes[0].outcome.head_cut + made
    if cut:
        so_far = build.facing.head_cut_so_far + cut
        limit = build.levers.limits.get("head_cut")
        end = (
            sentence("not stated: how much it may lose.")
            if limit is None
            else sentence("it may lose {limit}.", limit=Limit(limit.value))
        )
        says = sentence("Off the head in all: {so_far}; {end}", so_far=Length(so_far), end=end)
        yield SideEffect(f"head{_named(build, bank)}", -cut, says)


# long: land, crown, bowl and limit, one line each
def _crown_left(
    build: Build, planned: tuple[Operation, ...], hole: Hole, cut: float, rules: HouseRules
) -> Iterator[SideEffect]:
    shape = hole.outcome.areas.crown
    # What is still to come; what was made is in the figures already.
    rim = shape.rim_cut(hole.outcome.crown_cut)
    for name, field, rule in (
        ("top land", "top_land_height", "land_left"),
        ("crown", "crown_thickness", "crown_left"),
    ):
        source = hole.sources.get(f"parts.piston.{field}")
        if source is None:
            says = sentence(
                "Of the {name} {cut} goes; not stated: what there is of it.",
                name=name,
                cut=Length(rim),
            )
        else:
            left = source.quantity.value - rim
            says = sentence(
                "Of the {name} {left} is left; the house wants {rule}.",
                name=name,
                left=Length(left),
                rule=Limit(rules[rule]),
            )
        yield SideEffect(name, -rim, says)
    if off := shape.above_rim - (hole.above_rim or 0.0):
        yield _top_left(hole, off, rules)
    if shape.untold is not None and rim > 0:
        says = sentence("Off the rim: {cut}; not stated: the opening of its dish.", cut=Length(rim))
        yield SideEffect("bowl", None, says)
    if shape.dish_area and math.isfinite(shape.dish_depth):
        left = max(shape.dish_depth - rim, 0.0)
        yield SideEffect(
            "bowl",
            -min(rim, shape.dish_depth),
            sentence("Of the bowl's depth {left} is left.", left=Length(left)),
        )
    limit = crown_limit(
        next((part for part in parts_of(planned) if part.kind == "piston"), None), build, rules
    )
    if cut > limit:
        yield SideEffect(
            "crown limit",
            cut - limit,
            sentence("The crown cut goes {over} past what may go.", over=Length(cut - limit)),
        )


def _top_left(hole: Hole, off: float, rules: HouseRules) -> SideEffect:
    """What is left under what stands above the rim."""
    metal = hole.sources.get("parts.piston.above_rim_thickness")
    if metal is None:
        says = sentence(
            "Off what stands above the rim: {cut}; not stated: how thick the crown is there.", cut=Length(off)
        )
    else:
        says = sentence(
            "Of the crown under what stands above the rim {left} is left; the house wants {rule}.",
            left=Length(metal.quantity.value - off),
            rule=Limit(rules["crown_left"]),
        )
    return SideEffect("crown top", -off, says)


def _sunk(planned: tuple[Operation, ...]) -> float:
    """What a plan sinks into every crown, in cc."""
    return math.fsum(op.amount.value for op in planned if op.op == "bowl" and op.amount is not None)


def _bowl_left(
    build: Build, planned: tuple[Operation, ...], hole: Hole, sunk: float, rules: HouseRules
) -> Iterator[SideEffect]:
    """How much deeper bowls become, and what crown is left under them."""
    area, thickness = (hole.sources.get(f"parts.piston.{name}") for name in ("dish_area", "crown_thickness"))
    if area is None or not area.quantity.value or thickness is None:
        unknown = "the bowl's area" if area is None or not area.quantity.value else ""
        unknown = unknown or "the crown under the bowl"
        says = sentence(
            "Sunk into each crown: {sunk}; not stated: {unknown}.", sunk=Volume(sunk), unknown=unknown
        )
        yield SideEffect("bowl floor", None, says)
        return
    deeper = sunk * 1000 / area.quantity.value
    says = sentence(
        "Bowls become {deeper} deeper, {left} of crown is left under them; the house wants {rule}.",
        deeper=Length(deeper),
        left=Length(thickness.quantity.value - deeper),
        rule=Limit(rules["crown_left"]),
    )
    yield SideEffect("bowl floor", -deeper, says)
    limit = bowl_limit(
        next((part for part in parts_of(planned) if part.kind == "piston"), None), build, rules
    )
    if sunk > limit:
        says = sentence("The bowl takes {over} more than may go.", over=Volume(sunk - limit))
        yield SideEffect("bowl limit", deeper, says)


def _mass(build: Build, planned: tuple[Operation, ...], then: State) -> Iterator[SideEffect]:
    """What the crowns lose, and whether balance is due."""
    hole, sunk = then.holes[0], _sunk(planned)
    if hole.outcome.crown_cut or sunk:
        shape, rim = hole.outcome.areas.crown, hole.outcome.areas.crown.rim_cut(hole.outcome.crown_cut)
        land = hole.sources.get("parts.piston.top_land_diameter")
        area = circle_area(land.quantity.value) if land is not None else hole.outcome.bore_area
        off = flat_cut(shape, hole.outcome.crown_cut)
        metal = sunk + cylinder_volume(area, rim) + cylinder_volume(shape.above_area, off.above) - off.dish
        says = (
            sentence(
                "Each piston loses about {mass} g (light alloy): weigh the set; balance is due.",
                mass=Number(_ALLOY * metal, 1),
            )
            if math.isfinite(metal)
            else Sentence(
                "Each piston gets lighter, nobody knows by how much: weigh the set; balance is due."
            )
        )
        yield SideEffect("piston mass", -rim, says)
    if any(part.kind in ("piston", "rod", "crank") for part in parts_of(planned)):
        yield SideEffect(
            "balance", None, Sentence("New parts in the crank train: weigh them; balance is due.")
        )
    if build.valve_gear == "valve in block" and hole.outcome.deck_cut:
        yield SideEffect(
            "valve seats",
            -hole.outcome.deck_cut,
            Sentence("The valve seats lie in the deck: their depth and lift clearance go with it."),
        )
