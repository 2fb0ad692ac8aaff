"""The panel of a reduce stage: every choice with its noise, and its response as a curve."""

from __future__ import annotations

import math
from functools import partial

from wattigram.core.advise import explanations
from wattigram.core.advise.explanations import Explanation
from wattigram.core.base.quantity import format_rounded, format_si
from wattigram.core.model.design import (
    BlockAverage,
    Chain,
    LowPassFilter,
    MovingAverage,
    Signal,
    Stage,
    SumFilter,
    Workspace,
)
from wattigram.core.model.design.edits import Edit, SetFilter
from wattigram.core.predict.accuracy import filter_gain, filter_metrics, signal_noise
from wattigram.core.predict.accuracy.noise import SignalNoise
from wattigram.core.predict.timing import scan_timing
from wattigram.desktop.inspector.number_entry import whole_number
from wattigram.desktop.inspector.panel_model import (
    Choice,
    Course,
    Curves,
    Fact,
    Field,
    Panel,
    WhatIf,
)

KINDS = {
    "none": "none",
    "sum": "sum",
    "block-average": "block average",
    "moving-average": "moving average",
    "low-pass": "low-pass",
}
POWERS = tuple(range(1, 9))
CURVE_POINTS = 72


def filter_panel(workspace: Workspace, chain: Chain, signal: Signal) -> Panel:
    """Reduce stage of a signal: noise, response, latency and register width of each choice."""
    slot = scan_timing(workspace, chain).slots[chain.places_of(signal.name)[0]]
    noise = signal_noise(workspace, chain, signal.replaced(filter=None))
    stage = signal.filter
    inside = signal.slot_filter is not None
    rate_hz = float(1 / slot.each_s) if inside else float(slot.rate_hz) or float(1 / slot.each_s)
    facts = [
        Fact(
            "raw noise",
            f"{noise.raw_lsb:.2f} LSB rms",
            why=partial(explanations.raw_noise, workspace, chain, signal.replaced(filter=None)),
        ),
        Fact(
            "raw rate",
            format_si(rate_hz, "Hz", 5),
            why=partial(explanations.raw_rate, workspace, chain, signal),
        ),
    ]
    hardware = workspace.converter(chain).hardware.stages

    def kind(text: str) -> Edit | None:
        name = next(key for key, value in KINDS.items() if value == text)
        return (
            None
            if name == (stage.kind if stage else "none")
            else SetFilter(signal.name, _stage(name, 4, stage))
        )

    fields = [Field("filter", KINDS[stage.kind if stage else "none"], kind, tuple(KINDS.values()))]
    if stage is not None:
        figures = filter_metrics(stage, rate_hz, chain.bits)
        reduced = signal_noise(workspace, chain, signal)
        out_hz = float(slot.rate_hz) if inside else figures.rate_hz
        true = float(stage.gain_ratio) / stage.assumed_gain
        facts += [
            Fact(
                "filtered noise",
                f"{reduced.reduced_lsb:.2f} LSB rms",
                why=partial(explanations.filtered_noise, workspace, chain, signal),
            ),
            *_bias(reduced, explanations.truncation(chain, signal)),
            Fact(
                "output rate",
                format_si(out_hz, "Hz", 5),
                why=partial(explanations.output_rate, workspace, chain, signal),
            ),
            Fact(
                "−3 dB at",
                format_rounded(figures.cutoff_hz, "Hz", 4),
                why=partial(explanations.cutoff, workspace, chain, signal),
            ),
            Fact(
                "latency",
                format_rounded(figures.latency_s, "s", 3),
                why=partial(explanations.latency, workspace, chain, signal),
            ),
            Fact(
                "accumulator width",
                f"{figures.bits} of {stage.accumulator_bits} bits",
                figures.fits,
                partial(explanations.accumulator, workspace, chain, signal),
            ),
        ]
        if not isinstance(stage, LowPassFilter):
            facts.append(Fact("unity gain", "yes" if true == 1 else f"× {true:.4g}", true == 1))
        fields += _stage_fields(signal, stage, stage.kind in hardware)
    return Panel(
        f"Filter · {signal.name}",
        tuple(facts),
        tuple(fields),
        _what_if(workspace, chain, signal, rate_hz),
        _response(signal, rate_hz),
    )


def _bias(noise: SignalNoise, why: Explanation | None) -> list[Fact]:
    """What truncation does to the mean; a note beside the noise."""
    if not noise.bias_lsb:
        return []
    text = f"{noise.bias_lsb:+.3f} LSB"
    if noise.bias_spread_lsb:
        text += f" ± {noise.bias_spread_lsb:.3f}, the input is still"
    return [Fact("truncation", text, why=why)]


