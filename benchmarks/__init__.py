"""Speed and memory, as figures and ratios; nothing here ever fails a test."""
