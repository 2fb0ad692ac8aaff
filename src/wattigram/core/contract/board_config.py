"""What the silicon would really do, and what its pins really see.

This is all that the virtual board is told. It holds no design type, so that it can just as well be
decoded from the register writes of compiled firmware.
"""

from __future__ import annotations

from typing import Annotated, Literal, TypeVar

from msgspec import Meta, field

from wattigram.core.base.errors import BoardError
from wattigram.core.base.models import StrictModel, model_of_json
from wattigram.core.base.validation import ModelError
from wattigram.core.contract.serial_line import LineFormat

Count = Annotated[int, Meta(ge=1, le=1 << 48)]
Finite = Annotated[float, Meta(ge=-1e12, le=1e12)]
Ticks = Annotated[float, Meta(ge=0, le=1e18)]
Positive = Annotated[float, Meta(gt=0, le=1e12)]


class _Effective(StrictModel, rename=None):
    """Keys are the fields' names."""


class PinDrive(_Effective):
    """Open-circuit voltage of a pin: a level plus sines, or a shape between two levels.

    A "course" is given in pieces; a "sweep" goes from ``frequency_hz`` to ``to_hz`` within
    ``lasting_s``, with the
    amplitude ``high_v``; an "output" comes from one of the board's own pins, a "board" from a pin of
    the other board of that number. ``sines`` are added to any of them.
    """

    shape: Literal["level", "sines", "triangle", "square", "course", "sweep", "output", "board"] = (
        "level"
    )
    level_v: Finite = 0.0
    high_v: Finite = 0.0
    """Other end of a triangle or square."""
    frequency_hz: Annotated[float, Meta(ge=0, le=1e9)] = 0.0
    high_share: Finite = 0.5
    """Share of a square's period, at its end, that is high."""
    sines: tuple[tuple[Finite, Finite, Finite], ...] = ()
    """Amplitude in volts, frequency in hertz, phase in turns, for each sine."""
    noise_v: Annotated[float, Meta(ge=0, le=1e6)] = 0.0
    pieces: tuple[tuple[Finite, Finite, Finite], ...] = ()
    """Of a course: start in seconds, voltage there, slope in volts per second."""
    period_s: Annotated[float, Meta(ge=0, le=1e9)] = 0.0
    begin_s: Finite = 0.0
    to_hz: Finite = 0.0
    lasting_s: Annotated[float, Meta(gt=0, le=1e9)] = 1.0
    output: str = ""
    board: Annotated[int, Meta(ge=0, le=15)] = 0
    poles_s: tuple[Annotated[float, Meta(gt=0, le=1e6)], ...] = ()
    """Low-passes on the way from a course or an output."""
    ohm: Annotated[float, Meta(ge=0, le=1e15)] = 0.0
    """Between the source and the pin."""
    capacitor_f: Annotated[float, Meta(ge=0, le=1e3)] = 0.0
    """From the pin to ground."""


class EffectiveDac(_Effective):
    """A DAC as it is set up: codes that reach its output one after the other, and how well it makes
    volts of them."""

    name: str
    pin: str
    codes: Annotated[
        tuple[Annotated[int, Meta(ge=0, lt=1 << 24)], ...], Meta(min_length=1, max_length=1 << 20)
    ]
    update_ticks: Positive
    begin_ticks: Ticks = 0.0
    repeat: bool = True
    steady: bool = False
    """One code, there before anything starts."""
    bits: Annotated[int, Meta(ge=4, le=24)]
    lsb_v: Positive
    low_v: Finite
    high_v: Finite
    offset_lsb: Finite = 0.0
    gain_error: Finite = 0.0
    bend_lsb: Finite = 0.0
    carry_lsb: Finite = 0.0
    tau_s: Annotated[float, Meta(ge=0, le=1e3)] = 0.0
    slew_v_s: Annotated[float, Meta(ge=0, le=1e12)] = 0.0


class EffectivePwm(_Effective):
    """A PWM output: high for the first counts of each period."""

    name: str
    pin: str
    count_ticks: Positive
    counts: Annotated[int, Meta(ge=1, le=1 << 32)]
    high_counts: Annotated[int, Meta(ge=0, le=1 << 32)]
    high_v: Finite
    preload: bool = True


class EffectiveSerial(_Effective):
    """Another board that sends values of ``bits`` over a wire, there and back between two shares of
    full scale, in ``words_each`` words."""

    every_ticks: Positive
    bits: Annotated[int, Meta(ge=4, le=16)]
    words_each: Literal[1, 2]
    low_first: bool
    from_share: Finite
    to_share: Finite
    period_ticks: Positive


