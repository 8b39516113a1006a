"""Answers worked out from whole indexes, remembered until one of those changes.

    memo/<key of the indexes>.json     a checksum; the stamps of the indexes, and the answers

Only for what takes long and can be worked out anew at any time: what cannot be read is
forgotten, what cannot be written is not remembered.
"""

from __future__ import annotations

import contextlib
import json
import zlib
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from velpin.errors import CannotWrite
from velpin.files import disk
from velpin.store.index import Index

_LARGEST = 256 << 20


class Memo:
    """What was worked out from some indexes."""

    def __init__(self, folders: Sequence[Path], indexes: Sequence[Index]) -> None:
        self._stamps = [list(index.stamp) for index in indexes]
        key = zlib.crc32(
            "\n".join(index.stamp.path for index in indexes).encode("utf-8", "surrogateescape")
        )
        self._files = [folder / f"{key:08x}.json" for folder in folders]
        self._values = self._read()

    def _read(self) -> dict[str, list[str]]:
        for file in self._files:
            with contextlib.suppress(OSError, ValueError, LookupError, TypeError, AttributeError):
                data = disk.read_file(file.parent, file.name, _LARGEST)
                checksum, _, text = data.partition(b"\n")
                if int(checksum) != zlib.crc32(text):
                    continue
                kept: dict[str, Any] = json.loads(text)
                if kept["stamps"] == self._stamps:
                    return {
                        str(key): list(map(str, names)) for key, names in kept["values"].items()
                    }
        return {}

    def names(self, key: str, work_out: Callable[[], list[str]]) -> list[str]:
        """The names kept under a key, worked out and kept where there are none."""
        if key not in self._values:
            self._values[key] = work_out()
            self._write()
        return self._values[key]

    def _write(self) -> None:
        text = json.dumps({"stamps": self._stamps, "values": self._values}).encode()
        data = b"%d\n%s" % (zlib.crc32(text), text)
        for file in self._files:
            with contextlib.suppress(CannotWrite):
                disk.write_file(file.parent, file.name, data, mode=disk.FILES)
                return
