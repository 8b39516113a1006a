"""What came of going through a text: sources, keys, rules and requests, line by line."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from textwrap import dedent
from typing import Any, Literal

from velpin.instructions.commands import COMMANDS
from velpin.instructions.data import Data, Effect, Facts, Fetch, Overlay, Spot, Written
from velpin.instructions.machine import MOST_STEPS, Machine, Ways
from velpin.instructions.page import FILLED_IN, KEY_ADDRESS, Line, Page, read_page, written_out
from velpin.instructions.words import UNKNOWN, is_known
from velpin.model.instruction_reasons import (
    Afterwards,
    DependsOn,
    DoneBetter,
    KeyForThisOnly,
    KeyFromPage,
    KeyFromServer,
    KeyInPage,
    LineLeftOut,
    LineNotFollowed,
    LineNotNeeded,
    PackageFromPage,
    PlaceholderFilled,
    RuleFromPage,
    SourceFromPage,
    SwitchFromPage,
)
from velpin.model.instructions import KeyRead, LineRead, PagePreference, Reading, SourceRead
from velpin.model.reason import Reason
from velpin.model.rule import Keep, Rule
from velpin.model.safe_text import without_passwords
from velpin.model.shell import shell_word

MOST_WAYS = 64
"""Ways through one text that are tried."""

_PLACES = (
    (re.compile(r"/etc/apt/sources\.list(?:\.d/[^/]+\.(?:list|sources))?\Z"), "deb"),
    (re.compile(r"/etc/(?:yum\.repos\.d|distro\.repos\.d)/[^/]+\.repo\Z"), "rpm-dnf"),
    (re.compile(r"/etc/zypp/repos\.d/[^/]+\.repo\Z"), "rpm-zypp"),
    (re.compile(r"/etc/pacman(?:\.conf|\.d/[^/]+)\Z"), "alpm"),
)
"""Where the sources of each kind of host are written."""
_RULES = re.compile(r"/etc/apt/preferences(?:\.d/[^/]+)?\Z")
_KEYS_FOR_ALL = re.compile(r"/etc/apt/trusted\.gpg(?:\.d/[^/]+)?\Z")
_OTHERS = re.compile(
    r"/etc/(?:apt/|dnf/|yum\.conf|zypp/|pki/rpm-gpg|pacman)|/usr/share/keyrings|/etc/apt/keyrings"
)
_KEY_PLACES = re.compile(
    r"/usr/share/keyrings/|/etc/apt/(?:keyrings|trusted\.gpg)|/etc/pki/rpm-gpg/|/usr/lib/rpm/gnupg"
)
_SUITE_OF = re.compile(r"(?:\s*deb(?:-src)?\s+(?:\[[^]]*\]\s+)?\S+|(?i:suites:))\s+(\S+)")
_SHOWN_HEAD = re.compile(r"\s*(?:\[[\w.@+:-]+\]$|(?i:types):\s)")
_DEB_LINE = re.compile(
    r"\s*deb(?P<src>-src)?\s+(?:\[(?P<options>[^]]*)\]\s+)?(?P<address>\S+)\s+(?P<suite>\S+)(?P<rest>.*)"
)


def readings(
    text: str, name: str, facts: Facts, fetch: Fetch, *, files: Mapping[str, bytes] | None = None,
    arguments: Sequence[str] = (),
) -> list[Reading]:  # fmt: skip
    """Every way through a text that leads to something of its own.

    `files` come with it, by name below the root, and `arguments` are what it is called with.
    Raises HostFileError (text and line) for a text without end, or one that goes round without.
    """
    page = read_page(text, name)
    found: dict[object, Reading] = {}
    answers: list[bool] = []
    steps = 0
    for _ in range(MOST_WAYS):
        ways = Ways(list(answers))
        machine = Machine(_overlay(facts, files or {}), fetch, ways, COMMANDS, name)
        machine.run_text(page.shell, page.numbers, arguments)
        steps += machine.steps
        reading = _Outcome(machine, page, facts).reading()
        if not (machine.ended and reading.is_empty and not reading.unfollowed):
            known = found.get(_essence(reading))
            if known is None or len(reading.requests) > len(known.requests):
                found[_essence(reading)] = reading
        answers = _next(ways.answers[: len(ways.asked)])
        if not answers or steps > MOST_STEPS:
            break
    if answers:  # more ways than are tried
        what = "more conditions are undecided than are tried; other ways may lead elsewhere"
        line = LineRead(0, 0, "", LineNotFollowed(what=what))
        found = {
            key: reading._replace(
                lines=(*reading.lines, line), unfollowed=(*reading.unfollowed, line)
            )
            for key, reading in found.items()
        }
    whole = [reading for reading in found.values() if not reading.is_empty]
    return whole or list(found.values())[:1]


def _overlay(facts: Facts, files: Mapping[str, bytes]) -> Overlay:
    overlay = Overlay(facts)
    for file, data in files.items():
        text = data.decode("utf-8", "surrogateescape").replace(UNKNOWN, "")
        overlay.write(f"/{file}", Data(text))
    return overlay


def _next(answers: list[bool]) -> list[bool]:
    """The answers of the way after one: the last yes becomes a no."""
    while answers and not answers[-1]:
        answers.pop()
    return [*answers[:-1], False] if answers else []


def _essence(reading: Reading) -> object:
    sources = tuple((source.snippet, source.keys) for source in reading.sources)
    return sources, reading.packages, reading.rules, reading.switches


@dataclass(slots=True)
class _Found:
    """A source's text, where it would be written, and by which lines."""

    kind: str
    file: str
    text: str
    spots: tuple[Spot, ...]


