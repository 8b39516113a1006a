"""The commands, and how their answers are shown."""
