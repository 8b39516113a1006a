"""What is told of each command beyond its options: a paragraph, and examples on the demo's hosts.

`--help` shows the examples, the manual pages all of it. Each example is run by a test, in a folder
that `velpin demo --keep` made; commands that change a host only as a preview.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple


class Example(NamedTuple):
    """A command line that works in a kept demo, behind `velpin --root HOST`."""

    words: str
    why: str
    code: int = 0
    """The exit code it ends with there."""


class Usage(NamedTuple):
    """What a command does in full, and examples of it."""

    details: str
    examples: tuple[Example, ...]


USAGE: Mapping[str, Usage] = {
    "host": Usage(
        "Reads the host's own files: which kind of host it is, its release and architectures, the"
        " installer and the generation whose rules forecasts follow, how many sources are on, and"
        " how old their indexes are. Entries that the installer does not understand are listed with"
        " file and line.",
        (
            Example("host", "what this host is"),
            Example("host --json", "the same for programs"),
        ),
    ),
    "sources": Usage(
        "Lists every source in the order in which it wins. Sources in one tier stand equal: the"
        " newest version wins among them; a higher tier wins whatever the version. The host's own"
        " priority stands beside it, with the state, the key and the age of the index.",
        (
            Example("sources", "which source wins"),
            Example("sources --files", "also where each of them is written"),
        ),
    ),
    "forecast": Usage(
        "Answers which version of each package the host's installer would take, from which source,"
        " and why; with everything that comes along, is replaced or removed. Several requests are"
        " one transaction. Where the installer would refuse, the chain of causes is shown, and ways"
        " out that were tried. See velpin help requests.",
        (
            Example("forecast tide-gauge --why", "the source, the version, and the reasons"),
            Example("forecast harbour-log@2.0-5", "one version of it"),
            Example("forecast tide-gauge%mooring-jetty-fresh", "from one source"),
            Example("forecast --upgrade", "what the full upgrade would change and hold back"),
            Example("forecast tide-forecast", "a request that is refused, and what would help", 1),
            Example("forecast ./gull-tool_1.2_all.deb", "a package file, with what it needs", 3),
        ),
    ),
    "offers": Usage(
        "Lists all versions that exist of some names, in every source, also in those that are"
        " switched off; the one that would be installed is marked. With --from it lists what one"
        " source has; with --at it looks at a repository that is no source of this host yet.",
        (
            Example("offers tide-gauge", "every version of a package"),
            Example("offers tide-gauge --full", "with description, sizes and relations"),
            Example("offers --from fogworks 'fog*'", "what one source has by a pattern"),
            Example(
                "offers --at http://deb.gullwatch.example/apt",
                "what a repository has, for which releases, signed by whom",
            ),
        ),
    ),
    "find": Usage(
        "Finds packages whose name or description holds all the words, the best match first, in"
        " all sources and in what is installed.",
        (
            Example("find fog", "by a word"),
            Example("find tide model", "by several words, all of which must be there"),
        ),
    ),
    "keys": Usage(
        "Lists the keys that sign for sources, from when until when each is valid, and what it"
        " vouches for. A key that vouches for every source that names none is told as such.",
        (
            Example("keys", "the keys and their sources"),
            Example("keys --full", "whole fingerprints, in groups to be compared by eye"),
        ),
    ),
    "refresh": Usage(
        "Fetches the indexes of the sources that are on, checks every signature and checksum, and"
        " keeps them in Velpin's own store; the installer's copies are left alone. A source that"
        " fails keeps its last good index. A source that calls itself something else than before"
        " is refused until --accept-changed says that this is meant.",
        (
            Example("refresh", "all sources"),
            Example("refresh fogworks", "one of them"),
        ),
    ),
    "add": Usage(
        "Adds a source: from what a vendor's page says to run, which is read and not run (a file,"
        " - for standard input, or the quoted lines); by its address; from a vendor's snippet; from"
        " a vendor's release package, which is opened and not run; or by the name of a source in a"
        " catalog. It is fetched and its key is checked first. Where it would"
        " take over installed packages that were not named, that is told first, with the command"
        " that prevents it.",
        (
            Example("add page.txt --preview", "what would a vendor's page do to this host?"),
            Example(
                "add gullwatch --url http://deb.gullwatch.example/apt --suite jetty --component"
                " main --key keys/gullwatch.asc",
                "by address, with the vendor's key",
            ),
            Example(
                "add gullwatch --url http://deb.gullwatch.example/apt --suite jetty --component"
                " main --key keys/gullwatch.asc --only 'gullwatch*'",
                "confined to the vendor's own packages at once",
            ),
            Example(
                "add snippet.list --name gullwatch --key keys/gullwatch.asc",
                "from a snippet; this one was written for another release, which is told",
                1,
            ),
        ),
    ),
    "off": Usage(
        "Switches a source off without removing it; its packages stay installed and get no updates"
        " until it is on again.",
        (
            Example("off fogworks", "switch it off for a while"),
            Example("off fogworks --preview", "only show what that would change"),
        ),
    ),
    "on": Usage(
        "Switches a source on that is off. What the next upgrade would then take from it is shown"
        " first.",
        (
            Example("on harborside", "switch it on again"),
            Example("on harborside --all", "show everything that would change"),
        ),
    ),
    "drop": Usage(
        "Removes a source and, where no other source uses it, the key that Velpin stored for it."
        " Installed packages that came from it are listed.",
        (
            Example("drop fogworks", "remove it"),
            Example("drop fogworks --preview", "see what came from it first"),
        ),
    ),
    "prefer": Usage(
        "Makes a source win over another whatever the versions. Each kind of host has its own way"
        " to say that; the forecast under the changed files must show it, or nothing is written.",
        (
            Example(
                "prefer mooring-jetty-fresh --over mooring-jetty", "one source over another"
            ),
            Example("prefer mooring-jetty-fresh --over-all", "over all others"),
        ),
    ),
    "confine": Usage(
        "Lets a source provide only the named packages, so that it cannot replace others. Said"
        " again for the same source, the names add up; --lift takes names back, or the whole rule.",
        (
            Example("confine mooring-jetty-fresh 'tide-*'", "only packages of a pattern"),
            Example("confine mooring-jetty-fresh 'tide-*' 'libtide*'", "and one more"),
        ),
    ),
    "pin": Usage(
        "Pins packages to a version (a pattern may be given) or to a source. A version older than"
        " the installed one needs --allow-older. Where another rule wins, it is named with file and"
        " line, and --foremost writes this one where it does win.",
        (
            Example("pin storm-flag@1.9-1 --allow-older", "an older version"),
            Example("pin fog-signal --from mooring-jetty", "from one source, whatever is newer"),
        ),
    ),
    "bar": Usage(
        "Bars packages from a source, versions of a package, pre-releases of a source, or a whole"
        " source from being installed.",
        (
            Example("bar 'fog*' --from fogworks", "some packages from one source"),
            Example("bar fog-signal@3.2*", "some versions"),
            Example("bar --pre-releases --from fogworks", "what is not final yet"),
        ),
    ),
    "keep": Usage(
        "Keeps installed packages in the version they have now, against every upgrade.",
        (
            Example("keep harbour-log", "leave it as it is"),
            Example("keep 'harbour-*'", "all installed packages of a pattern"),
        ),
    ),
    "rules": Usage(
        "Lists the rules in force, whoever wrote them, with what each decides today, and those that"
        " decide nothing, with the reason. `rules drop` removes rules by number or FILE:LINE.",
        (
            Example("rules", "what is in force, and what is dead"),
            Example("rules drop 1", "remove one by its number"),
        ),
    ),
    "want": Usage(
        "Finds the smallest changes of rules and sources after which the requests get what they"
        " ask for; each option was tried. One of them can be applied.",
        (
            Example("want tide-gauge@2.4*", "a newer version than would come"),
            Example("want fog-signal --from mooring-jetty", "from another source"),
        ),
    ),
    "shift": Usage(
        "Saves a snapshot of how every installed package stands, or compares the host with one:"
        " which packages would now come differently, and whether a source, its content, a rule or"
        " the host itself is the cause.",
        (
            Example("shift --save before.picture", "save a snapshot"),
            Example("shift --since before.picture", "what changed since", 1),
        ),
    ),
    "catalog": Usage(
        "Lists the sources that the host's catalogs know and that fit it; shows one with its"
        " address filled in; searches. `catalog add` keeps a signed catalog from an address,"
        " `catalog refresh` brings such catalogs up to date, `catalog write` writes an entry from"
        " sources that this host has. No catalog ever changes a source that is there.",
        (
            Example("catalog --all", "what is there for this host, and what is not, and why"),
            Example("catalog write fogworks", "an entry for a source of this host"),
        ),
    ),
    "export": Usage(
        "Writes the host's sources, their keys, Velpin's rules and what is switched off as a file"
        " that `conform` takes.",
        (
            Example("export", "print it"),
            Example("export --out whole.toml", "write it into a file, its keys beside it"),
            Example("export --self-contained", "with all keys in it"),
        ),
    ),
    "conform": Usage(
        "Makes the host as a file says, as one change with one question and one journal entry. A"
        " second run changes nothing. Expectations in the file are checked first: one that would"
        " fail stops the change.",
        (
            Example("conform observatory-2.toml", "make the host so", 1),
            Example("conform observatory.toml --preview", "only tell what would change", 1),
        ),
    ),
    "expect": Usage(
        "Checks what must be true of the forecast, as a file says; each failure is shown with the"
        " reasons of the forecast. For timers and pipelines: exit code 1 where one fails.",
        (
            Example("expect observatory.toml", "check the expectations in a file", 1),
            Example("expect --from-now tide-gauge", "write today's forecast as expectations"),
        ),
    ),
    "checkup": Usage(
        "Finds what is wrong with keys, releases, indexes, the order of sources, what is installed"
        " and the files themselves; the worst first, each with the command that mends it, tried"
        " before. `--next` rehearses the move to another release. Each code is described in"
        " docs/findings.md; what is meant is silenced in the settings.",
        (
            Example("checkup", "what is wrong", 1),
            Example("checkup --mend", "mend all that takes no choice"),
            Example("checkup --next pier", "rehearse the move to another release", 1),
        ),
    ),
    "report": Usage(
        "Writes one page that needs no network and no scripts: sources by tier with their rules,"
        " who gives what, the next upgrade, findings, keys over time, ages of the indexes, and with"
        " --since what changed. Figures need Matplotlib (velpin[report]); without it the page has"
        " its tables alone.",
        (
            Example("report --out harbour.html", "the whole host as a page"),
            Example("report --out harbour.html --since before.picture", "and what changed"),
        ),
    ),
    "journal": Usage(
        "Lists every change that Velpin made to this host, with the files, the newest first.",
        (
            Example("journal", "what was changed"),
            Example("journal --json", "the same for programs"),
        ),
    ),
    "undo": Usage(
        "Takes a change back, byte for byte, where the files are still as it left them; the last"
        " one where no number is given.",
        (
            Example("undo", "the last change"),
            Example("undo 1", "one change by its number"),
        ),
    ),
    "demo": Usage(
        "Shows Velpin at work on a made-up host, every command run for real, without touching this"
        " one: a short tour, or one of the chapters. --keep makes its hosts in a folder, to be"
        " tried out, and tells where they are; --serve then serves their repositories.",
        (
            Example("demo", "the tour"),
            Example("demo --list", "the chapters"),
        ),
    ),
    "completion": Usage(
        "Prints a script that makes a shell complete commands, options, sources, packages, their"
        " versions behind an @, rules and journal numbers.",
        (
            Example("completion bash", "for ~/.bashrc: eval \"$(velpin completion bash)\""),
            Example("completion fish", "for config.fish: velpin completion fish | source"),
        ),
    ),
    "help": Usage(
        "Explains a topic, or shows the help of a command. Without any it lists both.",
        (
            Example("help requests", "how to ask for packages"),
            Example("help forecast", "the help of a command"),
        ),
    ),
}  # fmt: skip


def epilog(command: str) -> str:
    """The examples of a command as they stand below its options."""
    lines = []
    for example in USAGE[command].examples:
        lines += [f"  velpin {example.words}", f"      {example.why}"]
    return "\b\nExamples, on the demo's host:\n" + "\n".join(lines)
