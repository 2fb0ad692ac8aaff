"""``python -m wattigram.cli``: the same as ``wattigram``."""

from wattigram.cli.main import main

main()
