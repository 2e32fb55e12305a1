"""`python -m convoy_agent`, and the command `convoy`."""

import sys

from .commands.plain_files import main as plain_main
from .commands.plain_files import plain


def main() -> None:
    """Commands on plain files start without what syncing needs: half a second less."""
    names = {command.name or getattr(command.callback, "__name__", "") for command in plain.registered_commands}
    names |= {group.name or "" for group in plain.registered_groups}
    if len(sys.argv) > 1 and sys.argv[1] in names:
        plain_main()
    else:
        from .commands.app import main as full_main

        full_main()


if __name__ == "__main__":
    main()
