"""Rules on what the program does by itself."""

from __future__ import annotations

import math
from collections.abc import Iterator
from fractions import Fraction

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.advise.findings.fixes import round_up
from wattigram.core.advise.findings.thresholds import CHATTER_EDGES, chatter
from wattigram.core.base.quantity import format_si, format_volts
from wattigram.core.model.bench import FloatingInput, Jumper, Switch, Wiring
from wattigram.core.model.design import (
    BarAction,
    BytesAction,
    ConverterAction,
    DacAction,
    DutyAction,
    InputChanged,
    PeriodAction,
    PeriodElapsed,
    PinAction,
    ProgramOutput,
    Reaction,
    ScaledAction,
    TextAction,
    ThresholdCrossed,
    UartDestination,
    Workspace,
    output_of,
    start_levels,
)
from wattigram.core.model.design.edits import (
    Edit,
    RemoveWiring,
    SetReaction,
    SetThreshold,
    SetUart,
    SetWiring,
)
from wattigram.core.predict.pins import pwm_timing
from wattigram.core.predict.program import (
    half_share,
    isr_share,
    longest_bytes,
    reaction_timing,
    scaled_ends,
    wire_s,
)
from wattigram.core.predict.timing import buffer_timing
from wattigram.core.predict.waveform import output_range_v


def _scaled(workspace: Workspace) -> Iterator[tuple[Reaction, ScaledAction]]:
    for reaction in workspace.project.reactions:
        if isinstance(reaction.do, (BarAction, DutyAction, PeriodAction, DacAction)):
            yield reaction, reaction.do


def _with(reaction: Reaction, **updates: object) -> Edit:
    """The reaction with something else done by its action."""
    return SetReaction(reaction.name, reaction.replaced(do=reaction.do.replaced(**updates)))


@rule("report-too-long")
def texts_too_long(workspace: Workspace) -> Iterator[Finding]:
    """More is sent every second than a wire carries: texts are left out."""
    for uart in workspace.project.uarts:
        output = ProgramOutput("uart", (uart.name,))
        sending = [
            (reaction, reaction.when.period_s)
            for reaction in workspace.project.reactions
            if output_of(reaction) == output and isinstance(reaction.when, PeriodElapsed)
        ]
        share = sum(
            (wire_s(workspace, reaction) / period_s for reaction, period_s in sending), Fraction(0)
        )
        if share <= 1:
            continue
        worst, period_s = max(sending, key=lambda pair: wire_s(workspace, pair[0]) / pair[1])
        others = share - wire_s(workspace, worst) / period_s
        remedy = None
        if others < 1:
            every = round_up(float(wire_s(workspace, worst) / (1 - others)))
            longer = worst.when.replaced(period_s=Fraction(every).limit_denominator(10**9))
            remedy = SetReaction(worst.name, worst.replaced(when=longer))
        yield Finding(
            "report-too-long",
            "error",
            uart.name,
            f"{uart.name} does not get out what is sent",
            f"{worst.name} takes {format_si(wire_s(workspace, worst), 's', 3)} at {uart.baud} "
            f"baud and comes every {format_si(period_s, 's', 3)}; all together need "
            f"{float(share) * 100:.0f} % of the wire. What finds no room is left out.",
            remedy,
            signal=worst.name,
        )


@rule("reaction-too-long")
def reactions_too_long(workspace: Workspace) -> Iterator[Finding]:
    """What is stated of a reaction takes longer than the time until it is due again."""
    for reaction in workspace.project.reactions:
        timing = reaction_timing(workspace, reaction)
        if timing.busy is None or timing.busy < 1:
            continue
        remedy = None
        if isinstance(reaction.when, PeriodElapsed):
            every = Fraction(round_up(1.25 * float(timing.work_s))).limit_denominator(10**9)
            remedy = SetReaction(
                reaction.name, reaction.replaced(when=reaction.when.replaced(period_s=every))
            )
        yield Finding(
            "reaction-too-long",
            "error",
            reaction.name,
            f"{reaction.name} is due again before it is done",
            f"It takes {reaction.cycles} clocks, {format_si(timing.work_s, 's', 4)}, and would come "
            f"every {format_si(timing.work_s / timing.busy, 's', 4)}: it comes ever later, and "
            "keeps the program from all else.",
            remedy,
        )


