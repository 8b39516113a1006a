"""Rules as lines of an rpm host's own files: written, merged, proved, told."""
