"""Converters and comparators of a part; ``docs/part-format.md`` describes them for people."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated, Literal

from msgspec import Meta, field

from wattigram.core.base.fields import (
    Counts,
    CountsOrZero,
    Farads,
    Hertz,
    Ohms,
    PositiveVolts,
    Seconds,
    Share,
    ShareOrZero,
    VoltsOrZero,
)
from wattigram.core.base.models import StrictModel
from wattigram.core.model.field_types import (
    Alignment,
    Cycles,
    ExtraClocks,
    Flag,
    InputName,
    Judged,
    Name,
    PerTrigger,
    PinName,
    Positive,
    RetrievalKind,
    SamplingClocks,
    StageKind,
    TriggerKind,
    check_clocks,
    check_distinct,
)

Channel = Annotated[int, Meta(ge=0, le=255)]


class Oscillator(StrictModel):
    """A converter's own clock. ``specimen_error`` is how far the virtual board's one is off."""

    clock_hz: Hertz
    tolerance: ShareOrZero
    specimen_error: Share = 0.0
    runs_in_sleep: Flag = False


class DifferentialPair(StrictModel):
    """Two pins that are converted as a difference."""

    positive: PinName
    negative: PinName
    channel: Channel


class InternalChannel(StrictModel):
    """A channel that no pin leads to, with the voltage that stands on it."""

    name: InputName
    channel: Channel
    voltage_v: PositiveVolts
    """Of a share of the supply, with the supply as the part's references have it."""
    supply_share: ShareOrZero = 0.0
    """Which share of the supply it is, as the board has that; 0 where it is a voltage of its own."""
    resistance_ohm: Ohms = 0.0
    noise_v: VoltsOrZero = 0.0


class Hardware(StrictModel):
    """What the converter itself does to results. Sums and block means repeat a slot ``counts``
    times a trigger."""

    stages: tuple[StageKind, ...] = ()
    counts: tuple[Positive, ...] = ()
    register_bits: Annotated[int, Meta(ge=8, le=32)] = 32
    windows: Annotated[int, Meta(ge=0, le=64)] = 0
    windows_on: tuple[Judged, ...] = ()


