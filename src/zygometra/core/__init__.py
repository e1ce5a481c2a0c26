"""The rules of the trade: pure functions on frozen values.

One unit system throughout: mm, mm² and mm³ for geometry inside a formula, cc
for volumes that people read, degrees and grams where the trade uses them.
Typed units are converted once, where a quantity is read (:mod:`.quantity`).
"""
