"""The bench of the mock-up: decks from above, the hole to read next, one cut a corner, tags."""
