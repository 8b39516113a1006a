"""Architectures of rpm hosts: which a host takes, which is its own, and what `$basearch` is.

Source: the package format's table of compatible architectures, and observed.

Observed rules: docs/how-hosts-choose/rpm.md, "What is weighed, in turn".
"""

from __future__ import annotations

_X86_32 = ("i686", "i586", "i486", "i386")
_FAMILIES: dict[str, tuple[str, tuple[str, ...]]] = {
    "x86_64_v4": ("x86_64", ("x86_64_v4", "x86_64_v3", "x86_64_v2", "x86_64", "amd64", *_X86_32)),
    "x86_64_v3": ("x86_64", ("x86_64_v3", "x86_64_v2", "x86_64", "amd64", *_X86_32)),
    "x86_64_v2": ("x86_64", ("x86_64_v2", "x86_64", "amd64", *_X86_32)),
    "x86_64": ("x86_64", ("x86_64", "amd64", *_X86_32)),
    "i686": ("i386", _X86_32),
    "aarch64": ("aarch64", ("aarch64",)),
    "ppc64le": ("ppc64le", ("ppc64le",)),
    "s390x": ("s390x", ("s390x",)),
    "riscv64": ("riscv64", ("riscv64",)),
    "armv7hl": ("arm", ("armv7hl", "armv6hl")),
}
NOARCH = "noarch"
_BITS_32 = frozenset((*_X86_32, "armv7hl", "armv6hl"))


class Archs:
    """The architectures of one host."""

    def __init__(self, native: str) -> None:
        self.native = native
        self.base, taken = _FAMILIES.get(native, (native, (native,)))
        self._place = {arch: at for at, arch in enumerate(taken)}
        self.taken = (*taken, NOARCH)

    def takes(self, arch: str) -> bool:
        """Whether packages of an architecture can be installed here."""
        return arch in self._place or arch == NOARCH

    def rank(self, arch: str) -> int:
        """0 for noarch and the host's own; more for those that only also run here."""
        return 0 if arch == NOARCH else self._place.get(arch, len(self._place))

    def is_secondary(self, arch: str) -> bool:
        """Whether it is of another word size than the host's own."""
        return arch in _BITS_32 and self.native not in _BITS_32

    def may_follow(self, one: str, other: str) -> bool:
        """Whether a package of one architecture may of itself come in the place of another
        (observed): not even i586 in the place of i686."""
        return one == other or NOARCH in (one, other)

    def may_coexist(self, one: str, other: str) -> bool:
        """Whether packages of one name and these architectures may stand beside each other."""
        if NOARCH in (one, other):
            return False
        return self.is_secondary(one) != self.is_secondary(other)
