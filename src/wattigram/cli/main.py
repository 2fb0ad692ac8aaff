"""``wattigram``: the commands, and what becomes of their errors."""

from __future__ import annotations

import sys

from wattigram import __version__


def main() -> None:
    """Run a command; a fault of the user's becomes a sentence and exit status 2."""
    if sys.argv[1:] == ["--version"]:  # asked by scripts, and needs nothing of the rest
        print(f"wattigram {__version__}")
        return
    from wattigram.cli.commands import run_command  # late: see above

    sys.exit(run_command())
