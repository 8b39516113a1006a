"""Campaigns of damaged and hostile input, and of kills, against small hosts of every kind."""
