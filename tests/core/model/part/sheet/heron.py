"""A made-up microcontroller as somebody would fill in its sheet, fact after fact, as text."""

from __future__ import annotations

from tests.paths import CASES
from wattigram.core.base.facts import annotation_at, read_fact
from wattigram.core.model.part.sheet.draft import PartDraft, blank_draft
from wattigram.core.model.part.sheet.register_edits import owner_places, with_sure_fields
from wattigram.core.model.part.sheet.sentences import chapter, fact_steps, lists_of, words_of
from wattigram.core.model.part.svd import read_svd

FACTS: tuple[tuple[str, tuple[dict[str, str], ...]], ...] = (
    (
        "core",
        (
            {
                "summary": "64 MHz, one 10-bit converter with six entries, one DAC, DMA",
                "processor.core": "cortex-m4",
                "processor.clock": "64 MHz",
                "processor.clock_tolerance": "2 %",
                "processor.interrupt_entry_cycles": "15",
                "processor.interrupt_jitter_cycles": "6",
                "processor.interrupt_exit_cycles": "13",
            },
        ),
    ),
    ("pins", ({"pins": "P0–P7, R0–R7", "pin_low": "-0.3 V", "pin_above_supply": "0.3 V"},)),
    (
        "references",
        (
            {"name": "supply", "voltage": "3 V"},
            {"name": "internal", "voltage": "1.5 V", "tolerance": "1 %"},
            {"name": "pin", "voltage": "2.5 V", "pin": "P4"},
        ),
    ),
    (
        "converters",
        (
            {
                "name": "SARC",
                "bits": "10, 8",
                "full_scale": "2^N − 1",
                "dividers": "2, 4, 6, 8, 12, 16, 24, 32",
                "clock_low": "0.2 MHz",
                "clock_high": "10 MHz",
                "clock_high_of_bits": "10 = 6 MHz",
                "sampling_cycles": "0.75, 2, 5, 11, 23, 47",
                "one_sampling_time": "each have their own sampling time",
                "conversion_extra_cycles": "1.25",
                "sampling_groups": "0–3 / 4–8",
                "sampling_capacitor": "8 pF",
                "switch_resistance": "2.5 kΩ",
                "differential_sampling": "a capacitor on each side",
                "channels": "P0–P7 = 0–7",
                "slots": "6",
                "sequence": "any order, repeats too",
                "triggers": "software, free-running, a timer, an edge at a pin, a comparator",
                "per_trigger": "one conversion, one scan, scans without end",
                "retrievals": "polling, interrupt, DMA",
                "alignments": "right, left",
                "result_registers": "1",
                "needs_calibration": "must be calibrated at start-up",
                "offset_uncalibrated": "3 LSB",
                "offset_calibrated": "0.5 LSB",
                "gain_error": "0.3 %",
                "accuracy": "3.6 LSB",
                "noise": "0.4 LSB",
                "hardware.stages": "sum",
                "hardware.counts": "1, 2, 4, 8, 16, 32, 64, 128, 256",
                "hardware.register_bits": "18",
                "hardware.windows": "1",
                "hardware.windows_on": "raw, filtered",
            },
        ),
    ),
    ("pairs", ({"positive": "P6", "negative": "P7", "channel": "8"},)),
    (
        "dacs",
        (
            {
                "name": "VOUT",
                "pin": "P5",
                "bits": "10",
                "full_scale": "2^N",
                "update_rate_high": "250 kHz",
                "settling": "4 us",
                "can_buffer_twice": "yes",
                "buffer_margin": "0.1 V",
                "resistance": "3 kΩ",
                "accuracy": "2 LSB",
                "settling_unbuffered": "1.2 us",
                "references": "supply, internal, pin",
            },
        ),
    ),
    (
        "timers",
        (
            {
                "names": "TICK0, TICK1",
                "counter_bits": "12",
                "prescalers": "1, 2, 4, 8, 16, 32, 64, 128",
                "can_trigger": "yes",
            },
            {
                "names": "PULSE0, PULSE1",
                "counter_bits": "10",
                "prescalers": "1, 4, 16, 64",
                "can_trigger": "no",
                "pwm": "yes",
                "pwm_pins": "PULSE0 = R2, PULSE1 = R3",
                "loads_after_dma": "yes",
            },
        ),
    ),
    (
        "dma",
        (
            {
                "names": "CH0, CH1, CH2",
                "widths": "8, 16, 32",
                "items_max": "4095",
                "modes": "once, round and round",
                "half_mark": "yes",
                "full_mark": "yes",
            },
        ),
    ),
    (
        "uarts",
        (
            {
                "names": "SERIAL",
                "send_pins": "SERIAL = R0",
                "receive_pins": "SERIAL = R1",
                "oversampling": "8",
                "divider_bits": "16",
                "data_bits": "7, 8, 9",
            },
        ),
    ),
    (
        "ports",
        (
            {"name": "PORTP", "bits": "P0–P7 = 0–7"},
            {"name": "PORTR", "bits": "R0–R7 = 0–7"},
        ),
    ),
    (
        "comparators",
        (
            {
                "name": "CMPR",
                "inputs": "P6, P0",
                "thresholds": "internal, dac, pin",
                "threshold_pins": "P7",
                "steps": "2",
                "hysteresis": "0 V, 10 mV, 25 mV",
                "response": "0.6 us",
            },
        ),
    ),
    (
        "memory",
        (
            {
                "code_begin": "0x08000000",
                "code_bytes": "128 KiB",
                "data_begin": "0x20000000",
                "data_bytes": "16 KiB",
            },
        ),
    ),
)
"""Facts by chapter, one table for each thing, as text that is typed."""


SVD = CASES / "parts" / "heron-h5.svd"


def heron_with_registers() -> PartDraft:
    """The sheet with the fields of its register description that stand alone."""
    draft, read = heron_draft(), read_svd(SVD)
    peripherals = {one.name: one for one in read.peripherals}
    for place in owner_places(draft, read.peripherals):
        draft, _taken = with_sure_fields(draft, place, peripherals[place.peripheral])
    return draft


def heron_draft() -> PartDraft:
    """The sheet with every fact of it, and no registers."""
    draft = blank_draft("Heron H5")
    for identifier, things in FACTS:
        one = chapter(identifier)
        for number, facts in enumerate(things):
            steps = lists_of(draft, one)[0]
            item = (*steps, number) if one.many else steps
            if one.many:
                draft = draft.with_item(steps, {})
            for key, text in facts.items():
                value = read_fact(annotation_at(one.model, key), text, words_of(one.model, key))
                draft = draft.with_value(fact_steps(item, key), value)
    return draft
