"""Velpin: which source and version a host's packages will come from, and why."""

__version__ = "0.1.0"
