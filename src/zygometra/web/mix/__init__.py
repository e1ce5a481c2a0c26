"""The mix bench: which parts go together in one block."""
