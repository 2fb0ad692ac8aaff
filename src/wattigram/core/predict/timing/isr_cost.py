"""What software in the path costs: noticing a result, handling it, pointing the converter
elsewhere."""

from __future__ import annotations

from fractions import Fraction

import msgspec

from wattigram.core.model.design.project import Chain
from wattigram.core.model.design.retrieval import Dma, Interrupt, Polling
from wattigram.core.model.design.trigger import SoftwareTrigger
from wattigram.core.model.design.workspace import Workspace, cached

RAMP_STEP_CYCLES = 420
"""Clocks that generated C takes for a step of a software ramp, alarm and main loop and all: counted in
images on the virtual board, an instruction a clock. Own code may take less or more."""
RAMP_STEP_SPREAD = Fraction(1, 4)
"""By how much of that it may be more or less."""


class SoftwareStep(msgspec.Struct, frozen=True):
    """From the end of a conversion, in seconds.

    ``notice_s`` passes until the program is there, on average, and up to ``jitter_s`` more or less
    in
    all; ``handle_s`` is its work; ``leave_s`` ends an interrupt; ``restart_s`` points and starts
    anew; ``later_s`` is what the main loop does after the ISR.
    """

    notice_s: Fraction
    jitter_s: Fraction
    jitter: int
    """The same in clocks of the processor."""
    handle_s: Fraction
    leave_s: Fraction
    restart_s: Fraction
    later_s: Fraction = Fraction(0)

    @property
    def service_s(self) -> Fraction:
        """Processor time of one event."""
        return self.notice_s + self.handle_s + self.leave_s + self.later_s


@cached
def software_step(workspace: Workspace, chain: Chain) -> SoftwareStep:
    """Times of the chain's handler, one for each event of its retrieval.

    Polling notices within one round of its loop, half of it on average; an interrupt waits for the
    instruction that runs, half of the longest on average, and then enters.
    """
    processor, clock_hz = workspace.part.processor, workspace.bus_clock_hz
    if chain.readout.kind == "polling":
        jitter, notice, leave = processor.poll_cycles - 1, Fraction(processor.poll_cycles - 1, 2), 0
    else:
        jitter = processor.interrupt_jitter_cycles
        notice = processor.interrupt_entry_cycles + Fraction(jitter, 2)
        leave = processor.interrupt_exit_cycles
    restart = workspace.converter(chain).repoint_cycles
    return SoftwareStep(
        notice / clock_hz,
        jitter / clock_hz,
        jitter,
        chain.buffer.isr_cycles / clock_hz,
        leave / clock_hz,
        restart / clock_hz,
        main_cycles(chain) / clock_hz,
    )


def has_isr(chain: Chain) -> bool:
    """An interrupt tells of its results; else the program looks for them."""
    if isinstance(chain.readout, Dma):
        return chain.read_period_s is None
    return not isinstance(chain.readout, Polling)


def main_cycles(chain: Chain) -> int:
    """Clocks of the main loop for what a call of the ISR has told it of: a half that DMA has filled."""
    return chain.buffer.main_cycles if isinstance(chain.readout, Dma) and has_isr(chain) else 0


def isr_service_cycles(workspace: Workspace, chain: Chain) -> int:
    """Clocks of the processor that a call of the handler takes; an ISR with its entry and exit."""
    processor = workspace.part.processor
    around = processor.interrupt_entry_cycles + processor.interrupt_exit_cycles
    return chain.buffer.isr_cycles + (around if has_isr(chain) else 0)


def isr_service_s(workspace: Workspace, chain: Chain) -> Fraction:
    """The same in seconds."""
    return isr_service_cycles(workspace, chain) / workspace.bus_clock_hz


def service_cycles(workspace: Workspace, chain: Chain) -> int:
    """Clocks from the interrupt until the program is through with what it told of."""
    return isr_service_cycles(workspace, chain) + main_cycles(chain)


def repoints(workspace: Workspace, chain: Chain) -> bool:
    """Software must point the converter to the next slot; one that goes on for ever needs nothing
    where all are alike."""
    if workspace.converter(chain).sequence != "software" or len(chain.slots) < 2:
        return False
    if chain.per_trigger != "continuous":
        return True
    signals = (workspace.project.signal(slot.signal) for slot in chain.slots)
    pointed = {
        (one.pin, one.negative, slot.sampling_cycles)
        for one, slot in zip(signals, chain.slots, strict=True)
    }
    return len(pointed) > 1


def waits_in_vain(chain: Chain) -> bool:
    """A start is good for one conversion of several, and the program is called only after all of
    them."""
    by_pass = isinstance(chain.readout, Interrupt) and chain.readout.per == "scan"
    return by_pass and chain.per_trigger == "conversion" and len(chain.slots) > 1


def starts_each(workspace: Workspace, chain: Chain) -> bool:
    """Software starts every slot by itself, be it that it points there or that a start is good for
    one conversion."""
    trigger = workspace.project.own_trigger(chain)
    singly = (
        isinstance(trigger, SoftwareTrigger)
        and trigger.follows_itself
        and chain.per_trigger == "conversion"
    )
    return repoints(workspace, chain) or (singly and len(chain.slots) > 1)
