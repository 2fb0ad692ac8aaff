"""From a design and its bench to the effective configuration that a board runs from."""

from wattigram.core.deploy.effective import effective_config
from wattigram.core.deploy.watching import effective_taps
from wattigram.core.deploy.wiring import effective_bench

__all__ = ["effective_bench", "effective_config", "effective_taps"]
