"""The host's files: seen below a root, read as text with lines, written whole."""
