"""What the reasons that only sources of recipes give say, by their codes (see `front/words.py`)."""

from __future__ import annotations

SENTENCES = {
    # why an offer was passed over
    "to-be-built": "would have to be built; packages that are built already are always preferred",
    # why a request is refused
    "only-to-be-built": "{name} would have to be built, which the host's installer does not do",
    "cannot-build": "building needs what is not available anywhere: {relations}",
    "needs-refused": "the host's installer would refuse what building needs: {packages}",
    "no-recipe": "no recipe for {name}{from} fits this host",
    # notes
    "newer-recipes": "only recipes have something newer than what is installed: {packages};"
    " nothing is built, and velpin forecast NAME%SOURCE shows what it would take",
    "recipes-found": "{source} has {count} recipes; packages that are built already are always"
    " preferred, and nothing is built",
    "no-recipes-there": "{source} has no recipes: looked for {what}",
}
