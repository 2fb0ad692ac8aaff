"""Effective configuration of a design: what a board would do if its firmware set up just that."""

from __future__ import annotations

import math
from collections.abc import Iterator
from fractions import Fraction

from wattigram.core.base.errors import BoardError, RegisterError
from wattigram.core.base.validation import ModelError
from wattigram.core.contract.board_config import (
    EffectiveComparator,
    EffectiveConfig,
    EffectiveConverter,
    EffectiveKept,
    EffectiveLoop,
    EffectivePace,
    EffectiveService,
    EffectiveSlot,
)
from wattigram.core.model.design import (
    Chain,
    ComparatorTrigger,
    Dma,
    Fifo,
    PairTripped,
    Polling,
    Project,
    ResultsFetched,
    SoftwareTrigger,
    ThresholdCrossed,
    ThresholdTrigger,
    Watch,
    Workspace,
    aligned_shift,
)
from wattigram.core.predict.accuracy import comparator_metrics, converter_noise_lsb
from wattigram.core.predict.pins import threshold_pin
from wattigram.core.predict.timing import (
    ScanTiming,
    buffer_timing,
    free_share,
    gap_cycles,
    half_results,
    has_isr,
    is_contended,
    kept_by,
    left_by_others,
    looks_for_results,
    main_cycles,
    restart_step,
    retrieval_timing,
    scan_timing,
    slot_order,
    software_step,
    started_after_s,
    starts_each,
    startup,
    takes_turns,
)
from wattigram.core.silicon.deploy.dac_codes import effective_dacs, effective_pwm
from wattigram.core.silicon.deploy.pin_drives import (
    effective_bench,
    floating_reference,
    wired_boards,
)
from wattigram.core.silicon.deploy.processing_config import effective_taps, effective_watches
from wattigram.core.silicon.deploy.program_config import (
    effective_outputs,
    effective_ports,
    effective_reactions,
)
from wattigram.core.silicon.deploy.route_config import effective_routes, effective_wires
from wattigram.core.silicon.registers import as_set_up, register_map

DEFAULT_SEED = 1
GATHERED_S = Fraction(1, 1000)
"""Laps of very short loops go out together, as many as come in this time."""


def effective_config(workspace: Workspace, seed: int = DEFAULT_SEED) -> EffectiveConfig:
    """The configuration of a design with its bench. Ticks are bus clocks.

    It is what the design's own register writes come to, in their order, with its program; straight
    from the design
    where the part has no registers, or none that can hold it.

    Raises
    ------
    BoardError
        When the design is one that no board could run, such as one with a cycle of years.
    """
    try:
        return silicon_config(_as_set_up(workspace), workspace.build_id, seed)
    except ModelError as fault:
        first = fault.first
        raise BoardError(
            f"The virtual board cannot run this design: {first.text} (found {str(first.found)[:40]}).",
            cure="Look at the findings, and at the bench.",
        ) from fault


def _as_set_up(workspace: Workspace) -> Workspace:
    try:
        return as_set_up(workspace)
    except RegisterError:
        return workspace


def silicon_config(workspace: Workspace, build_id: str, seed: int) -> EffectiveConfig:
    """The configuration of a board that is set up as ``workspace`` says, whatever was meant."""
    project = workspace.project
    # A bus clock that is no whole number of hertz has its ticks counted in a finer whole clock.
    return EffectiveConfig(
        board=f"{workspace.part.name} · {project.name}",
        build_id=build_id,
        tick_hz=workspace.bus_clock_hz.numerator,
        seed=seed,
        converters=tuple(_converter(workspace, chain) for chain in project.chains),
        taps=effective_taps(workspace),
        watches=effective_watches(workspace),
        comparators=(*_comparators(workspace), *_inputs(workspace)),
        dacs=effective_dacs(workspace),
        pwm=effective_pwm(workspace),
        wires=effective_wires(workspace),
        routes=effective_routes(workspace),
        ports=effective_ports(workspace),
        outputs=effective_outputs(workspace),
        reactions=effective_reactions(workspace),
        bench=effective_bench(workspace),
        boards=tuple(
            effective_config(workspace.others[name], seed).unchecked(
                is_caller=workspace.others[name].is_caller
            )
            for name in wired_boards(workspace)
        ),
    )