@rule("program-too-long")
def program_takes_all(workspace: Workspace) -> Iterator[Finding]:
    """ISRs and reactions together, as far as they are stated, leave the processor no time."""
    reactions = [
        (timing.busy, reaction)
        for reaction in workspace.project.reactions
        if (timing := reaction_timing(workspace, reaction)).busy is not None
    ]
    known = [(busy, reaction) for busy, reaction in reactions if busy is not None]
    if not known or any(busy >= 1 for busy, _reaction in known):
        return
    isrs, halves = isr_share(workspace), half_share(workspace)
    share = sum((busy for busy, _reaction in known), Fraction(0))
    if not share or isrs + halves + share < 1:
        return
    also = f", the halves that DMA fills {format_si(halves, 's', 3)}" if halves else ""
    worst = max(known, key=lambda pair: pair[0])[1]
    yield Finding(
        "program-too-long",
        "error",
        worst.name,
        "The program has more to do than there is time for",
        f"Of each second ISRs take {format_si(isrs, 's', 3)}{also} and reactions "
        f"{format_si(share, 's', 3)}, most of it {worst.name}: what is due comes ever later.",
        None,
    )


@rule("rearmed-too-early")
def rearmed_before_it_is_over(workspace: Workspace) -> Iterator[Finding]:
    """A single run is re-armed in a period that is shorter than the run: every so often it does nothing."""
    for reaction in workspace.project.reactions:
        do, when = reaction.do, reaction.when
        if not isinstance(do, ConverterAction) or do.action != "rearm":
            continue
        chain = workspace.project.chain(do.converter)
        if chain is None or not isinstance(when, PeriodElapsed):
            continue
        lap_s = buffer_timing(workspace, chain).lap_s
        if when.period_s >= lap_s:
            continue
        every = math.ceil(lap_s / when.period_s)
        period_s = Fraction(math.ceil(lap_s * Fraction(11, 10) * 10**6), 10**6)
        longer = reaction.replaced(when=when.replaced(period_s=period_s))
        yield Finding(
            "rearmed-too-early",
            "warning",
            reaction.name,
            f"{do.converter} is re-armed before its run is over",
            f"A run of {chain.buffer.samples} samples takes {format_si(lap_s, 's', 4)}, and it is re-armed every "
            f"{format_si(when.period_s, 's', 4)}: a run begins at each {_nth(every)} of them at most.",
            SetReaction(reaction.name, longer),
        )


def _nth(number: int) -> str:
    return {2: "second", 3: "third"}.get(number, f"{number}th")


@rule("reaction-chatters")
def reaction_chatters(workspace: Workspace) -> Iterator[Finding]:
    """One slow crossing makes the program act dozens of times."""
    for reaction in workspace.project.reactions:
        when = reaction.when
        if not isinstance(when, ThresholdCrossed):
            continue
        signal = workspace.project.signal(when.signal)
        window = signal.thresholds[when.threshold - 1]
        chain = workspace.project.chain_of(signal.name)
        if chain is None:
            continue
        edges, sigma_v, _slope = chatter(workspace, chain, signal, window)
        if edges <= CHATTER_EDGES:
            continue
        wanted = window.replaced(hysteresis_v=round_up(8 * sigma_v))
        sends = isinstance(reaction.do, (TextAction, BytesAction))
        more = (
            f" Each text needs {format_si(wire_s(workspace, reaction), 's', 3)} on the wire; those "
            "that find no room are left out."
            if sends
            else ""
        )
        yield Finding(
            "reaction-chatters",
            "warning",
            reaction.name,
            f"{reaction.name} acts many times at one crossing",
            f"The threshold of {signal.name} has {format_volts(window.hysteresis_v)} of hysteresis "
            f"against noise of {format_volts(sigma_v)} rms: about {edges:.0f} events of one "
            f"crossing.{more}",
            SetThreshold(signal.name, when.threshold - 1, wanted),
            signal=reaction.name,
        )


