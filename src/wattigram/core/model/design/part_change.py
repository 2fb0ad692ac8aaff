"""A project on another part: what carries over, what takes another name or value there, and what must be
chosen anew."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from copy import deepcopy
from typing import Any, Literal

import msgspec

from wattigram.core.base.models import model_of, plain_values
from wattigram.core.base.quantity import format_si
from wattigram.core.base.validation import ModelError
from wattigram.core.model.design.part_compatibility import part_faults
from wattigram.core.model.design.project import Project
from wattigram.core.model.part import Converter, Part

ResourceKind = Literal[
    "reference", "converter", "timer", "DMA channel", "DAC", "UART", "comparator", "pin"
]
_KIND_OF_KEY: dict[str, ResourceKind] = {
    "reference": "reference",
    "converter": "converter",
    "follows": "converter",
    "starts_with": "converter",
    "timer": "timer",
    "channel": "DMA channel",
    "dac": "DAC",
    "uart": "UART",
    "comparator": "comparator",
    "pin": "pin",
    "negative": "pin",
    "threshold_pin": "pin",
    "swapped_with": "pin",
    "pins": "pin",
}
"""What fields of a project's file name of the part."""
_NAMED_BY_PART: dict[str, ResourceKind] = {"uarts": "UART", "comparators": "comparator"}
"""Lists of a project whose items have the names of the part's things."""


class Replacement(msgspec.Struct, frozen=True):
    """Something of the old part and what stands for it on the new one.

    ``after`` is "" where nothing can; ``candidates`` are what could, the one taken among them.
    """

    kind: str
    before: str
    after: str
    candidates: tuple[str, ...] = ()

    @property
    def text(self) -> str:
        """In a line."""
        return f"{self.kind} {self.before} → {self.after or 'nothing'}"

    @property
    def key(self) -> tuple[str, str]:
        """What it is chosen by."""
        return self.kind, self.before


class PartChange(msgspec.Struct, frozen=True):
    """A project as it would be on another part.

    ``faults`` say what the part still does not have at all; ``project`` is then none that it could hold.
    """

    project: Project | None
    replacements: tuple[Replacement, ...]
    faults: tuple[str, ...]

    @property
    def fits(self) -> bool:
        """Whether the part can hold the project."""
        return self.project is not None and not self.faults


def on_other_part(
    project: Project,
    old: Part,
    new: Part,
    identifier: str,
    chosen: Mapping[tuple[str, str], str] | None = None,
) -> PartChange:
    """The project on another part.

    Peripherals keep their names where the new part has them and they can do the same; else the first
    that can takes their place, in the part's order. Values that it does not have become the nearest it has.

    Parameters
    ----------
    identifier : str
        What the project names the new part by: its id, or its file.
    chosen : mapping of (kind, name before) to name after
        What an engineer would rather have.
    """
    change = _Change(project, old, new, dict(chosen or {}))
    values = change.renamed()
    values["part"] = identifier
    change.fit_values(values)
    try:
        made: Project | None = model_of(Project, values)
    except ModelError as fault:
        return PartChange(None, tuple(change.replacements), tuple(one.text for one in fault.faults))
    assert made is not None
    return PartChange(made, tuple(change.replacements), part_faults(made, new))