def _converter(workspace: Workspace, chain: Chain) -> EffectiveConverter:
    converter = workspace.converter(chain)
    cycle = scan_timing(workspace, chain)
    start = startup(workspace, chain)
    finer = 2 ** (max(converter.bits) - chain.bits)
    offset_lsb = converter.offset_calibrated_lsb
    if converter.needs_calibration and not (chain.calibrate and start.calibrated):
        offset_lsb = converter.offset_uncalibrated_lsb
    tick_hz = workspace.bus_clock_hz.numerator
    steps = (1 << chain.bits) - (1 if converter.full_scale == "2^N-1" else 0)
    service = _service(workspace, chain)
    slow = 1 - float(cycle.clock_hz / converter.clock_low_hz)
    return EffectiveConverter(
        name=chain.converter,
        bits=chain.bits,
        lsb_v=workspace.reference_v / steps,
        offset_lsb=offset_lsb / finer,
        # The charge that leaks away during a slow conversion makes every reading too small.
        gain_error=converter.gain_error - max(0.0, slow) * 2 * converter.leakage_share,
        noise_lsb=converter_noise_lsb(workspace, chain),
        reference=floating_reference(workspace),
        sampling_f=converter.sampling_capacitor_f,
        switch_ohm=converter.switch_resistance_ohm,
        tracks=converter.tracks,
        each_side=converter.differential_sampling == "each-side",
        cycle_ticks=max(1, int(tick_hz * cycle.cycle_s)),
        triggers_per_cycle=cycle.triggers_per_cycle,
        pace=_pace(workspace, chain, cycle),
        stamped=cycle.stamped,
        service=service,
        slots=_slots(workspace, chain, cycle, tick_hz),
        loop=EffectiveLoop(
            name=chain.buffer.name,
            items=chain.buffer.samples,
            width_bits=chain.buffer.element_bits,
            element_bits=chain.read_as.element_bits,
            repeat=_goes_round(chain),
            halts=not isinstance(chain.readout, Dma) and chain.readout.single_run,
            increment=not isinstance(chain.readout, Dma) or chain.readout.increment,
            swap_bytes=chain.read_as.endianness == "big",
            read_ticks=float((chain.read_period_s or 0) * tick_hz),
            delivers=start.delivers and start.interrupts,
            numbered=_keeps_places(workspace, chain),
            laps=_gathered_laps(workspace, chain, service),
        ),
    )


def _keeps_places(workspace: Workspace, chain: Chain) -> bool:
    """Whoever fetches results one by one knows which of them he has, though others were overwritten: the
    converter counts what it makes."""
    if isinstance(chain.readout, (Dma, Fifo)):
        return False
    registers = register_map(workspace.part)
    is_read = any(registers.has(chain.converter, name) for name in ("result", "result-low"))
    return not is_read or registers.has(chain.converter, "passes")


def _goes_round(chain: Chain) -> bool:
    """Its buffer is filled again and again."""
    if isinstance(chain.readout, Dma):
        return chain.readout.circular
    return not chain.readout.single_run


def _gathered_laps(workspace: Workspace, chain: Chain, service: EffectiveService | None) -> int:
    """Laps of a very short loop that go out together; 0 where an event acts, or halves are lost one
    by one."""
    loop = buffer_timing(workspace, chain)
    acted_upon = _acted_upon(workspace.project)
    reacts = any(slot.signal in acted_upon for slot in chain.slots) or any(
        isinstance(reaction.when, ResultsFetched) and reaction.when.converter == chain.converter
        for reaction in workspace.project.reactions
    )
    judges_halves = service is not None and service.keep == "halves"
    reads = chain.read_period_s is not None
    if not _goes_round(chain) or judges_halves or reacts or reads or not loop.lap_s:
        return 0
    return math.floor(GATHERED_S / loop.lap_s)


