"""Cutting, verifying, signing: what was decided and agreed, how a cut is made and logged, what came out of it."""
