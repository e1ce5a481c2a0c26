"""Gauges that send: the port a real one would have, and simulated ones behind it."""
