"""From a design and its bench to the effective configuration that a board runs from."""

from wattigram.core.deploy.effective import effective_bench, effective_config

__all__ = ["effective_bench", "effective_config"]
