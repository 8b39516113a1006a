"""Considered changes, and how they are carried out, recorded and undone."""
