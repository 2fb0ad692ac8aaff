"""Settings that parts hold in different ways: in one field, or in several that come to the same."""

from __future__ import annotations

from wattigram.core.model.part import Converter
from wattigram.core.silicon.registers.decode import SiliconState
from wattigram.core.silicon.registers.register_map import RegisterMap

RESULTS = frozenset({"result", "newest", "result-low"})
"""Settings at whose fields DMA finds results; the upper byte of one lies behind its lower."""


def delivery_of(state: SiliconState, converter: str) -> str:
    """How results are told: polling, conversion, scan, fifo or dma. A part without a field for that
    has interrupts with a bit each, and DMA that asks by itself."""
    if state.has(converter, "delivery"):
        return state.text(converter, "delivery", "polling")
    if result_channel(state, converter) is not None:
        return "dma"
    if state.flag(converter, "tells-scan", False):
        return "scan"
    return "conversion" if state.flag(converter, "tells-result", False) else "polling"


def result_channel(state: SiliconState, converter: str) -> str | None:
    """The DMA channel that is set to fetch a converter's results into memory."""
    registers = state.registers
    for group in registers.part.dma:
        for channel in group.names:
            if channel not in state.touched:
                continue
            register = registers.at(state.number(channel, "from", 0))
            into = registers.at(state.number(channel, "to", 0))
            if (
                register is not None
                and register.owner == converter
                and into is None
                and any(field.sets in RESULTS for field in register.register.fields)
            ):
                return channel
    return None


def newest_result(registers: RegisterMap, converter: str) -> int:
    """Address of the register that DMA and a FIFO's handler read; raises :class:`RegisterError` where
    there is none."""
    names = ("newest", "result", "result-low")
    name = next((one for one in names if registers.has(converter, one)), "result")
    return registers.find(converter, name).field_address


def waits_for_period(state: SiliconState, timer: str) -> bool:
    """What is written to a timer's period or pulse holds from the next period on."""
    if state.has(timer, "loads"):
        return state.text(timer, "loads", "direct") in {"period", "dma"}
    return state.flag(timer, "preload", False)


def waits_for_dma(state: SiliconState, timer: str) -> bool:
    """And not before DMA has written all pieces of it."""
    if state.has(timer, "loads"):
        return state.text(timer, "loads", "direct") == "dma"
    return waits_for_period(state, timer) and state.flag(timer, "whole", False)


def waits_for_software(state: SiliconState, timer: str) -> bool:
    """And not before software loads it."""
    return state.text(timer, "loads", "direct") == "software"


def waits_for_trigger(state: SiliconState, dac: str) -> bool:
    """A code waits in a DAC's second register until its trigger comes; where no field says so, a trigger
    that is chosen says it."""
    if state.has(dac, "twice"):
        return state.flag(dac, "twice", False)
    return state.has(dac, "trigger") and state.text(dac, "trigger", "none") != "none"


def channel_of(state: SiliconState, converter: Converter, place: int = 0) -> int:
    """Channel of a slot; of a pair its number, also where a bit beside the first of both says so."""
    channel = state.number(converter.name, "channel", 0, place)
    if state.flag(converter.name, "pair", False, place):
        for pair in converter.pairs:
            if converter.channels.get(pair.positive) == channel:
                return pair.channel
    return channel


def channel_settings(
    registers: RegisterMap, converter: Converter, channel: int
) -> tuple[tuple[str, int | bool], ...]:
    """A channel as the settings that a slot has for it."""
    if not registers.has(converter.name, "pair"):
        return (("channel", channel),)
    pair = next((one for one in converter.pairs if one.channel == channel), None)
    first = converter.channels[pair.positive] if pair is not None else channel
    return ("channel", first), ("pair", pair is not None)
