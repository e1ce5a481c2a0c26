"""Zygometra: plans, measures and records the cuts of an engine rebuild."""

__version__ = "0.9.0"
