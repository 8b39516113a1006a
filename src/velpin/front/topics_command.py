"""The command that explains topics."""

from __future__ import annotations

from collections.abc import Sequence
from importlib.resources import files

from velpin.errors import UsageError
from velpin.front.completion import TOPICS
from velpin.front.screen import Piece, Screen
from velpin.model.shell import as_typed


def text_of(topic: str) -> str:
    """The text of a topic: a title, then paragraphs; indented lines stand as they are."""
    return (files("velpin.front") / "topics" / f"{topic}.txt").read_text("utf-8")


def show_topic(screen: Screen, topic: str) -> None:
    """Print a topic; UsageError where there is none such."""
    if topic not in TOPICS:
        raise UsageError(
            f"no topic and no command is called {topic!r}", f"topics: {', '.join(TOPICS)}"
        )
    title, _, rest = text_of(topic).partition("\n")
    screen.line((title, "head"))
    for line in rest.rstrip("\n").split("\n"):
        screen.stream.write(line + "\n")


def welcome(screen: Screen, words: Sequence[str]) -> None:
    """What stands for a command line without a command: what Velpin is, and where to begin."""
    program = as_typed(["velpin", *words])
    screen.line((
        "Velpin says which source and version a host's packages will come from, and why, before"
        " anything is changed.", "answer",
    ))  # fmt: skip
    screen.gap()
    rows: list[list[Piece]] = [
        [(f"{program} sources", "command"), "which sources this host has, and which one wins"],
        [(f"{program} forecast NAME", "command"), "what would be installed, from where, and why"],
        [("velpin demo", "command"), "a tour on a made-up host; nothing of yours is touched"],
    ]
    screen.table(["to begin with", ""], rows)
    screen.gap()
    screen.line("all commands: ", ("velpin --help", "command"), "; one of them, or a topic: ",
                ("velpin help NAME", "command"))  # fmt: skip


def list_topics(screen: Screen) -> None:
    """Every topic with its title."""
    screen.line(("Topics", "head"))
    for topic in TOPICS:
        title = text_of(topic).partition("\n")[0]
        screen.line((f"velpin help {topic:10}", "command"), title)
    screen.gap()
    screen.line("commands and their options: ", ("velpin --help", "command"), ", ",
                ("velpin help COMMAND", "command"))  # fmt: skip
