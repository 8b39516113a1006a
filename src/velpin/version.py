"""The version of Velpin."""

__version__ = "0.1.0"
