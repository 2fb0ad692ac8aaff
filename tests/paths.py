"""Where the examples lie, for tests."""

from __future__ import annotations

from pathlib import Path

from wattigram.examples import EXAMPLES, STUDIO_KILN, example_files

__all__ = ["CASES", "EXAMPLES", "EXAMPLE_FILES", "FORMER_FILES", "KILN"]

EXAMPLE_FILES = list(example_files())
KILN = STUDIO_KILN
FORMER_FILES = Path(__file__).parent / "former"
"""The examples as they were in version 4 of the project format."""
CASES = Path(__file__).parent / "cases"
"""Projects and files that once came out wrong, and made-up parts."""
