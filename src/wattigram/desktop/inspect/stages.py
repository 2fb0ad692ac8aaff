"""Panels of the stages behind a slot: reduce and window."""

from __future__ import annotations

from collections.abc import Callable

from wattigram.core.accuracy import block_mean_cutoff_hz, signal_noise, sum_bits
from wattigram.core.design import Chain, Mean, Signal, Window, Workspace
from wattigram.core.design.edits import Edit, SetReduce, SetWindow
from wattigram.core.errors import QuantityError
from wattigram.core.quantity import brief, parse_quantity, show, show_volts
from wattigram.core.timing import cycle_timing
from wattigram.desktop.inspect.model import Choice, Fact, Field, Panel, WhatIf

MEAN_COUNTS = (1, 2, 4, 8, 16, 32, 64, 128, 256)


def reduce_panel(workspace: Workspace, chain: Chain, signal: Signal) -> Panel:
    """Reduce stage of a signal, with every count as a what-if."""
    cycle = cycle_timing(workspace, chain)
    rate_hz = float(cycle.cycle_rate_hz * len(chain.places_of(signal.name)))
    noise = signal_noise(workspace, chain, signal)
    reduce = signal.reduce
    facts = [Fact("raw noise", f"{noise.raw_lsb:.2f} LSB rms"), Fact("raw rate", brief(rate_hz, "Hz", 5))]
    fields = [
        Field(
            "stage",
            "none" if reduce is None else "mean",
            lambda text: SetReduce(signal.name, _mean(16, reduce) if text == "mean" else None),
            ("none", "mean"),
        )
    ]
    if reduce is not None:
        needed = sum_bits(reduce.count, chain.bits)
        facts += [
            Fact("reduced noise", f"{noise.reduced_lsb:.2f} LSB rms"),
            Fact("reduced rate", brief(rate_hz / reduce.count, "Hz", 5)),
            Fact("−3 dB at", show(block_mean_cutoff_hz(reduce.count, rate_hz), "Hz", 4)),
            Fact("latency", show(reduce.count / rate_hz, "s", 3)),
            Fact("sum needs", f"{needed} of {reduce.register_bits} bits", needed <= reduce.register_bits),
            Fact(
                "true mean",
                "yes" if reduce.divisor_ratio == 1 else f"× {float(reduce.divisor_ratio):.4g}",
                reduce.divisor_ratio == 1,
            ),
        ]
        fields += [
            Field(
                "count",
                str(reduce.count),
                lambda text: SetReduce(signal.name, _mean(whole_number(text, "samples"), reduce)),
                hint="2 or more",
            ),
            Field(
                "shift right",
                str(reduce.shift),
                lambda text: SetReduce(signal.name, reduce.changed(shift=whole_number(text, "places"))),
                hint="log2 of the count",
            ),
            Field(
                "register",
                str(reduce.register_bits),
                lambda text: SetReduce(signal.name, reduce.changed(register_bits=whole_number(text, "bits"))),
                ("16", "24", "32"),
            ),
        ]
    choices = []
    for count in MEAN_COUNTS:
        stage = _mean(count, reduce) if count > 1 else None
        what = signal_noise(workspace, chain, signal.changed(reduce=stage))
        tip = f"mean of {count}: {what.reduced_lsb:.2f} LSB rms, {brief(rate_hz / count, 'Hz', 4)}"
        now = reduce.count if reduce else 1
        choices.append(Choice(str(count), what.reduced_lsb, True, count == now, tip, SetReduce(signal.name, stage)))
    return Panel(
        f"Reduce · {signal.name}",
        tuple(facts),
        tuple(fields),
        WhatIf("If count were · LSB rms of noise", tuple(choices)),
    )


def _mean(count: int, like: Mean | None) -> Mean:
    shift = max(0, count.bit_length() - 1)
    return Mean(count=count, shift=shift, register_bits=like.register_bits if like else 32)


def window_panel(workspace: Workspace, signal: Signal) -> Panel:
    """Threshold window of a signal."""
    window = signal.window
    highest_v = signal.at_source(workspace.reference_v)

    def presence(text: str) -> Edit:
        if text == "none":
            return SetWindow(signal.name, None)
        return SetWindow(signal.name, Window(low_v=round(highest_v / 4, 3), high_v=round(highest_v * 3 / 4, 3)))

    fields = [Field("window", "none" if window is None else "threshold", presence, ("none", "threshold"))]
    facts = [Fact("range", f"0 to {show_volts(highest_v)}")]
    if signal.twin_of:
        facts.append(Fact("twin of", signal.twin_of))
    if window is not None:
        facts += [
            Fact("limits in order", "yes" if window.low_v <= window.high_v else "no", window.low_v <= window.high_v),
        ]

        def volts(name: str) -> Callable[[str], Edit]:
            def make(text: str) -> Edit:
                return SetWindow(signal.name, window.changed(**{name: float(parse_quantity(text, "V"))}))

            return make

        streams = ("raw", "reduced") if signal.reduce else ("raw",)
        fields += [
            Field(
                "condition",
                window.condition,
                lambda text: SetWindow(signal.name, window.changed(condition=text)),
                ("outside", "inside", "above", "below"),
            ),
            Field("lower limit", f"{window.low_v:g} V", volts("low_v"), hint="such as 0.4 V"),
            Field("upper limit", f"{window.high_v:g} V", volts("high_v"), hint="such as 2.1 V"),
            Field("hysteresis", brief(window.hysteresis_v, "V"), volts("hysteresis_v"), hint="such as 10 mV"),
            Field(
                "compared with",
                window.on if signal.reduce else "raw",
                lambda text: SetWindow(signal.name, window.changed(on=text)),
                streams,
            ),
        ]
    return Panel(f"Window · {signal.name}", tuple(facts), tuple(fields))


def whole_number(text: str, what: str) -> int:
    """A whole number as entered; raises :class:`QuantityError`."""
    value = parse_quantity(text, "")
    if value.denominator != 1 or value < 0:
        raise QuantityError(f"“{text}” is no whole number of {what}.", cure="Write a whole number.")
    return int(value)
