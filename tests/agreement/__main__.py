"""`python -m tests.agreement`: how often Velpin says what a real installer did.

With an archive's path it asks that one; else every archive beside this checkout, or the
selection that comes with the tests. The exit code is 1 where anything differs that
docs/how-hosts-choose does not explain.
"""

from __future__ import annotations

import sys
from pathlib import Path

from tests.agreement.hosts import archive, compare, sample

KINDS = (
    "deb", "rpm-dnf", "rpm-zypp", "alpm", "deb-newer", "rpm-dnf-newer", "rpm-zypp-newer",
)  # fmt: skip
"""Kinds of host, those of the newer generation of installers apart."""


def main(words: list[str]) -> int:
    """Compare and print the figures."""
    files = [Path(word) for word in words] or [archive(kind) or sample(kind) for kind in KINDS]
    differs = False
    for file in files:
        result = compare(file)
        print(
            f"{file.name}: choices {result.choices}, transactions {result.transactions},"
            f" refusals {result.refusals}"
        )
        for figure in result:
            differs = differs or bool(figure.unknown)
            for text in figure.differences:
                print(f"  {text}" + ("" if text in figure.unknown else " (explained)"))
    return int(differs)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
