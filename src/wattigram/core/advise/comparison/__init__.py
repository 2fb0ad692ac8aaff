"""Two designs side by side, and what an edit would change."""

from wattigram.core.advise.comparison.consequences import Consequence, consequences
from wattigram.core.advise.comparison.figures import DesignDifference, compare_designs, value_text

__all__ = ["Consequence", "DesignDifference", "compare_designs", "consequences", "value_text"]