class EffectiveByteWatch(_Effective):
    """A byte that the program waits for, or each where ``byte`` is None; ``watch`` numbers its
    events."""

    watch: Annotated[int, Meta(ge=0)]
    byte: Annotated[int, Meta(ge=0, le=511)] | None = None


class EffectiveWire(_Effective):
    """What comes to the receive pin of a UART: from a board that sends values, from another one of the
    configuration, or from nowhere.

    The two ends have settings of their own.
    """

    uart: str
    sends: LineFormat
    hears: LineFormat
    keeps_faulty: bool = True
    values: EffectiveSerial | None = None
    board: Annotated[int, Meta(ge=0)] | None = None
    """The other board that sends, and by which of its UARTs."""
    board_uart: str = ""
    watches: Annotated[tuple[EffectiveByteWatch, ...], Meta(max_length=64)] = ()


class EffectiveRoute(_Effective):
    """Transfers from one peripheral to another.

    A source is a converter, the ``wire`` of a UART or a table (``codes``). ``items`` pieces make a
    value;
    ``wide_sink`` says that they lie side by side in the sink's register.
    """

    name: str
    stream: Annotated[int, Meta(ge=0, le=255)]
    converter: Annotated[int, Meta(ge=0)] | None = None
    place: Annotated[int, Meta(ge=0)] | None = None
    wire: Annotated[int, Meta(ge=0)] | None = None
    codes: Annotated[
        tuple[Annotated[int, Meta(ge=0, lt=1 << 24)], ...], Meta(max_length=1 << 20)
    ] = ()
    on: Literal["source", "destination", "timer"]
    timer_ticks: Positive = 1.0
    source_bits: Literal[8, 16, 32]
    sink_bits: Literal[8, 16, 32]
    items: Literal[1, 2, 4]
    step: Literal[0, 1]
    low_first: bool
    transfer_ticks: Ticks
    sink: Literal["send", "duty", "period", "dac"]
    output: str = ""
    """The pin that it moves."""
    uart: str = ""
    """The UART that it sends by."""
    wide_sink: bool = False
    byte_ticks: Positive = 1.0
    word_bits: Annotated[int, Meta(ge=7, le=9)] = 8
    """Of a UART that it sends by."""
    waiting: Annotated[int, Meta(ge=1, le=256)] = 1
    period_ticks: Positive = 1.0
    count_ticks: Positive = 1.0
    preload: bool = False
    whole: bool = False
    """With preload: what is written in pieces waits for the last of them."""
    initial: Annotated[int, Meta(ge=0, lt=1 << 24)] = 0

    @property
    def sink_mask(self) -> int:
        """What a write keeps: a UART's word, else as wide as it is written."""
        return (1 << min(self.sink_bits, self.word_bits if self.sink == "send" else 24)) - 1


ACTED_UPON = 64
"""Events of one hand-over that the program acts upon at most; what comes beyond is told and no more."""


class EffectiveReading(_Effective):
    """The newest value that the program has of a tap."""

    tap: Annotated[int, Meta(ge=0)]
    on_reduced: bool = False


class EffectiveScale(_Effective):
    """A value through a scale in integers: ``(code · factor + offset) >> shift``, no less than
    ``low`` and no more than ``high``."""

    factor: Annotated[int, Meta(gt=-(1 << 31), lt=1 << 31)]
    offset: Annotated[int, Meta(gt=-(1 << 62), lt=1 << 62)]
    shift: Annotated[int, Meta(ge=0, le=30)]
    low: Annotated[int, Meta(ge=0, lt=1 << 32)]
    high: Annotated[int, Meta(ge=0, lt=1 << 32)]

    def of(self, code: int) -> int:
        """What comes out for a code."""
        return min(max((code * self.factor + self.offset) >> self.shift, self.low), self.high)


class EffectivePiece(_Effective):
    """A piece of what is sent: as it stands, or a value; ``reading`` is its place among the
    readings.

    Volts are in tenths of a millivolt, a code times ``factor`` over ``divisor``, rounded. ``byte``
    and ``word`` are bits of the code, moved down by ``shift``.
    """

    plain: str = ""
    reading: Annotated[int, Meta(ge=0, le=64)] | None = None
    form: Literal["V", "mV", "code", "hex", "byte", "word"] = "code"
    factor: int = 1
    divisor: Annotated[int, Meta(ge=1)] = 1
    shift: Annotated[int, Meta(ge=0, le=31)] = 0
    low_first: bool = True


