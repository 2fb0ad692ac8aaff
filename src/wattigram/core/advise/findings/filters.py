"""Rules on reduce stages."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.model.design import (
    BlockAverage,
    LowPassFilter,
    MovingAverage,
    Stage,
    Workspace,
)
from wattigram.core.model.design.edits import SetFilter
from wattigram.core.predict.accuracy import filter_metrics


@rule("sum-too-wide", cell="filter")
def sum_too_wide(workspace: Workspace) -> Iterator[Finding]:
    """The mean collapses to a small part of its value once the sum overflows."""
    for signal in workspace.project.signals:
        chain = workspace.project.chain_of(signal.name)
        if signal.filter is None or chain is None:
            continue
        stage = signal.filter
        left = chain.alignment == "left" and signal.slot_filter is None
        code_bits = chain.buffer.element_bits if left else chain.bits
        needed = filter_metrics(stage, 1.0, code_bits).bits
        if needed <= stage.accumulator_bits:
            continue
        wider = [bits for bits in (16, 24, 32) if bits >= needed]
        yield Finding(
            "sum-too-wide",
            "error",
            f"{stage.kind.replace('-', ' ')} of {signal.name}",
            f"The sum of {signal.name} overflows",
            f"{_content(stage, code_bits)} {needed} bits, the register has {stage.accumulator_bits}.",
            SetFilter(signal.name, stage.replaced(accumulator_bits=wider[0])) if wider else None,
            signal=signal.name,
        )


@rule("mean-shift-mismatch", cell="filter")
def average_not_unity_gain(workspace: Workspace) -> Iterator[Finding]:
    """The mean is too big or too small by a fixed factor."""
    for signal in workspace.project.signals:
        reduce = signal.filter
        if not isinstance(reduce, (BlockAverage, MovingAverage)) or reduce.gain_ratio == 1:
            continue
        power = round(reduce.count).bit_length() - 1
        count = reduce.count if reduce.count == 1 << power else 1 << power
        yield Finding(
            "mean-shift-mismatch",
            "warning",
            f"block average of {signal.name}",
            f"The mean of {signal.name} is scaled",
            f"A sum of {reduce.count} shifted right by {reduce.shift} is "
            f"{float(reduce.gain_ratio):.4g} times the mean.",
            SetFilter(signal.name, reduce.replaced(count=count, shift=power)),
            signal=signal.name,
        )


def _content(stage: Stage, code_bits: int) -> str:
    if isinstance(stage, LowPassFilter):
        return f"A code of {code_bits} bits with {stage.shift} more below it needs"
    return f"{stage.count} codes of {code_bits} bits sum to"
