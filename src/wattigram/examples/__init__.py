"""Projects to begin with; each has a folder of its own."""

from __future__ import annotations

from pathlib import Path

EXAMPLES = Path(__file__).parent
STUDIO_KILN = EXAMPLES / "studio-kiln" / "studio-kiln.wattigram.toml"
"""The demo project."""


def example_files() -> tuple[Path, ...]:
    """Project files of all examples, by name."""
    return tuple(sorted(EXAMPLES.glob("*/*.wattigram.toml")))
