"""Documents of module lists, as repositories of rpm hosts have them."""

from __future__ import annotations


def stream(name: str, number: int, **more: str) -> str:
    """A build of a stream of a module. Unless `rpms` lists others, the module has package NAME,
    without its first letter, in version NUMBER."""
    needs = more.get("needs", "")
    listed = "".join(f"      {need.replace('=', ': ')}\n" for need in needs.split())
    requires = f"  dependencies:\n  - requires:\n{listed}" if needs else ""
    listed = "".join(
        f"    {profile}:\n      rpms: [{names}]\n"
        for profile, _, names in (each.partition("=") for each in more.get("profiles", "").split())
    )
    profiles = f"  profiles:\n{listed}" if listed else ""
    package = f"{name.removeprefix('m')}-0:{more.get('package', str(number))}-1.x86_64"
    return (
        f"---\ndocument: modulemd\nversion: 2\ndata:\n  name: {name}\n  stream: '{number}'\n"
        f"  version: {more.get('version', '1')}\n  context: {more.get('context', 'c')}\n"
        f"  arch: x86_64\n  summary: s\n  description: d\n  license:\n    module: [MIT]\n{requires}{profiles}"
        f"  artifacts:\n    rpms: [{more.get('rpms', package)}]\n...\n"
    )


def default(name: str, number: int, **profiles: str) -> str:
    """The stream of a module that counts where nothing is enabled, and by stream, as in `s2`, the
    profiles that are installed where none is named."""
    told = "".join(f"    '{key[1:]}': [{names}]\n" for key, names in profiles.items())
    told = f"  profiles:\n{told}" if told else ""
    return (
        f"---\ndocument: modulemd-defaults\nversion: 1\ndata:\n  module: {name}\n"
        f"  stream: '{number}'\n{told}...\n"
    )
