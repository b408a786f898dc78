"""`python -m hovrik` and the `hovrik` command."""

from __future__ import annotations

import sys

from .cli import commands


def main() -> None:
    """Run the command line; a lone notebook file opens in the window."""
    arguments = sys.argv[1:]
    if arguments and arguments[0].endswith(".hovrik"):
        arguments = ["open", *arguments]
    commands.main(args=arguments or ["open"], prog_name="hovrik")


if __name__ == "__main__":
    main()