class EffectivePort(_Effective):
    """An output pin of a port, with its level before anything happens."""

    pin: str
    high_v: Finite
    is_high: bool = False


class EffectiveOutput(_Effective):
    """Something that the program moves, and the stream that shows it.

    ``pins`` are port pins, the first the lowest bit of a value, or the one pin of a PWM output or
    DAC. ``room_bytes`` is what the program keeps for bytes that wait for a serial port. ``places`` are
    slots that are pointed to other inputs together, first to channel ``level``.
    """

    kind: Literal["pins", "duty", "pulse-period", "dac", "uart", "input"]
    name: str
    """The peripheral: a timer, a DAC, a UART, a converter; "" for port pins."""
    stream: Annotated[int, Meta(ge=0, le=255)]
    pins: tuple[str, ...] = ()
    modulo: Annotated[int, Meta(ge=0, le=1 << 32)] = 0
    """What a register of it can hold, so that more begins anew; 0 for what has none."""
    byte_ticks: Positive = 1.0
    word_bits: Annotated[int, Meta(ge=7, le=9)] = 8
    room_bytes: Annotated[int, Meta(ge=0, le=65536)] = 0
    places: tuple[Annotated[int, Meta(ge=0, le=255)], ...] = ()
    level: Annotated[int, Meta(ge=0, le=1 << 32)] = 0


class EffectiveReaction(_Effective):
    """What the program does, and when: at events of a watch, when results of a converter were
    fetched, every so many ticks, or once at the start."""

    on: Literal["watch", "results", "period", "start"]
    watch: Annotated[int, Meta(ge=0)] = 0
    change: Literal["enters", "leaves", "both"] = "both"
    converter: Annotated[int, Meta(ge=0)] = 0
    mark: Literal["each", "half", "full"] = "each"
    """Of results: each half of the buffer, the first, or the one that fills it."""
    period_ticks: Annotated[int, Meta(ge=1)] = 1
    output: Annotated[int, Meta(ge=0)] | None = None
    """Its place among the outputs; None for one that the board cannot see."""
    action: Literal[
        "high",
        "low",
        "toggle",
        "follows",
        "follows-inverted",
        "scaled",
        "sends",
        "stop",
        "start",
        "rearm",
        "point",
        "end",
    ] = "high"
    acts_on: Annotated[int, Meta(ge=0)] = 0
    """The converter that is stopped, started, re-armed or pointed."""
    pin: str = ""
    """The input that slots are pointed to, and its channel."""
    channel: Annotated[int, Meta(ge=0, le=1 << 32)] = 0
    is_bar: bool = False
    readings: Annotated[tuple[EffectiveReading, ...], Meta(max_length=64)] = ()
    scale: EffectiveScale | None = None
    pieces: Annotated[tuple[EffectivePiece, ...], Meta(max_length=128)] = ()
    busy_ticks: Annotated[int, Meta(ge=0)] = 0
    """What it keeps the main loop busy for before it has done it."""

    @property
    def controls(self) -> bool:
        """It turns a converter on or off, re-arms it, or points it to other inputs."""
        return self.action in {"stop", "start", "rearm", "point"}


class EffectiveBench(_Effective):
    """What a person can change while the board runs."""

    pins: dict[str, PinDrive]


class EffectiveSlot(_Effective):
    """One place in the sequence, times in ticks.

    ``held_ticks`` after the cycle's start the voltage is frozen, for the first of ``repeats``
    conversions that follow each other every ``each_ticks``. ``start_ticks`` and ``end_ticks`` are
    where the
    slot nominally lies; ``after_ticks`` is what software then takes before anything else is
    started,
    and up to ``jitter_ticks`` more.
    """

    pin: str
    negative: str | None = None
    held_ticks: Ticks
    start_ticks: Ticks = 0.0
    end_ticks: Ticks = 0.0
    sampling_ticks: Ticks = 0.0
    """For which the sampling capacitor is connected before the voltage is frozen."""
    repeats: Annotated[int, Meta(ge=1, le=65536)] = 1
    each_ticks: Ticks = 0.0
    shift: Annotated[int, Meta(ge=0, le=31)] = 0
    """By which the sum of the repeats is shifted right."""
    up: Annotated[int, Meta(ge=-16, le=28)] = 0
    """Places by which the result is moved up in its item."""
    register_bits: Annotated[int, Meta(ge=8, le=32)] = 32
    after_ticks: Ticks = 0.0
    jitter_ticks: Annotated[int, Meta(ge=0, le=10**9)] = 0


