"""Outputs, serial ports and routes as registers have them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction

from wattigram.core.contract.shapes import PointsShape
from wattigram.core.model.design import Chain, TimerTrigger
from wattigram.core.model.design.outputs import (
    ChainFollow,
    ConstantLevel,
    Generator,
    GeneratorFollow,
    Playback,
    PwmOutput,
    UartSetup,
    WaveTable,
)
from wattigram.core.model.design.route import (
    DacDestination,
    DutyDestination,
    PeriodDestination,
    ReceivedSource,
    ResultSource,
    Route,
    RouteTimer,
    TableSource,
    UartDestination,
)
from wattigram.core.model.part import Dac, Part
from wattigram.core.silicon.registers.decode import SiliconState
from wattigram.core.silicon.registers.equivalents import (
    waits_for_dma,
    waits_for_period,
    waits_for_trigger,
)


def timer_trigger(state: SiliconState, timer: str, bus_clock_hz: Fraction) -> TimerTrigger:
    """A timer as its registers have it."""
    prescaler, period = state.number(timer, "prescaler", 1), state.number(timer, "period", 1)
    return TimerTrigger(
        timer=timer,
        period_s=state.count_clocks(timer) * period / bus_clock_hz,
        prescaler_register=prescaler - 1,
        period_register=period - 1,
    )


def _maker(route: Route) -> str:
    """The peripheral whose events should move what a route's source makes."""
    match route.source:
        case ResultSource(converter=name) | ReceivedSource(uart=name):
            return name
        case _:
            return ""


