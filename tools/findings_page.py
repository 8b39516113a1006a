"""Write docs/findings.md from the declarations of the findings.

python tools/findings_page.py            write it
python tools/findings_page.py --check    exit 1 if the file is not what would be written
"""

from __future__ import annotations

import inspect
import sys
import textwrap
from itertools import groupby
from pathlib import Path

from velpin.model.findings import FINDINGS, FindingKind

PAGE = Path(__file__).parents[1] / "docs/findings.md"
INTRO = """\
# What a checkup finds

<!-- written by tools/findings_page.py from src/velpin/model/findings.py; do not edit -->

`velpin checkup` looks at the host's files, the indexes that are here and the record of packages.
Servers are asked only of sources that were refused or not found at their last refresh, and of
vendors' suites that are not called after this release; `--offline` asks none.

Each finding has a stable code, a severity, what was found and where, why it matters, and the
command that mends it. That command was tried: the change was made on an overlay of the host's
files, and the same check no longer found anything, and nothing new. A mend that *decides something*
is never made by `velpin checkup --mend` alone; `velpin checkup --mend CODE` or `--mend NUMBER`
makes it, after showing all that it writes and what that would change. `velpin undo` takes any of it
back, permissions included.

| severity | what it means | exit code |
|---|---|---|
| error | something fails or cannot be trusted now | 1 |
| warning | something is wrong and will bite | 1 |
| hint | worth knowing, and may be meant | 0 |

What is meant can be silenced in `etc/velpin/velpin.toml`, with a reason; it is then counted and no
longer told (`--all` shows it):

    [[checkup.silence]]
    code = "moving-name"
    place = "etc/apt/sources.list.d/harbour.list"   # or a source's handle, FILE:LINE, a glob
    reason = "this host follows the newest release on purpose"

How one is added: [adding-a-finding.md](adding-a-finding.md).
"""
TITLES = {"host": "What is installed"}


def section(kind: type[FindingKind]) -> str:
    """The section of one finding."""
    kinds = f"hosts of kind {kind.kinds}" if kind.kinds else "every kind of host"
    lead = textwrap.fill(f"*{kind.severity}; {kinds}* - {kind.why}.", 100, break_on_hyphens=False)
    return f"### {kind.code}\n{lead}\n\n{inspect.getdoc(kind)}\n"


def page() -> str:
    """The whole page."""
    parts = [INTRO]
    for subject, group in groupby(FINDINGS.values(), lambda kind: kind.subject):
        parts.append(f"\n## {TITLES.get(subject, subject.capitalize())}\n")
        parts += map(section, group)
    return "\n".join(parts)


def main() -> int:
    """Write the page, or with --check hold it against what would be written."""
    if "--check" in sys.argv:
        return 0 if PAGE.read_text() == page() else 1
    PAGE.write_text(page())
    return 0


if __name__ == "__main__":
    sys.exit(main())
