"""``python -m wattigram.core.board``: the program that the desktop and the command line start.

Takes the effective configuration as one line of JSON on standard input.
"""

from __future__ import annotations

import sys

from wattigram.core.base.errors import BoardError
from wattigram.core.board.program import serve_board
from wattigram.core.contract.board_config import parse_config


def main() -> int:
    """Read the configuration and serve."""
    try:
        config = parse_config(sys.stdin.buffer.readline().decode("utf-8", "replace"))
    except BoardError as fault:
        sys.stderr.write(f"{fault}\n")
        return 2
    serve_board(config, attached="--attached" in sys.argv[1:])
    return 0


if __name__ == "__main__":
    sys.exit(main())