@dataclass(slots=True)
class _Outcome:
    """What one run left behind."""

    machine: Machine
    page: Page
    facts: Facts
    lines: list[LineRead] = field(default_factory=list)
    unfollowed: list[LineRead] = field(default_factory=list)
    preferences: list[PagePreference] = field(default_factory=list)
    rules: list[Rule] = field(default_factory=list)

    def reading(self) -> Reading:
        """All of it as values, in the order of the lines."""
        found = self._for_this_host(list(self._found()))
        sources = [self._source(each) for each in found]
        packages = self._packages()
        if not sources:
            self._keys_alone()
        switches = self._switches()
        requests = self._requests()
        for effect in self.machine.effects:
            self._told(effect)
        self._preferences()
        self._files_of_others()
        asked = list(zip(self.machine.ways.asked, self.machine.ways.answers, strict=False))
        for (spot, what), answer in asked:
            self._say((spot,), DependsOn(what=what, answer="it holds" if answer else "it does not"))
        way = [
            f"line {spot.line}: {what}: {'yes' if answer else 'no'}"
            for (spot, what), answer in asked
        ]
        lines = sorted(dict.fromkeys(self.lines), key=_order)
        return Reading(
            tuple(lines),
            tuple(sources), tuple(packages), tuple(self.rules), tuple(switches), tuple(requests),
            tuple(dict.fromkeys(self.unfollowed)), tuple(self.preferences),
            tuple(way),
        )  # fmt: skip

    # -- lines -----------------------------------------------------------------------------

    def _say(self, spots: Iterable[Spot], says: Reason) -> LineRead:
        """Say something of some lines; those of the text itself, where any of them is there."""
        kept = list(spots)
        own = [spot for spot in kept if not spot.script]
        chosen = own or kept or [Spot(0)]
        numbers = [spot.line for spot in chosen]
        line = LineRead(min(numbers), max(numbers), chosen[0].script, _without_logins(says))
        self.lines.append(line)
        return line

    def _not_followed(self, spots: Iterable[Spot], what: str, *, may_change: bool = True) -> None:
        line = self._say(spots, LineNotFollowed(what=what.replace(UNKNOWN, "?")))
        if may_change:
            self.unfollowed.append(line)

    def _told(self, effect: Effect) -> None:
        here = not effect.on or self.facts.kind.startswith(effect.on)
        if effect.kind == "unneeded" and here:
            self._say((effect.spot,), LineNotNeeded(why=effect.text))
        elif effect.kind == "weaker":
            self._say((effect.spot,), DoneBetter(what=effect.text))
        elif effect.kind == "opened" and here:
            self._say((effect.spot,), PackageFromPage(address=effect.text))
        elif effect.kind == "not-followed":
            self._not_followed((effect.spot,), effect.text, may_change=effect.may_change and here)
        elif effect.kind == "module" and here:
            what = (
                f"{_MODULE_WORDS.get(effect.text, effect.text)} the module {' '.join(effect.names)}"
            )
            self._not_followed((effect.spot,), what)
        elif effect.kind == "keep" and here and effect.names:
            rule = Keep(effect.names)
            self.rules.append(rule)
            self._say((effect.spot,), RuleFromPage(rule=f"keep {' '.join(effect.names)}"))

    # -- sources ---------------------------------------------------------------------------

    def _found(self) -> Iterator[_Found]:
        for file, written in self.machine.overlay.files.items():
            kind = next((kind for place, kind in _PLACES if place.match(file)), "")
            if not kind or written.removed:
                continue
            data, text = self._fitting(kind, written)
            if UNKNOWN in text:
                self._not_followed(data.every_spot, _unknown_text(file, data))
            elif _names_source(kind, text):
                if written.is_over and _is_of(kind, self.facts.kind):
                    what = f"the page writes over {file}; what is in it stays"
                    self._say(data.every_spot, DoneBetter(what=what))
                yield _Found(kind, file, text, data.every_spot)
        yield from self._loose()

    def _fitting(self, kind: str, written: Written) -> tuple[Data, str]:
        """What a file was to hold, and its text: what was written last, unless something before it
        is for this release and that is not."""
        here = _words_of_release(self.facts.release)
        texts = {data: self.machine.text(data, Spot(0)) for data in (*written.before, written.data)}
        for data, text in texts.items():
            if UNKNOWN in text and len(texts) > 1:
                self._not_followed(
                    data.every_spot, _unknown_text("another", data), may_change=False
                )
        known = [data for data, text in texts.items() if UNKNOWN not in text]
        fitting = [data for data in known if _is_for(kind, texts[data], here)]
        chosen = (fitting or known or [written.data])[-1]
        for data in known:
            if fitting and data not in fitting and _suites(kind, texts[data]):
                self._left_out(kind, texts[data], data.every_spot)
        return chosen, texts[chosen]

    def _left_out(self, kind: str, text: str, spots: Iterable[Spot]) -> None:
        what = " ".join(_suites(kind, text)) or "another source"
        self._say(spots, LineLeftOut(what=what, why="for another release"))

    def _loose(self) -> Iterator[_Found]:
        """Sources that are shown and not written by a command."""
        block: list[Line] = []
        for line in [*self.page.loose, Line(0, "")]:
            text = line.text.rstrip()
            near = not block or line.number - block[-1].number <= 1
            if block and (not near or not _goes_on(block, text)):
                if found := _shown(block):
                    yield found
                block = []
            if _DEB_LINE.match(text) or _SHOWN_HEAD.match(text) or block:
                block.append(Line(line.number, text))

    def _for_this_host(self, found: list[_Found]) -> list[_Found]:
        """Those for this kind of host and this release, each once."""
        kept: list[_Found] = []
        here = _words_of_release(self.facts.release)
        for each in found:
            if not _is_of(each.kind, self.facts.kind):
                why = f"for hosts of kind {each.kind}"
                what = (
                    " ".join(_address(each.kind, each.text))
                    if each.kind == "deb"
                    else _told("", each.text)
                )
                self._say(each.spots, LineLeftOut(what=what, why=why))
                continue
            each.text = self._filled(each)
            kept.append(each)
        fitting = {_address(each.kind, e.text) for e in kept if _is_for(e.kind, e.text, here)}
        chosen: dict[object, _Found] = {}
        for each in kept:
            place = _address(each.kind, each.text)
            if place in fitting and not _is_for(each.kind, each.text, here):
                self._left_out(each.kind, each.text, each.spots)
                continue
            chosen.setdefault((place, _suites(each.kind, each.text)), each)
        return list(chosen.values())

    def _filled(self, found: _Found) -> str:
        """A source's text with the host's release where the page leaves a place for it."""
        if found.kind == "alpm":
            return self._with_mirrors(found.text)
        codename = self.facts.release.get("VERSION_CODENAME", "")
        lines = []
        for line in found.text.splitlines():
            found_in = _SUITE_OF.match(line)
            suite = found_in.group(1) if found_in else ""
            if not (found_in and codename and FILLED_IN.match(suite)):
                lines.append(line)
                continue
            self._say(found.spots, PlaceholderFilled(placeholder=suite, value=codename))
            lines.append(line[: found_in.start(1)] + codename + line[found_in.end(1) :])
        return "".join(f"{line}\n" for line in lines)

    def _with_mirrors(self, text: str) -> str:
        """Sections with the addresses that the text itself puts into a list of mirrors."""
        lines = []
        for line in text.splitlines():
            named = re.fullmatch(r"\s*Include\s*=\s*(\S+)\s*", line)
            written = self.machine.overlay.files.get(named.group(1)) if named else None
            held = self.machine.text(written.data, Spot(0)) if written else line
            lines += [each for each in held.splitlines() if each.strip()]
        return "".join(f"{line}\n" for line in lines)

    def _source(self, found: _Found) -> SourceRead:
        self._say(found.spots, SourceFromPage(what=_told(found.kind, found.text)))
        keys = self._keys_of(found)
        text = found.text
        lines = [line for line in text.splitlines() if not _weakens(found.kind, line)]
        if len(lines) < len(text.splitlines()) and found.kind != "alpm":
            what = "the page switches a check of signatures off; it is left on"
            self._say(found.spots, DoneBetter(what=what))
            text = "".join(f"{line}\n" for line in lines)
        return SourceRead(text, found.file, tuple(dict.fromkeys(keys)))

    def _keys_of(self, found: _Found) -> list[KeyRead]:
        keys: list[KeyRead] = []
        for name in _key_files(found.kind, found.text):
            data = self._key_file(name)
            if data is not None:
                keys += self._keys(data)
        if not keys and found.kind.startswith("rpm"):
            for address in re.findall(r"(?m)^gpgkey\s*=\s*(.+)$", found.text):
                for word in address.split():
                    if word.startswith(("http://", "https://")) and "$" not in word:
                        self._say(found.spots, KeyFromPage(address=word))
                        keys.append(KeyRead(word))
        if keys:
            return keys
        for spots, data in self._keys_for_all(found.kind):
            keys += self._keys(data, spots=spots, for_all=found.kind != "alpm")
        return keys or list(self._keys_written_out()) or list(self._keys_in_words())

    def _key_file(self, name: str) -> Data | None:
        overlay = self.machine.overlay
        written = overlay.files.get(name)
        if written is not None and not written.removed and not written.data.is_empty:
            return written.data
        return overlay.rings.get(name)

    def _keys_for_all(self, kind: str) -> Iterator[tuple[tuple[Spot, ...], Data]]:
        for effect in self.machine.effects:
            if effect.kind == "key" and kind.startswith(effect.on) and effect.data is not None:
                yield effect.data.every_spot, effect.data
        if kind == "deb":
            for file, written in self.machine.overlay.files.items():
                if _KEYS_FOR_ALL.match(file) and not written.removed and not written.data.is_empty:
                    yield written.data.every_spot, written.data

    def _keys_alone(self) -> None:
        """Tell keys that no source goes with."""
        for spots, data in self._keys_for_all(self.facts.kind):
            for part in data.parts:
                if part.address:
                    what = f"key from {part.address}"
                    self._say(spots, LineLeftOut(what=what, why="which no source here goes with"))

    def _keys(
        self, data: Data, *, spots: tuple[Spot, ...] = (), for_all: bool = False
    ) -> list[KeyRead]:
        found = []
        for part in data.parts:
            where = spots or part.spots or data.every_spot
            if part.fingerprints:
                for fingerprint in part.fingerprints:
                    self._say(where, KeyFromServer(fingerprint=fingerprint, server=part.address))
                    found.append(KeyRead(part.address, fingerprint, for_all=for_all))
            elif part.address:
                says = KeyForThisOnly if for_all else KeyFromPage
                self._say(where, says(address=part.address))
                text = (part.text or "").encode("utf-8", "surrogateescape")
                found.append(KeyRead(part.address, text=text, for_all=for_all))
            elif part.text is not None and is_known(part.text):
                self._say(where, KeyInPage())
                text = part.text.encode("utf-8", "surrogateescape")
                found.append(KeyRead(text=text, for_all=for_all))
        return found

    def _keys_written_out(self) -> Iterator[KeyRead]:
        """Keys that stand between the commands, in no source's own words."""
        for block in written_out(self.page):
            self._say([Spot(line.number) for line in block], KeyInPage())
            text = "".join(f"{line.text.strip()}\n" for line in block)
            yield KeyRead(text=text.encode("utf-8", "surrogateescape"))

    def _keys_in_words(self) -> Iterator[KeyRead]:
        """Keys that the page names in passing."""
        for line in self.page.loose:
            for address in KEY_ADDRESS.findall(line.text[:2000]):
                self._say((Spot(line.number),), KeyFromPage(address=address))
                yield KeyRead(address)

    # -- the rest --------------------------------------------------------------------------

    def _packages(self) -> list[str]:
        found = []
        for effect in self.machine.effects:
            if effect.kind != "package" or effect.data is None:
                continue
            address = next((part.address for part in effect.data.parts if part.address), "")
            here = _is_of(effect.on, self.facts.kind) or (
                effect.on.startswith("rpm") and self.facts.kind.startswith("rpm")
            )
            if not here:
                why = f"for hosts of kind {effect.on}"
                self._say((effect.spot,), LineLeftOut(what=effect.text, why=why))
            elif address:
                self._say(effect.data.every_spot, PackageFromPage(address=address))
                found.append(address)
            else:
                self._not_followed((effect.spot,), f"installs the file {effect.text}")
        return list(dict.fromkeys(found))

    def _switches(self) -> list[tuple[str, bool]]:
        found = []
        for effect in self.machine.effects:
            if effect.kind == "switch" and self.facts.kind.startswith(effect.on):
                found += [(name, effect.text == "on") for name in effect.names]
                for name in effect.names:
                    self._say((effect.spot,), SwitchFromPage(source=name, how=effect.text))
        return list(dict.fromkeys(found))

    def _requests(self) -> list[str]:
        words: dict[str, None] = {}
        for effect in self.machine.effects:
            if effect.kind != "request" or not _is_of(effect.on, self.facts.kind):
                continue
            if effect.text.startswith("--full-upgrade"):
                self._say((effect.spot,), Afterwards(command="velpin forecast --upgrade"))
                continue
            names = [self._request(name, effect.text) for name in effect.names]
            words.update(dict.fromkeys(names))
            command = " ".join(["velpin forecast", *map(shell_word, names)])
            self._say((effect.spot,), Afterwards(command=command))
        return list(words)

    def _request(self, name: str, source: str) -> str:
        """A request in the words of `velpin forecast`."""
        if "=" in name and self.facts.kind != "rpm-dnf":
            name = name.replace("=", "@", 1)
        first, slash, rest = name.partition("/")
        if slash and first and rest and self.facts.kind in ("alpm", "deb"):
            return f"{rest}%{first}" if self.facts.kind == "alpm" else f"{first}%{rest}"
        return f"{name}%{source}" if source and self.facts.kind != "deb" else name

    def _preferences(self) -> None:
        for file, written in self.machine.overlay.files.items():
            if not _RULES.match(file) or written.removed or self.facts.kind != "deb":
                continue
            text = self.machine.text(written.data, Spot(0))
            stanzas = [_stanza(part) for part in re.split(r"\n\s*\n", text) if part.strip()]
            found = _preference(stanzas)
            if found is None:
                self._not_followed(written.data.every_spot, f"priorities in {file}")
            elif found.how == "over" and not found.names and _is_default(stanzas):
                why = "that is the priority it has anyway"
                self._say(written.data.every_spot, LineNotNeeded(why=why))
            else:
                rule = _HOW[found.how].format(" ".join(found.names))
                line = self._say(written.data.every_spot, RuleFromPage(rule=rule))
                self.preferences.append(found._replace(line=0 if line.script else line.first))

    def _files_of_others(self) -> None:
        """Settings of the host's installer that are no sources, keys or rules."""
        for file, written in self.machine.overlay.files.items():
            known = any(place.match(file) for place, _ in _PLACES) or _RULES.match(file)
            if written.removed and self.facts.read(file.lstrip("/")) is not None:
                if known or _KEY_PLACES.match(file) or _OTHERS.match(file):
                    self._not_followed(written.data.every_spot, f"removes {file}")
                continue
            if known or _KEY_PLACES.match(file) or written.removed or written.data.is_empty:
                continue
            if _OTHERS.match(file):
                self._not_followed(written.data.every_spot, f"writes {file}")