def _acted_upon(project: Project) -> set[str]:
    """Signals whose events or values the program acts upon, and those that they are held against."""
    starting = {
        chain.trigger.signal
        for chain in project.chains
        if isinstance(chain.trigger, ThresholdTrigger)
    }
    names = {signal for reaction in project.reactions for signal, _input in reaction.readings}
    names |= {
        reaction.when.signal
        for reaction in project.reactions
        if isinstance(reaction.when, (ThresholdCrossed, PairTripped))
    }
    names |= {partner for name in names if (partner := project.signal(name).partner)}
    for signal in project.signals:
        acting = [
            window
            for window in signal.thresholds
            if window.action == "stop" or signal.name in starting
        ]
        if acting:
            names |= {
                signal.name,
                *(window.minus_signal for window in acting if window.minus_signal),
            }
        if signal.redundant_pair is not None and signal.redundant_pair.action == "stop":
            names |= {signal.name, signal.redundant_pair.paired_with}
    return names


def _slots(
    workspace: Workspace, chain: Chain, cycle: ScanTiming, tick_hz: int
) -> tuple[EffectiveSlot, ...]:
    """Slots in the order of the converter; with its own oscillator as fast as this specimen's
    really is."""
    converter = workspace.converter(chain)
    step = restart_step(workspace, chain)
    by_hand = starts_each(workspace, chain)
    served = cycle.served
    oscillator = converter.oscillator
    off = (
        Fraction(oscillator.specimen_error)
        if chain.clock == "internal" and oscillator
        else Fraction(0)
    )
    rate = tick_hz / (1 + off)
    slots: list[EffectiveSlot] = []
    last = len(chain.slots) - 1
    singly = chain.per_trigger == "conversion" and cycle.trigger.pace != "self"
    at_s = Fraction(0)
    for number, place in enumerate(slot_order(workspace, chain)):
        signal = workspace.project.signal(chain.slots[place].signal)
        timing = cycle.slots[place]
        length_s = timing.repeats * timing.each_s
        # Slots that a trigger starts one by one lie where triggers do; others follow each other in
        # the converter's order.
        nominal_s = cycle.slots[number].start_s if singly or by_hand else at_s
        at_s += length_s
        start = nominal_s * rate if off else nominal_s * tick_hz
        after, jitter = Fraction(0), Fraction(0)
        if by_hand or (served is not None and served.in_time and number == last):
            jitter = Fraction(0) if step.round_s else step.jitter_s * tick_hz
            if by_hand:
                after = started_after_s(step, length_s) * tick_hz - jitter / 2
            else:
                assert served is not None
                after = served.usual - at_s * tick_hz - jitter / 2
        stage = signal.slot_filter
        slots.append(
            EffectiveSlot(
                pin=signal.pin,
                negative=signal.negative,
                start_ticks=float(start),
                held_ticks=float(start + timing.sampling_s * rate),
                sampling_ticks=float(timing.sampling_s * rate),
                end_ticks=float(start + length_s * rate),
                repeats=timing.repeats,
                each_ticks=float(timing.each_s * rate),
                shift=stage.shift if stage is not None else 0,
                up=0
                if stage is not None
                else aligned_shift(chain.alignment, chain.buffer.element_bits, chain.bits),
                register_bits=min(stage.accumulator_bits, converter.hardware.register_bits)
                if stage is not None
                else 32,
                after_ticks=float(after),
                jitter_ticks=math.floor(jitter),
            )
        )
    return tuple(slots)


