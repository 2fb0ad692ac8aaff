"""Where the examples lie, for tests."""

from __future__ import annotations

from wattigram.examples import EXAMPLES, STUDIO_KILN, example_files

__all__ = ["EXAMPLES", "EXAMPLE_FILES", "KILN"]

EXAMPLE_FILES = list(example_files())
KILN = STUDIO_KILN
