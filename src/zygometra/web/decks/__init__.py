"""The bench of the decks: surveys by arbor or probe, what they come to, and the cut that is asked for."""
