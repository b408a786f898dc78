"""`python -m hovrik` and the `hovrik` command."""

from __future__ import annotations

import sys
from pathlib import Path

from .cli import commands


def main() -> None:
    """Run the command line; a lone file opens in the window."""
    arguments = sys.argv[1:]
    is_file = len(arguments) == 1 and arguments[0] not in commands.commands and not arguments[0].startswith("-")
    if is_file and (Path(arguments[0]).suffix or Path(arguments[0]).exists()):
        arguments = ["open", *arguments]
    commands.main(args=arguments or ["open"], prog_name="hovrik")


if __name__ == "__main__":
    main()
