"""The bench of steps and gates: what was done, what stands before the next step, and who signed for it."""