@rule("scale-beyond-register")
def scale_beyond_register(workspace: Workspace) -> Iterator[Finding]:
    """The register cannot hold what the scale gives, or the output does not reach it."""
    for reaction, action in _scaled(workspace):
        if isinstance(action, DacAction):
            dac = workspace.part.dac(action.dac)
            assert dac is not None
            low_v, high_v = output_range_v(workspace, dac, buffered=True)
            ends = (action.low_v, action.high_v)
            if min(ends) < low_v or max(ends) > high_v:
                low, high = (min(max(end, low_v), high_v) for end in ends)
                yield Finding(
                    "scale-beyond-register",
                    "error"
                    if max(ends) > workspace.full_scale_v(dac) or min(ends) < 0
                    else "warning",
                    reaction.name,
                    f"{action.dac} does not reach what {reaction.name} sets",
                    f"It is to go from {format_volts(action.low_v)} to "
                    f"{format_volts(action.high_v)}; the output goes from {format_volts(low_v)} to "
                    f"{format_volts(high_v)}.",
                    _with(reaction, low_v=low, high_v=high),
                    signal=reaction.name,
                )
            continue
        scale = scaled_ends(workspace, action)
        if scale is None or max(scale.from_out, scale.to_out) <= scale.most:
            continue
        remedy = None
        if isinstance(action, DutyAction):
            remedy = _with(reaction, low=min(action.low, 1.0), high=min(action.high, 1.0))
        yield Finding(
            "scale-beyond-register",
            "error",
            reaction.name,
            f"{reaction.name} sets more than there is",
            f"Its scale gives {scale.from_out} to {scale.to_out}, and {scale.most} is the most "
            "that the register means something for.",
            remedy,
            signal=reaction.name,
        )


@rule("scale-beyond-signal")
def scale_beyond_signal(workspace: Workspace) -> Iterator[Finding]:
    """A part of the scale is never used."""
    for reaction, action in _scaled(workspace):
        signal = workspace.project.signal(action.signal)
        highest_v = signal.at_source(workspace.reference_v)
        lowest_v = -highest_v if signal.negative is not None else 0.0
        ends = (action.from_v, action.to_v)
        if min(ends) >= lowest_v and max(ends) <= highest_v:
            continue
        yield Finding(
            "scale-beyond-signal",
            "warning",
            reaction.name,
            f"The scale of {reaction.name} goes beyond what {signal.name} can be",
            f"It goes from {format_volts(action.from_v)} to {format_volts(action.to_v)}, and the "
            f"converter reads {format_volts(lowest_v)} to {format_volts(highest_v)}.",
            _with(
                reaction,
                from_v=min(max(action.from_v, lowest_v), highest_v),
                to_v=min(max(action.to_v, lowest_v), highest_v),
            ),
            signal=reaction.name,
        )


@rule("output-set-twice")
def output_set_twice(workspace: Workspace) -> Iterator[Finding]:
    """The later of two wins, whatever it was meant for."""
    first: dict[str, Reaction] = {}
    for reaction in workspace.project.reactions:
        output = output_of(reaction)
        if output is None or output.kind in {
            "uart",
            "input",
        }:  # texts follow each other; inputs take turns
            continue
        for name in output.names:
            key = f"{output.kind} {name}"
            other = first.setdefault(key, reaction)
            # Pins are often set by one and cleared by another.
            both_pins = isinstance(other.do, PinAction) and isinstance(reaction.do, PinAction)
            if other is reaction or (
                both_pins
                and not {"follows", "follows-inverted"} & {other.do.level, reaction.do.level}  # type: ignore[union-attr]
            ):
                continue
            yield Finding(
                "output-set-twice",
                "warning",
                reaction.name,
                f"{other.name} and {reaction.name} both set {name}",
                "Whichever comes later decides; neither can rely on what it has set.",
                signal=reaction.name,
            )
            break


