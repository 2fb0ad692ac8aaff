"""The virtual board: runs from a board configuration, knows nothing of designs."""

from wattigram.core.board.run import Run

__all__ = ["Run"]
