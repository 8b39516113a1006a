"""The public core: a host, what can be asked of it, and what a change of it would do."""