@rule("pulse-longer-than-period")
def pulse_longer_than_period(workspace: Workspace) -> Iterator[Finding]:
    """The output stays high from period to period."""
    for reaction in workspace.project.reactions:
        action = reaction.do
        if not isinstance(action, PeriodAction):
            continue
        pwm = workspace.project.pwm_output(action.pwm)
        assert pwm is not None
        timing = pwm_timing(workspace, pwm)
        count_s = timing.period_s / timing.counts
        pulse_s = timing.high_counts * count_s
        for other in workspace.project.reactions:
            if isinstance(other.do, DutyAction) and other.do.pwm == action.pwm:
                share = Fraction(max(other.do.low, other.do.high))
                pulse_s = max(pulse_s, share * timing.period_s)
        shortest_s = min(action.low_s, action.high_s)
        if pulse_s < shortest_s:
            continue
        wanted = Fraction(round_up(float(pulse_s) * 1.1)).limit_denominator(10**9)
        yield Finding(
            "pulse-longer-than-period",
            "error",
            reaction.name,
            f"The pulse of {action.pwm} is longer than its shortest period",
            f"It is high for {format_si(pulse_s, 's', 3)}, and the period goes down to "
            f"{format_si(shortest_s, 's', 3)}: there it never goes low.",
            _with(reaction, low_s=max(action.low_s, wanted), high_s=max(action.high_s, wanted)),
            signal=reaction.name,
        )


@rule("terminal-not-text")
def terminal_not_text(workspace: Workspace) -> Iterator[Finding]:
    """Text is shown as numbers."""
    for uart in workspace.project.uarts:
        output = ProgramOutput("uart", (uart.name,))
        sends = [one for one in workspace.project.reactions if output_of(one) == output]
        if uart.shows != "text" and any(isinstance(one.do, TextAction) for one in sends):
            yield Finding(
                "terminal-not-text",
                "note",
                uart.name,
                f"Text on {uart.name} is shown as numbers",
                "Its terminal shows bytes in hexadecimal.",
                SetUart(uart.replaced(shows="text")),
                signal=uart.name,
            )


@rule("serial-port-shared")
def serial_port_shared(workspace: Workspace) -> Iterator[Finding]:
    """DMA and the program put their bytes between each other's."""
    for route in workspace.project.routes:
        if not isinstance(route.destination, UartDestination):
            continue
        output = ProgramOutput("uart", (route.destination.uart,))
        for reaction in workspace.project.reactions:
            if output_of(reaction) == output:
                yield Finding(
                    "serial-port-shared",
                    "error",
                    route.destination.uart,
                    f"{reaction.name} and route {route.name} both send by {route.destination.uart}",
                    "DMA and the program write into the same register: bytes of one lie between "
                    "those of the other, and some are overwritten.",
                    signal=reaction.name,
                )


@rule("reaction-idle")
def reaction_idle(workspace: Workspace) -> Iterator[Finding]:
    """It never does anything."""
    project = workspace.project
    for reaction in project.reactions:
        unread = [name for name, _stream in reaction.readings if project.chain_of(name) is None]
        when = reaction.when
        why = f"nothing converts {unread[0]}" if unread else ""
        if not why and isinstance(when, ThresholdCrossed):
            window = project.signal(when.signal).thresholds[when.threshold - 1]
            if project.chain_of(when.signal) is None:
                why = f"nothing converts {when.signal}"
            elif not window.interrupt_enabled:
                why = f"the threshold of {when.signal} tells nothing"
        if why:
            yield Finding(
                "reaction-idle",
                "error",
                reaction.name,
                f"{reaction.name} never happens",
                f"It cannot, for {why}.",
                signal=reaction.name,
            )


