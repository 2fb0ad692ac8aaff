"""The virtual board: runs from a board configuration, knows nothing of designs."""

from wattigram.core.board.dma_routes import OVERWRITTEN, TORN, serial_codes
from wattigram.core.board.run import Run

__all__ = ["OVERWRITTEN", "TORN", "Run", "serial_codes"]
