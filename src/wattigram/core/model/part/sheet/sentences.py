"""A data sheet in sentences: what is said of each peripheral, with its facts to be filled in."""

from __future__ import annotations

import re
from fractions import Fraction
from typing import Any

import msgspec

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.facts import Words, annotation_at, default_at, read_fact, read_number
from wattigram.core.base.model_fields import NO_DEFAULT
from wattigram.core.base.quantity import parse_quantity
from wattigram.core.model.field_types import FINEST_CLOCK
from wattigram.core.model.part.converter import (
    ComparatorUnit,
    Converter,
    DifferentialPair,
    InternalChannel,
)
from wattigram.core.model.part.model import (
    Dac,
    DmaGroup,
    Part,
    Port,
    Reference,
    Timer,
    UartGroup,
)
from wattigram.core.model.part.registers import MemoryMap
from wattigram.core.model.part.sheet.draft import PartDraft, Steps

_PLACE = re.compile(r"\{([a-z_.]+)\}")


class Sentence(msgspec.Struct, frozen=True):
    """A sentence with facts in braces, by their keys.

    ``offer`` is what a button says where the sentence is one that a sheet need not have; it is
    shown once one of its facts is known.
    """

    text: str
    offer: str = ""

    @property
    def pieces(self) -> tuple[tuple[str, bool], ...]:
        """Its pieces in their order: words, or a key (True)."""
        pieces = []
        for number, piece in enumerate(_PLACE.split(self.text)):
            if piece:
                pieces.append((piece, number % 2 == 1))
        return tuple(pieces)

    @property
    def keys(self) -> tuple[str, ...]:
        """The keys of its facts."""
        return tuple(piece for piece, is_key in self.pieces if is_key)


class Chapter(msgspec.Struct, frozen=True):
    """What is said of one kind of thing; ``many`` of them are a list at ``steps``."""

    id: str
    title: str
    steps: Steps
    model: type[Any]
    sentences: tuple[Sentence, ...]
    many: bool = False
    one: str = ""
    """What one of many is called."""
    within: str = ""
    """The list each of whose things has such a list; ``steps`` are then those within it."""
    required: bool = False
    """A part has at least one of it."""


WORDS: dict[tuple[type[Any], str], Words] = {
    (Converter, "sequence"): {
        "free": "any order, repeats too",
        "ascending": "ascending order of channels, each once",
        "software": "the order in which software points to them, one at a time",
    },
    (Converter, "triggers"): {
        "timer": "a timer",
        "edge": "an edge at a pin",
        "comparator": "a comparator",
        "threshold": "a threshold in hardware",
        "converter": "another converter",
    },
    (Converter, "per_trigger"): {
        "conversion": "one conversion",
        "scan": "one scan",
        "continuous": "scans without end",
    },
    (Converter, "retrievals"): {"fifo": "FIFO", "dma": "DMA"},
    (Converter, "full_scale"): {"2^N": "2^N", "2^N-1": "2^N − 1"},
    (Converter, "needs_calibration"): {
        "yes": "must be calibrated at start-up",
        "no": "needs no calibration",
    },
    (Converter, "tracks"): {
        "yes": "follows the next input already before",
        "no": "follows no input outside of it",
    },
    (Converter, "one_sampling_time"): {
        "yes": "have one sampling time together",
        "no": "each have their own sampling time",
    },
    (Converter, "differential_sampling"): {
        "across": "one capacitor between the two pins",
        "each-side": "a capacitor on each side",
    },
    (Converter, "oscillator.runs_in_sleep"): {
        "yes": "runs in sleep too",
        "no": "stops in sleep",
    },
    (Dac, "full_scale"): {"2^N": "2^N", "2^N-1": "2^N − 1"},
    (Dac, "can_buffer_twice"): {
        "yes": "can go through a second register that a trigger empties",
        "no": "takes effect as soon as it is written",
    },
    (Timer, "can_trigger"): {"yes": "can start converters and DACs", "no": "start nothing"},
    (Timer, "pwm"): {"yes": "can put pulses on pins", "no": "put no pulses on pins"},
    (Timer, "loads_after_dma"): {
        "yes": "can wait until DMA has written all its bytes",
        "no": "does not wait for DMA",
    },
    (DmaGroup, "modes"): {"one-shot": "once", "loop": "round and round"},
    (DmaGroup, "half_mark"): {"yes": "half full", "no": "not at half full"},
    (DmaGroup, "full_mark"): {"yes": "full", "no": "not when full"},
}
"""What is said for choices, by model and key."""

