"""The checkup of a host: what is wrong with its sources, and the command that mends each.

`examination` has what the checks share, `codes` the findings by name; each other module here has
the checks of one subject that are alike for all kinds of host, and every kind adds its own.
`run` puts them together and mends, `next_release` rehearses the move to another release.
"""
