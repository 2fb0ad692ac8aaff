"""Everything that can be computed, with no interface code."""
