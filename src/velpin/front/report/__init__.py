"""The report: one page, complete in itself, and the figures in it."""
