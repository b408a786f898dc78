"""`python -m hovrik` and the `hovrik` command."""

from __future__ import annotations

import sys

if __name__ == "__main__" and not sys.flags.safe_path and sys.path:
    del sys.path[0]  # the folder it was started in: nothing that lies there is loaded in place of what is ours

from pathlib import Path


def main() -> None:
    """Run the command line; a lone file opens in the window."""
    arguments = sys.argv[1:]
    if arguments[:1] == ["press"] and _has_pressed(arguments[1:]):
        return
    from .cli import commands

    is_file = len(arguments) == 1 and arguments[0] not in commands.commands and not arguments[0].startswith("-")
    if is_file and (Path(arguments[0]).suffix or Path(arguments[0]).exists()):
        arguments = ["open", *arguments]
    commands.main(args=arguments or ["open"], prog_name="hovrik")


def _has_pressed(rest: list[str]) -> bool:
    """Tell a blind test of a key at once, before all else is loaded; whether it was told."""
    from .app.knock import PRESS, knock
    from .store.places import default_path

    return len(rest) < 2 and knock(Path(rest[0]) if rest else default_path(), PRESS)


if __name__ == "__main__":
    main()
