"""Rules as lines and places of sections in an alpm host's own files: written, proved, told."""