class OutputReader:
    """Reads what leaves the part; ``read_codes`` gives items of memory, ``full_scale_v`` the voltage of a
    DAC's reference."""

    def __init__(
        self,
        state: SiliconState,
        part: Part,
        full_scale_v: Callable[[Dac], float],
        bus_clock_hz: Fraction,
        read_codes: Callable[[int, int, int], tuple[int, ...]],
        chains: Sequence[Chain],
    ) -> None:
        self._state, self._part = state, part
        self._full_scale_v, self._bus_clock_hz = full_scale_v, bus_clock_hz
        self._read_codes = read_codes
        self._chains = chains

    def generators(self) -> tuple[list[Generator], list[WaveTable]]:
        """One for each DAC that is on, in the order in which they were first written to."""
        state = self._state
        generators: list[Generator] = []
        tables: list[WaveTable] = []
        dacs = sorted(self._part.dacs, key=lambda dac: state.touched.get(dac.name, 0))
        for dac in dacs:
            if dac.name not in state.touched or not state.is_on(dac.name):
                continue
            channel = self._player(dac)
            table = self._table(channel, dac) if channel is not None else None
            if channel is None or table is None:
                lsb_v = self._lsb_v(dac)
                code = state.number(dac.name, "data", 0) & ((1 << dac.bits) - 1)
                generators.append(self._generator(dac, ConstantLevel(voltage_v=code * lsb_v)))
                continue
            tables.append(table)
            timer = state.text(channel, "request", "none")
            trigger = self._update(timer, generators)
            starts_with = state.text(timer, "starts-with", "none")
            playback = Playback(
                table=table.name,
                update_trigger=trigger,
                channel=channel,
                repeat=state.flag(channel, "repeat", False),
                start_index=state.number(channel, "place", 0) % table.points,
                starts_with=None if starts_with == "none" else starts_with,
            )
            generators.append(self._generator(dac, playback))
        return generators, tables

    def _generator(self, dac: Dac, output: ConstantLevel | Playback) -> Generator:
        state = self._state
        twice = waits_for_trigger(state, dac.name)
        return Generator(
            name=dac.name,
            dac=dac.name,
            output=output,
            double_buffered=twice and dac.can_buffer_twice,
            buffered=state.flag(dac.name, "buffer", True),
            reference=self._reference(dac),
        )

    def _reference(self, dac: Dac) -> str | None:
        """What is chosen for a DAC that can choose; None for what it has without a choice."""
        name = self._state.text(dac.name, "reference", "") if dac.references else ""
        return name if name in dac.references else None

    def _lsb_v(self, dac: Dac) -> float:
        return self._full_scale_v(dac) / ((1 << dac.bits) - (1 if dac.full_scale == "2^N-1" else 0))

    def _player(self, dac: Dac) -> str | None:
        """The DMA channel that plays memory into a DAC, update by update."""
        state = self._state
        target = state.registers.find(dac.name, "data").field_address
        for channel in self._channels():
            timer = state.text(channel, "request", "none")
            from_memory = state.registers.at(state.number(channel, "from", 0)) is None
            if (
                state.number(channel, "to", 0) == target
                and from_memory
                and self._part.timer(timer) is not None
            ):
                running = state.is_on(channel) and state.is_on(timer, "run")
                moved = (
                    not waits_for_trigger(state, dac.name)
                    or state.text(dac.name, "trigger", timer) == timer
                )
                if running and moved:
                    return channel
        return None

    def _channels(self) -> list[str]:
        state = self._state
        names = [name for group in self._part.dma for name in group.names if name in state.touched]
        return sorted(names, key=lambda name: state.touched[name])

    def _table(self, channel: str, dac: Dac) -> WaveTable | None:
        """A table as it lies in memory: the DAC keeps as many bits as it has."""
        state = self._state
        count = state.number(channel, "count", 0)
        if count < 2:
            state.notes.append(f"{channel} plays {count} samples.")
            return None
        width = state.number(channel, "from-width", 16)
        codes = self._read_codes(state.number(channel, "from", 0), count, width)
        if not state.flag(channel, "from-step", True):
            codes = codes[:1] * count
        lsb_v = self._lsb_v(dac)
        mask = (1 << min(dac.bits, state.number(channel, "to-width", 16))) - 1
        points = tuple((code & mask) * lsb_v for code in codes)
        return WaveTable(
            name=f"memory of {channel}", points=count, shape=PointsShape(values=points)
        )

    def _update(
        self, timer: str, before: Sequence[Generator]
    ) -> TimerTrigger | GeneratorFollow | ChainFollow:
        for chain in self._chains:
            if isinstance(chain.trigger, TimerTrigger) and chain.trigger.timer == timer:
                return ChainFollow(follows=chain.converter)
        for one in before:
            output = one.output
            if (
                isinstance(output, Playback)
                and isinstance(output.update_trigger, TimerTrigger)
                and output.update_trigger.timer == timer
            ):
                return GeneratorFollow(follows=one.name)
        return timer_trigger(self._state, timer, self._bus_clock_hz)

    def pwm(self) -> tuple[PwmOutput, ...]:
        """Timers that put pulses on their pins."""
        state = self._state
        outputs = []
        for group in self._part.timers:
            for name in group.names:
                if (
                    name not in group.pwm_pins
                    or not state.flag(name, "pulse", self._gives_pulses(name))
                    or not state.is_on(name, "run")
                ):
                    continue
                prescaler, period = (
                    state.number(name, "prescaler", 1),
                    state.number(name, "period", 1),
                )
                outputs.append(
                    PwmOutput(
                        name=name,
                        timer=name,
                        period_s=state.count_clocks(name) * period / self._bus_clock_hz,
                        duty=min(1.0, state.number(name, "compare", 0) / period),
                        prescaler_register=prescaler - 1,
                        period_register=period - 1,
                        preload=waits_for_period(state, name),
                        whole=waits_for_dma(state, name),
                    )
                )
        return tuple(outputs)

    def _gives_pulses(self, timer: str) -> bool:
        """Whether a timer that no field puts on its pin gives pulses there: one that is set up, unless it only
        starts something."""
        state = self._state
        owners = [one.name for one in self._part.converters]
        owners += [one.name for one in self._part.dacs]
        starts = any(state.text(owner, "trigger", "") == timer for owner in owners)
        return timer in state.touched and not (starts and not state.number(timer, "compare", 0))

    def uarts(self) -> tuple[UartSetup, ...]:
        """Serial ports that are on, at the rate of their dividers."""
        state = self._state
        setups = []
        for group in self._part.uarts:
            for name in group.names:
                if name not in state.touched or not state.is_on(name):
                    continue
                divider = state.number(name, "divider", 1)
                baud = round(self._bus_clock_hz / (group.oversampling * divider))
                if not 50 <= baud <= 20_000_000:
                    state.notes.append(f"{name} has {baud} baud.")
                setups.append(
                    UartSetup(
                        name=name,
                        baud=min(max(baud, 50), 20_000_000),
                        data_bits=state.number(name, "data-bits", 8),
                        parity=state.text(name, "parity", "none"),
                        stop_bits=state.number(name, "stop-bits", 1),
                    )
                )
        return tuple(setups)

    def routes(self, generators: Sequence[Generator]) -> tuple[list[Route], list[WaveTable]]:
        """DMA channels that move from peripheral to peripheral, or from memory to one that plays
        nothing."""
        playing = {
            generator.output.channel
            for generator in generators
            if isinstance(generator.output, Playback)
        }
        decoded: list[Route] = []
        tables: list[WaveTable] = []
        for channel in self._channels():
            if channel in playing or not self._state.is_on(channel):
                continue
            route = self._route(channel, tables)
            if route is not None and self._moves(channel, route):
                decoded.append(route)
        return decoded, tables

    def _moves(self, channel: str, route: Route) -> bool:
        """What it waits for comes, and what it writes takes effect."""
        why = self._standstill(channel, route)
        if why:
            self._state.notes.append(f"{channel} moves nothing: {why}.")
        return not why

    def _standstill(self, channel: str, route: Route) -> str:
        """Why a route moves nothing; "" where it does."""
        state = self._state
        request = state.text(channel, "request", "none")
        if route.timer is not None and not state.is_on(route.timer.timer, "run"):
            return f"it waits for {route.timer.timer}, which does not run"
        if route.request == "source" and not request.startswith(_maker(route)):
            return f"it waits for “{request}”, and {_maker(route)} feeds it"
        if not state.number(channel, "count", 0):
            return "its length is 0"
        if not state.flag(channel, "repeat", False):
            return f"it stops after {state.number(channel, 'count', 0)} samples"
        match route.source, route.destination:
            case ReceivedSource(uart=uart), _ if not self._is_on(uart):
                return f"{uart} is not enabled"
            case _, UartDestination(uart=uart) if not self._is_on(uart):
                return f"{uart} is not enabled"
            case ResultSource(converter=name), _ if name not in {
                chain.converter for chain in self._chains
            }:
                return f"{name} is not set up"
            case _, (DutyDestination(pwm=pwm) | PeriodDestination(pwm=pwm)) if pwm not in {
                pwm.name for pwm in self.pwm()
            }:
                return f"{pwm} gives no pulses"
            case _, DacDestination(dac=dac):
                return self._dac_standstill(dac)
        return ""

    def _is_on(self, owner: str) -> bool:
        return owner in self._state.touched and self._state.is_on(owner)

    def _dac_standstill(self, dac: str) -> str:
        """Why what is written to a DAC takes no effect."""
        state = self._state
        trigger = state.text(dac, "trigger", "none")
        waits = waits_for_trigger(state, dac) and not (
            self._part.timer(trigger) is not None and state.is_on(trigger, "run")
        )
        if waits:
            return f"{dac} waits for a trigger that never comes"
        return "" if self._is_on(dac) else f"{dac} is not enabled"

    def _route(self, channel: str, tables: list[WaveTable]) -> Route | None:
        state = self._state
        sink = self._sink(channel)
        if sink is None:
            return None
        register = state.registers.at(state.number(channel, "from", 0))
        source: ResultSource | ReceivedSource | TableSource
        if register is None:
            codes = self._read_codes(
                state.number(channel, "from", 0),
                max(1, state.number(channel, "count", 1)),
                state.number(channel, "from-width", 16),
            )
            table = self._route_table(channel, codes, sink)
            if table is None:
                return None
            tables.append(table)
            source = TableSource(table=table.name)
        elif self._part.converter(register.owner) is not None:
            source = ResultSource(
                converter=register.owner,
                signal=self._slot_signal(register.owner, register.register.count, register.index),
            )
        elif self._part.uart(register.owner) is not None:
            source = ReceivedSource(uart=register.owner)
        else:
            state.notes.append(
                f"{channel} reads {register.owner}, {register.name}, which is no result."
            )
            return None
        request = state.text(channel, "request", "none")
        _name, _, what = request.rpartition(" ")
        sink_timer = self._timer_of(sink)
        timer, on = None, "source"
        if what == "room" or request == sink_timer:
            on = "destination"
        elif self._part.timer(request) is not None:
            on = "timer"
            trigger = state.count_clocks(request) * state.number(request, "period", 1)
            timer = RouteTimer(timer=request, period_s=Fraction(trigger) / self._bus_clock_hz)
        pieces = state.number(channel, "pieces", 1)
        return Route(
            name=channel,
            source=source,
            destination=sink,
            channel=channel,
            request=on,
            timer=timer,
            source_bits=state.number(channel, "from-width", 16),
            destination_bits=state.number(channel, "to-width", 16),
            transfers=pieces,
            increment=state.flag(channel, "from-step", False) or pieces == 1,
            endianness="big-endian"
            if state.flag(channel, "high-first", False)
            else "little-endian",
        )

    def _route_table(self, channel: str, codes: Sequence[int], sink: object) -> WaveTable | None:
        """Codes as a DAC of the part would make volts of them, so that they come back the same."""
        if not self._part.dacs or len(codes) < 2:
            self._state.notes.append(f"{channel} moves a table of {len(codes)} samples.")
            return None
        dac = self._part.dacs[0]
        if isinstance(sink, DacDestination):
            dac = self._part.dac(sink.dac) or dac
        mask = (1 << dac.bits) - 1
        points = tuple((code & mask) * self._lsb_v(dac) for code in codes)
        return WaveTable(
            name=f"memory of {channel}", points=len(codes), shape=PointsShape(values=points)
        )

    def _slot_signal(self, converter: str, registers: int, index: int) -> str | None:
        if registers == 1:
            return None
        chain = next((chain for chain in self._chains if chain.converter == converter), None)
        return chain.slots[index].signal if chain is not None and index < len(chain.slots) else None

    def _sink(
        self, channel: str
    ) -> UartDestination | DutyDestination | PeriodDestination | DacDestination | None:
        state = self._state
        address = state.number(channel, "to", 0)
        register = state.registers.at(address)
        if register is None:
            return None
        held = next(
            (
                field.sets
                for field in register.register.fields
                if register.address + field.low // 8 == address
            ),
            "",
        )
        match held:
            case "sent":
                return UartDestination(uart=register.owner)
            case "compare":
                return DutyDestination(pwm=register.owner)
            case "period":
                return PeriodDestination(pwm=register.owner)
            case "data":
                return DacDestination(dac=register.owner)
        state.notes.append(
            f"{channel} writes to {register.owner}, {register.name}, which takes nothing."
        )
        return None

    @staticmethod
    def _timer_of(
        sink: UartDestination | DutyDestination | PeriodDestination | DacDestination,
    ) -> str:
        return sink.pwm if isinstance(sink, (DutyDestination, PeriodDestination)) else ""
