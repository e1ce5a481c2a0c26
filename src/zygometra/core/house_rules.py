"""The shop's own figures: default doubts, floors, limits and the reasons for them.

Rules of thumb live here as data that the shop changes, never as constants inside
a formula. A school (how shops differ) is a named preset.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from msgspec import Struct

from .errors import QuantityError
from .sentence import Sentence, sentence
from .units import Kind
from .written import Limit, Span


class Rule(Struct, frozen=True):
    """One house rule: its key, what it is for (with places for the reader's words), its figure, unit and reason."""

    key: str
    label: str
    kind: Kind | None
    value: float
    low: float
    high: float
    why: str


def _floor(material: str, value: float) -> Rule:
    return Rule(f"quench_floor.{material}", f"{{Quench}} floor, {material} rods", Kind.LENGTH, value,
                low=0.2, high=5, why="rod stretch and bearing clearance close the gap at speed")  # fmt: skip


def _flat(kind: str, whole: float, local: float) -> tuple[Rule, Rule]:
    return (
        Rule(f"flat_limit.{kind}", f"Out of flat that a {kind} gasket still seals", Kind.LENGTH, whole,
             low=0.005, high=1, why="what the gasket can follow; the gasket maker's figure wins"),
        Rule(f"flat_150.{kind}", f"The same over any 150 mm, {kind} gasket", Kind.LENGTH, local,
             low=0.005, high=1, why="a gasket bridges a long wave, not a short step; the maker's figure wins"),
    )  # fmt: skip


# RON and the top static ratio on it: what a new shop starts with.
FUEL_TABLE = {91: 9.0, 95: 10.0, 98: 10.8, 100: 11.2}

RULES: tuple[Rule, ...] = (
    _floor("steel", 0.889),
    _floor("titanium", 1.0),
    _floor("aluminium", 1.4),
    Rule("quench_ceiling", "{Quench} above which it no longer stirs the charge", Kind.LENGTH, 1.5,
         low=0.5, high=10, why="a wide gap holds end gas and invites knock"),
    Rule("ratio_spread", "Largest difference of ratio between holes", None, 0.15, low=0.01, high=5,
         why="the highest hole sets the fuel, the lowest the power"),
    Rule("ratio_believable", "Ratio above which a figure must be wrong", None, 25.0, low=12, high=60,
         why="no engine of this shop runs there: a slip of the pen is likelier"),
    Rule("ratio_usual_least", "Least ratio that is not asked about", None, 5.0, low=1.5, high=12,
         why="below it a figure is likelier to be wrong than the engine"),
    Rule("ratio_usual_most", "Largest ratio that is not asked about", None, 22.5, low=10, high=60,
         why="above it a figure is likelier to be wrong than the engine"),
    Rule("far_down", "Deck clearance from which a piston is asked about", Kind.LENGTH, 4.0, low=0.5, high=30,
         why="so far down the bore it is likelier to be a wrong part"),
    Rule("gasket_room", "Gasket opening over the bore, least on diameter", Kind.LENGTH, 0.5,
         low=0, high=10, why="a gasket edge inside the bore burns and is struck by a proud crown"),
    Rule("bench_sag", "Rod, pin and main clearance taken up on the bench", Kind.LENGTH, 0.06,
         low=0, high=0.5, why="gravity hangs a mock-up lower than the centred paper stack"),
    Rule("disagreement", "Mock-up against paper: times their joint doubt", None, 3.0, low=1, high=10,
         why="beyond this a wrong part or a misread gauge is likelier than chance"),
    Rule("bore_wear", "Difference between axes and depths of a bore that is wear", Kind.LENGTH, 0.15, low=0.01, high=2,
         why="more than that in a bore that still ran is likelier a misread gauge"),
    Rule("head_cut_limit", "Head cut where the file gives no limit", Kind.LENGTH, 1.0, low=0, high=10,
         why="what most heads stand; the maker's least thickness wins"),
    Rule("deck_cut_limit", "Deck cut where the file gives no limit", Kind.LENGTH, 0.75, low=0, high=10,
         why="deck thickness, bolt depth and gear alignment"),
    Rule("crown_cut_limit", "Crown cut where the file gives no limit", Kind.LENGTH, 1.0, low=0, high=10,
         why="crown thickness and top land; the piston maker's figure wins"),
    Rule("land_left", "Top land that must remain after facing a crown", Kind.LENGTH, 3.0, low=0, high=30,
         why="the land carries the crown's heat and load over the top ring; the piston maker's figure wins"),
    Rule("crown_left", "Crown thickness that must remain after facing", Kind.LENGTH, 5.0, low=0, high=50,
         why="a thin crown sinks or cracks; the piston maker's figure wins"),
    Rule("usual_rock", "Rock of a piston that nobody has read", Kind.LENGTH, 0.10, low=0, high=1,
         why="what the floor holds is 0.10 mm; what goes beyond it is added"),
    Rule("floor_rpm", "Engine speed (rpm) up to which the {quench} floor stands as it is", None, 6500, low=1000,
         high=20000,
         why="rods stretch with the square of the speed"),
    Rule("floor_per_1000_rpm", "{Quench} added for each 1000 rpm above that, in mm", None, 0.05, low=0, high=1,
         why="rods stretch with the square of the speed; the rod maker's figure wins"),
    Rule("open_chamber_limit", "Chamber opening where the file gives no limit", Kind.VOLUME, 3.0,
         low=0, high=50, why="chamber wall to water and to gasket edge"),
    Rule("bowl_limit", "Bowl sunk into the crowns where the file gives no limit", Kind.VOLUME, 3.0,
         low=0, high=100, why="crown under the bowl and wall to the ring groove; the piston maker's figure wins"),
    *_flat("multi-layer steel", 0.05, 0.03),
    *_flat("composite", 0.10, 0.05),
    *_flat("soft metal", 0.08, 0.04),
    Rule("valve_room.intake", "Room between intake valve and piston, measured cold", Kind.LENGTH, 2.0, low=0, high=10,
         why="stretch, float and carbon; more with aluminium rods, and the engine's own book wins"),
    Rule("valve_room.exhaust", "Room between exhaust valve and piston, measured cold", Kind.LENGTH, 2.5, low=0, high=10,
         why="the piston chases it shut; more with aluminium rods, and the engine's own book wins"),
    Rule("rough_pass", "Roughing pass over a face, the most", Kind.LENGTH, 0.10, low=0.01, high=2,
         why="what machine and clamping stand; cast iron with a large cutter"),
    Rule("stop_left", "Left for finishing when a cut is stopped and measured", Kind.LENGTH, 0.06, low=0.02, high=1,
         why="enough to put right what the measuring finds"),
    Rule("finish_pass", "Finishing pass over a face, the most", Kind.LENGTH, 0.03, low=0.005, high=0.5,
         why="light cuts leave the face as the last feed makes it"),
    Rule("least_chip", "Least depth at which the tool cuts and does not rub", Kind.LENGTH, 0.02, low=0.001, high=0.2,
         why="the edge of an insert is round; below it the face is burnished"),
    Rule("cutter_diameter", "Cutter over the face, its diameter", Kind.LENGTH, 300, low=20, high=1000,
         why="wider than the face, so that one pass covers it"),
    Rule("nose_radius", "Nose radius of the insert", Kind.LENGTH, 0.8, low=0.1, high=10,
         why="it decides the finish with the feed"),
    Rule("cutting_speed", "Cutting speed in m a minute", None, 200, low=10, high=2000,
         why="by insert and material; ten times off is usually a slipped unit"),
    Rule("rough_feed", "Roughing feed a turn", Kind.LENGTH, 0.25, low=0.01, high=2,
         why="what insert and machine stand"),
    Rule("jack_travel", "How far the jacks of a set-up can be moved", Kind.LENGTH, 2.0, low=0.1, high=50,
         why="a slope beyond them wants shims, or another look at the datum"),
    Rule("set_up_slope", "Slope that a sweep may leave, over the supports", Kind.LENGTH, 0.02, low=0.001, high=1,
         why="it goes into the face as it stands"),
    Rule("set_tolerance", "By how much pieces of a matched set may differ", Kind.LENGTH, 0.02, low=0.002, high=0.5,
         why="one clearance, one weight; the builder's own figure wins"),
    Rule("cut_tolerance", "By how much a machine misses its depth where nobody said, half-width", Kind.LENGTH,
         0.015, low=0.001, high=0.2, why="scale, backlash and heat; what the machine did before wins"),
    *(Rule(f"fuel.{ron}", f"Top ratio on RON {ron}, iron head, good {{quench}}", None, top, low=4, high=20,
           why="advice only, naturally aspirated on the road; heads, boost, altitude and cooling shift it")
      for ron, top in FUEL_TABLE.items()),
    Rule("fuel_aluminium", "Ratio that an aluminium head allows more on the same fuel", None, 0.5, low=0, high=3,
         why="it takes more heat from the end gas; advice only"),
    Rule("fuel_wide_quench", "Ratio that a wide {quench} allows less on the same fuel", None, 0.5, low=0, high=3,
         why="end gas that is not stirred burns last; advice only"),
    Rule("fuel_quench", "{Quench} from which that counts as wide", Kind.LENGTH, 1.5, low=0.5, high=10,
         why="beyond it the charge is hardly stirred; advice only"),
    Rule("lowering_note", "Head lowering that is worth a note on the valve gear", Kind.LENGTH,
         0.1, low=0, high=5, why="preload, cam timing and valve room move with it"),
)  # fmt: skip

# Rock that every quench floor already holds, in mm.
_ROCK_HELD = 0.10


@dataclass(frozen=True, slots=True)
class HouseRules:
    """The figures in force for one evaluation.

    Parameters
    ----------
    values : Mapping[str, float]
        Every key of :data:`RULES`, in the rule's base unit.
    school : str
        The preset they started from; empty for the shop's own.
    """

    values: Mapping[str, float] = field(default_factory=lambda: {r.key: r.value for r in RULES})
    school: str = ""

    def __getitem__(self, key: str) -> float:
        return self.values[key]

    def quench_floor(self, rod_material: str, rpm: float = 0.0) -> float:
        """Return the least quench for a rod material, in mm; steel's for an unknown one (trade.md 12).

        Parameters
        ----------
        rod_material : str
            Such as ``steel``; empty where it is not known.
        rpm : float
            The speed it is to run at in revolutions a minute; nought where nobody said.

        Notes
        -----
        Material's base + rock beyond 0.10 mm + what the speed adds (a rule of thumb).
        """
        base = self.values.get(f"quench_floor.{rod_material}", self.values["quench_floor.steel"])
        rock = max(self.values["usual_rock"] - _ROCK_HELD, 0.0)
        over = max(rpm - self.values["floor_rpm"], 0.0) / 1000
        return base + rock + over * self.values["floor_per_1000_rpm"]


class School(Struct, frozen=True):
    """How some shops work: a name, the reason they give, and the rules it changes."""

    key: str
    label: str
    why: str
    changes: Mapping[str, float]


SCHOOLS: tuple[School, ...] = (
    School("paper-first", "Paper first",
           "measured parts and arithmetic release a cut; the mock-up confirms it", {}),
    School("mock-up-only", "Mock-up only",
           "only a reading on the assembled parts releases a cut", {"disagreement": 2.0}),
    School("tight-quench", "Tight quench",
           "0.9 to 1.05 mm with steel rods keeps the charge moving", {"quench_ceiling": 1.2}),
    School("guarded-quench", "Guarded quench",
           "1.25 mm or more, because pistons rock and rods stretch hot",
           {"quench_floor.steel": 1.25, "quench_floor.titanium": 1.3, "quench_ceiling": 1.8}),
)  # fmt: skip

SCHOOL: dict[str, School] = {school.key: school for school in SCHOOLS}


def rules_for(school: str, shop: Mapping[str, float] | None = None) -> HouseRules:
    """Return the rules in force: the shop's figures, then what the school changes, lengths in mm, volumes in cc.

    Parameters
    ----------
    school : str
        A key of :data:`SCHOOL`; any other changes nothing.
    shop : Mapping[str, float], optional
        The shop's own figures by rule key.

    Returns
    -------
    HouseRules
        All rules.

    Examples
    --------
    >>> rules_for("guarded-quench").quench_floor("steel")
    1.25
    """
    values = {rule.key: rule.value for rule in RULES} | dict(shop or {})
    if school in SCHOOL:
        values |= SCHOOL[school].changes
    return replace(HouseRules(), values=values, school=school)


def check_rule(key: str, value: float) -> float:
    """Return ``value`` if the rule ``key`` may take it.

    Parameters
    ----------
    key : str
        A rule's key.
    value : float
        In the rule's base unit.

    Returns
    -------
    float
        The value.

    Raises
    ------
    QuantityError
        If it lies outside the rule's range.

    Examples
    --------
    >>> check_rule("ratio_spread", 0.2)
    0.2
    """
    rule = next(rule for rule in RULES if rule.key == key)
    if not rule.low <= value <= rule.high:
        if rule.kind is Kind.LENGTH:
            within = sentence(_begun(rule.label) + " from {span}", span=Span(rule.low, rule.high))
            raise QuantityError(Limit(value), within)
        raise QuantityError(
            f"{value:g}", Sentence(f"{_begun(rule.label)} from {rule.low:g} to {rule.high:g}")
        )
    return value


def _begun(label: str) -> str:
    """A label within a sentence."""
    return label.replace("{Q", "{q", 1) if label.startswith("{Q") else label[:1].lower() + label[1:]
