"""What is measured of a stretch of a recording, figure by figure, with what the design predicts beside it."""

from wattigram.core.judge.measured.as_expectation import as_expectation
from wattigram.core.judge.measured.figures import Figure, Measured
from wattigram.core.judge.measured.kinds import KINDS, Kind, Wanted, measure

__all__ = ["KINDS", "Figure", "Kind", "Measured", "Wanted", "as_expectation", "measure"]