def _pace(workspace: Workspace, chain: Chain, cycle: ScanTiming) -> EffectivePace:
    trigger = cycle.trigger
    start = startup(workspace, chain)
    tick_hz = workspace.bus_clock_hz.numerator
    singly = chain.per_trigger == "conversion" and trigger.pace != "self"
    early = (
        "converter" in start.order
        and "trigger" in start.order
        and (start.order.index("trigger") < start.order.index("converter"))
    )
    if not start.starts and not early:
        return EffectivePace(kind="never")
    own = workspace.project.own_trigger(chain)
    if isinstance(own, (ComparatorTrigger, ThresholdTrigger)) and chain.per_trigger != "continuous":
        wanted = (
            Watch("window", own.signal, own.threshold - 1)
            if isinstance(own, ThresholdTrigger)
            else Watch("comparator", _compared(workspace, own), comparator=own.comparator)
        )
        edge = own.edge if isinstance(own, ComparatorTrigger) else "rising"
        number = workspace.watches.index(wanted)
        return EffectivePace(
            kind="events", watch=number, edge=edge, singly=singly, skip_first=early
        )
    if trigger.leader:
        return EffectivePace(kind="events", leader=trigger.leader, singly=singly, skip_first=early)
    if isinstance(own, SoftwareTrigger) and own.asked:
        return EffectivePace(kind="events", singly=singly, asked=True)
    if trigger.pace in {"never", "once"}:
        return EffectivePace(
            kind="once" if trigger.pace == "once" else "never", singly=singly, skip_first=early
        )
    steady = cycle.is_even or (
        # Interrupts and polling of a steady converter lose samples, but do not move them.
        trigger.timer is not None
        and chain.clock == "bus"
        and not starts_each(workspace, chain)
        and not workspace.project.is_stopped_by_events(chain)
        and not workspace.project.is_pointed(chain)
    )
    if trigger.pace == "self":
        steady = cycle.is_even
    if steady and not early:
        return EffectivePace(singly=singly)
    if trigger.pace == "self":
        # What software starts one by one can end amid a scan.
        return EffectivePace(
            kind="self",
            singly=starts_each(workspace, chain),
            skip_first=early,
            kept=tuple(_kept(workspace, chain, cycle)),
        )
    offsets = tuple(float(offset * tick_hz) for offset in trigger.offsets_s)
    return EffectivePace(
        kind="pattern",
        period_ticks=float(trigger.period_s * tick_hz),
        offsets_ticks=offsets,
        singly=singly,
        skip_first=early,
    )


def _kept(workspace: Workspace, chain: Chain, cycle: ScanTiming) -> Iterator[EffectiveKept]:
    """What keeps the main loop from starting the next scan: in time as it was predicted, else the work
    itself, whose scan is then followed result by result."""
    served, left = cycle.served, left_by_others(workspace, chain)
    later = (
        [(one.passes, one.more) for one in cycle.longer]
        if served is None or served.in_time
        else [(one.passes, (one.isr + one.later) / left) for one in kept_by(workspace, chain)]
    )
    if gap_cycles(chain) and not (served is None or served.in_time):
        later = later[1:]  # its own halves are followed with what it sends else
    for passes, clocks in later:
        if clocks:
            yield EffectiveKept(
                results=passes.denominator,
                half=float(passes.numerator),
                later_ticks=float(clocks),
            )


def _compared(workspace: Workspace, trigger: ComparatorTrigger) -> str:
    comparator = workspace.project.comparator(trigger.comparator)
    assert comparator is not None
    return comparator.signal