CHAPTERS: tuple[Chapter, ...] = (
    Chapter(
        "core",
        "Core and clocks",
        (),
        Part,
        (
            Sentence("The part is called {name}. In a line: {summary}."),
            Sentence(
                "Its core is a {processor.core} at up to {processor.clock}; the clock as it comes may be off by "
                "{processor.clock_tolerance}."
            ),
            Sentence(
                "An interrupt takes {processor.interrupt_entry_cycles} clocks to enter, up to "
                "{processor.interrupt_jitter_cycles} more where an instruction must end first, and "
                "{processor.interrupt_exit_cycles} to leave."
            ),
            Sentence(
                "An instruction takes {processor.instruction_cycles} clocks on average, a loop that waits for a "
                "flag {processor.poll_cycles} a round."
            ),
        ),
        required=True,
    ),
    Chapter(
        "pins",
        "Pins",
        (),
        Part,
        (
            Sentence("Its pins are {pins}."),
            Sentence(
                "No pin may be below {pin_low}, or more than {pin_above_supply} above the supply."
            ),
        ),
        required=True,
    ),
    Chapter(
        "references",
        "References",
        ("references",),
        Reference,
        (
            Sentence("The reference {name} has {voltage}."),
            Sentence("It is right within {tolerance}.", "Its tolerance"),
            Sentence("It comes from outside, at pin {pin}.", "It comes from a pin"),
        ),
        many=True,
        one="reference",
        required=True,
    ),
    Chapter(
        "converters",
        "Converters",
        ("converters",),
        Converter,
        (
            Sentence("The converter {name} has {bits} bits; full scale is {full_scale} codes."),
            Sentence(
                "Its clock is the bus clock divided by {dividers}, from {clock_low} to {clock_high}. Twice that "
                "would add {overclock_noise} rms of noise; half the lowest would lose {leakage_share} of the charge."
            ),
            Sentence(
                "At a resolution its clock may be no higher than this: {clock_high_of_bits}.",
                "Some resolutions need a slower clock",
            ),
            Sentence(
                "It has an oscillator of its own: {oscillator.clock} within {oscillator.tolerance}, which "
                "{oscillator.runs_in_sleep}; the virtual board's one is off by {oscillator.specimen_error}.",
                "It has an oscillator of its own",
            ),
            Sentence(
                "Sampling takes {sampling_cycles} converter clocks; the capacitor {tracks}. Slots "
                "{one_sampling_time}. A conversion takes a clock for each bit and {conversion_extra_cycles} more."
            ),
            Sentence(
                "These channels are sampled alike, group by group: {sampling_groups}.",
                "Groups of channels share a sampling time",
            ),
            Sentence(
                "The sampling capacitor has {sampling_capacitor} behind {switch_resistance}; a pair of pins has "
                "{differential_sampling}."
            ),
            Sentence("Channels of pins: {channels}."),
            Sentence(
                "A sequence has up to {slots} slots in {sequence}. It is started by {triggers}; one start makes "
                "{per_trigger}."
            ),
            Sentence(
                "Pointing it to another channel takes software {repoint_cycles} clocks.",
                "Software points it to channels",
            ),
            Sentence("It starts at the very same trigger as {in_step_with}.", "It runs in step"),
            Sentence(
                "Results are fetched by {retrievals}, {alignments} aligned, from {result_registers} result "
                "registers."
            ),
            Sentence("Its FIFO holds {fifo_items} results.", "It has a FIFO"),
            Sentence(
                "It {needs_calibration}. Offset is {offset_uncalibrated} before and {offset_calibrated} after, gain "
                "is off by {gain_error}; together they stay within {accuracy}. Noise is {noise} rms."
            ),
            Sentence(
                "In hardware it makes {hardware.stages} of {hardware.counts} results, in a register of "
                "{hardware.register_bits} bits.",
                "It averages in hardware",
            ),
            Sentence(
                "It has {hardware.windows} thresholds in hardware, on {hardware.windows_on} results.",
                "It has thresholds in hardware",
            ),
        ),
        many=True,
        one="converter",
        required=True,
    ),
    Chapter(
        "pairs",
        "Pairs of pins",
        ("pairs",),
        DifferentialPair,
        (Sentence("{positive} minus {negative} is channel {channel}."),),
        many=True,
        one="pair",
        within="converters",
    ),
    Chapter(
        "internal",
        "Channels inside",
        ("internal",),
        InternalChannel,
        (
            Sentence(
                "Channel {channel} is the {name}: {voltage} behind {resistance}, with {noise} rms of noise."
            ),
            Sentence("It is {supply_share} of the supply.", "It is a share of the supply"),
        ),
        many=True,
        one="channel inside",
        within="converters",
    ),
    Chapter(
        "dacs",
        "DACs",
        ("dacs",),
        Dac,
        (
            Sentence(
                "The DAC {name} comes out at pin {pin}. It has {bits} bits; full scale is {full_scale} codes."
            ),
            Sentence(
                "It takes up to {update_rate_high} and settles within {settling}; a code {can_buffer_twice}."
            ),
            Sentence(
                "Its buffer stays {buffer_margin} away from either rail; without it the output has {resistance}."
            ),
            Sentence(
                "Without its buffer it settles within {settling_unbuffered}.",
                "It settles otherwise without its buffer",
            ),
            Sentence("It slews at {slew}.", "Its slew is stated"),
            Sentence(
                "Its full scale is always that of {reference}.", "It has a reference of its own"
            ),
            Sentence(
                "Its full scale is that of {references}, as the design chooses.",
                "It has a choice of references of its own",
            ),
            Sentence("Offset, gain and bend together stay within {accuracy}."),
            Sentence(
                "On the virtual board it is off by {offset} and {gain_error}, bent by {bend} at mid-scale, steps "
                "{carry} too far into its upper half, and has {noise} rms of noise.",
                "How the virtual board's one is off",
            ),
        ),
        many=True,
        one="DAC",
    ),
    Chapter(
        "timers",
        "Timers and pulses",
        ("timers",),
        Timer,
        (
            Sentence(
                "{names} count {counter_bits} bits behind a prescaler of {prescaler_bits} bits. They {can_trigger} "
                "and {pwm}."
            ),
            Sentence(
                "They run from the bus clock divided by {clock_divider}.",
                "Their clock is slower than the bus",
            ),
            Sentence("Of prescalers they have only {prescalers}.", "Only some prescalers"),
            Sentence(
                "Pulses come out at {pwm_pins}; a new one {loads_after_dma}.", "Pins of pulses"
            ),
        ),
        many=True,
        one="kind of timer",
    ),
    Chapter(
        "dma",
        "DMA",
        ("dma",),
        DmaGroup,
        (
            Sentence(
                "{names} carry {widths} bits at a time, up to {items_max} in a run, {modes}. They interrupt at "
                "{half_mark} and {full_mark}; a transfer takes {transfer_cycles} bus clocks."
            ),
        ),
        many=True,
        one="kind of DMA channel",
    ),
    Chapter(
        "uarts",
        "Serial ports",
        ("uarts",),
        UartGroup,
        (
            Sentence(
                "{names} send at {send_pins} and receive at {receive_pins}. The bit clock is the bus clock divided "
                "by {oversampling} and by a divider of {divider_bits} bits."
            ),
            Sentence(
                "Words have {data_bits} bits; {waiting_bytes} wait behind the one that is being sent; one with a "
                "wrong parity or stop bit is {faulty_words}."
            ),
        ),
        many=True,
        one="kind of UART",
    ),
    Chapter(
        "ports",
        "Ports",
        ("ports",),
        Port,
        (
            Sentence(
                "The port {name} has the pins {bits}, each with its bit; an output has {resistance}."
            ),
        ),
        many=True,
        one="port",
    ),
    Chapter(
        "comparators",
        "Comparators",
        ("comparators",),
        ComparatorUnit,
        (
            Sentence(
                "The comparator {name} watches {inputs} against {thresholds}, with a hysteresis of {hysteresis}; it "
                "answers within {response}."
            ),
            Sentence("A threshold can come from {threshold_pins}.", "A threshold comes from a pin"),
            Sentence("Its own threshold has {steps} steps up to the reference.", "Its own steps"),
        ),
        many=True,
        one="comparator",
    ),
    Chapter(
        "memory",
        "Memory",
        ("memory",),
        MemoryMap,
        (
            Sentence(
                "Code lies from {code_begin} on, {code_bytes} bytes of it; data from {data_begin} on, {data_bytes} "
                "bytes.",
                "Where code and data lie",
            ),
        ),
    ),
)
"""The sheet, in the order in which data sheets have it."""


