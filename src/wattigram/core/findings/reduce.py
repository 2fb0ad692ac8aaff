"""Rules on reduce stages."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.accuracy import sum_bits
from wattigram.core.design import Mean, Workspace
from wattigram.core.design.edits import SetReduce
from wattigram.core.findings.finding import Finding, rule


@rule
def sum_too_wide(workspace: Workspace) -> Iterator[Finding]:
    """The mean collapses to a small part of its value once the sum overflows."""
    for signal in workspace.project.signals:
        chain = workspace.project.chain_of(signal.name)
        if signal.reduce is None or chain is None:
            continue
        code_bits = chain.loop.width_bits if chain.alignment == "left" else chain.bits
        needed = sum_bits(signal.reduce.count, code_bits)
        if needed <= signal.reduce.register_bits:
            continue
        wider = [bits for bits in (16, 24, 32) if bits >= needed]
        yield Finding(
            "sum-too-wide",
            "error",
            f"mean of {signal.name}",
            f"The sum of {signal.name} overflows",
            f"{signal.reduce.count} codes of {code_bits} bits sum to {needed} bits, the register has "
            f"{signal.reduce.register_bits}.",
            SetReduce(signal.name, signal.reduce.changed(register_bits=wider[0])) if wider else None,
            signal=signal.name,
        )


@rule
def mean_not_true(workspace: Workspace) -> Iterator[Finding]:
    """The mean is too big or too small by a fixed factor."""
    for signal in workspace.project.signals:
        reduce = signal.reduce
        if reduce is None or reduce.divisor_ratio == 1:
            continue
        power = round(reduce.count).bit_length() - 1
        count = reduce.count if reduce.count == 1 << power else 1 << power
        yield Finding(
            "mean-shift-mismatch",
            "warning",
            f"mean of {signal.name}",
            f"The mean of {signal.name} is scaled",
            f"A sum of {reduce.count} shifted right by {reduce.shift} is {float(reduce.divisor_ratio):.4g} times the mean.",
            SetReduce(signal.name, Mean(count=count, shift=power, register_bits=reduce.register_bits)),
            signal=signal.name,
        )
