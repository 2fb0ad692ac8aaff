"""Rules on sampling times."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.advise.findings.fixes import first_effective_fix
from wattigram.core.base.quantity import format_counts, format_si, format_volts
from wattigram.core.model.bench import FloatingInput, SineSource
from wattigram.core.model.design import Chain, TimerTrigger, Workspace, sampled_alike
from wattigram.core.model.design.edits import Edit, SetPeriod, SetSampling, SetSamplings
from wattigram.core.predict.accuracy import SlotSettling, slot_settling
from wattigram.core.predict.expected import read_everywhere
from wattigram.core.predict.pins import input_source
from wattigram.core.predict.timing import scan_timing, signal_rate_hz


@rule("sampling-too-short", cell="sample")
def sampling_too_short(workspace: Workspace) -> Iterator[Finding]:
    """A reading leans towards the slot before it."""
    for chain in workspace.project.chains:
        for place, there in _slots_everywhere(workspace, chain):
            slot = chain.slots[place]
            settling = slot_settling(there, chain, place)
            if settling.adequate or _floats(there, slot.signal):
                continue
            remedy = adequate_sampling(there, chain, place)
            behind = f" and {format_si(settling.external_f, 'F')}" if settling.external_f else ""
            if settling.needed_s is None:
                reason = (
                    "The sampling capacitor takes charge from the one at the pin, and "
                    f"{format_si(settling.source_ohm, 'Ω')} "
                    "cannot refill it until the next sampling"
                )
            else:
                reason = (
                    f"{format_si(settling.source_ohm, 'Ω')}{behind} needs "
                    f"{format_si(settling.needed_s, 's', 3)} to settle, "
                    f"slot {place + 1} gives {format_si(settling.sampling_s, 's', 3)}"
                )
            advice = (
                ""
                if remedy
                else " No sampling time that fits is long enough: buffer the source or slow the "
                "trigger."
            )
            yield Finding(
                "sampling-too-short",
                "error" if settling.wired_error_lsb > 0.5 else "warning",
                f"{chain.converter}, slot {place + 1}",
                f"{slot.signal} reads its neighbour"
                + ("" if there is workspace else f" at {there.project.signal(slot.signal).pin}"),
                f"{reason}: {_amount(settling)} left over from {settling.neighbour}.{advice}",
                remedy,
                signal=slot.signal,
                converter=chain.converter,
            )


def _slots_everywhere(workspace: Workspace, chain: Chain) -> Iterator[tuple[int, Workspace]]:
    """Places of slots, each as designed and with its signal at each other pin that it is pointed to."""
    for place, slot in enumerate(chain.slots):
        for there in read_everywhere(workspace, slot.signal):
            yield place, there


def _floats(workspace: Workspace, name: str) -> bool:
    """Nothing drives one of the signal's pins: that is a finding of its own, and no sampling time
    mends it."""
    signal = workspace.project.signal(name)
    pins = [pin for pin in (signal.pin, signal.negative) if pin is not None]
    return any(isinstance(input_source(workspace, pin), FloatingInput) for pin in pins)


@rule("sampled-too-slowly")
def sampled_too_slowly(workspace: Workspace) -> Iterator[Finding]:
    """A sine appears at another frequency, as if it were that one."""
    for chain in workspace.project.chains:
        for name in dict.fromkeys(slot.signal for slot in chain.slots):
            source = input_source(workspace, workspace.project.signal(name).pin)
            rate_hz = signal_rate_hz(workspace, chain, name)
            if (
                not isinstance(source, SineSource)
                or not source.amplitude_v
                or not 0 < rate_hz <= 2 * source.frequency_hz
            ):
                continue
            seen_hz = abs(source.frequency_hz - round(source.frequency_hz / rate_hz) * rate_hz)
            seen = format_si(seen_hz, "Hz") if seen_hz else "a level"
            seen += " of any size, as its phase will have it" if 2 * seen_hz == rate_hz else ""
            yield Finding(
                "sampled-too-slowly",
                "warning",
                name,
                f"{name} is sampled too slowly",
                f"{format_si(source.frequency_hz, 'Hz')} taken at {format_si(rate_hz, 'Hz')} "
                f"looks like {seen}. More than two "
                "samples a period are needed.",
                _often_enough(workspace, chain, name, source.frequency_hz),
                signal=name,
                converter=chain.converter,
            )


def _often_enough(
    workspace: Workspace, chain: Chain, name: str, frequency_hz: Fraction
) -> Edit | None:
    """A timer's period with ten, five or three samples in each of the signal's, where cycles fit
    into it."""
    if (
        not isinstance(workspace.project.own_trigger(chain), TimerTrigger)
        or chain.per_trigger == "continuous"
    ):
        return None
    places = len(chain.places_of(name))
    per_trigger = Fraction(places, scan_timing(workspace, chain).triggers_per_cycle)

    def is_cured(changed: Workspace) -> bool:
        now = changed.project.chain(chain.converter) or chain
        if scan_timing(changed, now).missed_hz:
            return False
        return signal_rate_hz(changed, now, name) > 2 * frequency_hz

    edits = (
        SetPeriod(chain.converter, per_trigger / (count * frequency_hz)) for count in (10, 5, 3)
    )
    return first_effective_fix(workspace, edits, is_cured)


def _amount(settling: SlotSettling) -> str:
    """ "up to 23 LSB (18 mV)", for the sources as wired, else for a full-scale step."""
    wired = settling.wired_error_lsb > 0.5
    lsb = settling.wired_error_lsb if wired else settling.full_scale_error_lsb
    return f"up to {format_counts(lsb)} ({format_volts(lsb * settling.lsb_v)})" + (
        "" if wired else " of a full-scale step"
    )


def adequate_sampling(
    workspace: Workspace, chain: Chain, place: int
) -> SetSampling | SetSamplings | None:
    """The shortest sampling time that settles within ½ LSB and still fits the trigger's period."""
    converter = workspace.converter(chain)
    cycle = scan_timing(workspace, chain)
    slot = chain.slots[place]
    alike = sampled_alike(workspace.project, workspace.part, chain, place)
    for cycles in sorted(converter.sampling_cycles):
        slots = sum(cycle.slots[one].repeats for one in alike)
        added_s = (Fraction(cycles) - slot.sampling) * slots / cycle.clock_hz
        has_period = cycle.trigger.pace == "pattern"
        if cycles <= slot.sampling_cycles or (has_period and added_s > cycle.slack_s >= 0):
            continue
        if slot_settling(workspace, chain, place, cycles).adequate:
            if len(alike) > 1:
                return SetSamplings(chain.converter, cycles, alike)
            return SetSampling(chain.converter, place, cycles, slot.signal)
    return None
