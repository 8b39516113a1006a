"""OpenPGP: who vouches for what."""