def _stage_fields(signal: Signal, stage: Stage, in_hardware: bool) -> list[Field]:
    def changed(**updates: object) -> Edit:
        return SetFilter(signal.name, stage.replaced(**updates))

    fields = []
    if not isinstance(stage, LowPassFilter):

        def count(text: str) -> Edit:
            number = whole_number(text, "samples")
            if isinstance(stage, SumFilter):
                return changed(count=number)
            return changed(count=number, shift=max(0, number.bit_length() - 1))

        fields.append(Field("count", str(stage.count), count, hint="2 or more"))
    hint = "y += (x − y) / 2^shift" if isinstance(stage, LowPassFilter) else "log2 of the count"
    fields += [
        Field(
            "shift right",
            str(stage.shift),
            lambda text: changed(shift=whole_number(text, "places")),
            hint=hint,
        ),
        Field(
            "accumulator",
            str(stage.accumulator_bits),
            lambda text: changed(accumulator_bits=whole_number(text, "bits")),
            ("16", "24", "32"),
        ),
    ]
    if in_hardware or stage.done_in == "hardware":
        fields.append(
            Field(
                "done in",
                stage.done_in,
                lambda text: changed(done_in=text),
                ("software", "hardware"),
            )
        )
    return fields


def _stage(kind: str, power: int, like: Stage | None) -> Stage | None:
    """A stage of a kind that averages over about 2^power samples."""
    bits = like.accumulator_bits if like else 32
    by = like.done_in if like else "software"
    match kind:
        case "sum":
            return SumFilter(count=1 << power, accumulator_bits=bits, done_in=by)
        case "block-average":
            return BlockAverage(count=1 << power, shift=power, accumulator_bits=bits, done_in=by)
        case "moving-average":
            return MovingAverage(count=1 << power, shift=power, accumulator_bits=bits)
        case "low-pass":
            return LowPassFilter(shift=power, accumulator_bits=bits)
        case _:
            return None


def _choices(signal: Signal) -> list[tuple[str, Stage | None]]:
    """The choices of a kind, smallest first; those of the block mean where there is none yet."""
    kind = signal.filter.kind if signal.filter else "block-average"
    now = signal.filter
    stages = [stage for power in POWERS if (stage := _stage(kind, power, now)) is not None]
    if now is not None and all(not _same_choice(stage, now) for stage in stages):
        stages = sorted([*stages, now], key=_size)
    return [("none", None), *((str(_size(stage)), stage) for stage in stages)]


def _size(stage: Stage) -> int:
    """What the choices of a kind are told apart by."""
    return stage.shift if isinstance(stage, LowPassFilter) else stage.count


def _same_choice(stage: Stage, other: Stage) -> bool:
    return stage.kind == other.kind and _size(stage) == _size(other)


def _what_if(workspace: Workspace, chain: Chain, signal: Signal, rate_hz: float) -> WhatIf:
    choices = []
    now = signal.filter
    for label, stage in _choices(signal):
        what = signal_noise(workspace, chain, signal.replaced(filter=stage))
        if stage is None:
            good, tip = (
                True,
                f"no filter: {what.reduced_lsb:.2f} LSB rms, {format_si(rate_hz, 'Hz', 4)}",
            )
        else:
            figures = filter_metrics(stage, rate_hz, chain.bits)
            good = figures.fits
            tip = (
                f"{KINDS[stage.kind]} {label}: {what.reduced_lsb:.2f} LSB rms, −3 dB at "
                f"{format_si(figures.cutoff_hz, 'Hz', 4)}, "
                f"latency {format_si(figures.latency_s, 's', 3)}, {figures.bits} bits"
            )
        is_now = stage is now or (
            now is not None and stage is not None and _same_choice(stage, now)
        )
        choices.append(
            Choice(label, what.reduced_lsb, good, is_now, tip, SetFilter(signal.name, stage))
        )
    word = "shift" if isinstance(now, LowPassFilter) else "count"
    return WhatIf(f"If {word} were · LSB rms of noise", tuple(choices))


def _response(signal: Signal, rate_hz: float) -> Curves:
    """Magnitude of each choice up to half the sample rate."""
    courses = []
    now = signal.filter
    stages = [(label, stage) for label, stage in _choices(signal) if stage is not None]
    top_hz, bottom_hz = rate_hz / 2, rate_hz / 4096
    for label, stage in stages:
        points = []
        for number in range(CURVE_POINTS + 1):
            hertz = bottom_hz * (top_hz / bottom_hz) ** (number / CURVE_POINTS)
            points.append((hertz, max(filter_gain(stage, hertz, rate_hz), 1e-3)))
        courses.append(Course(label, tuple(points), now is not None and _same_choice(stage, now)))
    return Curves("Frequency response", "Hz", tuple(courses), math.sqrt(0.5), "−3 dB")
