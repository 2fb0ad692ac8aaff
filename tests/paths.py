"""Where the examples lie."""

from __future__ import annotations

from pathlib import Path

EXAMPLES = Path(__file__).parents[1] / "examples"
EXAMPLE_FILES = sorted(EXAMPLES.glob("*/*.wattigram.toml"))
KILN = EXAMPLES / "studio-kiln" / "studio-kiln.wattigram.toml"
