"""What each command does on an imagined host, by its name."""

from velpin.instructions.commands import (
    alpm,
    deb,
    fetching,
    files,
    keys,
    rpm,
    system,
    texts,
)  # fmt: skip
from velpin.instructions.machine import Command

COMMANDS: dict[str, Command] = {
    **texts.COMMANDS, **files.COMMANDS, **fetching.COMMANDS, **system.COMMANDS, **keys.COMMANDS,
    **deb.COMMANDS, **rpm.COMMANDS, **alpm.COMMANDS,
}  # fmt: skip
