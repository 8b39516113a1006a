"""OpenPGP: who signs for what."""
