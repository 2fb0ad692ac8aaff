"""Every answer of this district about a design, and its formulas, as they were."""

from __future__ import annotations

from tests.recorded.district import recorded_tests
from tests.recorded.figures import check_recorded
from tests.recorded.questions import answers
from wattigram.core.model.design import Workspace

test_figures, test_changes, test_mistakes = recorded_tests("predict")


def test_formulas_give_what_is_recorded(kiln: Workspace) -> None:
    found = answers("wattigram.core.predict", kiln, plain=True)
    check_recorded("predict/formulas", found)
