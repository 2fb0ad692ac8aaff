"""What the silicon would really do, and what its pins really see.

This is all that the virtual board is told. It holds no design type, so that it can just as well be
decoded from the register writes of compiled firmware.
"""

from __future__ import annotations

from typing import Annotated, Literal, Self, TypeVar

from pydantic import BaseModel, ConfigDict, Field, ValidationError, model_validator

from wattigram.core.errors import BoardError

Count = Annotated[int, Field(ge=1, le=1 << 48)]
Finite = Annotated[float, Field(allow_inf_nan=False, ge=-1e12, le=1e12)]
Positive = Annotated[float, Field(allow_inf_nan=False, gt=0, le=1e12)]


class _Effective(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)


class PinDrive(_Effective):
    """Open-circuit voltage of a pin: a level plus sines, or a shape between two levels."""

    shape: Literal["level", "sines", "triangle", "square"] = "level"
    level_v: Finite = 0.0
    high_v: Finite = 0.0
    """Other end of a triangle or square."""
    frequency_hz: Annotated[float, Field(allow_inf_nan=False, ge=0, le=1e9)] = 0.0
    high_share: Finite = 0.5
    """Share of a square's period, at its end, that is high."""
    sines: tuple[tuple[Finite, Finite, Finite], ...] = ()
    """Amplitude in volts, frequency in hertz, phase in turns, for each sine."""
    noise_v: Annotated[float, Field(allow_inf_nan=False, ge=0, le=1e6)] = 0.0


class EffectiveBench(_Effective):
    """What a person can change while the board runs."""

    pins: dict[str, PinDrive]
    carry: tuple[tuple[Annotated[float, Field(ge=0, le=1)], ...], ...]
    """For each converter and slot, the share of the difference to the slot before that is left."""


class EffectiveSlot(_Effective):
    """One place in the sequence; ``held_ticks`` after the trigger the voltage is frozen."""

    pin: str
    held_ticks: Annotated[int, Field(ge=0)]


class EffectiveLoop(_Effective):
    """The memory that DMA fills; ``repeat`` false fills it once."""

    name: str
    items: Annotated[int, Field(ge=2, le=1 << 24)]
    width_bits: Literal[8, 16, 32]
    repeat: bool = True


class EffectiveConverter(_Effective):
    """A converter as set up; offset and noise are in LSB of its resolution."""

    name: str
    bits: Annotated[int, Field(ge=4, le=24)]
    lsb_v: Positive
    shift: Annotated[int, Field(ge=0, le=28)] = 0
    offset_lsb: Finite = 0.0
    gain_error: Finite = 0.0
    noise_lsb: Annotated[float, Field(allow_inf_nan=False, ge=0, le=1e6)] = 0.0
    cycle_ticks: Count
    """From cycle to cycle, missed triggers included."""
    triggers_per_cycle: Count = 1
    slots: Annotated[tuple[EffectiveSlot, ...], Field(min_length=1, max_length=256)]
    loop: EffectiveLoop


class EffectiveWindow(_Effective):
    """Threshold window in codes, as an integer comparison does it."""

    low: int
    high: int
    hysteresis: Annotated[int, Field(ge=0)] = 0
    condition: Literal["outside", "inside", "above", "below"]
    on_reduced: bool


class EffectiveTap(_Effective):
    """What the firmware does with the loop places of one signal."""

    name: str
    converter: Annotated[int, Field(ge=0)]
    places: Annotated[tuple[Annotated[int, Field(ge=0)], ...], Field(min_length=1)]
    count: Annotated[int, Field(ge=1, le=65536)] = 1
    shift: Annotated[int, Field(ge=0, le=31)] = 0
    register_bits: Annotated[int, Field(ge=8, le=32)] = 32
    window: EffectiveWindow | None = None


class EffectiveConfig(_Effective):
    """Everything that the virtual board needs."""

    board: str
    build_mark: str
    tick_hz: Annotated[int, Field(ge=1, le=10**10)]
    seed: Annotated[int, Field(ge=0, le=1 << 32)] = 1
    converters: Annotated[tuple[EffectiveConverter, ...], Field(min_length=1, max_length=64)]
    taps: Annotated[tuple[EffectiveTap, ...], Field(max_length=100)] = ()
    bench: EffectiveBench

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        check_bench(self.bench, self.converters)
        for tap in self.taps:
            if tap.converter >= len(self.converters):
                raise ValueError(f"tap {tap.name}: there is no converter {tap.converter}")
            if max(tap.places) >= len(self.converters[tap.converter].slots):
                raise ValueError(f"tap {tap.name}: place {max(tap.places)} is beyond the sequence")
        return self


def check_bench(bench: EffectiveBench, converters: tuple[EffectiveConverter, ...]) -> None:
    """Raise ``ValueError`` when a pin that is converted is not in the bench, or a carry is missing."""
    if [len(row) for row in bench.carry] != [len(converter.slots) for converter in converters]:
        raise ValueError("carry must have one number for each slot of each converter")
    for converter in converters:
        for slot in converter.slots:
            if slot.pin not in bench.pins:
                raise ValueError(f"pin {slot.pin} of {converter.name} has no drive")


def parse_config(text: str) -> EffectiveConfig:
    """Read a configuration from JSON; raises :class:`BoardError`."""
    return _parse(EffectiveConfig, text, "configuration")


def parse_bench(text: str, config: EffectiveConfig) -> EffectiveBench:
    """Read a bench from JSON and hold it against the configuration; raises :class:`BoardError`."""
    bench = _parse(EffectiveBench, text, "bench")
    try:
        check_bench(bench, config.converters)
    except ValueError as fault:
        raise BoardError(f"The bench does not fit: {fault}.") from fault
    return bench


Model = TypeVar("Model", bound=BaseModel)


def _parse(model: type[Model], text: str, what: str) -> Model:
    try:
        return model.model_validate_json(text)
    except ValidationError as fault:
        first = fault.errors(include_url=False)[0]
        place = ".".join(str(step) for step in first["loc"])
        raise BoardError(f"The {what} cannot be used: {place}: {first['msg']}.") from fault
