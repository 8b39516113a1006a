"""Sources of build recipes: folders and archives that tell how packages are built.

They stand beside the sources of any kind of host, last in every forecast: nothing of them is
ever chosen over a built package, and nothing is built here. What building would need, and
where that would come from, is told.
"""
