"""Which output pins change while the board runs, and who looks at them."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from wattigram.core.board.live_output import LiveDac, LiveLevel, LivePulses, LiveVoltage
from wattigram.core.board.output_waveforms import Wire
from wattigram.core.board.sink_trace import SinkTrace
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

        # A pin that a DAC or a timer has is not the port's, whatever the port's register says.
        taken = {dac.pin for dac in config.dacs} | {pwm.pin for pwm in config.pwm}
        self.ports = {
            port.pin: LiveLevel(port, config.tick_hz)
            for port in config.ports
            if port.pin not in taken
        }

    def voltage(self, pin: str) -> LiveVoltage | None:
        """What stands on a pin; None for one that is known beforehand."""
        live = self.dacs.get(pin) or self.pulses.get(pin) or self.ports.get(pin)
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

    def set_level(self, pin: str, at: float, is_high: bool) -> None:
        """A port pin changes."""
        port = self.ports.get(pin)
        if port is not None:
            port.put(at, is_high)

    def write(self, kind: str, pin: str, at: float, value: int) -> float:
        """The program writes a DAC's code, or counts of a pulse or of a period; gives the ticks at
        which it takes effect."""
        dac, pulses = self.dacs.get(pin), self.pulses.get(pin)
        if dac is not None:
            dac.put(np.array([at]), np.array([value]))
            return at
        if pulses is None:
            return at
        effect = pulses.effect_ticks(at)
        if kind == "duty":
            pulses.put(np.array([effect]), high_counts=np.array([value]))
        else:
            pulses.put(np.array([effect]), counts=np.array([value]))
        return effect

    def reach(self, bench: EffectiveBench, pin: str | None) -> bool:
        """Whether such a pin is wired to an input."""
        drive = bench.pins.get(pin or "")
        return drive is not None and drive.shape == "output" and self.has(drive.output)

    def has(self, pin: str | None) -> bool:
        """Whether it is such a pin."""
        return pin in self.dacs or pin in self.pulses or pin in self.ports

    def samplers(self, config: EffectiveConfig, bench: EffectiveBench) -> set[int]:
        """Converters that look at such a pin, or may be pointed to one."""
        looked_at = [
            (number, pin)
            for number, converter in enumerate(config.converters)
            for slot in converter.slots
            for pin in (slot.pin, slot.negative)
        ]
        looked_at += [
            (reaction.acts_on, reaction.pin)
            for reaction in config.reactions
            if reaction.action == "point"
        ]
        return {number for number, pin in looked_at if self.reach(bench, pin)}


def is_fed_back(config: EffectiveConfig, samplers: set[int]) -> bool:
    """Whether a route carries what a converter of these gives, or a reaction follows from it: what
    it samples may follow from what it gave."""
    if any(route.converter in samplers for route in config.routes):
        return True
    taps = {number for number, tap in enumerate(config.taps) if tap.converter in samplers}
    watches = {
        number
        for number, watch in enumerate(config.watches)
        if watch is not None and {watch.tap, watch.other} & taps
    }
    return any(
        (reaction.on == "results" and reaction.converter in samplers)
        or (reaction.on == "watch" and reaction.watch in watches)
        or any(reading.tap in taps for reading in reaction.readings)
        for reaction in config.reactions
    )