class _Change:
    """Finds what stands for what, kind after kind: pins last, since they follow what is on them."""

    def __init__(
        self, project: Project, old: Part, new: Part, chosen: dict[tuple[str, str], str]
    ) -> None:
        self.project, self.old, self.new, self.chosen = project, old, new, chosen
        self.values = deepcopy(plain_values(project))
        self.replacements: list[Replacement] = []
        self.names: dict[ResourceKind, dict[str, str]] = {}
        self.reserved: set[str] = set()

    def renamed(self) -> dict[str, Any]:
        """The project's file with the names of the new part."""
        used = self._used()
        for kind in ("reference", "converter", "timer", "DMA channel", "DAC", "UART", "comparator"):
            self._match(kind, used.get(kind, []))
        self._match_pins(used.get("pin", []))
        made = self._with_names(self.values)
        assert isinstance(made, dict)
        return made

    # Names

    def _used(self) -> dict[ResourceKind, list[str]]:
        found: dict[ResourceKind, dict[str, None]] = {}
        for kind, name in _names_in(self.values):
            found.setdefault(kind, {})[name] = None
        return {kind: list(names) for kind, names in found.items()}

    def _match(self, kind: ResourceKind, used: list[str]) -> None:
        taken: dict[str, str] = {}
        known = self._all(self.old, kind)
        for name in used:
            if name not in known:
                continue  # a name of the project's own that happens to stand under such a key
            fit = [one for one in self._all(self.new, kind) if self._can(kind, name, one)]
            free = [one for one in fit if one not in taken.values() and one not in used] or [
                one for one in fit if one not in taken.values()
            ]
            wish = self.chosen.get((kind, name))
            after = wish if wish in fit else name if name in fit else free[0] if free else ""
            taken[name] = after
            self._note(kind, name, after, fit)
        self.names[kind] = taken

    def _note(self, kind: str, before: str, after: str, candidates: Iterable[str]) -> None:
        if before != after:
            self.replacements.append(Replacement(kind, before, after, tuple(candidates)))

    @staticmethod
    def _all(part: Part, kind: ResourceKind) -> tuple[str, ...]:
        match kind:
            case "reference":
                return tuple(one.name for one in part.references)
            case "converter":
                return tuple(one.name for one in part.converters)
            case "timer":
                return tuple(name for group in part.timers for name in group.names)
            case "DMA channel":
                return tuple(name for group in part.dma for name in group.names)
            case "DAC":
                return tuple(one.name for one in part.dacs)
            case "UART":
                return tuple(name for group in part.uarts for name in group.names)
            case "comparator":
                return tuple(one.name for one in part.comparators)
            case "pin":
                return part.pins

    def _can(self, kind: ResourceKind, before: str, after: str) -> bool:
        """Whether one of the new part can do what the project has one of the old part do."""
        if kind == "timer":
            group = self.new.timer(after)
            assert group is not None
            pulses = any(one.timer == before for one in self.project.pwm)
            starts = before in {
                name
                for kind_, name in _names_in([plain_values(one) for one in self.project.chains])
                if kind_ == "timer"
            }
            return (not pulses or (group.pwm and after in group.pwm_pins)) and (
                not starts or group.can_trigger
            )
        if kind == "converter":
            chain = self.project.chain(before)
            converter = self.new.converter(after)
            assert converter is not None
            return chain is None or (
                chain.trigger.kind in converter.triggers
                and chain.readout.kind in converter.retrievals
                and len(chain.slots) <= converter.slots
            )
        return True

    def _match_pins(self, used: list[str]) -> None:
        """Pins of outputs and serial ports go where those went; signals to inputs of their converter;
        others to what is left."""
        taken: dict[str, str] = {}
        self.reserved = set(self._wanted_by_others())
        for before, after in self._led_pins():
            if before in used and before not in taken:
                taken[before] = after
        for signal in self.project.signals:
            chain = self.project.chain_of(signal.name)
            name = self.names["converter"].get(chain.converter) if chain is not None else None
            converter = self.new.converter(name) if name else next(iter(self.new.converters), None)
            if converter is None:
                continue
            if signal.negative is not None:
                self._take_pair(converter, signal.pin, signal.negative, taken)
            elif signal.pin[:1].isupper():
                self._take_pin(signal.pin, self._inputs_for(signal.name, converter), taken)
            elif signal.pin not in {item.name for item in converter.internal}:
                fit = tuple(item.name for item in converter.internal)
                wish = self.chosen.get(("channel inside", signal.pin))
                after = wish if wish in fit else fit[0] if fit else ""
                self._note("channel inside", signal.pin, after, fit)
                taken[signal.pin] = after or signal.pin
        port_pins = tuple(pin for port in self.new.ports for pin in port.bits)
        set_or_read = {
            name for kind, name in _names_in(self.values.get("reactions", ())) if kind == "pin"
        }
        for pin in used:
            if pin[:1].isupper():
                self._take_pin(pin, port_pins if pin in set_or_read else self.new.pins, taken)
        self.names["pin"] = taken

    def _inputs_for(self, signal: str, converter: Converter) -> tuple[str, ...]:
        """Inputs of a converter; of a signal that a comparator watches those that it can watch too."""
        units = [
            self.new.comparator(self.names["comparator"].get(one.name, ""))
            for one in self.project.comparators
            if one.signal == signal
        ]
        return tuple(
            pin
            for pin in converter.channels
            if all(unit is None or pin in unit.inputs for unit in units)
        )

    def _take_pin(self, pin: str, fit: tuple[str, ...], taken: dict[str, str]) -> None:
        if pin in taken:
            return
        free = [one for one in fit if one not in taken.values() and one not in self.reserved]
        wish = self.chosen.get(("pin", pin))
        after = wish if wish in free else pin if pin in free else free[0] if free else ""
        self._note("pin", pin, after, free)
        taken[pin] = after or pin

    def _take_pair(
        self, converter: Converter, positive: str, negative: str, taken: dict[str, str]
    ) -> None:
        pairs = [(pair.positive, pair.negative) for pair in converter.pairs]
        free = [pair for pair in pairs if not set(pair) & set(taken.values())]
        after = (positive, negative) if (positive, negative) in free else free[0] if free else None
        if after is not None:
            for before, pin in zip((positive, negative), after, strict=True):
                self._note("pin", before, pin, [pin])
                taken[before] = pin

    def _wanted_by_others(self) -> Iterator[str]:
        """Pins of the new part at which outputs come out and serial lines end."""
        for name in self.names["DAC"].values():
            dac = self.new.dac(name)
            if dac is not None:
                yield dac.pin
        pulsing = {self.names["timer"].get(one.timer, "") for one in self.project.pwm}
        for name in pulsing:
            timer = self.new.timer(name)
            if timer is not None and name in timer.pwm_pins:
                yield timer.pwm_pins[name]
        for name in self.names["UART"].values():
            uart = self.new.uart(name)
            for pins in (uart.send_pins, uart.receive_pins) if uart is not None else ():
                if name in pins:
                    yield pins[name]

    def _led_pins(self) -> Iterator[tuple[str, str]]:
        for before, after in self.names["DAC"].items():
            old, new = self.old.dac(before), self.new.dac(after)
            if old is not None and new is not None:
                yield old.pin, new.pin
        for before, after in self.names["timer"].items():
            yield from _pin_of(
                self.old.timer(before), self.new.timer(after), "pwm_pins", before, after
            )
        for before, after in self.names["UART"].items():
            for key in ("send_pins", "receive_pins"):
                yield from _pin_of(self.old.uart(before), self.new.uart(after), key, before, after)
        for before, after in self.names["reference"].items():
            first, second = self.old.reference(before), self.new.reference(after)
            if first is not None and second is not None and first.pin and second.pin:
                yield first.pin, second.pin

    def _with_names(self, value: Any, key: str = "") -> Any:
        if isinstance(value, dict):
            made = {name: self._with_names(one, name) for name, one in value.items()}
            for name, named in _NAMED_BY_PART.items():
                for item in made.get(name, ()) if isinstance(made.get(name), list) else ():
                    item["name"] = self._name(named, item.get("name"))
            return made
        if isinstance(value, list):
            return [self._with_names(one, key) for one in value]
        kind = _KIND_OF_KEY.get(key)
        return self._name(kind, value) if kind is not None and isinstance(value, str) else value

    def _name(self, kind: ResourceKind, name: Any) -> Any:
        return self.names.get(kind, {}).get(name) or name

    # Values

    def fit_values(self, values: dict[str, Any]) -> None:
        """Give the nearest value to what the new part does not have as it is."""
        clock = self.project.bus_clock_hz
        if clock is not None and clock > self.new.processor.clock_hz:
            values.pop("bus_clock", None)
            self._note(
                "bus clock",
                format_si(clock, "Hz"),
                format_si(self.new.processor.clock_hz, "Hz"),
                (),
            )
        self._fit_references(values)
        for number, chain in enumerate(self.project.chains):
            old = self.old.converter(chain.converter)
            new = self.new.converter(self.names["converter"].get(chain.converter, ""))
            if old is not None and new is not None:
                self._fit_chain(values["chains"][number], chain, old, new)
        for group_name in ("pwm", "chains", "generators", "routes"):
            for item in values.get(group_name, ()):
                self._drop_registers(item)
        for number, generator in enumerate(values.get("generators", ())):
            dac = self.new.dac(generator.get("dac", ""))
            wanted = generator.get("reference")
            if dac is not None and wanted is not None and wanted not in dac.references:
                generator.pop("reference")
                name = self.project.generators[number].name
                self._note(f"{name}: reference", wanted, "as the part has it", dac.references)
            if (
                dac is not None
                and not dac.can_buffer_twice
                and generator.get("double_buffered", True)
            ):
                generator["double_buffered"] = False
                name = self.project.generators[number].name
                self._note(f"{name}: second register", "used", "not used", ())
        for item in values.get("comparators", ()):
            unit = self.new.comparator(item.get("name", ""))
            if unit is not None:
                wanted = next(
                    one
                    for one in self.project.comparators
                    if self._name("comparator", one.name) == item["name"]
                )
                nearest = min(unit.hysteresis_v, key=lambda volts: abs(volts - wanted.hysteresis_v))
                if nearest != wanted.hysteresis_v:
                    item["hysteresis"] = format_si(nearest, "V")
                    self._note(
                        f"{item['name']}: hysteresis",
                        format_si(wanted.hysteresis_v, "V"),
                        format_si(nearest, "V"),
                        (),
                    )

    def _drop_registers(self, item: Any) -> None:
        """Registers of timers that were written by hand stay where they mean the same; else the solver
        finds others."""
        if isinstance(item, list):
            for one in item:
                self._drop_registers(one)
        if not isinstance(item, dict):
            return
        timer = self.new.timer(str(item.get("timer", "")))
        prescaler, period = item.get("prescaler_register"), item.get("period_register")
        if timer is not None and (prescaler is not None or period is not None):
            fits = (
                timer.has_prescaler((prescaler or 0) + 1)
                and (period or 0) < 1 << timer.counter_bits
            )
            if not fits or self._bus_hz(self.old) != self._bus_hz(self.new):
                for key in ("prescaler_register", "period_register"):
                    item.pop(key, None)
                written = f"registers {prescaler} and {period}"
                self._note(f"{item['timer']}", written, "as the period needs them", ())
        for one in item.values():
            self._drop_registers(one)

    def _fit_references(self, values: dict[str, Any]) -> None:
        """What feeds the board feeds it on; what was measured of a reference inside the part was of that part."""
        kept = []
        for own, item in zip(self.project.references, values.get("references", ()), strict=True):
            if own.name == "supply" and self.new.reference("supply") is not None:
                kept.append(item)
                continue
            said = "its own tolerance" if own.voltage_v is None else format_si(own.voltage_v, "V")
            self._note(f"{own.name} is", said, "as the part has it", ())
        if kept:
            values["references"] = kept
        else:
            values.pop("references", None)

    def _fit_chain(
        self, values: dict[str, Any], chain: Any, old: Converter, new: Converter
    ) -> None:
        name = new.name
        before_hz = (
            old.source_clock_hz(self._bus_hz(self.old), chain.clock == "internal") / chain.divider
        )
        if chain.clock == "internal" and new.oscillator is None:
            values["clock"] = "bus"
            self._note(f"{name}: clock", "internal", "bus", ())
        own = values.get("clock") == "internal"
        source_hz = new.source_clock_hz(self._bus_hz(self.new), own)
        bits = min(new.bits, key=lambda one: (abs(one - chain.bits), -one))
        allowed = [one for one in new.dividers if new.allows_clock(source_hz / one, bits)]
        allowed = allowed or list(new.dividers)
        divider = min(allowed, key=lambda one: (abs(source_hz / one / before_hz - 1), one))
        values["divider"] = divider
        self._note(
            f"{name}: clock",
            f"{format_si(before_hz, 'Hz')} (÷ {chain.divider})",
            f"{format_si(source_hz / divider, 'Hz')} (÷ {divider})",
            (),
        )
        values["bits"] = bits
        self._note(f"{name}: resolution", f"{chain.bits} bits", f"{bits} bits", ())
        if chain.alignment not in new.alignments:
            values["alignment"] = new.alignments[0]
            self._note(f"{name}: alignment", chain.alignment, new.alignments[0], ())
        for slot, made in zip(chain.slots, values["slots"], strict=True):
            wanted_s = slot.sampling / before_hz
            long_enough = [
                one for one in new.sampling_cycles if one / (source_hz / divider) >= wanted_s
            ]
            clocks = min(long_enough, default=max(new.sampling_cycles))
            made["sampling_cycles"] = clocks
        self._share_sampling(values, new)
        for slot, made in zip(chain.slots, values["slots"], strict=True):
            clocks, wanted_s = made["sampling_cycles"], slot.sampling / before_hz
            self._note(
                f"{name}: sampling of {slot.signal}",
                f"{slot.sampling_cycles:g} clk, {format_si(wanted_s, 's')}",
                f"{clocks:g} clk, {format_si(clocks / (source_hz / divider), 's')}",
                (),
            )
        dma = self.new.dma_channel(values.get("readout", {}).get("channel", ""))
        most = dma.items_max if dma is not None else None
        count = len(chain.slots)
        if most is not None and chain.buffer.samples > most and count:
            fit = most // (2 * count) * 2 * count
            values["buffer"]["samples"] = fit
            self._note(f"{name}: circular buffer", str(chain.buffer.samples), str(fit), ())

    def _share_sampling(self, values: dict[str, Any], new: Converter) -> None:
        """Slots that are sampled alike all get the longest time that one of them needs."""
        channel_of = {}
        for place, slot in enumerate(values["slots"]):
            signal = self.project.signal(slot["signal"])
            pin = self._name("pin", signal.pin)
            negative = self._name("pin", signal.negative) if signal.negative else None
            channel_of[place] = new.channel(pin, negative)
        groups = [set(group) for group in self.new.sampling_groups(new)]
        if new.one_sampling_time:
            groups = [{one for one in channel_of.values() if one is not None}]
        for group in groups:
            alike = [values["slots"][place] for place, one in channel_of.items() if one in group]
            longest = max((slot["sampling_cycles"] for slot in alike), default=0)
            for slot in alike:
                slot["sampling_cycles"] = longest

    def _bus_hz(self, part: Part) -> Any:
        clock = self.project.bus_clock_hz
        own = part.processor.clock_hz
        return own if clock is None or clock > own else clock


def _names_in(value: Any, key: str = "") -> Iterator[tuple[ResourceKind, str]]:
    """Names of a part's things in a project's file, in their order."""
    if isinstance(value, dict):
        for name, one in value.items():
            yield from _names_in(one, name)
        for name, kind in _NAMED_BY_PART.items():
            for item in value.get(name, ()) if isinstance(value.get(name), list) else ():
                if isinstance(item, dict) and isinstance(item.get("name"), str):
                    yield kind, item["name"]
    elif isinstance(value, (list, tuple)):
        for one in value:
            yield from _names_in(one, key)
    elif isinstance(value, str) and key in _KIND_OF_KEY:
        yield _KIND_OF_KEY[key], value


def _pin_of(old: Any, new: Any, key: str, before: str, after: str) -> Iterator[tuple[str, str]]:
    first = getattr(old, key, {}).get(before) if old is not None else None
    second = getattr(new, key, {}).get(after) if new is not None else None
    if first and second:
        yield first, second
