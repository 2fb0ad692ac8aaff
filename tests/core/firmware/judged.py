"""Random stages, windows and twins for the signals of a design, all of them the program's own
work."""

from __future__ import annotations

import random

from tests.conftest import edited
from wattigram.core.model.design import (
    BlockAverage,
    LowPassFilter,
    MovingAverage,
    RedundantPair,
    SumFilter,
    Threshold,
    Workspace,
)
from wattigram.core.model.design.edits import (
    AddThreshold,
    Edit,
    SetFilter,
    SetRedundantPair,
    SetThreshold,
)

MOST_WINDOWS = 3


def judged(workspace: Workspace, seed: int) -> Workspace:
    """The design with other stages and windows for each signal; the last signal is a twin where two
    converters work."""
    dice = random.Random(seed)
    project = workspace.project
    edits: list[Edit] = []
    for signal in project.signals:
        edits += [SetThreshold(signal.name, 0, None)] * len(signal.thresholds)
        edits += [SetRedundantPair(signal.name, None)] * (signal.redundant_pair is not None)
        edits.append(SetFilter(signal.name, _stage(dice)))
    for signal in project.signals:
        others = [one.name for one in project.signals if one.name != signal.name]
        edits += [
            AddThreshold(signal.name, _window(dice, others))
            for _ in range(dice.randint(0, MOST_WINDOWS))
        ]
    chains = project.chains
    if len(chains) > 1:
        pair = [dice.choice(chain.slots).signal for chain in chains[:2]]
        stage = _stage(dice)  # one that keeps them in step
        edits += [SetFilter(name, stage) for name in pair]
        twin = RedundantPair(
            paired_with=pair[0],
            tolerance_v=dice.choice([0.01, 0.2]),
            consecutive=dice.randint(1, 3),
        )
        edits.append(SetRedundantPair(pair[1], twin))
    return edited(workspace, *edits)


def _stage(dice: random.Random) -> SumFilter | BlockAverage | MovingAverage | LowPassFilter | None:
    """Counts that fit their shifts and such as do not, registers that are wide enough and such as
    overflow."""
    count, shift, bits = (
        dice.choice([2, 3, 8, 16, 50]),
        dice.randint(0, 6),
        dice.choice([16, 24, 32]),
    )
    return dice.choice(
        [
            None,
            SumFilter(count=count, shift=shift, accumulator_bits=bits),
            BlockAverage(count=count, shift=shift, accumulator_bits=bits),
            MovingAverage(count=count, shift=shift, accumulator_bits=bits),
            LowPassFilter(shift=dice.randint(1, 10), accumulator_bits=bits),
        ]
    )


def _window(dice: random.Random, others: list[str]) -> Threshold:
    low = dice.uniform(-0.2, 1.5)
    aim = dice.choice(["none", "volts", "signal"] if others else ["none", "volts"])
    return Threshold(
        low=low,
        high=low + dice.uniform(0.02, 1.5),
        condition=dice.choice(["outside", "inside", "above", "below"]),
        input=dice.choice(["raw", "filtered"]),
        minus_v=dice.uniform(0.0, 1.0) if aim == "volts" else None,
        minus_signal=dice.choice(others) if aim == "signal" else None,
        hysteresis_v=dice.choice([0.0, 0.005, 0.1]),
        consecutive=dice.choice([1, 1, 2, 5]),
        on=dice.choice(["crossing", "every-result"]),
        interrupt_enabled=dice.random() < 0.9,
        rearm=dice.random() < 0.8,
    )
