"""Faces: decks and heads as surveys of points, the planes through them, and the cut that makes them flat."""
