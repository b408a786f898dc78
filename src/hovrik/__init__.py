"""Hovrik: sweeps a machine's limits per title and answers in one sentence with its evidence."""

__version__ = "0.1.0"
