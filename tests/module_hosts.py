"""A host whose module streams hide packages."""

from __future__ import annotations

from pathlib import Path

from tests.harbours import DNF, RpmHarbour
from tests.module_documents import default, stream
from velpin.demo.rpm_files import DemoRpm as P

OWN_FILE = "usr/lib/sysimage/libdnf5/modules.toml"


def module_host(folder: Path, *states: str) -> RpmHarbour:
    """gull in streams 1 (the default) and 2, skua in one that is no default, and gull of another
    source; `states` are statements of the host such as `mgull=2`, with no stream for `disabled`."""
    harbour = RpmHarbour(folder, DNF)
    harbour.put("etc/os-release", 'ID=mooring\nVERSION_ID=4\nPLATFORM_ID="platform:three"\n')
    modules = (
        stream("mgull", 1, profiles="common=gull")
        + stream("mgull", 2, profiles="common=gull server=tern,gull both=gull")
        + default("mgull", 1, s1="common", s2="common, both")
        + stream("mskua", 1, profiles="common=skua")
        + stream("mnone", 1, rpms="crane-0:1-1.x86_64")
        + default("mnone", 1)
    )
    harbour.source(
        "base", P("gull", "1-1"), P("gull", "2-1"), P("skua", "1-1"), P("tern", "1-1"),
        P("crane", "1-1"), modules=modules,
    )  # fmt: skip
    harbour.source("vendor", P("gull", "3-1"))
    for said in states:
        name, _, number = said.partition("=")
        told = f"stream={number}\nprofiles=\nstate={'enabled' if number else 'disabled'}\n"
        harbour.put(f"etc/dnf/modules.d/{name}.module", f"[{name}]\nname={name}\n{told}")
    return harbour.refresh()


WAYS = [
    ((), "gull@2-1", ["dnf module enable mgull:2", "dnf config-manager --save --setopt=base.module_hotfixes=1"]),
    ((), "gull%vendor", ["dnf module disable mgull", "dnf config-manager --save --setopt=vendor.module_hotfixes=1"]),
    (("mgull=1",), "gull@2-1", ["dnf module reset mgull && dnf module enable mgull:2",
                                "dnf config-manager --save --setopt=base.module_hotfixes=1"]),
    (("mgull=",), "gull@1-1", ["dnf module enable mgull:1",
                               "dnf config-manager --save --setopt=base.module_hotfixes=1 + velpin pin gull@1-1"]),
    ((), "skua", ["dnf module enable mskua:1", "dnf config-manager --save --setopt=base.module_hotfixes=1"]),
]  # fmt: skip
"""What the host says, what is wanted, and the changes that give it."""

SETS = [
    ((), "@mgull", {"gull": "1-1"}, ", and enables stream 1 of module mgull"),
    ((), "@mgull:2", {"gull": "2-1"}, ", and enables stream 2 of module mgull"),
    ((), "@mgull:2/server", {"gull": "2-1", "tern": "1-1"}, ", and enables stream 2 of module mgull"),
    ((), "@mgull:2 tern", {"gull": "2-1", "tern": "1-1"}, ", and enables stream 2 of module mgull"),
    ((), "@mgull:2 @mskua:1/common", {"gull": "2-1", "skua": "1-1"}, ", and enables stream 2 of module mgull"),
    (("mgull=2",), "@mgull", {"gull": "2-1"}, ""),
    (("mgull=",), "@mgull:2", {"gull": "2-1"}, ", and enables stream 2 of module mgull"),
]  # fmt: skip
"""What the host says, what is asked for, what comes, and what else is changed."""

REFUSED_SETS = [
    ((), "@mgull:2/nope", "stream 2 of module mgull has no profile nope", "it has both, common, server"),
    ((), "@mskua:1", "stream 1 of module mskua has no default profile", "it has common"),
    ((), "@mskua", "module mskua has no default stream", "it has 1"),
    ((), "@mnone:1", "stream 1 of module mnone has no default profile", ""),
    ((), "@mgull:7", "module mgull has no stream 7", "it has 1, 2"),
    ((), "@mgul:1", "no source has a module called mgul", "did you mean mgull?"),
    ((), "@", "no source has a module called @", ""),
    (("mgull=1",), "@mgull:2", "stream 1 of module mgull is enabled", "velpin rules drop etc/dnf/modules.d/mgull.module:1"),
]  # fmt: skip
"""What the host says, what is asked for, and what is said to that."""


