"""The command that explains topics."""

from __future__ import annotations

from importlib.resources import files

from velpin.errors import UsageError
from velpin.front.completion import TOPICS
from velpin.front.screen import Screen


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


def list_topics(screen: Screen) -> None:
    """Every topic with its title."""
    screen.line(("Topics", "head"))
    for topic in TOPICS:
        title = text_of(topic).partition("\n")[0]
        screen.line((f"velpin help {topic:10}", "command"), title)
    screen.gap()
    screen.line("commands and their options: ", ("velpin --help", "command"), ", ",
                ("velpin help COMMAND", "command"))  # fmt: skip