def chapter(identifier: str) -> Chapter:
    """The chapter of that id."""
    return next(one for one in CHAPTERS if one.id == identifier)


def items_of(draft: PartDraft, one: Chapter) -> tuple[Steps, ...]:
    """Where the things that a chapter tells of stand; the chapter's own place where it is one."""
    if not one.many:
        return (one.steps,)
    return tuple(
        (*place, number)
        for place in lists_of(draft, one)
        for number in range(len(draft.items(place)))
    )


def lists_of(draft: PartDraft, one: Chapter) -> tuple[Steps, ...]:
    """The lists that things of a chapter stand in: one, or one of each thing that has such a list."""
    if not one.within:
        return (one.steps,)
    count = len(draft.items((one.within,)))
    return tuple((one.within, number, *one.steps) for number in range(count))


def fact_steps(item: Steps, key: str) -> Steps:
    """Where a fact stands."""
    return (*item, *key.split("."))


def is_shown(draft: PartDraft, item: Steps, sentence: Sentence) -> bool:
    """Whether a sentence is said: one that a sheet need not have is once a fact of it is known."""
    return not sentence.offer or any(
        draft.get(fact_steps(item, key)) is not None for key in sentence.keys
    )


def is_missing(draft: PartDraft, one: Chapter, item: Steps, key: str) -> bool:
    """Whether a fact must be said before there is a part, and is not."""
    above, _, _ = key.rpartition(".")
    if draft.get(fact_steps(item, key)) is not None:
        return False
    if default_at(one.model, key) is not NO_DEFAULT:
        return False
    if not above or default_at(one.model, above) is NO_DEFAULT:
        return True
    return draft.get(fact_steps(item, above)) is not None


