"""Answers worked out from whole indexes, remembered until one of those changes.

    memo/<key of the indexes>.json     the stamps of the indexes, and the answers

Only for what takes long and can be worked out anew at any time: what cannot be read is
forgotten, what cannot be written is not remembered.
"""

from __future__ import annotations

import contextlib
import json
import os
import zlib
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

from velpin.store.index import Index


class Memo:
    """What was worked out from some indexes."""

    def __init__(self, folders: Sequence[Path], indexes: Sequence[Index]) -> None:
        self._stamps = [list(index.stamp) for index in indexes]
        key = zlib.crc32("\n".join(index.stamp.path for index in indexes).encode())
        self._files = [folder / "memo" / f"{key:08x}.json" for folder in folders]
        self._values = self._read()

    def _read(self) -> dict[str, list[str]]:
        for file in self._files:
            with contextlib.suppress(OSError, ValueError, KeyError, TypeError):
                kept: dict[str, Any] = json.loads(file.read_bytes())
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
        text = json.dumps({"stamps": self._stamps, "values": self._values})
        for file in self._files:
            part = file.with_name(f"{file.name}.{os.getpid()}.part")
            try:
                file.parent.mkdir(parents=True, exist_ok=True)
                part.write_text(text)
                os.replace(part, file)
                return
            except OSError:
                with contextlib.suppress(OSError):
                    part.unlink(missing_ok=True)