def _unknown_text(file: str, data: Data) -> str:
    """Why a file's text is not known."""
    address = next((part.address for part in data.parts if part.address), "")
    if address:
        return f"{file} is what stands at {address}, and that cannot be fetched"
    return f"{file} is written with a text that cannot be known here"


def _without_logins(says: Reason) -> Reason:
    """The same without the passwords that an address may bring."""
    facts: dict[str, Any] = {
        name: without_passwords(fact) if isinstance(fact, str) else fact
        for name, fact in says.facts.items()
    }
    return type(says)(**facts)


def _order(line: LineRead) -> tuple[object, ...]:
    """Lines as they stand; what is to be done afterwards comes last of a line."""
    return line.script, line.first, isinstance(line.says, Afterwards), line.last


_MODULE_WORDS = {
    "enable": "switches on", "disable": "switches off", "reset": "resets", "install": "installs",
    "switch-to": "switches to another stream of",
}  # fmt: skip


def _is_of(kind: str, here: str) -> bool:
    return kind == here or (kind == "rpm" and here.startswith("rpm"))


def _words_of_release(release: Mapping[str, str]) -> tuple[str, ...]:
    version = release.get("VERSION_ID", "")
    return tuple(
        filter(None, (release.get("VERSION_CODENAME", ""), version, version.partition(".")[0]))
    )


