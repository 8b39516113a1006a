"""Writes what an rpm host and its repositories consist of: lists, the record, packages."""

from __future__ import annotations

import gzip
import hashlib
import lzma
import sqlite3
import struct
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path
from xml.sax.saxutils import escape, quoteattr

_FLAGS = {"=": "EQ", "<": "LT", ">": "GT", "<=": "LE", ">=": "GE"}
_SENSES = {"=": 8, "<": 2, ">": 4, "<=": 10, ">=": 12}
_TAGS = {
    "provides": ("provides", 1047, 1112, 1113), "requires": ("requires", 1049, 1048, 1050),
    "conflicts": ("conflicts", 1054, 1053, 1055), "obsoletes": ("obsoletes", 1090, 1114, 1115),
    "recommends": ("recommends", 5046, 5048, 5047), "suggests": ("suggests", 5049, 5051, 5050),
    "supplements": ("supplements", 5052, 5054, 5053), "enhances": ("enhances", 5055, 5057, 5056),
}  # fmt: skip
"""For each kind of relation its element and its header tags: names, flags, versions."""

Packer = Callable[[bytes], bytes]
PACKERS: Mapping[str, Packer] = {
    "": bytes, ".gz": lambda data: gzip.compress(data, mtime=0), ".xz": lzma.compress,
}  # fmt: skip


@dataclass(frozen=True)
class DemoRpm:
    """One made-up package; relations as texts (`name >= 1.0`), sizes in bytes."""

    name: str
    version: str = "1.0-1"
    arch: str = "x86_64"
    summary: str = ""
    requires: tuple[str, ...] = ()
    provides: tuple[str, ...] = ()
    conflicts: tuple[str, ...] = ()
    obsoletes: tuple[str, ...] = ()
    recommends: tuple[str, ...] = ()
    suggests: tuple[str, ...] = ()
    supplements: tuple[str, ...] = ()
    enhances: tuple[str, ...] = ()
    files: tuple[str, ...] = ()
    vendor: str = "Harbour Crew"
    size: int = 10_000
    disk: int = 30_000
    built: int = 1_700_000_000
    description: str = ""
    homepage: str = ""
    license: str = ""
    packager: str = ""
    more: Mapping[str, str] = field(default_factory=dict)
    source: str = ""
    """The source package's name, where it is not its own."""

    @property
    def evr(self) -> tuple[str, str, str]:
        """Epoch, version, release."""
        epoch, _, rest = self.version.rpartition(":")
        version, _, release = rest.rpartition("-")
        return epoch or "0", version, release

    def relations(self, kind: str) -> tuple[str, ...]:
        """Its relations of a kind, its own name among what it provides."""
        told: tuple[str, ...] = getattr(self, kind)
        if kind != "provides":
            return told
        mine = [f"{self.name} = {self.version}"]
        bits = {"x86_64": "x86-64", "i686": "x86-32", "aarch64": "aarch-64"}.get(self.arch)
        if bits:
            mine.append(f"{self.name}({bits}) = {self.version}")
        return (*told, *mine)


# -- repositories --------------------------------------------------------------------------


def primary_xml(packages: Sequence[DemoRpm]) -> bytes:
    """The main list of some packages."""
    body = "".join(map(_package_xml, packages))
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        '<metadata xmlns="http://linux.duke.edu/metadata/common"'
        ' xmlns:rpm="http://linux.duke.edu/metadata/rpm"'
        f' packages="{len(packages)}">\n{body}</metadata>\n'
    ).encode()


def file_name(one: DemoRpm) -> str:
    """What a package's file is called."""
    _, version, release = one.evr
    return f"{one.name}-{version}-{release}.{one.arch}.rpm"


def _package_xml(one: DemoRpm) -> str:
    epoch, version, release = one.evr
    relations = "".join(
        f"<rpm:{element}>{''.join(map(_entry_xml, told))}</rpm:{element}>\n"
        for kind, (element, *_) in _TAGS.items()
        if (told := one.relations(kind))
    )
    files = "".join(f"<file>{escape(path)}</file>\n" for path in one.files if _is_listed(path))
    return (
        f'<package type="rpm">\n<name>{escape(one.name)}</name>\n<arch>{one.arch}</arch>\n'
        f"<version epoch={quoteattr(epoch)} ver={quoteattr(version)} rel={quoteattr(release)}/>\n"
        f'<checksum type="sha256" pkgid="YES">{mark_of(one)}</checksum>\n'
        f"<summary>{escape(one.summary)}</summary>\n"
        f"<description>{escape(one.description)}</description>\n"
        f"<packager>{escape(one.packager)}</packager>\n<url>{escape(one.homepage)}</url>\n"
        f'<time file="{one.built}" build="{one.built}"/>\n'
        f'<size package="{one.size}" installed="{one.disk}" archive="{one.disk}"/>\n'
        f"<location href={quoteattr('Packages/' + file_name(one))}/>\n<format>\n"
        f"<rpm:license>{escape(one.license)}</rpm:license>\n"
        f"<rpm:vendor>{escape(one.vendor)}</rpm:vendor>\n"
        f"<rpm:sourcerpm>{escape(one.source or one.name)}-{version}-{release}.src.rpm"
        "</rpm:sourcerpm>\n"
        f"{relations}{files}</format>\n</package>\n"
    )


