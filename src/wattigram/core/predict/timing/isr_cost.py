"""What software in the path costs: noticing a result, handling it, pointing the converter
elsewhere."""

from __future__ import annotations

from fractions import Fraction

import msgspec

from wattigram.core.model.design.project import Chain
from wattigram.core.model.design.retrieval import Dma, Fifo, Interrupt, Polling
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
    in all; ``handle_s`` is its work; ``leave_s`` ends an interrupt; ``restart_s`` points and starts
    anew; ``later_s`` is what the main loop does after the ISR.

    A main loop whose round is known looks every ``round_s`` from where it was free: ``notice_s`` is half
    of that, ``jitter_s`` all of it, where nothing ties its rounds to the conversions.
    """

    notice_s: Fraction
    jitter_s: Fraction
    jitter: int
    """The same in clocks of the processor."""
    handle_s: Fraction
    leave_s: Fraction
    restart_s: Fraction
    later_s: Fraction = Fraction(0)
    round_s: Fraction = Fraction(0)

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
    if chain.readout.kind == "polling":
        return _looked_for(workspace, chain, chain.buffer.isr_cycles)
    processor, clock_hz = workspace.part.processor, workspace.bus_clock_hz
    jitter = processor.interrupt_jitter_cycles
    notice = processor.interrupt_entry_cycles + Fraction(jitter, 2)
    return SoftwareStep(
        notice / clock_hz,
        jitter / clock_hz,
        jitter,
        chain.buffer.isr_cycles / clock_hz,
        processor.interrupt_exit_cycles / clock_hz,
        workspace.converter(chain).repoint_cycles / clock_hz,
        (main_cycles(chain) if has_isr(chain) else 0) / clock_hz,
    )


@cached
def restart_step(workspace: Workspace, chain: Chain) -> SoftwareStep:
    """The same for whoever starts what comes after the last result: the handler of an interrupt, or a main
    loop that looks. Hardware may have fetched that result meanwhile."""
    step = software_step(workspace, chain)
    if chain.readout.kind in {"polling", "interrupt"}:
        return step
    if looks_for_results(chain):
        return _looked_for(workspace, chain, None)
    return msgspec.structs.replace(step, handle_s=Fraction(0))


def _looked_for(workspace: Workspace, chain: Chain, work: int | None) -> SoftwareStep:
    """What a main loop finds when it looks; ``work`` clocks in all are its round then, where results are
    fetched in it."""
    clock_hz, buffer = workspace.bus_clock_hz, chain.buffer
    repoint = workspace.converter(chain).repoint_cycles
    each = buffer.round_cycles
    jitter = (workspace.part.processor.poll_cycles if each is None else each) - 1
    start, leave, restart = work or 0, 0, repoint
    if each is not None:
        known = repoint if work is None else max(0, work - each)
        start = known if buffer.start_cycles is None else buffer.start_cycles
        leave, restart = each if work is None else max(0, work - start), 0
    return SoftwareStep(
        Fraction(jitter, 2) / clock_hz,
        jitter / clock_hz,
        jitter,
        start / clock_hz,
        leave / clock_hz,
        restart / clock_hz,
        round_s=(each or 0) / clock_hz,
    )


def has_isr(chain: Chain) -> bool:
    """An interrupt tells of its results; else the program looks for them."""
    if isinstance(chain.readout, Dma):
        return chain.read_period_s is None
    return not isinstance(chain.readout, Polling)


def main_cycles(chain: Chain) -> int:
    """Clocks of the main loop for a half that is full: DMA's ISR tells of it, or it has fetched all of it
    itself."""
    told = has_isr(chain) if isinstance(chain.readout, Dma) else isinstance(chain.readout, Polling)
    return chain.buffer.main_cycles if told else 0


def gap_cycles(chain: Chain) -> int:
    """Clocks more of a main loop that polls and finds results lost, where one came before."""
    return chain.buffer.gap_cycles or 0 if isinstance(chain.readout, Polling) else 0


def half_results(chain: Chain) -> Fraction:
    """Results after which something is done with them: a half of the buffer, or what a FIFO calls for."""
    if isinstance(chain.readout, Fifo):
        return Fraction(chain.readout.watermark)
    return Fraction(chain.buffer.samples, 2)


def looks_for_results(chain: Chain) -> bool:
    """The main loop looks whether results are there, or whether the pass is over that it follows by the next."""
    trigger, readout = chain.trigger, chain.readout
    starts = isinstance(trigger, SoftwareTrigger) and trigger.follows_itself
    return isinstance(readout, Polling) or (starts and isinstance(readout, (Dma, Fifo)))


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
    return isr_service_cycles(workspace, chain) + (main_cycles(chain) if has_isr(chain) else 0)


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
    trigger = chain.trigger
    singly = (
        isinstance(trigger, SoftwareTrigger)
        and trigger.follows_itself
        and chain.per_trigger == "conversion"
    )
    return repoints(workspace, chain) or (singly and len(chain.slots) > 1)
