"""Faults put into the code one at a time: which of them the tests notice."""