def mark_of(one: DemoRpm) -> str:
    """What stands for a package's checksum, the same in every index."""
    return hashlib.sha256(f"{one.name} {one.version} {one.arch}".encode()).hexdigest()


def _is_listed(path: str) -> bool:
    return path.startswith("/etc/") or "bin/" in path


def _entry_xml(text: str) -> str:
    name, operator, version = _taken_apart(text)
    if not operator:
        return f"<rpm:entry name={quoteattr(name)}/>"
    epoch, _, rest = version.rpartition(":")
    number, dash, release = rest.rpartition("-")
    told = f"ver={quoteattr(number if dash else rest)}"
    told += f" rel={quoteattr(release)}" if dash else ""
    told = f'flags="{_FLAGS[operator]}" epoch="{epoch or 0}" {told}'
    return f"<rpm:entry name={quoteattr(name)} {told}/>"


def _taken_apart(text: str) -> tuple[str, str, str]:
    if text.startswith("("):
        return text, "", ""
    name, _, bound = text.partition(" ")
    operator, _, version = bound.partition(" ")
    return name, operator, version


def filelists_xml(packages: Sequence[DemoRpm]) -> bytes:
    """The full list of files of some packages."""
    body = ""
    for package in packages:
        epoch, version, release = package.evr
        files = "".join(f"<file>{escape(path)}</file>\n" for path in package.files)
        body += (
            f'<package pkgid="{mark_of(package)}" name={quoteattr(package.name)}'
            f' arch="{package.arch}">\n'
            f'<version epoch="{epoch}" ver={quoteattr(version)} rel={quoteattr(release)}/>\n'
            f"{files}</package>\n"
        )
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<filelists xmlns="http://linux.duke.edu/metadata/filelists">\n{body}</filelists>\n'
    ).encode()


def write_rpm_repository(
    folder: Path,
    packages: Sequence[DemoRpm],
    *,
    ending: str = ".gz",
    modules: str = "",
    sign: Callable[[bytes], bytes] | None = None,
    date: float | None = None,
    sign_packages: Callable[[bytes], bytes] | None = None,
) -> Path:
    """Write a repository's lists; `sign` gives a detached signature, `sign_packages` a binary one
    for the beginnings of packages, which are written then. Gives its folder."""
    made = int(date if date is not None else time.time() - 3600)
    plain = {
        "primary": ("xml", primary_xml(packages)),
        "filelists": ("xml", filelists_xml(packages)),
    }
    if modules:
        plain["modules"] = ("yaml", modules.encode())
    inside = folder / "repodata"
    inside.mkdir(parents=True, exist_ok=True)
    for package in packages if sign_packages else ():
        path = folder / "Packages" / file_name(package)
        path.parent.mkdir(exist_ok=True)
        path.write_bytes(package_beginning(package, sign_packages))
    told = ""
    for kind, (form, data) in plain.items():
        packed = PACKERS[ending](data)
        digest = hashlib.sha256(packed).hexdigest()
        name = f"{digest}-{kind}.{form}{ending}"
        (inside / name).write_bytes(packed)
        told += (
            f'<data type="{kind}">\n<checksum type="sha256">{digest}</checksum>\n'
            f'<open-checksum type="sha256">{hashlib.sha256(data).hexdigest()}</open-checksum>\n'
            f'<location href="repodata/{name}"/>\n<timestamp>{made}</timestamp>\n'
            f"<size>{len(packed)}</size>\n<open-size>{len(data)}</open-size>\n</data>\n"
        )
    text = (
        '<?xml version="1.0" encoding="UTF-8"?>\n'
        f'<repomd xmlns="http://linux.duke.edu/metadata/repo">\n<revision>{made}</revision>\n'
        f"{told}</repomd>\n"
    ).encode()
    (inside / "repomd.xml").write_bytes(text)
    if sign is not None:
        (inside / "repomd.xml.asc").write_bytes(sign(text))
    return folder


