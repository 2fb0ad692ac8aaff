"""``python -m wattigram.core.emulator IMAGE``: a virtual board that runs an image, as a program.

Takes its set-up as one line of JSON on standard input.
"""

from __future__ import annotations

import sys
from pathlib import Path

from wattigram.core.board.program import serve
from wattigram.core.emulator.hints import parse_setup
from wattigram.core.emulator.server import ImageServer
from wattigram.core.errors import WattigramError
from wattigram.core.image import load_image


def main() -> int:
    """Read the set-up and serve."""
    attached = "--attached" in sys.argv[2:]
    try:
        setup = parse_setup(sys.stdin.buffer.readline().decode("utf-8", "replace"))
        image = load_image(Path(sys.argv[1]))
        server = ImageServer(setup, image, watch_fd=sys.stdin.fileno() if attached else None)
    except WattigramError as fault:
        sys.stderr.write(f"{fault}\n")
        return 2
    serve(server, "image", sys.stdout)
    return 0


if __name__ == "__main__":
    sys.exit(main())