class EffectiveKept(_Effective):
    """Of ``half`` results there come ``results`` a cycle; one cycle after they have begins ``later_ticks``
    later."""

    results: Count
    half: Ticks
    later_ticks: Finite


class EffectivePace(_Effective):
    """What starts cycles.

    ``steady``: every ``cycle_ticks`` of the converter. ``self``: when the one before is done.
    ``pattern``: at ``offsets_ticks`` of every ``period_ticks``, when it is not busy. ``events``: at
    the
    events of a watch. ``once`` and ``never`` explain themselves. ``singly``: a trigger starts one
    slot only.
    """

    kind: Literal["steady", "self", "pattern", "events", "once", "never"] = "steady"
    period_ticks: Ticks = 0.0
    offsets_ticks: tuple[Ticks, ...] = ()
    watch: Annotated[int, Meta(ge=0)] = 0
    edge: Literal["rising", "falling", "both"] = "rising"
    singly: bool = False
    skip_first: bool = False
    """The first trigger finds the converter off."""
    begins: bool = False
    """Of events: one has come already when the board begins to run."""
    asked: bool = False
    """Of events: a reaction that starts the converter starts a cycle."""
    leader: str = ""
    """Of events: whatever starts this converter starts it too."""
    kept: tuple[EffectiveKept, ...] = ()
    """Of ``self``: what keeps the program from starting the next cycle."""


class EffectiveLoop(_Effective):
    """The memory that results go to; ``repeat`` false fills it once.

    ``width_bits`` wide items are written, ``element_bits`` wide ones are read by the program.
    """

    name: str
    items: Annotated[int, Meta(ge=1, le=1 << 24)]
    width_bits: Literal[8, 16, 32]
    element_bits: Literal[8, 16, 32] | None = None
    repeat: bool = True
    halts: bool = False
    """The program turns the converter off when it has been filled once."""
    read_ticks: Annotated[float, Meta(ge=0, le=1e18)] = 0.0
    """From one time that the program reads the newest item of each slot to the next; 0 where it is
    called at marks."""
    increment: bool = True
    swap_bytes: bool = False
    delivers: bool = True
    """Its handler is called and its data arrive."""
    numbered: bool = False
    """Items that a handler did not find have numbers too: the converter's own count goes on."""
    laps: Annotated[int, Meta(ge=0, le=1 << 24)] = 0
    """Laps that the program gathers before it hands over; 0 where it does so at each half."""


class EffectiveService(_Effective):
    """How a handler fetches results: each call serves a unit, and what is overwritten meanwhile is
    lost.

    ``keep``: "newest" of what came, as from one register; "oldest" up to ``depth``, as from a FIFO;
    "halves" of the loop; "scan" is "newest" where whoever fetches the last unit of a pass starts
    the next one,
    ``restart_ticks`` after its work; ``leave_ticks`` of ``rest_ticks`` then pass until it is free.
    For ``later_ticks`` after that the main loop works on what was fetched, and fetches nothing else of it;
    after each call, or after those that fill a half of ``half`` results. With ``round_ticks`` it is a main
    loop that looks once in each of these since it was free. With ``gap_ticks`` it sends what it has of a half
    where it finds results lost, a single one in that time.
    """

    keep: Literal["newest", "oldest", "halves", "scan"]
    unit: Count = 1
    depth: Count = 1
    notice_ticks: Ticks = 0.0
    rest_ticks: Ticks = 0.0
    later_ticks: Ticks = 0.0
    restart_ticks: Ticks = 0.0
    leave_ticks: Ticks = 0.0
    jitter_ticks: Annotated[int, Meta(ge=0, le=10**9)] = 0
    round_ticks: Ticks = 0.0
    half: Ticks = 0.0
    gap_ticks: Ticks = 0.0
    never: bool = False
    """It is never called: no processor time is left, or each attempt times out."""
    by_isr: bool = True
    """It takes turns with the handlers of other converters; the main loop is interrupted by them."""


