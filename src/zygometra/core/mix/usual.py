"""The rules of fit and the operations that a shop starts with; it changes them as data.

Bands are edges in mm. The dimensions between which a rule measures are those of
:mod:`.parts`; costs are examples in the shop's money, to be set to its own.
"""

from __future__ import annotations

import math
from collections.abc import Iterable

from .rules import BORE, FACE_CROWN, OFFSET_GRIND, Band, FitRule, FitRules, Machining

_INF = math.inf
# How a pin is held, as rods and pistons say it; a pin of which nobody said so may be either.
PRESSED, FLOATING = "pressed", "floating"
_ALUMINIUM = ("aluminium", "aluminum")

_MACHININGS: Iterable[Machining] = (
    Machining(BORE, "bore and hone to the next size", "block", 4500,
              changes="walls thinner; rings and gasket for the new bore", effect="bore"),
    Machining("hone-bore", "hone the bore to the piston", "block", 1500,
              changes="piston clearance to be measured, hole by hole", effect="bore"),
    Machining(OFFSET_GRIND, "offset-grind the rod journals", "crank", 32000,
              changes="stroke and journal size; harden and balance again", effect="stroke"),
    Machining(FACE_CROWN, "face the crown", "piston", 1800,
              changes="compression height, top land and mass; crown thickness must allow it", effect="crown"),
    Machining("grind-mains", "grind the main journals to size", "crank", 16000, changes="main bearing size"),
    Machining("sleeve-mains", "fit thicker main shells", "crank", 9000, changes="oil clearance to be measured again"),
    Machining("thrust-washers", "fit wider thrust washers", "crank", 3500, changes="end float to be measured again"),
    Machining("turn-snout", "turn the snout down", "crank", 5500, changes="pulley and front seal to suit"),
    Machining("turn-seal", "turn the seal land down", "crank", 4500, changes="the seal's lip runs on a new face"),
    Machining("sleeve-seal", "sleeve the seal land", "crank", 4000, changes="a thin ring under the seal"),
    Machining("redrill-flange", "redrill the flange", "crank", 7500, changes="flywheel dowel and bolts"),
    Machining("turn-counterweights", "turn the counterweights down", "crank", 8500,
              changes="balance: heavy metal may be wanted"),
    Machining("rebalance", "balance for this block", "crank", 14000, changes="damper and flywheel to match"),
    Machining("fit-trigger", "fit this block's trigger wheel", "crank", 6000, changes="ignition timing to be checked"),
    Machining("narrow-rod", "narrow the big end", "rod", 2200, changes="weight; oil hole and shell tangs stay clear"),
    Machining("hone-small-end", "hone the small end", "rod", 900, changes="pin fit to be measured, rod by rod"),
    Machining("bush-small-end", "bush the small end", "rod", 2400, changes="rod length to be measured again"),
    Machining("cut-grooves", "cut grooves for the pin's retainers", "piston", 1600, changes="retainers to fit; weight"),
    Machining("hone-bosses", "hone the piston bosses", "piston", 1100, changes="pin fit to be measured"),
    Machining("shorten-skirt", "shorten the skirt", "piston", 1400, changes="guidance, rock and mass"),
)  # fmt: skip

_BIG_END = {"block.big_end_room": 1, "crank.stroke": -0.5, "rod.big_end_radius": -1}
_BIG_END_SAYS = "the big end has {room} of room to the block or the cam, {least} is wanted"
_SMALL_END = {"rod.pin_bore": 1, "piston.pin_diameter": -1}
_SMALL_END_SAYS = "the small end is {larger} than the pin"

