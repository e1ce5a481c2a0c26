"""Measure: the logbook of a build, and the page for a hand at the engine."""
