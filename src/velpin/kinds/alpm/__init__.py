"""Hosts of kind alpm: so far the order of their versions."""