@rule("value-repeats")
def value_repeats(workspace: Workspace) -> Iterator[Finding]:
    """The same value is used again and again."""
    project = workspace.project
    for reaction in project.reactions:
        if not isinstance(reaction.when, PeriodElapsed):
            continue
        for name, _stream in reaction.readings:
            chain = project.chain_of(name)
            if chain is None:
                continue
            fetched_s = buffer_timing(workspace, chain).half_s
            if fetched_s > 2 * reaction.when.period_s:
                yield Finding(
                    "value-repeats",
                    "note",
                    reaction.name,
                    f"{reaction.name} uses values of {name} several times",
                    f"It acts every {format_si(reaction.when.period_s, 's', 3)}, and new values "
                    f"are fetched every {format_si(fetched_s, 's', 3)}: they are up to so old.",
                    signal=reaction.name,
                )
                break


@rule("input-floats")
def nothing_holds_an_input(workspace: Workspace) -> Iterator[Finding]:
    """The program looks at a pin that nothing drives."""
    for reaction in workspace.project.reactions:
        if not isinstance(reaction.when, InputChanged):
            continue
        wiring = workspace.project.wired(reaction.when.pin)
        if wiring is not None and not isinstance(wiring.source, FloatingInput):
            continue
        what = (
            "nothing is wired to it" if wiring is None else "what is wired there holds it nowhere"
        )
        button = Switch(open_v=round(workspace.supply_v, 3), closed_v=0.0)
        yield Finding(
            "input-floats",
            "warning",
            f"pin {reaction.when.pin}",
            f"Nothing holds {reaction.when.pin}, which {reaction.name} waits for",
            f"On the bench {what}: its level is chance, and the program acts by chance or never.",
            SetWiring(Wiring(pin=reaction.when.pin, source_resistance_ohm=10e3, source=button)),
            signal=reaction.name,
        )


@rule("output-driven-from-outside")
def output_driven_from_outside(workspace: Workspace) -> Iterator[Finding]:
    """Two drive one pin against each other."""
    pins = start_levels(workspace.project.reactions)
    for wiring in workspace.project.bench:
        if wiring.pin not in pins or isinstance(wiring.source, Jumper):
            continue
        setter = next(
            reaction
            for reaction in workspace.project.reactions
            if (output := output_of(reaction)) is not None
            and output.kind == "pins"
            and wiring.pin in output.names
        )
        yield Finding(
            "output-driven-from-outside",
            "warning",
            f"pin {wiring.pin}",
            f"The bench drives {wiring.pin}, which the program sets",
            f"{setter.name} makes it an output; what is wired there works against it.",
            RemoveWiring(wiring.pin),
            signal=setter.name,
        )


@rule("text-too-long")
def text_too_long(workspace: Workspace) -> Iterator[Finding]:
    """A single text takes longer than there is between two of them."""
    for reaction in workspace.project.reactions:
        when = reaction.when
        if isinstance(when, PeriodElapsed) or longest_bytes(reaction) == 0:
            continue
        cause = getattr(when, "converter", None)
        chain = workspace.project.chain(cause) if cause is not None else None
        if chain is None:
            continue
        fetched_s = buffer_timing(workspace, chain).half_s
        if wire_s(workspace, reaction) > fetched_s:
            yield Finding(
                "text-too-long",
                "error",
                reaction.name,
                f"{reaction.name} sends more than goes out between two results",
                f"It takes {format_si(wire_s(workspace, reaction), 's', 3)} on the wire, and "
                f"results are fetched every {format_si(fetched_s, 's', 3)}. What finds no room is "
                "left out.",
                signal=reaction.name,
            )
