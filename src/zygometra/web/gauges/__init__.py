"""Gauges: the shop's register, what happened to each, and the stand-ins that send."""
