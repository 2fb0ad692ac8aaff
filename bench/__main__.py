"""``make bench``: every row with its bound; with ``--strict`` exit status 1 when a goal is
missed."""

from __future__ import annotations

import sys

from bench.board import board_rows
from bench.image import image_rows
from bench.link import link_rows
from bench.proof import proof_rows
from bench.start import start_rows
from bench.take import take_rows
from bench.window import window_rows


def main() -> int:
    """Run all benchmarks, or those whose group is named: board, image, link, proof, start, take,
    window."""
    strict = "--strict" in sys.argv
    groups = {
        "board": board_rows,
        "image": image_rows,
        "link": link_rows,
        "proof": proof_rows,
        "start": start_rows,
        "take": take_rows,
        "window": window_rows,
    }
    wanted = [name for name in sys.argv[1:] if name in groups] or list(groups)
    print(
        f"{'what':<46}{'bound in the same run':<40}{'ratio':>8} {'goal':>8}     {'ours':>12} "
        f"{'bound':>12}"
    )
    missed = 0
    for name in wanted:
        for row in groups[name]():
            print(row.line(), flush=True)
            missed += row.ratio > row.goal
    return 1 if missed and strict else 0


if __name__ == "__main__":
    sys.exit(main())
