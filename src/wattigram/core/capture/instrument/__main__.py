"""``python -m wattigram.core.capture.instrument [PORT]``: the simulated instrument as a program of
its own."""

from __future__ import annotations

import contextlib
import sys

from wattigram.core.capture.instrument.simulated import serve


def main() -> int:
    """Serve until the end; the port is told on standard output."""
    port = int(sys.argv[1]) if len(sys.argv) > 1 and sys.argv[1].isdigit() else 0
    level_v = float(sys.argv[2]) if len(sys.argv) > 2 else None
    with contextlib.suppress(KeyboardInterrupt):
        serve(port, level_v, lambda listening: print(f"scpi:127.0.0.1:{listening}", flush=True))
    return 0


if __name__ == "__main__":
    sys.exit(main())