def _names_source(kind: str, text: str) -> bool:
    if kind == "deb":
        return re.search(r"(?m)^\s*deb\s|^(?i:types):", text) is not None
    if kind == "alpm":
        return re.search(r"(?ms)^\s*\[[^]]+\].*^\s*(?:Server|Include)\s*=", text) is not None
    return re.search(r"(?m)^\s*(?:baseurl|mirrorlist|metalink)\s*=", text) is not None


def _suites(kind: str, text: str) -> tuple[str, ...]:
    """The suites of a deb source; the addresses of another."""
    if kind == "deb":
        lines = [
            found.group("suite") for line in text.splitlines() if (found := _DEB_LINE.match(line))
        ]
        stanzas = re.findall(r"(?mi)^suites:\s*(.+)$", text)
        return tuple(dict.fromkeys([*lines, *(word for line in stanzas for word in line.split())]))
    return tuple(re.findall(r"(?m)^\s*(?:baseurl|Server)\s*=\s*(\S+)", text))


def _address(kind: str, text: str) -> tuple[str, ...]:
    """Where a source is, whatever release it is for."""
    if kind == "deb":
        lines = [
            found.group("address") for line in text.splitlines() if (found := _DEB_LINE.match(line))
        ]
        stanzas = re.findall(r"(?mi)^uris:\s*(.+)$", text)
        return tuple(sorted({address.rstrip("/") for address in [*lines, *stanzas]}))
    return tuple(
        sorted(re.sub(r"\d+", "N", address.rstrip("/")) for address in _suites(kind, text))
    )