_ONE = stream("mgull", 1, package="2") + default("mgull", 1)
DOCUMENTS = [
    ("whole", _ONE, "2-1", "2-1"),
    ("without a summary", _ONE.replace("  summary: s\n", ""), "3-1", "3-1"),
    ("with an empty summary", _ONE.replace("summary: s", "summary: ''"), "2-1", "2-1"),
    ("without a description", _ONE.replace("  description: d\n", ""), "3-1", "3-1"),
    ("without a license", _ONE.replace("  license:\n    module: [MIT]\n", ""), "3-1", "3-1"),
    ("with no license", _ONE.replace("[MIT]", "[]"), "3-1", "3-1"),
    ("of another architecture", _ONE.replace("arch: x86_64\n", "arch: aarch64\n"), "3-1", "3-1"),
    (
        "of an architecture that fits too",
        _ONE.replace("arch: x86_64\n", "arch: i686\n"),
        "2-1",
        "2-1",
    ),
    ("without an architecture", _ONE.replace("  arch: x86_64\n", ""), "2-1", "3-1"),
]
"""A document with gull 2-1 in its default stream, and what a request for gull brings in the older and
in the newer generation; 3-1 is in no module."""

STATEMENTS = [
    ("stream=2\nprofiles=\nstate=enabled", "2-1", "2-1"),
    ("profiles=\nstate=enabled\nstream=2", "2-1", "2-1"),
    ("stream=2\nstate=enabled", "1-1", "2-1"),
    ("profiles=\nstate=enabled", "1-1", "3-1"),
    ("stream=2\nprofiles=", "1-1", "1-1"),
    ("stream=\nprofiles=\nstate=disabled", "3-1", "3-1"),
    ("stream=2\nprofiles=x\nstate=disabled", "3-1", "3-1"),
    ("stream=\nstate=disabled", "1-1", "3-1"),
    ("stream=\nprofiles=\nstate=enabled", "3-1", "3-1"),
    ("stream=9\nprofiles=\nstate=enabled", "3-1", "3-1"),
    ("stream=1\nprofiles=\nstate=Disabled", "1-1", "1-1"),
]
"""What a file of `etc/dnf/modules.d` says of a module, and what a request for gull brings in the
older and in the newer generation."""

OWN_STATEMENTS = [
    ('enabled_stream = "2"\ninstalled_profiles = []\nstate = "Enabled"', "2-1"),
    ('enabled_stream = ""\ninstalled_profiles = []\nstate = "Disabled"', "3-1"),
    ('enabled_stream = ""\ninstalled_profiles = []\nstate = "Available"', "1-1"),
    ('enabled_stream = "2"\nstate = "Enabled"', None),
    ('installed_profiles = []\nstate = "Disabled"', None),
    ('enabled_stream = "2"\ninstalled_profiles = []', None),
    ('enabled_stream = "2"\ninstalled_profiles = []\nstate = "enabled"', None),
]
"""What the newer generation's own file says of a module, and what a request for gull brings; None
where everything is refused."""


def document_host(folder: Path, document: str) -> RpmHarbour:
    """A host with one module document."""
    harbour = RpmHarbour(folder, DNF)
    harbour.put("etc/os-release", 'ID=mooring\nVERSION_ID=4\nPLATFORM_ID="platform:three"\n')
    harbour.source("base", P("gull", "1-1"), P("gull", "2-1"), modules=document)
    harbour.source("vendor", P("gull", "3-1"))
    return harbour.refresh()


def stating_host(
    folder: Path, statement: str, file: str = "etc/dnf/modules.d/mgull.module"
) -> RpmHarbour:
    """The host of `module_host` with one statement."""
    harbour = module_host(folder)
    head = 'version = "1.0"\n[modules.mgull]' if file == OWN_FILE else "[mgull]"
    harbour.put(file, f"{head}\n{statement}\n")
    return harbour
