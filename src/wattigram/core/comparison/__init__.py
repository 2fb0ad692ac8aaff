"""Two designs side by side, and what an edit would change."""

from wattigram.core.comparison.consequences import Consequence, consequences
from wattigram.core.comparison.figures import Difference, compare_designs, value_text

__all__ = ["Consequence", "Difference", "compare_designs", "consequences", "value_text"]
