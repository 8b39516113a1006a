"""Reasons that only rpm hosts give."""

from __future__ import annotations

from velpin.model.reason import Place, Reason

# -- why it wins -------------------------------------------------------------------------------


class Step(Reason):
    """One of the host's criteria that left offers out."""

    source: str
    priority: int
    version: str
    arch: str


class LowestPriority(Step):
    says = (
        "{source} has priority {priority}, and the lowest wins, whatever the version; the next is"
        " {next}"
    )
    next: int


class OwnArchitecture(Step):
    says = "{arch} is this host's own architecture, or fits any"


class NewestThere(Step):
    says = "{version} is the newest among sources with priority {priority}"


class LowerCost(Step):
    says = "exactly the same version has a lower cost from {source} than from {others}"
    others: tuple[str, ...]


class ReadFirst(Step):
    says = (
        "{source} and {others} have exactly the same version; it is downloaded from the one read"
        " first"
    )
    others: tuple[str, ...]


class ObsoletesAsked(Reason):
    says = "{package} obsoletes {name}"
    package: str
    name: str


# -- why an offer was passed over --------------------------------------------------------------


class IsExcluded(Reason):
    says = "excluded by {pattern} at {place}"
    pattern: str
    place: Place


class NotIncluded(Reason):
    says = "not among the included packages: {patterns}"
    patterns: tuple[str, ...]
    source: str


class ModuleUnmet(Reason):
    says = (
        "stream {stream} of module {module} is enabled and what it needs cannot be had: the"
        " installer refuses every request"
    )
    stream: str
    module: str


class StreamEnabled(Reason):
    says = "stream {stream} of module {module} is enabled: what it has comes from it alone"
    module: str
    stream: str


class StreamIsDefault(Reason):
    says = "stream {stream} of module {module} is the default: what it has comes from it alone"
    module: str
    stream: str


class ModuleDisabled(Reason):
    says = "module {module} is disabled: its packages are not taken"
    module: str


class NoStream(Reason):
    says = "no stream of module {module} is active: its packages are not taken"
    module: str


class HiddenByModule(Reason):
    """A package that the modules hide."""

    module: str
    stream: str
    active: str


class ModuleOff(HiddenByModule):
    says = "module {module} has no active stream"


class ModuleOther(HiddenByModule):
    says = "it belongs to stream {stream} of module {module}; {active} is active"


class ModulePlain(HiddenByModule):
    says = (
        "hidden by the active stream {active} of module {module}, which has a package of that name"
    )


class IsLocked(Reason):
    says = "locked at {place}"
    place: Place


class IsRetracted(Reason):
    says = "taken back by its source after it was published"


class PassedFor(Reason):
    """An offer that was passed over for another."""

    priority: int
    chosen: int
    version: str
    source: str
    arch: str


class HigherPriority(PassedFor):
    says = "priority {priority}; {source} has {chosen}, and the lower one wins"


class LesserArchitecture(PassedFor):
    says = "{arch}; this host's own architecture is preferred"


class OlderThere(PassedFor):
    says = "older, with the same priority {priority}"


class HigherCost(PassedFor):
    says = "the same version at a higher cost, {cost}"
    cost: int


class ReadLater(PassedFor):
    says = "exactly the same version, read after {source}"


class NotNewer(PassedFor):
    says = "not newer than the installed version"


class StaysInstalled(PassedFor):
    says = "asked for by name, the installed version is kept"


class OtherVendor(PassedFor):
    says = "it is of vendor {vendor}, and what is installed is of {installed}"
    vendor: str
    installed: str


class KeepsVendor(Reason):
    says = "it stays with its vendor, {installed}: what is newer is of {vendors}"
    installed: str
    vendors: tuple[str, ...]


class IsObsoleted(Reason):
    says = "obsoleted by {package}"
    package: str


class AnotherName(Reason):
    says = "{package} is installed instead"
    package: str


# -- why a request is refused ------------------------------------------------------------------


class NotForArchBut(Reason):
    says = "{name} is not available for {arch}, only for {has}"
    name: str
    arch: str
    has: tuple[str, ...]
    takes: tuple[str, ...]


class NotForThisHost(Reason):
    says = "{name} is only available for {has}; this host takes {takes}"
    name: str
    has: tuple[str, ...]
    takes: tuple[str, ...]
    arch: str


class Hidden(Reason):
    says = "everything {name} could mean is excluded by the host's own settings"
    name: str


class LeftOut(Reason):
    says = "{name} is not available; the host's settings skip it and go on (strict=0)"
    name: str


class Locked(Reason):
    says = "{name} {version} is locked at {place}"
    name: str
    version: str
    place: str


class SourceUnreachable(Reason):
    says = (
        "{source} could not be reached and is not marked as optional, so the host's installer"
        " refuses every request: {what}"
    )
    source: str
    what: str


# -- the chain of causes -----------------------------------------------------------------------


class ConflictsWith(Reason):
    says = "{package} {version} cannot be installed beside {relation}"
    package: str
    version: str
    relation: str


class ObsoletesIt(Reason):
    says = "{package} {version} obsoletes {relation}, which stays"
    package: str
    version: str
    relation: str


class LockedAt(Reason):
    says = "{name} {version} is locked at {place}"
    name: str
    version: str
    place: Place


class NowhereTheSame(Reason):
    says = "{package} {version} is installed; the sources only have other versions of it"
    package: str
    version: str


class TakenFromAnother(Reason):
    says = "{package} {version} is in {source}, and this upgrade takes {package} from elsewhere"
    package: str
    version: str
    source: str


class IsProtected(Reason):
    says = "{package} is protected and would be removed"
    package: str
    version: str


class ReplacesAlong(Reason):
    says = "something else that obsoletes {other} would be installed along with {package} {version}"
    other: str
    package: str
    version: str


class LesserAlone(Reason):
    says = (
        "{package} {version} for {arch} can only be installed together with that of this host's"
        " own architecture"
    )
    package: str
    version: str
    arch: str


class HeldByOthers(Reason):
    says = "other packages hold it back"


# -- notes -------------------------------------------------------------------------------------


class TypeNotRead(Reason):
    says = (
        "{source} is of type {type}, whose lists velpin does not read: its packages are not"
        " considered"
    )
    source: str
    type: str


class OlderGeneration(Reason):
    says = (
        "this host's installer is of an older generation (its settings lie in {file}): what it"
        " does is forecast by the rules of the next one"
    )
    file: str