class Converter(StrictModel):
    """One ADC. Offsets and noise are in LSB of its highest resolution."""

    name: Name
    bits: Annotated[tuple[Annotated[int, Meta(ge=4, le=24)], ...], Meta(min_length=1)]
    conversion_extra_cycles: ExtraClocks
    dividers: Annotated[tuple[Positive, ...], Meta(min_length=1)]
    clock_low_hz: Hertz
    clock_high_hz: Hertz
    clock_high_of_bits: dict[Name, Hertz] = field(default_factory=dict)
    """Highest clock at which a resolution is kept, by the number of its bits, where that is lower."""
    overclock_noise_lsb: CountsOrZero = 8.0
    """Noise that a clock of twice the limit adds, rms."""
    leakage_share: ShareOrZero = 0.02
    """Share of the held charge that a clock of half the lowest one loses."""
    oscillator: Oscillator | None = None
    sampling_cycles: Annotated[tuple[SamplingClocks, ...], Meta(min_length=1)]
    tracks: Flag = False
    """Between conversions the sampling capacitor is at the input that comes next, from the end of the
    conversion before."""
    one_sampling_time: Flag = False
    """All slots are sampled for the same time."""
    sampling_groups: tuple[Annotated[tuple[int, ...], Meta(min_length=1)], ...] = ()
    """Channels whose slots are sampled for the same time, group by group."""
    sampling_capacitor_f: Farads
    switch_resistance_ohm: Ohms
    differential_sampling: Literal["across", "each-side"] = "across"
    """A pair is held by one capacitor across it, or by one on each side."""
    slots: Annotated[int, Meta(ge=1, le=256)]
    sequence: Literal["free", "ascending", "software"] = "free"
    """Order of slots: any, by channel number, or one channel at a time that software re-points."""
    repoint_cycles: Cycles = 0
    """Processor cycles to write the next channel and start it."""
    triggers: tuple[TriggerKind, ...] = (
        "software",
        "free-running",
        "timer",
        "edge",
        "comparator",
        "converter",
    )
    per_trigger: tuple[PerTrigger, ...] = ("conversion", "scan", "continuous")
    retrievals: Annotated[tuple[RetrievalKind, ...], Meta(min_length=1)] = (
        "polling",
        "interrupt",
        "dma",
    )
    result_registers: Annotated[int, Meta(ge=1, le=256)] = 1
    fifo_items: Annotated[int, Meta(ge=0, le=4096)] = 0
    alignments: Annotated[tuple[Alignment, ...], Meta(min_length=1)] = ("right", "left")
    in_step_with: tuple[Name, ...] = ()
    """Converters that can be started by the very same trigger."""
    full_scale: Literal["2^N", "2^N-1"]
    needs_calibration: Flag
    offset_uncalibrated_lsb: Counts
    offset_calibrated_lsb: Counts
    gain_error: Share
    accuracy_lsb: CountsOrZero
    noise_lsb: CountsOrZero
    hardware: Hardware = field(default_factory=Hardware)
    channels: dict[PinName, Channel]
    pairs: tuple[DifferentialPair, ...] = ()
    internal: tuple[InternalChannel, ...] = ()

    def __post_init__(self) -> None:
        if self.clock_low_hz >= self.clock_high_hz:
            raise ValueError(f"{self.name}: clock_low is not below clock_high. Exchange them.")
        for bits in self.clock_high_of_bits:
            if bits not in {str(one) for one in self.bits}:
                raise ValueError(
                    f"{self.name}: clock_high_of_bits names {bits} bits, which it does not have. Remove it."
                )
        if self.sampling_capacitor_f <= 0:
            raise ValueError(f"{self.name}: sampling_capacitor must be above 0 F.")
        if not self.channels:
            raise ValueError(
                f"{self.name}: it has no channels. List each pin with its channel number."
            )
        if "fifo" in self.retrievals and not self.fifo_items:
            raise ValueError(f"{self.name}: a FIFO without fifo_items. Say how many it holds.")
        if self.hardware.counts and not {"sum", "block-average"} & set(self.hardware.stages):
            raise ValueError(
                f"{self.name}: hardware counts without “sum” or “mean” among its stages. Add one."
            )
        check_distinct(self.bits, f"{self.name}: resolution")
        check_distinct(self.dividers, f"{self.name}: divider")
        check_distinct(self.sampling_cycles, f"{self.name}: sampling time")
        check_clocks(self.sampling_cycles, f"{self.name}: sampling time")
        check_clocks((self.conversion_extra_cycles,), f"{self.name}: conversion")
        check_distinct(self.channel_numbers, f"{self.name}: channel")
        check_distinct(tuple(item.name for item in self.internal), f"{self.name}: internal channel")
        self._check_groups()

    @property
    def channel_numbers(self) -> tuple[int, ...]:
        """Of pins, pairs and internal inputs."""
        return (
            *self.channels.values(),
            *(pair.channel for pair in self.pairs),
            *(item.channel for item in self.internal),
        )

    def _check_groups(self) -> None:
        grouped = tuple(channel for group in self.sampling_groups for channel in group)
        check_distinct(grouped, f"{self.name}: channel in sampling_groups")
        if grouped and self.one_sampling_time:
            raise ValueError(
                f"{self.name}: sampling_groups, and one_sampling_time for all. Remove one of them."
            )
        for channel in grouped:
            if channel not in self.channel_numbers:
                raise ValueError(
                    f"{self.name}: sampling_groups names channel {channel}, which leads nowhere. "
                    "Remove it."
                )

    def conversion_cycles(self, bits: int) -> Fraction:
        """Converter clocks from the held instant to the code."""
        return bits + Fraction(self.conversion_extra_cycles)

    def channel(self, pin: str, negative: str | None = None) -> int | None:
        """Channel of a pin, of an internal input, or of a differential pair; None where there is
        none."""
        if negative is not None:
            pairs = (
                pair for pair in self.pairs if pair.positive == pin and pair.negative == negative
            )
            return next((pair.channel for pair in pairs), None)
        if pin in self.channels:
            return self.channels[pin]
        return next((item.channel for item in self.internal if item.name == pin), None)

    def internal_input(self, name: str) -> InternalChannel | None:
        """The internal channel of that name."""
        return next((item for item in self.internal if item.name == name), None)

    def clock_limit_hz(self, bits: int) -> Fraction:
        """The highest clock that it may have at a resolution."""
        return min(self.clock_high_hz, self.clock_high_of_bits.get(str(bits), self.clock_high_hz))

    def allows_clock(self, clock_hz: Fraction, bits: int) -> bool:
        """Whether its own clock may be as fast, or as slow, as that at a resolution."""
        return self.clock_low_hz <= clock_hz <= self.clock_limit_hz(bits)

    def quickest_divider(self, source_hz: Fraction, bits: int) -> int:
        """The smallest divider that makes no clock which is too fast; the largest where all do."""
        limit_hz = self.clock_limit_hz(bits)
        slow_enough = [item for item in self.dividers if source_hz / item <= limit_hz]
        return min(slow_enough, default=max(self.dividers))

    def source_clock_hz(self, bus_hz: Fraction, own: bool) -> Fraction:
        """Clock before the divider, nominal."""
        return self.oscillator.clock_hz if own and self.oscillator else bus_hz


class ComparatorUnit(StrictModel):
    """A comparator; ``steps`` equal steps of its internal threshold span the reference."""

    name: Name
    inputs: Annotated[tuple[PinName, ...], Meta(min_length=1)]
    thresholds: Annotated[tuple[Literal["internal", "dac", "pin"], ...], Meta(min_length=1)]
    threshold_pins: tuple[PinName, ...] = ()
    steps: Annotated[int, Meta(ge=2, le=65536)] = 64
    hysteresis_v: Annotated[tuple[VoltsOrZero, ...], Meta(min_length=1)] = (0.0,)
    response_s: Seconds
    """It follows its input this often; noise faster than that is not seen."""

    @property
    def fixed_step(self) -> int | None:
        """The only step where there are two: neither 0 V nor the reference is a threshold."""
        return 1 if self.steps == 2 else None