class EffectiveConverter(_Effective):
    """A converter as set up; offset and noise are in LSB of its resolution."""

    name: str
    bits: Annotated[int, Meta(ge=4, le=24)]
    lsb_v: Positive
    """Of a single-ended slot; that of a difference is twice as large."""
    offset_lsb: Finite = 0.0
    gain_error: Finite = 0.0
    noise_lsb: Annotated[float, Meta(ge=0, le=1e6)] = 0.0
    sampling_f: Annotated[float, Meta(gt=0, le=1e-3)] = 1e-12
    switch_ohm: Annotated[float, Meta(ge=0, le=1e12)] = 0.0
    reference: PinDrive | None = None
    """What the reference pin has where nobody holds it; ``lsb_v`` is as meant."""
    tracks: bool = False
    """The sampling capacitor goes to an input as soon as the conversion before has ended."""
    each_side: bool = False
    """A pair is held by a capacitor on each side instead of one across it."""
    cycle_ticks: Count
    """From cycle to cycle where it is steady, missed triggers included."""
    triggers_per_cycle: Count = 1
    pace: EffectivePace = field(default_factory=EffectivePace)
    stamped: bool = False
    """The program tells the held instant of each item."""
    service: EffectiveService | None = None
    slots: Annotated[tuple[EffectiveSlot, ...], Meta(min_length=1, max_length=256)]
    loop: EffectiveLoop


class EffectiveTap(_Effective):
    """What is done with one signal's places: by the program with what it reads, or by the converter
    itself.

    ``stream`` is the number of its reduced values, None where they are not sent.
    """

    name: str
    converter: Annotated[int, Meta(ge=0)]
    places: Annotated[tuple[Annotated[int, Meta(ge=0)], ...], Meta(min_length=1)]
    stage: Literal["none", "sum", "block-average", "moving-average", "low-pass"] = "none"
    count: Annotated[int, Meta(ge=1, le=65536)] = 1
    shift: Annotated[int, Meta(ge=0, le=31)] = 0
    register_bits: Annotated[int, Meta(ge=8, le=32)] = 32
    by_hardware: bool = False
    signed_bits: Annotated[int, Meta(ge=0, le=32)] = 0
    """Width of a signed item, 0 for unsigned ones."""
    stream: Annotated[int, Meta(ge=0, le=255)] | None = None


class EffectiveWatch(_Effective):
    """A comparison of values in codes, as integer arithmetic does it.

    With ``other`` its newest value times ``other_factor`` is taken away first, else ``target``;
    with
    ``reach_ticks`` its nearest in time, and nothing is compared where none is that near.
    """

    tap: Annotated[int, Meta(ge=0)]
    on_reduced: bool = False
    other: Annotated[int, Meta(ge=0)] | None = None
    other_factor: Finite = 1.0
    reach_ticks: Count | None = None
    target: int = 0
    low: int
    high: int
    hysteresis: Annotated[int, Meta(ge=0)] = 0
    condition: Literal["outside", "inside", "above", "below"]
    times: Annotated[int, Meta(ge=1, le=1000)] = 1
    every: bool = False
    once: bool = False
    """It is not armed again after its first event."""
    armed: bool = True
    stops: bool = False
    rearm_ticks: Annotated[int, Meta(ge=0)] | None = None


class EffectiveComparator(_Effective):
    """A comparator that looks at a pin every ``response_ticks``; ``watch`` numbers its events."""

    name: str
    pin: str
    rising_v: Finite
    falling_v: Finite
    response_ticks: Annotated[float, Meta(gt=0, le=1e12)]
    edge: Literal["rising", "falling", "both"] = "both"
    watch: Annotated[int, Meta(ge=0)]
    against: str | None = None
    """The output pin whose voltage is the threshold; ``rising_v`` and ``falling_v`` then count from
    there."""


