"""`python -m tests.agreement`: how often Velpin says what a real installer did.

With an archive's path it asks that one; else all hosts that come with the tests. The exit code is
1 where anything differs that docs/how-hosts-choose does not explain.
"""

from __future__ import annotations

import sys
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path

from tests.agreement.hosts import KINDS, archive, compare


def main(words: list[str]) -> int:
    """Compare and print the figures."""
    asked = [(word, Path(word), "") for word in words]
    asked = asked or [(kind, archive(kind), kind) for kind in KINDS]
    names, files, kinds = zip(*asked, strict=True)
    differs = False
    with ProcessPoolExecutor() as pool:
        for name, result in zip(names, pool.map(compare, files, kinds), strict=True):
            print(
                f"{name}: choices {result.choices}, transactions {result.transactions},"
                f" refusals {result.refusals}",
                flush=True,
            )
            for figure in result:
                differs = differs or bool(figure.unknown)
                for text in figure.differences:
                    print(f"  {text}" + ("" if text in figure.unknown else " (explained)"))
    return int(differs)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
