"""What the reasons that only sources of recipes give say, by their codes (see `front/words.py`)."""

from __future__ import annotations

SENTENCES = {
    # why an offer was passed over
    "to-be-built": "to be built: nothing is chosen over a built package",
    # why a request is refused
    "only-to-be-built": "{name} would have to be built, which the host's installer does not do",
    "cannot-build": "building needs what is nowhere to be had: {relations}",
    "needs-refused": "the host's installer would refuse what building needs: {packages}",
    "no-recipe": "no recipe for {name}{from} fits this host",
    # notes
    "newer-recipes": "only recipes have something newer of what is installed: {packages};"
    " nothing is built, and velpin forecast NAME%SOURCE tells what it would take",
    "recipes-found": "{source} has {count} recipes; nothing of them is ever chosen over a built"
    " package, and nothing is built",
    "no-recipes-there": "{source} has no recipe: looked for {what}",
}