def missing_facts(draft: PartDraft, one: Chapter) -> tuple[Steps, ...]:
    """Facts of a chapter that must be said and are not."""
    if one.many and one.required and not draft.items(one.steps):
        return (one.steps,)
    return tuple(
        fact_steps(item, key)
        for item in items_of(draft, one)
        for sentence in one.sentences
        if is_shown(draft, item, sentence)
        for key in sentence.keys
        if is_missing(draft, one, item, key)
    )


def read_said(draft: PartDraft, one: Chapter, item: Steps, key: str, text: str) -> Any:
    """What somebody wrote for a fact, as a part file has it; None for nothing.

    Sampling times may be said as times: those are meant at the highest clock.

    Raises
    ------
    QuantityError
        When it is no such fact, with what would be one.
    """
    annotation = annotation_at(one.model, key)
    if one.model is Converter and key == "sampling_cycles" and text.strip():
        clock = draft.get(fact_steps(item, "clock_high"))
        if not isinstance(clock, str):
            if re.search(r"\ds\b|[munµ]s\b", text):
                raise QuantityError(
                    "How many clocks a time is cannot be said before the highest clock is.",
                    cure="Fill that in first.",
                )
            return read_fact(annotation, text.replace("clk", "").replace("clocks", ""))
        clocks = clocks_of(text, parse_quantity(clock, "Hz", unit_required=True))
        return read_fact(annotation, ", ".join(f"{one_time:g}" for one_time in clocks))
    return read_fact(annotation, text, words_of(one.model, key))


def clocks_of(text: str, clock_hz: Fraction) -> list[int | float]:
    """Sampling times in converter clocks; some may be said as times, at a clock of ``clock_hz``.

    A data sheet that states nanoseconds states them at the highest clock.

    Raises
    ------
    QuantityError
        When a time is no number of eighths of a clock.
    """
    clocks: list[int | float] = []
    for part in re.split(
        r"\s*[,;]\s*", " ".join(text.split()).replace("clk", "").replace("clocks", "")
    ):
        if not part:
            continue
        try:
            time_s = parse_quantity(part, "s", unit_required=True)
        except QuantityError:
            clocks.append(read_number(float, part.strip()))
            continue
        exact = time_s * clock_hz
        if exact * FINEST_CLOCK != round(exact * FINEST_CLOCK):
            near = Fraction(round(exact * FINEST_CLOCK), FINEST_CLOCK)
            raise QuantityError(
                f"{part} at {float(clock_hz / 10**6):g} MHz is no number of eighths of a clock.",
                cure=f"The nearest is {float(near):g} clocks.",
            )
        clocks.append(int(exact) if exact.denominator == 1 else float(exact))
    return clocks


def words_of(model: type[Any], key: str) -> Words:
    """What is said for a fact's choices; none where they are said as they are."""
    return WORDS.get((model, key), {})
