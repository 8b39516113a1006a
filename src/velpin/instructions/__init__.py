"""What vendors' instructions would do to a host: read, and never run.

    page     a page as people copy it becomes shell lines, and what stands loose between them
    words    the words of a shell line, with what they stand for
    machine  goes through the statements, one command after another, on an imagined host
    commands what each command does there
    reading  what came of it: sources, keys, rules, requests, and what was not followed

Nothing here starts a process, writes a file or knows a kind of host by more than its name.
"""
