"""Serves the demo's repositories on this machine, standing in for the whole made-up network.

It answers as a proxy: a request for any `.example` address is answered from the folder of
that name. So the demo's hosts keep their real-looking addresses and nothing leaves the
machine.
"""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from urllib.parse import unquote, urlsplit


class _Handler(SimpleHTTPRequestHandler):
    def translate_path(self, path: str) -> str:
        parts = urlsplit(path)
        inside = unquote(f"{parts.hostname or ''}/{parts.path}")
        safe = [part for part in inside.split("/") if part not in ("", ".", "..")]
        return str(Path(self.directory, *safe))

    def log_message(self, format: str, *args: object) -> None:
        return


@contextmanager
def served(www: Path, port: int = 0) -> Iterator[str]:
    """Serve a folder on loopback; gives the proxy's address."""
    server = ThreadingHTTPServer(("127.0.0.1", port), partial(_Handler, directory=str(www)))
    thread = threading.Thread(target=server.serve_forever, args=(0.005,), daemon=True)
    thread.start()
    try:
        yield f"http://127.0.0.1:{server.server_address[1]}"
    finally:
        server.shutdown()
        server.server_close()
        thread.join()
