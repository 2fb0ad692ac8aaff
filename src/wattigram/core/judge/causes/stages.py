"""What software makes of samples: nothing, or something else than its stage says."""

from __future__ import annotations

import numpy as np

from wattigram.core.board.processing import Tap
from wattigram.core.judge.causes.base import (
    FailingSignal,
    LikelyCause,
    first_values,
    register_cause,
)
from wattigram.core.model.design import rate_divisor, tap_index
from wattigram.core.silicon.deploy import effective_taps

FEWEST_VALUES = 8
LEAST_SHARE = 0.01


@register_cause("stage-not-served")
def stage_gives_nothing(case: FailingSignal) -> LikelyCause | None:
    """Samples come, and what software should make of them does not."""
    stage = case.signal.later_filter
    reduced = case.take.reduced_count(case.signal.name)
    if stage is None or case.take.has_only_samples or case.captured is None or reduced:
        return None
    came = case.take.came(case.signal.name)
    due = came // rate_divisor(stage)
    if due < FEWEST_VALUES:
        return None
    return case.cause(
        "stage-not-served",
        f"The firmware makes nothing of {case.signal.name}",
        0.9,
        f"{came} samples came, and none of the {due} values that software should make of them",
        None,
    )


@register_cause("stage-differs")
def stage_makes_something_else(case: FailingSignal) -> LikelyCause | None:
    """The samples that came, put through the stage, give other values than those that came."""
    project, name = case.take.workspace.project, case.signal.name
    reduced, index = first_values(case.take, name), tap_index(project, name)
    whole = not case.take.lost_items(case.stream) and not case.take.repeated_items(case.stream)
    stage = case.signal.later_filter
    if (
        reduced is None
        or index is None
        or stage is None
        or stage.done_in == "hardware"
        or not whole
    ):
        return None
    items = case.first_items
    tap = Tap(
        effective_taps(case.take.workspace)[index], len(case.chain.slots), case.chain.buffer.samples
    )
    made = tap.feed(items, 0, np.arange(len(items)))[1].values & 0xFFFFFFFF
    came = reduced.items[: len(made)].astype(np.int64)
    differs = made[: len(came)] != came
    share = float(differs.mean()) if len(came) >= FEWEST_VALUES else 0.0
    if share < LEAST_SHARE:
        return None
    first = int(np.argmax(differs))
    return case.cause(
        "stage-differs",
        f"The firmware makes other values of {name} than its stage says",
        0.8 + 0.2 * share,
        f"{share * 100:.0f} % of the values are not what the samples give that came: value "
        f"{first} is {came[first]}, and "
        f"they give {made[first]}",
        None,
    )
