"""The panel of a table: its shape, what leaves the pin, and every choice of points with its
frequency."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from functools import partial

from wattigram.core.advise import explanations
from wattigram.core.advise.explanations import Explanation
from wattigram.core.base.errors import QuantityError
from wattigram.core.base.quantity import exact_text, format_rounded, format_si, parse_quantity
from wattigram.core.base.validation import ModelError
from wattigram.core.contract.shapes import (
    ChirpShape,
    ExpressionShape,
    MultitoneShape,
    NoiseShape,
    PointsShape,
    PulseShape,
    SawtoothShape,
    SegmentsShape,
    Shape,
    ShapeSegment,
    SineShape,
    Tone,
    TriangleShape,
)
from wattigram.core.model.design import Generator, Playback, TimerTrigger, WaveTable, Workspace
from wattigram.core.model.design.edits import (
    CompositeEdit,
    Edit,
    RemoveOutput,
    SetGenerator,
    SetTable,
    retimed,
)
from wattigram.core.predict.waveform import (
    WaveChoice,
    dac_playback,
    output_spectrum,
    table_player,
    update_timer,
    wave_choices,
)
from wattigram.desktop.inspector.number_entry import whole_number
from wattigram.desktop.inspector.outputs import free_channel, free_timer
from wattigram.desktop.inspector.panel_model import Choice, Fact, Field, Panel, WhatIf

SHAPES = {
    "sine": "sine",
    "triangle": "triangle",
    "sawtooth": "sawtooth",
    "pulse": "pulse",
    "segments": "segments",
    "noise": "noise",
    "chirp": "chirp",
    "multitone": "multitone",
    "expression": "expression",
    "points": "points",
}
SHOWN_POINTS = (16, 32, 64, 128, 256, 512, 1024)
MOST_POINTS = 4096
NOBODY = "none"
NEARLY = Fraction(1, 10_000)


def table_panel(workspace: Workspace, table: WaveTable) -> Panel:
    """Everything about a table that can be edited, with what follows from it."""
    generator = table_player(workspace, table)
    fields = [
        Field("name", table.name, _set(table, "name", str.strip), hint="any name"),
        Field(
            "shape",
            SHAPES[table.shape.kind],
            lambda text: _reshaped(workspace, table, text),
            tuple(SHAPES.values()),
        ),
        *_shape_fields(table),
    ]
    if not table.in_volts:
        fields += [
            Field(
                "amplitude",
                format_si(table.amplitude_v, "V", 9),
                _set(table, "amplitude_v", _volts),
                hint="such as 1.2 V",
            ),
            Field(
                "offset",
                format_si(table.offset_v, "V", 9),
                _set(table, "offset_v", _volts),
                hint="such as 1.65 V",
            ),
        ]
    fields += [
        Field(
            "points",
            str(table.points),
            _set(table, "points", lambda text: whole_number(text, "points")),
        ),
        Field(
            "periods per table",
            str(table.periods),
            _set(table, "periods", lambda text: whole_number(text, "turns")),
        ),
        Field("phase", format_si(table.phase, "%", 9), _set(table, "phase", _share)),
        Field("table holds", table.holds, _set(table, "holds", str), ("codes", "millivolts")),
        Field("overflow", table.overflow, _set(table, "overflow", str), ("clip", "wrap")),
    ]
    dacs = tuple(dac.name for dac in workspace.part.dacs)
    now = generator.dac if generator is not None else NOBODY
    fields.insert(
        1, Field("output", now, lambda text: _played_on(workspace, table, text), (NOBODY, *dacs))
    )
    if generator is None:
        return Panel(f"Table · {table.name}", (Fact("output", "none", False),), tuple(fields))
    made = dac_playback(workspace, generator)
    timer = isinstance(generator.output, Playback) and update_timer(workspace, generator.output)
    if timer:
        fields.insert(
            3,
            Field(
                "frequency",
                format_si(made.wave_hz, "Hz", 9),
                _frequency(workspace, generator, table),
            ),
        )
    return Panel(
        f"Table · {table.name}",
        _facts(workspace, generator, table),
        tuple(fields),
        _what_if(workspace, generator, table) if timer else None,
    )


def _played_on(workspace: Workspace, table: WaveTable, dac: str) -> Edit | None:
    """A DAC that plays this table, by the generator that it has or by a new one."""
    project = workspace.project
    if dac == NOBODY:
        player = table_player(workspace, table)
        return RemoveOutput("generators", player.name) if player is not None else None
    there = next((generator for generator in project.generators if generator.dac == dac), None)
    if there is not None and isinstance(there.output, Playback):
        return SetGenerator(
            there.name, there.replaced(output=there.output.replaced(table=table.name))
        )
    kind = workspace.part.dac(dac)
    assert kind is not None
    fastest_hz = min(
        Fraction(table.points * 100),
        kind.update_rate_high_hz,
        1 / kind.settles_s(there is None or there.buffered),
    )
    ticks = max(1, round(workspace.bus_clock_hz / fastest_hz))
    output = Playback(
        table=table.name,
        update_trigger=TimerTrigger(
            timer=free_timer(workspace), period_s=ticks / workspace.bus_clock_hz
        ),
        channel=free_channel(workspace),
    )
    if there is not None:
        return SetGenerator(there.name, there.replaced(output=output))
    fresh = Generator(name=dac, dac=dac, output=output, double_buffered=kind.can_buffer_twice)
    return SetGenerator(dac, fresh)


def _facts(workspace: Workspace, generator: Generator, table: WaveTable) -> tuple[Fact, ...]:
    made = dac_playback(workspace, generator)
    dac = workspace.part.dac(generator.dac)
    assert dac is not None
    spectrum = output_spectrum(made)
    error = made.error
    facts = [
        Fact("output", generator.name),
        Fact(
            "frequency",
            format_si(made.wave_hz, "Hz", 9),
            why=explanations.wave_rate(workspace, generator, 9, is_short=True),
        ),
        Fact(
            "error",
            "exact" if not error else format_si(float(error), "%", 3),
            abs(error) < Fraction(1, 10_000),
        ),
        Fact(
            "update rate",
            format_si(1 / made.update_s, "Hz", 6),
            made.update_s == made.asked_s,
            explanations.update_rate(workspace, generator),
        ),
        Fact(
            "1 LSB",
            format_rounded(made.lsb_v, "V", 4),
            why=explanations.dac_count(workspace, dac),
        ),
        Fact("clipped", f"{made.clipped} points" if made.clipped else "nowhere", made.clipped == 0),
    ]
    if not table.in_volts and spectrum.tone_v:
        image = f"{spectrum.image_dbc:.1f} dBc, {format_si(spectrum.image_hz, 'Hz', 5)}"
        shown = {
            "droop": f"{spectrum.droop_db:.4f} dB",
            "nearest image": image,
            "quantisation": f"{format_rounded(spectrum.quantisation_v, 'V', 3)} rms",
        }
        facts += [
            Fact(label, text, why=partial(_spectrum_why, workspace, generator, label))
            for label, text in shown.items()
        ]
    return (*facts, Fact("memory", f"{table.points * 2} B"))


def _spectrum_why(
    workspace: Workspace, generator: Generator, label: str
) -> tuple[Explanation, ...] | None:
    return explanations.table_spectrum(workspace, generator).get(label)


def _valid(make: Callable[[], WaveTable]) -> WaveTable:
    try:
        return make()
    except ModelError as fault:
        first = fault.first
        raise QuantityError(f"{first.key}: {first.message}") from fault


def _set(table: WaveTable, name: str, read: Callable[[str], object]) -> Callable[[str], Edit]:
    return lambda text: SetTable(table.name, _valid(lambda: table.replaced(**{name: read(text)})))


def _volts(text: str) -> float:
    return float(parse_quantity(text, "V"))


def _share(text: str) -> float:
    return float(parse_quantity(text, "%")) if "%" in text else float(parse_quantity(text, ""))


def _reshaped(workspace: Workspace, table: WaveTable, text: str) -> Edit | None:
    kind = next((key for key, value in SHAPES.items() if value == text), table.shape.kind)
    if kind == table.shape.kind:
        return None
    middle_v = workspace.reference_v / 2
    shape: Shape
    match kind:
        case "triangle":
            shape = TriangleShape()
        case "sawtooth":
            shape = SawtoothShape()
        case "pulse":
            shape = PulseShape()
        case "segments":
            low_v, high_v = round(middle_v / 2, 3), round(middle_v * 1.5, 3)
            shape = SegmentsShape(
                start_v=low_v,
                segments=(
                    ShapeSegment(to_v=high_v, lasting="200 ms"),
                    ShapeSegment(to_v=high_v, lasting="200 ms"),
                    ShapeSegment(to_v=low_v, lasting="100 ms"),
                ),
            )
        case "noise":
            shape = NoiseShape()
        case "chirp":
            shape = ChirpShape()
        case "multitone":
            shape = MultitoneShape(tones=(Tone(number=1, level=0.5), Tone(number=3, level=0.25)))
        case "expression":
            shape = ExpressionShape(volts=f"{middle_v:g} + {middle_v / 2:g} * sin(2*pi*t)")
        case "points":
            shape = PointsShape(values=(round(middle_v / 2, 6), round(middle_v * 1.5, 6)))
        case _:
            shape = SineShape()
    fresh = table.replaced(shape=shape)
    if not fresh.in_volts and not fresh.amplitude_v:
        fresh = fresh.replaced(amplitude_v=round(middle_v / 2, 3), offset_v=round(middle_v, 3))
    return SetTable(table.name, fresh)


def segments_text(shape: SegmentsShape) -> str:
    """Segments as they are typed: "400 mV; 1.5 V in 200 ms; 1.5 V in 100 ms"."""
    parts = [
        f"{format_si(segment.to_v, 'V', 9)} in {exact_text(segment.lasting, 's')}"
        for segment in shape.segments
    ]
    return "; ".join([format_si(shape.start_v, "V", 9), *parts])


def read_segments(text: str) -> SegmentsShape:
    """Segments from text; raises :class:`QuantityError`."""
    first, *rest = [part.strip() for part in text.split(";") if part.strip()] or [""]
    segments = []
    for part in rest:
        volts, word, time = part.partition(" in ")
        if not word:
            raise QuantityError(
                f"“{part[:40]}” is no segment.",
                cure="Write “1.5 V in 200 ms”, with ; between them.",
            )
        segments.append(ShapeSegment(to_v=_volts(volts), lasting=parse_quantity(time, "s")))
    if not segments:
        raise QuantityError("There is no segment.", cure="Write “400 mV; 1.5 V in 200 ms”.")
    return SegmentsShape(start_v=_volts(first), segments=tuple(segments))


def _tones_text(shape: MultitoneShape) -> str:
    return "; ".join(f"{tone.number}: {format_si(tone.level, '%', 6)}" for tone in shape.tones)


def _read_tones(text: str) -> MultitoneShape:
    tones = []
    for part in (one for one in text.split(";") if one.strip()):
        number, colon, level = part.partition(":")
        if not colon:
            raise QuantityError(
                f"“{part.strip()[:40]}” is no tone.", cure="Write “1: 100 %; 3: 33 %”."
            )
        tones.append(Tone(number=whole_number(number, "turns"), level=_share(level)))
    return MultitoneShape(tones=tuple(tones))


def _shape_fields(table: WaveTable) -> list[Field]:
    shape = table.shape

    def changed(name: str, read: Callable[[str], object]) -> Callable[[str], Edit]:
        return lambda text: SetTable(
            table.name, _valid(lambda: table.replaced(shape=shape.replaced(**{name: read(text)})))
        )

    def whole(read: Callable[[str], Shape]) -> Callable[[str], Edit]:
        return lambda text: SetTable(table.name, _valid(lambda: table.replaced(shape=read(text))))

    match shape:
        case TriangleShape():
            return [
                Field(
                    "symmetry",
                    format_si(shape.symmetry, "%", 6),
                    changed("symmetry", _share),
                    hint="share of the turn",
                )
            ]
        case SawtoothShape():
            return [
                Field(
                    "direction", shape.direction, changed("direction", str), ("rising", "falling")
                )
            ]
        case PulseShape():
            return [
                Field(
                    "duty",
                    format_si(shape.duty, "%", 6),
                    changed("duty", _share),
                    hint="share of the turn",
                )
            ]
        case SegmentsShape():
            return [
                Field(
                    "segments",
                    segments_text(shape),
                    whole(read_segments),
                    hint="1.5 V in 200 ms; …",
                )
            ]
        case NoiseShape():
            return [
                Field("seed", str(shape.seed), changed("seed", lambda text: whole_number(text, "")))
            ]
        case ChirpShape():
            return [
                Field(
                    "start frequency",
                    f"{shape.start:g}",
                    changed("start", lambda text: float(parse_quantity(text, ""))),
                ),
                Field(
                    "stop frequency",
                    f"{shape.stop:g}",
                    changed("stop", lambda text: float(parse_quantity(text, ""))),
                ),
            ]
        case MultitoneShape():
            return [
                Field("tones", _tones_text(shape), whole(_read_tones), hint="1: 100 %; 3: 33 %")
            ]
        case ExpressionShape():
            return [
                Field("volts at t", shape.volts, changed("volts", str), hint="1.65 + sin(2*pi*t)")
            ]
        case PointsShape():
            return [
                Field(
                    "interpolation",
                    shape.interpolation,
                    changed("interpolation", str),
                    ("straight", "band-limited"),
                )
            ]
        case _:
            return []


def _frequency(
    workspace: Workspace, generator: Generator, table: WaveTable
) -> Callable[[str], Edit | None]:
    def make(text: str) -> Edit | None:
        wanted_hz = parse_quantity(text, "Hz")
        if wanted_hz <= 0:
            raise QuantityError(
                "A wave has a frequency above 0 Hz.", cure="Write a frequency such as 50 Hz."
            )
        return retuned(workspace, generator, table, table.points, wanted_hz)

    return make


def retuned(
    workspace: Workspace, generator: Generator, table: WaveTable, points: int, wanted_hz: Fraction
) -> Edit | None:
    """The same wave at a frequency, with so many points."""
    output = generator.output
    timer = update_timer(workspace, output) if isinstance(output, Playback) else None
    if timer is None:
        return None
    every = table.periods / (wanted_hz * points)
    moved = timer.replaced(period_s=every, prescaler_register=None, period_register=None)
    edit = retimed(workspace.project, generator, moved)
    if edit is None or points == table.points:
        return edit
    label = f"Play {table.name} at {format_si(wanted_hz, 'Hz', 6)} with {points} points"
    return CompositeEdit((SetTable(table.name, table.replaced(points=points)), edit), label)


def choices_for(
    workspace: Workspace, generator: Generator, table: WaveTable
) -> tuple[WaveChoice, ...]:
    """Every choice of timer and points for the frequency that is wanted; none where no timer sets
    it."""
    output = generator.output
    timer = update_timer(workspace, output) if isinstance(output, Playback) else None
    kind = workspace.part.timer(timer.timer) if timer is not None else None
    made = dac_playback(workspace, generator)
    if timer is None or kind is None or made.timer is None or not isinstance(output, Playback):
        return ()
    dac = workspace.part.dac(generator.dac)
    dma = workspace.part.dma_channel(output.channel)
    assert dac is not None
    assert dma is not None
    fastest_hz = min(
        dac.update_rate_high_hz,
        1 / dac.settles_s(generator.buffered),
        workspace.bus_clock_hz / dma.transfer_cycles,
    )
    return wave_choices(
        wanted_hz(workspace, generator, table),
        workspace.bus_clock_hz / kind.clock_divider,
        kind.prescaler_choices,
        kind.counter_bits,
        fastest_hz,
        min(dma.items_max, MOST_POINTS),
        table.periods,
        also=table.points,
    )


def wanted_hz(workspace: Workspace, generator: Generator, table: WaveTable) -> Fraction:
    """The frequency that the update timer was asked for."""
    timer = dac_playback(workspace, generator).timer
    assert timer is not None
    return table.periods / (timer.wanted_s * table.points)


def _what_if(workspace: Workspace, generator: Generator, table: WaveTable) -> WhatIf:
    """Points against image, with the exact frequency that each gives."""
    hertz = wanted_hz(workspace, generator, table)
    candidates = choices_for(workspace, generator, table)
    exact = max((one.points for one in candidates if not one.error), default=0)
    shown = [one for one in candidates if one.points in {*SHOWN_POINTS, exact, table.points}]
    choices = []
    for one in sorted(
        {choice.points: choice for choice in shown}.values(), key=lambda choice: choice.points
    ):
        error = "exact" if not one.error else f"{one.error_ppm:+.3g} ppm"
        tip = (
            f"{one.points} points: {format_rounded(one.wave_hz, 'Hz', 8)}, {error}; updates at "
            f"{format_si(one.update_hz, 'Hz', 6)} "
            f"({one.prescaler} × {one.period_counts}), image {one.image_dbc:.1f} dBc, {one.bytes} B"
        )
        edit = retuned(workspace, generator, table, one.points, hertz)
        good = abs(one.error) < NEARLY
        choices.append(
            Choice(
                str(one.points),
                max(0.1, -one.image_dbc),
                good,
                one.points == table.points,
                tip,
                edit,
            )
        )
    title = f"If points were · dB that the image is down, at {format_si(hertz, 'Hz', 6)}"
    return WhatIf(title, tuple(choices), logarithmic=False)
