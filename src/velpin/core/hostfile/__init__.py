"""A host in a file: written down, made so again, and held against what is expected of it.

`format` reads the file, `export` writes one, `conform` plans what makes a host so, `expect` holds
a forecast against expectations. docs/host-file.md describes the format.
"""
