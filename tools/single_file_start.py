"""How the single file starts: what is in it is unpacked once, beside other caches of this user.

This is the file's own `__main__`; `tools/package.py` puts it in, with BUILD filled in. It imports
as little as it can: the file starts as fast as an installed Velpin.
"""

import os
import stat
import sys

BUILD = "@build@"
"""What the unpacked folder is called after: a digest of all that is in it."""
PYTHON = "@python@"
"""The version of Python that the compiled parts are for."""


def is_own(folder: str) -> bool:
    """Whether a folder is this user's, and nobody else may write to it."""
    found = os.lstat(folder)
    mine = stat.S_ISDIR(found.st_mode) and found.st_uid == os.geteuid()
    return mine and not found.st_mode & (stat.S_IWGRP | stat.S_IWOTH)


def unpacked() -> str:
    """The folder with what is in the file, unpacked where it is not there yet."""
    caches = os.environ.get("XDG_CACHE_HOME") or os.path.join(os.path.expanduser("~"), ".cache")
    home = os.path.join(caches, "velpin-single-file")
    target = os.path.join(home, BUILD)
    if not os.path.isdir(target):
        import io
        import tempfile
        import zipfile

        os.makedirs(home, mode=0o700, exist_ok=True)
        if not is_own(home):
            sys.exit(f"velpin: {home} may be written by others; remove it")
        part = tempfile.mkdtemp(prefix=".part-", dir=home)
        with zipfile.ZipFile(sys.path[0]) as outer:
            inner = io.BytesIO(outer.read("packages.zip"))
        with zipfile.ZipFile(inner) as packages:
            packages.extractall(part)
        try:
            os.rename(part, target)
        except OSError:  # another start was quicker
            import shutil

            shutil.rmtree(part, ignore_errors=True)
    if not (is_own(home) and is_own(target)):
        sys.exit(f"velpin: {target} may be written by others; remove it")
    return target


here = f"{sys.version_info[0]}.{sys.version_info[1]}"
if here != PYTHON:
    sys.exit(f"velpin: this file is for Python {PYTHON}, not {here}")
sys.path[0] = unpacked()

from velpin.front.start import main  # noqa: E402

main()
