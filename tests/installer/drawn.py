"""Small random deb hosts whose every rule is drawn, for asking the real installer about them."""

from __future__ import annotations

import random
from pathlib import Path

from velpin.demo.build import stanza, text_of, write_repository

NAMES = ("gull", "gull-doc", "libtide1", "tern", "Fog", "fog-signal", "lamp.d", "beacon++", "kelp")
_VERSIONS = ("1.0-1", "1.0-2", "1:0.9", "2.0~rc1", "2.0", "2.0+b1", "1.10", "0.9-3s1", "1.5", "3")
_SUITES = ("jetty", "quay", "steady", "steady-fresh", "pier")
_WORDS = ("Mooring", "Gull Watch", "Fog & Co", "mooring", "x")
_NUMBERS = ("-1", "1", "50", "99", "100", "101", "400", "499", "500", "501", "600", "989", "990",
            "991", "999", "1000", "1001", "-10", "600x", "+700", "-32768")  # fmt: skip


class Drawn:
    """One random host below a folder; `repos` beside its root."""

    def __init__(self, seed: int, folder: Path) -> None:
        self.random = random.Random(seed)
        self.folder = folder
        self.root = folder / "root"
        self.heads: list[dict[str, str]] = []
        self._sources()
        self._record()
        if self.random.random() < 0.85:
            self._preferences()
        if self.random.random() < 0.3:
            self._target()

    def put(self, name: str, text: str) -> None:
        """Write a file of the host."""
        path = self.root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)

    # -- sources and their indexes -------------------------------------------------------

    def _sources(self) -> None:
        pick, files = self.random, {}
        for number in range(pick.randint(1, 4)):
            suite = pick.choice([*_SUITES, "./"])
            repository = self.folder / "repos" / f"r{number}"
            head = self._head(suite)
            self.heads.append(head)
            sections = {
                section: [self._offer() for _ in range(pick.randint(2, 9))]
                for section in ([""] if suite == "./" else pick.sample(["main", "extra"], pick.randint(1, 2)))
            }  # fmt: skip
            write_repository(
                repository, suite, sections, None, head, archs=("amd64", "i386"),
                by_hash=pick.random() < 0.3,
            )  # fmt: skip
            name = pick.choice(["10-a", "9-b", "Upper", "zz", "a.first"]) + str(number)
            words = " ".join(section for section in sections if section)
            if pick.random() < 0.5:
                text = f"deb [trusted=yes] file://{repository} {suite} {words}\n"
                files[f"{name}.list"] = text
            else:
                lines = f"Types: deb\nURIs: file://{repository}\nSuites: {suite}\nTrusted: yes\n"
                files[f"{name}.sources"] = lines + (f"Components: {words}\n" if words else "")
        for name, text in files.items():
            self.put(f"etc/apt/sources.list.d/{name}", text)
        self.put("var/lib/dpkg/arch", "amd64\ni386\n")

    def _head(self, suite: str) -> dict[str, str]:
        pick = self.random
        named = {} if suite == "./" else {"Suite": suite, "Codename": pick.choice(_SUITES)}
        head = {
            "Origin": pick.choice([*_WORDS, ""]),
            "Label": pick.choice([*_WORDS, ""]),
            "Version": pick.choice(["4.2", "12", "4.2.9", ""]),
            "NotAutomatic": pick.choice(["yes", "", "", "no"]),
            "ButAutomaticUpgrades": pick.choice(["yes", "", ""]),
            **named,
        }
        return {name: value for name, value in head.items() if value}

    def _offer(self) -> dict[str, str]:
        pick = self.random
        arch = pick.choice(["amd64", "amd64", "all", "i386"])
        made = stanza(
            pick.choice(NAMES), pick.choice(_VERSIONS), arch, "drawn", size=pick.choice([1, 1, 2])
        )
        if pick.random() < 0.3:
            made["Source"] = pick.choice(["gull", "tide", "tide (1.0)"])
        if pick.random() < 0.3:
            made["Provides"] = pick.choice(
                ["wader", "sea-bird (= 2)", "wader (= 1), sea-bird", "kelp"]
            )
        if pick.random() < 0.2:
            made["Multi-Arch"] = pick.choice(["foreign", "same"])
        return made

    # -- what is installed ---------------------------------------------------------------

    def _record(self) -> None:
        pick, rows = self.random, []
        for name in pick.sample(NAMES, pick.randint(0, 5)):
            row = stanza(name, pick.choice(_VERSIONS), pick.choice(["amd64", "all"]), "drawn")
            for field in ("Size", "Filename", "SHA256"):
                row.pop(field)
            state = pick.choice(
                ["install ok installed"] * 3 + ["hold ok installed", "deinstall ok config-files"]
            )
            rows.append({"Package": row.pop("Package"), "Status": state, **row})
        self.put("var/lib/dpkg/status", text_of(rows).decode())

    # -- rules ---------------------------------------------------------------------------

    def _preferences(self) -> None:
        pick = self.random
        for name in pick.sample(
            ["preferences", "preferences.d/a", "preferences.d/B.pref"], pick.randint(1, 3)
        ):
            records = [self._one_record() for _ in range(pick.randint(1, 5))]
            self.put(f"etc/apt/{name}", "\n".join(records))

    def _one_record(self) -> str:
        pick = self.random
        general = pick.random() < 0.35
        package = "*" if general else self._package_names()
        number = pick.choice(_NUMBERS)
        if general and pick.random() < 0.15:
            number = "never"
        return f"Package: {package}\nPin: {self._pin()}\nPin-Priority: {number}\n"

    def _package_names(self) -> str:
        pick = self.random
        name = pick.choice(NAMES)
        forms = [name, name, name, name[:3] + "*", f"/{name[:3]}/", "/^g.*l$/", f"{name}:any",
                 f"{name}:amd64", f"{name}:i386", "src:gull", "src:t*", f"{name} {pick.choice(NAMES)}",
                 "?*", name.upper(), "* tern", f"{name}, kelp", f"src:{name}:any", "[fg]*"]  # fmt: skip
        return pick.choice(forms)

    def _pin(self) -> str:
        pick = self.random
        kind = pick.choice(["release", "release", "release", "version", "origin"])
        if kind == "version":
            version = pick.choice(_VERSIONS)
            return "version " + pick.choice(
                [
                    version,
                    version[:2] + "*",
                    "*" + version[-1],
                    "*.0*",
                    "*",
                    "/^1/",
                    "2.0?rc1",
                    "[12]*",
                ]
            )
        if kind == "origin":
            return pick.choice(
                ['origin ""', "origin *", "origin", 'origin "some.host"', 'origin "*"']
            )
        return "release " + self._release_text()

    def _release_text(self) -> str:
        pick = self.random
        head = pick.choice(self.heads)
        pairs = {
            "a": head.get("Suite", "jetty"), "n": head.get("Codename", "quay"),
            "o": head.get("Origin", "x"), "l": head.get("Label", "x"),
            "v": head.get("Version", "12"), "c": "main", "b": "amd64",
        }  # fmt: skip
        keys = pick.sample(sorted(pairs), pick.randint(1, 3))
        text = pick.choice([", ", ","]).join(f"{key}={pairs[key]}" for key in keys)
        one = pick.choice("anolvcb")
        odd = [f"{one}=*", f"{one}={pairs[one][:2]}*", f"{one}={pairs[one].upper()}", f"{one}=/{pairs[one][:2]}/",
               pairs["a"], pairs["n"], pairs["v"], "*", "a=now", "", "z=1", f"{one}=", f"{one}= {pairs[one]}"]  # fmt: skip
        return text if pick.random() < 0.6 else pick.choice(odd)

    def _target(self) -> None:
        pick = self.random
        text = pick.choice([self.heads[0].get("Suite", "x"), self.heads[-1].get("Codename", "x"),
                            "absent", "now", "n=jetty", "4.2", "st*", "o=Mooring"])  # fmt: skip
        self.put("etc/apt/apt.conf.d/10target", f'APT::Default-Release "{text}";\n')
