"""Readings, gauges, and what they come to: value, doubt, causes, what to read next."""
