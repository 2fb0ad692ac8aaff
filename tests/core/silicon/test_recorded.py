"""Every answer of this district about a design, as it was."""

from __future__ import annotations

from tests.recorded.district import recorded_tests

test_figures, test_changes, test_mistakes = recorded_tests("silicon")
