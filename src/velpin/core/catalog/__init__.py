"""Catalogs of known sources: files that describe a source once for every host.

`format` reads one, `shelf` all that this host has, `entries` fills in what is this host's,
`adding` makes a new source of an entry, `fetching` gets catalogs from an address and keeps them
current, `writing` makes entries of the sources that a host has. docs/catalogs.md describes the
format.
"""