def _service(workspace: Workspace, chain: Chain) -> EffectiveService | None:
    """The handler, where it may lose something; a software-paced chain waits for it instead."""
    timing = retrieval_timing(workspace, chain)
    cycle = scan_timing(workspace, chain)
    never = timing.reason in {"time-out", "no processor time"}
    by_result = not isinstance(chain.readout, (Dma, Fifo))
    if starts_each(workspace, chain) or (
        cycle.served is not None and by_result and (never or cycle.served.in_time)
    ):
        return EffectiveService(keep="newest", never=True) if never else None
    step = software_step(workspace, chain)
    tick_hz = workspace.bus_clock_hz.numerator
    polls = isinstance(chain.readout, Polling)
    sends = main_cycles(chain) or gap_cycles(chain)
    later_half = float(half_results(chain)) if polls and sends else 0.0
    if cycle.served is not None and by_result:
        left = left_by_others(workspace, chain) if looks_for_results(chain) else Fraction(1)
        notice_s = Fraction(0) if step.round_s else step.notice_s - step.jitter_s / 2
        return EffectiveService(
            keep="scan",
            unit=chain.results_per_isr,
            notice_ticks=float(notice_s * tick_hz),
            rest_ticks=float((step.handle_s + step.leave_s) * tick_hz / left),
            restart_ticks=float(step.restart_s * tick_hz / left),
            leave_ticks=float(step.leave_s * tick_hz / left),
            jitter_ticks=0 if step.round_s else step.jitter,
            round_ticks=float(step.round_s * tick_hz / left),
            half=later_half if gap_cycles(chain) else 0.0,
            later_ticks=float(main_cycles(chain) / left) if gap_cycles(chain) else 0.0,
            gap_ticks=float(gap_cycles(chain) / left),
        )
    free = free_share(workspace, chain)
    never = never or free <= 0
    share = free if free > 0 else Fraction(1)
    notice = float((step.notice_s - step.jitter_s / 2) / share * tick_hz)
    rest = float((step.handle_s + step.leave_s) / share * tick_hz)
    later = float(step.later_s / share * tick_hz)
    jitter = math.floor(step.jitter_s * tick_hz)
    in_turns = takes_turns(workspace, chain) and is_contended(workspace)
    if timing.lost_hz == 0 and not never and not in_turns:
        return None
    looks = polls and bool(step.round_s or later_half)
    if looks:
        notice, jitter, later = 0.0, 0, float(main_cycles(chain) / share)
    made = EffectiveService(
        keep="newest",
        notice_ticks=notice,
        rest_ticks=rest,
        later_ticks=later,
        jitter_ticks=jitter,
        round_ticks=float((step.jitter + 1) / share) if looks else 0.0,
        half=later_half,
        gap_ticks=float(gap_cycles(chain) / share),
        never=never,
        by_isr=has_isr(chain),
    )
    match chain.readout:
        case Dma():
            return made.unchecked(keep="halves")
        case Fifo() as fifo:
            depth = workspace.converter(chain).fifo_items
            return made.unchecked(keep="oldest", unit=fifo.watermark, depth=depth)
        case _:
            return made.unchecked(unit=chain.results_per_isr)


def _inputs(workspace: Workspace) -> Iterator[EffectiveComparator]:
    """Port pins that the program looks at; above half the supply one is high."""
    half_v = workspace.supply_v / 2
    for number, watch in enumerate(workspace.watches):
        if watch.kind == "input":
            yield EffectiveComparator(
                name=watch.pin,
                pin=watch.pin,
                rising_v=half_v,
                falling_v=half_v,
                response_ticks=float(watch.look_period_s * workspace.bus_clock_hz.numerator),
                watch=number,
            )


def _comparators(workspace: Workspace) -> list[EffectiveComparator]:
    tick_hz = workspace.bus_clock_hz.numerator
    comparators = []
    all_watches = workspace.watches
    for comparator in workspace.project.comparators:
        part = workspace.part.comparator(comparator.name)
        assert part is not None
        figures = comparator_metrics(workspace, comparator)
        against = threshold_pin(workspace, comparator)
        rising_v, falling_v = figures.rising_v, figures.falling_v
        if against is not None:
            rising_v, falling_v = comparator.hysteresis_v / 2, -comparator.hysteresis_v / 2
        comparators.append(
            EffectiveComparator(
                name=comparator.name,
                pin=workspace.project.signal(comparator.signal).pin,
                rising_v=rising_v,
                falling_v=falling_v,
                response_ticks=float(part.response_s * tick_hz),
                edge=comparator.edge,
                against=against,
                watch=all_watches.index(
                    Watch("comparator", comparator.signal, comparator=comparator.name)
                ),
            )
        )
    return comparators