class EffectiveConfig(_Effective):
    """Everything that the virtual board needs."""

    board: str
    build_id: str
    tick_hz: Annotated[int, Meta(ge=1, le=10**10)]
    seed: Annotated[int, Meta(ge=0, le=1 << 32)] = 1
    converters: Annotated[tuple[EffectiveConverter, ...], Meta(max_length=64)]
    taps: Annotated[tuple[EffectiveTap, ...], Meta(max_length=100)] = ()
    watches: Annotated[tuple[EffectiveWatch | None, ...], Meta(max_length=800)] = ()
    """By the number of their events; None where a comparator makes them."""
    comparators: Annotated[tuple[EffectiveComparator, ...], Meta(max_length=32)] = ()
    dacs: Annotated[tuple[EffectiveDac, ...], Meta(max_length=32)] = ()
    pwm: Annotated[tuple[EffectivePwm, ...], Meta(max_length=64)] = ()
    wires: Annotated[tuple[EffectiveWire, ...], Meta(max_length=16)] = ()
    routes: Annotated[tuple[EffectiveRoute, ...], Meta(max_length=16)] = ()
    ports: Annotated[tuple[EffectivePort, ...], Meta(max_length=300)] = ()
    outputs: Annotated[tuple[EffectiveOutput, ...], Meta(max_length=8)] = ()
    reactions: Annotated[tuple[EffectiveReaction, ...], Meta(max_length=64)] = ()
    bench: EffectiveBench
    boards: Annotated[tuple[EffectiveConfig, ...], Meta(max_length=16)] = ()
    """Other boards whose outputs come to this one; they start together."""
    is_caller: bool = False
    """It stands for the board that this one is a board of: the two hear each other."""

    def __post_init__(self) -> None:
        if any((wire.board or 0) >= max(1, len(self.boards)) for wire in self.wires):
            raise ValueError("a wire comes from a board that does not exist")
        sources = [route.converter for route in self.routes] + [
            reaction.converter for reaction in self.reactions if reaction.on == "results"
        ]
        if any((route.wire or 0) >= max(1, len(self.wires)) for route in self.routes):
            raise ValueError("a route takes what comes over a wire that does not exist")
        for source in sources:
            if source is not None and source >= len(self.converters):
                raise ValueError(f"there is no converter {source}")
        check_bench(self.bench, self)
        for comparator in self.comparators:
            if comparator.pin not in self.bench.pins:
                raise ValueError(f"pin {comparator.pin} of {comparator.name} has no drive")
        for reaction in self.reactions:
            if any(reading.tap >= len(self.taps) for reading in reaction.readings):
                raise ValueError("a reaction uses a tap that does not exist")
            if reaction.controls and reaction.acts_on >= len(self.converters):
                raise ValueError("a reaction acts on a converter that does not exist")
            if reaction.action == "point" and (
                reaction.output is None or reaction.pin not in self.bench.pins
            ):
                raise ValueError(f"a reaction points to pin {reaction.pin}, which has no drive")
            if reaction.output is not None and reaction.output >= len(self.outputs):
                raise ValueError("a reaction moves an output that does not exist")
            if any(
                (piece.reading or 0) >= max(1, len(reaction.readings)) for piece in reaction.pieces
            ):
                raise ValueError("a text has a value that its reaction does not read")
        for watch in self.watches:
            if watch is not None and max(watch.tap, watch.other or 0) >= len(self.taps):
                raise ValueError("a watch looks at a tap that does not exist")
        for tap in self.taps:
            if tap.converter >= len(self.converters):
                raise ValueError(f"tap {tap.name}: there is no converter {tap.converter}")
            if max(tap.places) >= len(self.converters[tap.converter].slots):
                raise ValueError(f"tap {tap.name}: place {max(tap.places)} is beyond the sequence")


def check_bench(bench: EffectiveBench, config: EffectiveConfig) -> None:
    """Raise ``ValueError`` when a pin that is converted is not in the bench, or one is wired to a board
    that does not run."""
    for wired, drive in bench.pins.items():
        if drive.shape == "board" and drive.board >= len(config.boards):
            raise ValueError(
                f"pin {wired} is wired to another board that was not there when this one was started"
            )
    for converter in config.converters:
        for slot in converter.slots:
            for pin in (slot.pin, slot.negative):
                if pin is not None and pin not in bench.pins:
                    raise ValueError(f"pin {pin} of {converter.name} has no drive")


def parse_config(text: str) -> EffectiveConfig:
    """Read a configuration from JSON; raises :class:`BoardError`."""
    return _parse(EffectiveConfig, text, "configuration")


def parse_pins(text: str) -> dict[str, PinDrive]:
    """Read what is wired to pins from the JSON of a bench; raises :class:`BoardError`."""
    return _parse(EffectiveBench, text, "bench").pins


def parse_bench(text: str, config: EffectiveConfig) -> EffectiveBench:
    """Read a bench from JSON and hold it against the configuration; raises :class:`BoardError`."""
    bench = _parse(EffectiveBench, text, "bench")
    try:
        check_bench(bench, config)
    except ValueError as fault:
        raise BoardError(f"The bench does not fit: {fault}.") from fault
    return bench


Model = TypeVar("Model", bound=StrictModel)


def _parse(model: type[Model], text: str, what: str) -> Model:
    try:
        return model_of_json(model, text)
    except ModelError as fault:
        raise BoardError(f"The {what} cannot be used: {fault.first.text}.") from fault
