"""Requests that are package files: what the host's installer would do with them.

The files become a source of the considered host for as long as the question is asked.
"""

from __future__ import annotations

import os
import stat
import tempfile
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.core.forecasting import bare_forecast, forecast, requests_of
from velpin.core.next_commands import commands_for, with_questions
from velpin.core.scratch import with_scratch_store
from velpin.core.source_plans import added_sources
from velpin.core.staying import with_stays
from velpin.errors import HostFileError, UsageError
from velpin.files.tree import Tree
from velpin.model.forecast import PACKAGE_FILE
from velpin.model.reasons import InstallerMustRefresh
from velpin.ports.unlisted import PackageFile

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from velpin.core.access import Access
    from velpin.fetch.download import Transport
    from velpin.model.forecast import Forecast
    from velpin.model.reason import Reason
    from velpin.ports.bundle import Ports

_BEGINNING = 32 << 20
"""Bytes at the beginning of a package that hold all that it says of itself."""
_MOST_FILES = 100


def is_package_file(ports: Ports, text: str) -> bool:
    """Whether a request can only be a package file: an address or a path that ends as one, or a
    path from here."""
    if "/" not in text:
        return False
    return text.startswith(("./", "../")) or ports.composer.unlisted.is_package_name(text)


def forecast_with_files(
    ports: Ports,
    access: Access,
    texts: Sequence[str],
    source: str = "",
    *,
    upgrade: bool = False,
    without: Sequence[str] = (),
    allow_older: bool = False,
) -> Forecast:
    """A forecast of requests of which some may be package files; otherwise as `forecast`.

    Raises UsageError for files of another kind's packages, and where the installer takes them
    apart from names; HostFileError for a file that is no package; FetchError for an address that
    cannot be reached.
    """
    if not any(is_package_file(ports, text) for text in texts):
        return forecast(
            ports, texts, source, upgrade=upgrade, without=without, allow_older=allow_older
        )
    texts = sorted(texts, key=lambda text: is_package_file(ports, text))  # a file counts more
    with _with_package_files(ports, access, texts) as (asking, asked):
        files = {name: text for name, text in zip(asked, texts, strict=True) if name != text}
        found = bare_forecast(
            asking, asked, source, upgrade=upgrade, without=without, allow_older=allow_older
        )
        if found.ok:
            requests = requests_of(asking, asked, source, without, allow_older=allow_older)
            following = commands_for(asking, requests, found, upgrade=upgrade, files=files)
            asked_of_you = with_questions(asking, found, upgrade=upgrade)
            found = with_stays(ports, asked_of_you._replace(next=following), asking)
    return _as_given(found, texts, asked)


@contextmanager
def _with_package_files(
    ports: Ports, access: Access, texts: Sequence[str]
) -> Iterator[tuple[Ports, Sequence[str]]]:
    """The host with the package files among some requests as a source, and the requests in which
    each of them is asked for by its name."""
    given = [text for text in texts if is_package_file(ports, text)]
    _check(ports, given, texts)
    transport = access.transport(ports)
    files = [_package(text, transport) for text in given]
    with with_scratch_store(ports) as asking, tempfile.TemporaryDirectory() as folder:
        as_source = asking.composer.unlisted.of_packages(files, Path(folder))
        addition = asking.composer.compose(as_source.new, transport)
        after = asking.with_edits(addition.edits)
        here = transport.with_files(Tree(Path(folder)))
        result = after.fetcher.fetch(added_sources(asking, after)[0], here)
        if result.error is not None:
            raise result.error
        names = dict(zip(given, as_source.requests, strict=True))
        yield asking.with_edits(addition.edits), [names.get(text, text) for text in texts]


def _as_given(found: Forecast, texts: Sequence[str], asked: Sequence[str]) -> Forecast:
    """A forecast with the requests as they were given, and without what files do not need: notes on
    a source, bytes to fetch, remedies that ask for them by name."""
    given = {name: text for name, text in zip(asked, texts, strict=True) if name != text}
    answers, brought = [], set()
    for answer in found.answers:
        text = given.get(answer.asked)
        if text is None:
            answers.append(answer)
            continue
        # a source may have the very same version; what is given is taken
        brought.add((answer.package, answer.arch, answer.version))
        source = PACKAGE_FILE if answer.source else answer.source
        answers.append(answer._replace(asked=text, source=source, url=text))
    notes = (_without_files(note) for note in found.notes)
    kept = tuple(note for note in notes if note is not None)
    changes = [
        change._replace(download_bytes=0, url=None, source=PACKAGE_FILE)
        if (change.name, change.arch, change.new) in brought or change.source == PACKAGE_FILE
        else change
        for change in found.changes
    ]
    remedies = [each for each in found.remedies if not each.command.startswith("velpin forecast")]
    return found._replace(
        answers=tuple(answers), notes=kept, changes=tuple(changes), remedies=tuple(remedies),
        download_bytes=sum(change.download_bytes for change in changes),
    )  # fmt: skip


def _without_files(note: Reason) -> Reason | None:
    """A note without the files among the sources that it names; None if it names nothing else."""
    if not isinstance(note, InstallerMustRefresh):
        return note
    sources = tuple(each for each in note.sources if each != PACKAGE_FILE)
    return InstallerMustRefresh(sources=sources) if sources else None


def _check(ports: Ports, given: Sequence[str], texts: Sequence[str]) -> None:
    for text in given:
        if not ports.composer.unlisted.is_package_name(text):
            raise UsageError(f"{text} is no package for a host of kind {ports.kind}")
    if len(given) > _MOST_FILES:
        raise UsageError(f"more than {_MOST_FILES} package files at once")
    if len(given) < len(texts) and not ports.composer.unlisted.mixes_files_and_names:
        raise UsageError(
            "the host's installer takes package files and names in separate commands",
            "ask for them one after the other",
        )


def _package(text: str, transport: Transport) -> PackageFile:
    """A package file, or the beginning of a large one."""
    if "://" in text:
        data = transport.read_beginning(text, _BEGINNING)
        return PackageFile(text, data, len(data))
    try:
        handle = os.open(text, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
        with os.fdopen(handle, "rb") as file:
            found = os.fstat(handle)
            if not stat.S_ISREG(found.st_mode):
                raise HostFileError(text, 0, "is no plain file")
            return PackageFile(text, file.read(_BEGINNING), found.st_size)
    except (OSError, ValueError) as problem:
        what = getattr(problem, "strerror", None) or "cannot be read"
        raise HostFileError(text, 0, what) from problem
