"""Write the manual pages, man/*.1 and man/*.7, from the commands themselves and their topics; and
what completion knows of the commands.

python tools/manual.py            write all
python tools/manual.py --check    exit 1 where a file is not what would be written
"""

from __future__ import annotations

import json
import re
import sys
import textwrap
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import typer

import velpin
from velpin.front import cli
from velpin.front.commands import Parameter
from velpin.front.topics_command import TOPICS, text_of
from velpin.front.usage import USAGE

OUT = Path(__file__).parents[1] / "man"
TABLE = Path(__file__).parents[1] / "src/velpin/front/shells/commands.json"
DATE = "2026-11-29"
"""Of the release, as CHANGELOG.md has it."""
SUMMARY = "which source and version a host's packages will come from, and why"
EXIT_CODES = (
    ("0", "Done, or as asked."), ("1", 'A clear "no": it cannot be met, findings, differences.'),
    ("2", "Wrong usage."), ("3", "The host's files cannot be read or are not understood."),
    ("4", "Trust: a signature, key or checksum."), ("5", "A source cannot be reached."),
    ("70", "A fault of Velpin's own; --debug shows where."),
)  # fmt: skip
FILES = (
    ("etc/velpin/velpin.toml", "Settings, optional."),
    ("etc/velpin/catalogs/*.toml", "Catalogs of known sources."),
    ("var/lib/velpin", "The journal of changes."),
    ("var/cache/velpin", "Fetched and parsed indexes; may be removed at any time."),
)
DESCRIPTION = (
    "Answers, before anything is changed, which source and which version each requested package"
    " would be installed from, and why; also for a change that is only being considered. When the"
    " answer is the wanted one, it makes the change to the host's sources, priorities and pins,"
    " proves it, and can take it back. It never installs packages: the host's own installer does."
)


def escaped(text: str) -> str:
    """A text as a line of a page: nothing in it is taken for a request."""
    text = text.replace("\\", "\\e").replace("-", "\\-").replace("'", "\\(aq").replace("`", "\\`")
    return re.sub(r"(?m)^([.])", r"\\&\1", text)


def filled(text: str) -> str:
    """A paragraph, in lines of a readable length."""
    return escaped(textwrap.fill(text, 76, break_on_hyphens=False, break_long_words=False))


def head(name: str, section: int, summary: str) -> Iterator[str]:
    """How each page begins."""
    title = escaped(name.upper())
    yield '.\\" Written by tools/manual.py; do not edit.'
    yield f'.TH {title} {section} {DATE} "velpin {velpin.__version__}" "Velpin"'
    yield ".SH NAME"
    yield f"{escaped(name)} \\- {filled(summary)}"


def listed(rows: Iterator[tuple[str, str]]) -> Iterator[str]:
    """Terms, each with its text below it."""
    for term, text in rows:
        yield from (".TP", f".B {escaped(term)}", filled(text))


def commands() -> dict[str, Any]:
    """Every command, as Typer has it."""
    group: Any = typer.main.get_command(cli._build([]))
    found: dict[str, Any] = group.commands
    return found


def usage_of(name: str, command: Any) -> str:
    """How a command is called."""
    pieces = command.collect_usage_pieces(typer.Context(command, info_name=name))
    return f"velpin {name} {' '.join(pieces)}"


def options_of(command: Any) -> Iterator[tuple[str, str]]:
    """Options, and arguments with a text, each with it."""
    context = typer.Context(command)
    for parameter in command.get_params(context):
        record = parameter.get_help_record(context)
        if record is not None:
            yield record[0], record[1] or ""


def command_page(name: str, command: Any) -> str:
    """The page of one command."""
    usage = USAGE[name]
    summary = command.help.partition("\n")[0].rstrip(".")
    lines = [*head(f"velpin-{name}", 1, summary[0].lower() + summary[1:])]
    lines += [".SH SYNOPSIS", ".nf", escaped(usage_of(name, command)), ".fi"]
    lines += [".SH DESCRIPTION", filled(usage.details)]
    lines += [".SH OPTIONS", *listed(options_of(command))]
    lines += [".SH EXAMPLES", "On the host that", ".B velpin demo \\-\\-keep", "leaves:"]
    for example in usage.examples:
        lines += [".PP", ".nf", f".B velpin {escaped(example.words)}", ".fi"]
        lines += [".RS 4", filled(example.why), ".RE"]
    lines += [".SH SEE ALSO", ".BR velpin (1)"]
    return "\n".join(lines) + "\n"


def main_page() -> str:
    """The page of the whole program."""
    lines = [*head("velpin", 1, SUMMARY)]
    lines += [".SH SYNOPSIS", ".B velpin", "[\\-\\-root DIR] COMMAND [ARGUMENTS]"]
    lines += [".SH DESCRIPTION", filled(DESCRIPTION), ".SH COMMANDS"]
    for name, command in commands().items():
        summary = command.help.partition("\n")[0]
        lines += [".TP", f".BR velpin\\-{escaped(name)} (1)", escaped(summary)]
    lines += [".SH TOPICS"]
    for topic in TOPICS:
        title = text_of(topic).partition("\n")[0]
        lines += [".TP", f".BR velpin\\-{topic} (7)", escaped(title)]
    lines += [".SH EXIT STATUS", *listed(iter(EXIT_CODES))]
    lines += [".SH FILES", "Below the root of the host:", *listed(iter(FILES))]
    return "\n".join(lines) + "\n"


def topic_page(topic: str) -> str:
    """The page of a topic: paragraphs are filled, indented lines stand as they are."""
    title, _, rest = text_of(topic).partition("\n")
    lines = [*head(f"velpin-{topic}", 7, title[0].lower() + title[1:]), ".SH DESCRIPTION"]
    for number, block in enumerate(rest.strip("\n").split("\n\n")):
        lines += [".PP"] if number else []
        if block.startswith(" "):
            lines += [".nf", escaped(block), ".fi"]
        else:
            lines += [escaped(block)]
    lines += [".SH SEE ALSO", ".BR velpin (1)"]
    return "\n".join(lines) + "\n"


def completion_table() -> str:
    """What completion knows of the commands, as JSON."""
    told = {
        name: {
            "help": command.help.partition("\n")[0],
            "parameters": [
                Parameter(
                    each.name, tuple(each.opts) if each.param_type_name == "option" else (),
                    not getattr(each, "is_flag", False),
                    each.nargs == -1, getattr(each, "help", "") or "",
                )._asdict()
                for each in command.get_params(typer.Context(command))
            ],
        }
        for name, command in commands().items()
    }  # fmt: skip
    return json.dumps(told, indent=1) + "\n"


def pages() -> dict[str, str]:
    """Every page by its file's name."""
    found = {f"velpin-{name}.1": command_page(name, each) for name, each in commands().items()}
    found |= {f"velpin-{topic}.7": topic_page(topic) for topic in TOPICS}
    return {"velpin.1": main_page(), **found}


def main(words: list[str]) -> int:
    """Write the pages, or tell whether they are as they would be written."""
    wanted = pages()
    if words == ["--check"]:
        there = {path.name: path.read_text("utf-8") for path in OUT.glob("*.[17]")}
        return int(there != wanted or TABLE.read_text("utf-8") != completion_table())
    OUT.mkdir(exist_ok=True)
    for path in OUT.glob("*.[17]"):
        path.unlink()
    for name, text in wanted.items():
        (OUT / name).write_text(text, "utf-8")
    TABLE.write_text(completion_table(), "utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
