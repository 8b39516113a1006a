"""The values that travel along Velpin's data road, the same for every kind of host.

Nothing here reads files or knows a terminal.
"""
