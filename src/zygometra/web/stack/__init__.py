"""The stack bench: where the piston stops, and what a cut does to it."""
