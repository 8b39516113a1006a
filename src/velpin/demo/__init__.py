"""A made-up host to try everything on."""