_RULES: Iterable[FitRule] = (
    FitRule("mains", "main journals", {"crank.main_diameter": 1, "block.main_diameter": -1}, (
        Band(-0.02, 0.02), Band(0.10, 6.0, "grind-mains"), Band(-2.5, -0.10, "sleeve-mains"),
    ), says="the crank's main journals are {larger} than the block's"),
    FitRule("thrust", "thrust bearing", {"crank.thrust_width": 1, "block.thrust_width": -1}, (
        Band(-0.05, 0.10), Band(0.10, 1.5, "thrust-washers"),
    ), says="the width at the thrust bearing is {larger} than the block's"),
    FitRule("snout", "front drive on the snout", {"crank.snout_diameter": 1, "block.snout_diameter": -1}, (
        Band(-0.02, 0.02), Band(0.02, 5.0, "turn-snout"),
    ), says="the snout is {larger} than the front drive takes"),
    FitRule("seal", "rear seal", {"crank.seal_diameter": 1, "block.seal_diameter": -1}, (
        Band(-0.1, 0.1), Band(0.1, 3.0, "turn-seal"), Band(-2.0, -0.1, "sleeve-seal"),
    ), says="the seal land is {larger} than the block's seal"),
    FitRule("swing", "counterweights in the crankcase", {"block.swing_room": 1, "crank.counterweight_radius": -1}, (
        Band(1.5, _INF), Band(-2.0, 1.5, "turn-counterweights"),
    ), says="the counterweights have {room} of room in the crankcase, {least} is wanted"),
    FitRule("flange", "flywheel flange", same=("crank.flange", "block.flange"), otherwise="redrill-flange"),
    FitRule("balance", "balance", same=("crank.balance", "block.balance"), otherwise="rebalance"),
    FitRule("trigger", "trigger wheel", same=("crank.trigger", "block.trigger"), otherwise="fit-trigger"),
    FitRule("journal", "big end on its journal", {"crank.pin_diameter": 1, "rod.journal_diameter": -1}, (
        Band(-0.02, 0.02), Band(0.20, 8.0, OFFSET_GRIND),
    ), says="the rod journal is {larger} than the rod's bearings"),
    FitRule("side", "big end width on its journal", {"crank.pin_width": 1, "rod.big_end_width": -1}, (
        Band(0.08, 0.70), Band(-1.8, 0.08, "narrow-rod"),
    ), says="side clearance of the big end would be {room}, {least} to {most} is wanted"),
    FitRule("big-end-room", "big end in the crankcase", _BIG_END, (Band(1.5, _INF),),
            says=_BIG_END_SAYS, when={"rod.material": ("", "steel", "titanium")}),
    FitRule("big-end-room-aluminium", "aluminium big end in the crankcase", _BIG_END, (Band(2.5, _INF),),
            says=_BIG_END_SAYS, when={"rod.material": _ALUMINIUM}),
    FitRule("small-end", "pin in the small end", _SMALL_END, (
        Band(-0.03, 0.03), Band(-1.2, -0.03, "hone-small-end"), Band(0.03, 2.5, "bush-small-end"),
    ), says=_SMALL_END_SAYS, when={"rod.pin": ("",)}),
    FitRule("small-end-floating", "floating pin in the small end", _SMALL_END, (
        Band(0.005, 0.025), Band(-1.2, 0.005, "hone-small-end"), Band(0.025, 2.5, "bush-small-end"),
    ), says=_SMALL_END_SAYS, when={"rod.pin": (FLOATING,)}),
    FitRule("small-end-pressed", "pressed pin in the small end", _SMALL_END, (
        Band(-0.045, -0.015), Band(-1.2, -0.045, "hone-small-end"),
    ), says=_SMALL_END_SAYS, when={"rod.pin": (PRESSED,)}),
    FitRule("pin-held", "retainers of a floating pin", same=("rod.pin", "piston.pin"), otherwise="cut-grooves",
            when={"rod.pin": (FLOATING,)}),
    FitRule("boss", "pin in the piston", {"piston.pin_bore": 1, "piston.pin_diameter": -1}, (
        Band(-0.01, 0.03), Band(-0.4, -0.01, "hone-bosses"),
    ), says="the bosses are {larger} than the pin"),
    FitRule("bore-size", "piston in its bore", {"piston.bore": 1, "block.bore": -1}, (
        Band(-0.02, 0.02), Band(0.02, 0.10, "hone-bore"), Band(0.10, _INF, BORE),
    ), says="the piston is made for a bore that is {larger}"),
    FitRule("bore-limit", "walls after boring", {"block.largest_bore": 1, "piston.bore": -1}, (
        Band(0.0, _INF),
    ), says="the walls leave {room} up to this piston's bore"),
    FitRule("skirt", "skirt and counterweight at BDC", {
        "rod.length": 1, "crank.stroke": -0.5, "piston.skirt_length": -1, "crank.counterweight_radius": -1,
    }, (Band(1.5, _INF), Band(-3.0, 1.5, "shorten-skirt")),
            says="the skirt has {room} of room to the counterweights at BDC, {least} is wanted"),
    FitRule("gasket-bore", "gasket opening over the bore", {"gasket.bore": 1, "piston.bore": -1}, (
        Band(0.5, 6.0),
    ), says="the gasket opening stands {room} over the bore, {least} to {most} is wanted"),
    FitRule("gasket-pattern", "gasket on the block", same=("gasket.head_pattern", "block.head_pattern"),
            says="the gasket is punched for another head bolt pattern"),
    FitRule("head-pattern", "head on the block", same=("head.head_pattern", "block.head_pattern"),
            says="the head has another bolt pattern"),
    FitRule("dome", "dome in the chamber", {"head.dome_room": 1, "piston.dome_height": -1}, (
        Band(1.0, _INF),
    ), says="the dome has {room} of room in the chamber, {least} is wanted"),
)  # fmt: skip

USUAL = FitRules(tuple(_RULES), {m.key: m for m in _MACHININGS})
