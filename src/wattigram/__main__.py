"""``python -m wattigram``: the same as ``wattigram``."""

from wattigram.cli.main import main

main()
