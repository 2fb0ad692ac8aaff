"""``python -m wattigram.core.emulator IMAGE``: a virtual board that runs an image, as a program.

Takes its set-up as one line of JSON on standard input.
"""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from wattigram.core.base.errors import WattigramError
from wattigram.core.board.program import serve
from wattigram.core.contract.image import load_image
from wattigram.core.emulator.board_setup import parse_setup
from wattigram.core.emulator.server import ImageServer


def main() -> int:
    """Read the set-up and serve."""
    arguments = _arguments()
    try:
        setup = parse_setup(sys.stdin.buffer.readline().decode("utf-8", "replace"))
        image = load_image(arguments.image)
        watch_fd = sys.stdin.fileno() if arguments.attached else None
        server = ImageServer(setup, image, arguments.tcp, arguments.fast, watch_fd, arguments.gdb)
    except WattigramError as fault:
        sys.stderr.write(f"{fault}\n")
        return 2
    except OSError as fault:
        sys.stderr.write(f"The board cannot listen: {fault.strerror}. Choose another port.\n")
        return 2
    serve(server, "image", sys.stdout, gdb=server.debug.port)
    return 0


def _arguments() -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="python -m wattigram.core.emulator")
    parser.add_argument("image", type=Path)
    parser.add_argument("--attached", action="store_true", help="end when standard input is closed")
    parser.add_argument("--tcp", type=int, default=0, help="port on loopback")
    parser.add_argument("--gdb", type=int, default=0, help="port on loopback for a debugger")
    parser.add_argument("--fast", action="store_true", help="as fast as it goes")
    return parser.parse_args()


if __name__ == "__main__":
    sys.exit(main())