def _is_for(kind: str, text: str, here: Sequence[str]) -> bool:
    """Whether a source's text names this host's release."""
    words = _suites(kind, text)
    if kind == "deb":
        return any(word == name or word.startswith(f"{name}-") for word in words for name in here)
    return any(
        "$releasever" in word or re.search(rf"(?<![\d.]){re.escape(name)}(?![\d])", word)
        for word in words for name in here
    )  # fmt: skip


def _told(kind: str, text: str) -> str:
    """A source in a few words."""
    if kind == "deb":
        parts = []
        for line in text.splitlines():
            found = _DEB_LINE.match(line)
            if found and not found.group("src"):
                parts.append(f"{found.group('address')}, release {found.group('suite')}")
        if not parts:
            values = [
                " ".join(re.findall(rf"(?mi)^{name}:\s*(.+)$", text)) for name in ("uris", "suites")
            ]
            parts = [f"{values[0]}, release {values[1]}"]
        return "; ".join(dict.fromkeys(parts))
    names = re.findall(r"(?m)^\s*\[([^]]+)\]", text)
    return "; ".join([*_suites(kind, text)] or names)


def _key_files(kind: str, text: str) -> list[str]:
    """Files of keys that a source's text names."""
    if kind == "deb":
        found = re.findall(r"signed-by=([^\]\s]+)|(?mi:^signed-by:\s*(\S+))", text)
        return [
            name
            for pair in found
            for each in pair
            for name in each.split(",")
            if name.startswith("/")
        ]
    return [
        word.removeprefix("file://")
        for line in re.findall(r"(?m)^gpgkey\s*=\s*(.+)$", text)
        for word in line.split() if word.startswith("file://")
    ]  # fmt: skip


