"""Velpin's own store: fetched files and parsed indexes."""
