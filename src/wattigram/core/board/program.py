"""The virtual board as a program: reads a configuration, says where it listens, serves."""

from __future__ import annotations

import contextlib
import json
import os
import signal
import sys
from typing import TextIO

from wattigram.core.board.server import BoardServer, PortServer
from wattigram.core.contract.board_config import EffectiveConfig


def serve_board(
    config: EffectiveConfig,
    *,
    tcp_port: int = 0,
    fast: bool = False,
    attached: bool = False,
    out: TextIO = sys.stdout,
) -> None:
    """Serve until interrupted.

    Prints one line of JSON with ``pty``, ``tcp``, ``build_id`` and ``key`` when ready.
    ``attached`` ends the
    board when standard input is closed, so that it never outlives the program that started it.
    """
    watch_fd = sys.stdin.fileno() if attached else None
    serve(BoardServer(config, tcp_port, fast, watch_fd), config.build_id, out)


def serve(server: PortServer, build_id: str, out: TextIO, **more: int) -> None:
    """Say where a server listens, with ``more`` of it, then serve until interrupted."""
    ready = {
        "pty": server.pty_path,
        "tcp": server.tcp_port,
        "build_mark": build_id,
        "key": server.key,
        "pid": os.getpid(),
        **more,
    }
    out.write(json.dumps(ready) + "\n")
    out.flush()
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
    with contextlib.suppress(KeyboardInterrupt):
        server.serve()