def _weakens(kind: str, line: str) -> bool:
    """Whether a line of its own switches a check off."""
    if kind.startswith("rpm"):
        return (
            re.fullmatch(
                r"\s*(?:repo_|pkg_)?gpgcheck\s*=\s*(?:0|no|false|off)\s*", line, re.IGNORECASE
            )
            is not None
        )
    return re.fullmatch(r"(?i)trusted:\s*yes\s*", line) is not None


def _goes_on(block: Sequence[Line], text: str) -> bool:
    """Whether a line belongs to the source that is shown above it."""
    first = block[0].text
    if _DEB_LINE.match(first):
        return _DEB_LINE.match(text) is not None
    if first.lstrip().startswith("["):
        return "=" in text or text.lstrip().startswith(("#", "["))
    inner = text[len(first) - len(first.lstrip()) :]
    return re.match(r"[\w-]+:(?:\s|\Z)|\s+\S", inner) is not None


def _shown(block: Sequence[Line]) -> _Found | None:
    text = dedent("".join(f"{line.text}\n" for line in block))
    spots = tuple(Spot(line.number) for line in block)
    for kind in ("deb", "rpm", "alpm"):
        if _names_source(kind, text):
            return _Found(kind, "", text, spots)
    return None


def _stanza(text: str) -> dict[str, str]:
    pairs = (line.partition(":") for line in text.splitlines() if not line.startswith("#"))
    return {key.strip().lower(): value.strip() for key, colon, value in pairs if colon}


