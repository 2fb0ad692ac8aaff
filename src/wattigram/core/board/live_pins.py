"""Which output pins change while the board runs, and who looks at them."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from wattigram.core.board.dma_routes import SinkTrace
from wattigram.core.board.live_output import LiveDac, LivePulses, LiveVoltage
from wattigram.core.board.output_waveforms import Wire
from wattigram.core.contract.board_config import EffectiveBench, EffectiveConfig, EffectiveRoute
from wattigram.core.contract.link import OVERWRITTEN, TORN

MARKS = OVERWRITTEN | TORN


class LivePins:
    """Output pins of a board that are written to while it runs.

    Parameters
    ----------
    written : pins that routes, or the program, may write to
    """

    def __init__(self, config: EffectiveConfig, written: Iterable[str]) -> None:
        pins = set(written)
        self.dacs = {
            dac.pin: LiveDac(dac, config.tick_hz)
            for dac in config.dacs
            if dac.pin in pins and dac.steady
        }
        self.pulses = {
            pwm.pin: LivePulses(pwm, config.tick_hz) for pwm in config.pwm if pwm.pin in pins
        }

    def voltage(self, pin: str) -> LiveVoltage | None:
        """What stands on a pin; None for one that is known beforehand."""
        live = self.dacs.get(pin) or self.pulses.get(pin)
        return live.voltage if live is not None else None

    def wire(self, pin: str, poles_s: tuple[float, ...]) -> Wire | None:
        """The same behind low-passes."""
        voltage = self.voltage(pin)
        return voltage.wire(poles_s) if voltage is not None else None

    def follow(self, route: EffectiveRoute, trace: SinkTrace) -> None:
        """What a route wrote takes effect."""
        dac, pulses = self.dacs.get(route.output), self.pulses.get(route.output)
        took = (trace.values & OVERWRITTEN) == 0
        ticks, values = trace.ticks[took].astype(np.float64), trace.values[took] & ~MARKS
        if dac is not None:
            dac.put(ticks, values)
        elif pulses is not None and route.sink == "duty":
            pulses.put(ticks, high_counts=values)
        elif pulses is not None:
            pulses.put(ticks, counts=values + 1)

    def reach(self, bench: EffectiveBench, pin: str | None) -> bool:
        """Whether such a pin is wired to an input."""
        drive = bench.pins.get(pin or "")
        return drive is not None and drive.shape == "output" and self.has(drive.output)

    def has(self, pin: str | None) -> bool:
        """Whether it is such a pin."""
        return pin in self.dacs or pin in self.pulses

    def samplers(self, config: EffectiveConfig, bench: EffectiveBench) -> set[int]:
        """Converters that look at such a pin."""
        return {
            number
            for number, converter in enumerate(config.converters)
            if any(
                self.reach(bench, pin)
                for slot in converter.slots
                for pin in (slot.pin, slot.negative)
            )
        }


def is_fed_back(config: EffectiveConfig, samplers: set[int]) -> bool:
    """Whether a route carries what a converter of these gives: what it samples may follow from what
    it gave."""
    return any(route.converter in samplers for route in config.routes)