_LEAD = b"\xed\xab\xee\xdb" + bytes(92)
_PREAMBLE = b"\x8e\xad\xe8\x01\0\0\0\0"
_SIGNATURE_TAG, _BYTES = 268, 7


def package_beginning(
    one: DemoRpm, sign: Callable[[bytes], bytes] | None, tag: int = _SIGNATURE_TAG
) -> bytes:
    """A package file up to the end of its header, signed where `sign` gives a binary signature."""
    header = _PREAMBLE + header_of(one)
    values = []
    if sign is not None:
        signature = sign(header)
        values.append((tag, _BYTES, len(signature), signature))
    signing = _PREAMBLE + packed_header(values)
    padding = bytes(-(len(_LEAD) + len(signing)) % 8)
    return _LEAD + signing + padding + header


# -- the host's own record -----------------------------------------------------------------

_TEXT, _TEXTS, _TRANSLATED, _NUMBERS = 6, 8, 9, 4


def header_of(one: DemoRpm) -> bytes:
    """A package's header, as the host's record keeps it."""
    epoch, version, release = one.evr
    values: list[tuple[int, int, int, bytes]] = [
        (1000, _TEXT, 1, _texts([one.name])), (1001, _TEXT, 1, _texts([version])),
        (1002, _TEXT, 1, _texts([release])), (1004, _TRANSLATED, 1, _texts([one.summary])),
        (1006, _NUMBERS, 1, struct.pack(">I", one.built)),
        (1009, _NUMBERS, 1, struct.pack(">I", one.disk)),
        (1011, _TEXT, 1, _texts([one.vendor])), (1022, _TEXT, 1, _texts([one.arch])),
        (1044, _TEXT, 1, _texts([f"{one.source or one.name}-{version}-{release}.src.rpm"])),
    ]  # fmt: skip
    if epoch != "0":
        values.append((1003, _NUMBERS, 1, struct.pack(">I", int(epoch))))
    for tag, form, text in (
        (1005, _TRANSLATED, one.more.get("key", one.description)), (1014, _TEXT, one.license),
        (1015, _TEXT, one.packager), (1020, _TEXT, one.homepage),
    ):  # fmt: skip
        if text:
            values.append((tag, form, 1, _texts([text])))
    for kind, (_, names, flags, versions) in _TAGS.items():
        told = [_taken_apart(text) for text in one.relations(kind)]
        if not told:
            continue
        senses = struct.pack(f">{len(told)}I", *(_SENSES.get(sign, 0) for _, sign, _ in told))
        values += [
            (names, _TEXTS, len(told), _texts(name for name, _, _ in told)),
            (flags, _NUMBERS, len(told), senses),
            (versions, _TEXTS, len(told), _texts(bound for _, _, bound in told)),
        ]
    if one.files:
        folders = list(dict.fromkeys(path.rpartition("/")[0] + "/" for path in one.files))
        places = [folders.index(path.rpartition("/")[0] + "/") for path in one.files]
        names_ = [path.rpartition("/")[2] for path in one.files]
        values += [
            (1116, _NUMBERS, len(places), struct.pack(f">{len(places)}I", *places)),
            (1117, _TEXTS, len(names_), _texts(names_)),
            (1118, _TEXTS, len(folders), _texts(folders)),
        ]
    return packed_header(values)


def packed_header(values: Sequence[tuple[int, int, int, bytes]]) -> bytes:
    """Tagged values (tag, type, count, bytes) as a header without its preamble."""
    index, data = b"", b""
    for tag, kind, count, value in sorted(values):
        if kind == _NUMBERS:
            data += b"\0" * (-len(data) % 4)
        index += struct.pack(">IIiI", tag, kind, len(data), count)
        data += value
    return struct.pack(">II", len(values), len(data)) + index + data


def _texts(texts: Iterable[str]) -> bytes:
    return b"".join(text.encode() + b"\0" for text in texts)


def write_record(path: Path, packages: Sequence[DemoRpm]) -> None:
    """The record of installed packages."""
    path.parent.mkdir(parents=True, exist_ok=True)
    path.unlink(missing_ok=True)
    with closing(sqlite3.connect(path)) as record:
        record.execute(
            "CREATE TABLE 'Packages' (hnum INTEGER PRIMARY KEY AUTOINCREMENT, blob BLOB NOT NULL)"
        )
        record.executemany(
            "INSERT INTO Packages (blob) VALUES (?)",
            [(header_of(package),) for package in packages],
        )
        record.commit()