_HOW = {
    "only": "the source is confined to {}", "names": "{} from this source",
    "over": "the source goes before all others", "under": "the source stands behind all others",
}  # fmt: skip
_HIGH, _LOW = 500, 100
"""Priorities of what is neither pinned nor marked, and of what is only taken if nothing else is."""


def _preference(stanzas: Sequence[Mapping[str, str]]) -> PagePreference | None:
    """What priorities come to that are all for one machine or one publisher; None for others."""
    places = {_place(stanza.get("pin", "")) for stanza in stanzas}
    place = places.pop() if len(places) == 1 else None
    if place is None or not all(
        re.fullmatch(r"-?\d+", stanza.get("pin-priority", "")) for stanza in stanzas
    ):
        return None
    ranks = {
        name: int(stanza["pin-priority"])
        for stanza in stanzas
        for name in stanza.get("package", "").split()
    }
    rest = ranks.pop("*", None)
    names = tuple(name for name, rank in ranks.items() if rank >= _HIGH)
    if len(names) < len(ranks) or (rest is None and not names):
        return None
    if names and (rest is None or rest < _LOW):
        how: Literal["only", "names"] = "names" if rest is None else "only"
        return None if how == "names" and _HIGH in ranks.values() else PagePreference(
            *place, how, names
        )  # fmt: skip
    if names or rest is None or rest < 0:
        return None
    return PagePreference(*place, "over" if rest >= _HIGH else "under")


def _is_default(stanzas: Sequence[Mapping[str, str]]) -> bool:
    """Whether priorities say no more than what holds without them."""
    return all(int(stanza.get("pin-priority", "0")) == _HIGH for stanza in stanzas)


def _place(pin: str) -> tuple[str, str] | None:
    """The machine or the publisher that a priority is for; None if it is for something else."""
    machine = re.fullmatch(r'origin\s+"?([\w.-]+)"?', pin)
    publisher = re.fullmatch(r"release\s+o=([^,]+)", pin)
    if machine:
        return machine.group(1), ""
    return ("", publisher.group(1).strip()) if publisher else None
