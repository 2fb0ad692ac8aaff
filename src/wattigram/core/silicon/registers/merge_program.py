"""What the registers say, with what the program does: the design as a board has it."""

from __future__ import annotations

from wattigram.core.model.design import (
    Chain,
    Comparator,
    Dma,
    Project,
    Signal,
    SoftwareTrigger,
    Threshold,
    ThresholdTrigger,
    TimerTrigger,
    Workspace,
)
from wattigram.core.model.design.outputs import (
    Generator,
    GeneratorFollow,
    Output,
    Playback,
    PwmOutput,
    SoftwareRamp,
    UartSetup,
)
from wattigram.core.model.design.route import (
    DacDestination,
    DutyDestination,
    PeriodDestination,
    ResultSource,
    Route,
    RouteTimer,
    TableSource,
)
from wattigram.core.predict.timing import slot_order
from wattigram.core.silicon.registers.hardware_thresholds import hardware_thresholds


def merge_program(silicon: Project, workspace: Workspace) -> Project:
    """Give silicon's chains and outputs the names that the design has for them, and its program.

    Registers rule over all that they can hold; only what software does comes from the design:
    stages and windows
    by software, how items are read, handlers, ramps, texts.
    """
    dresser = _Dresser(silicon, workspace)
    chains = [dresser.chain(chain) for chain in workspace.project.chains]
    design = workspace.project
    routes = tuple(dresser.routes())
    known = {route.name for route in routes} | set(dresser.signals)
    return design.replaced(
        reference=silicon.reference,
        signals=tuple(dresser.signals.values()),
        chains=tuple(chains),
        comparators=tuple(dresser.comparators()),
        tables=(*design.tables, *dresser.tables),
        generators=tuple(dresser.generators()),
        pwm=tuple(dresser.pwm()),
        uarts=tuple(dresser.uarts()),
        routes=routes,
        expectations=tuple(
            expectation for expectation in design.expectations if expectation.signal in known
        ),
    )


class _Dresser:
    def __init__(self, silicon: Project, workspace: Workspace) -> None:
        self.silicon, self.workspace, self.design = silicon, workspace, workspace.project
        self.signals: dict[str, Signal] = {
            signal.name: signal for signal in workspace.project.signals
        }
        taken = {table.name for table in workspace.project.tables}
        self.tables = tuple(table for table in silicon.tables if table.name not in taken)
        self._generators = {generator.dac: generator for generator in silicon.generators}

    def chain(self, chain: Chain) -> Chain:
        real = self.silicon.chain(chain.converter)
        assert real is not None
        order = slot_order(self.workspace, chain)
        slots = list(chain.slots)
        software = self.workspace.converter(chain).sequence == "software"
        if not software and len(real.slots) == len(slots):
            for number, place in enumerate(order):
                real_slot = real.slots[number]
                slots[place] = slots[place].replaced(sampling_cycles=real_slot.sampling_cycles)
                self._signal(chain, slots[place].signal, self.silicon.signal(real_slot.signal))
        elif software:
            slots = [slot.replaced(sampling_cycles=real.slots[0].sampling_cycles) for slot in slots]
        trigger, steps = real.trigger, real.startup or ()
        if isinstance(trigger, SoftwareTrigger) and isinstance(chain.trigger, ThresholdTrigger):
            trigger, steps = (
                chain.trigger,
                (*(step for step in steps if step != "trigger"), "trigger"),
            )
        elif isinstance(trigger, ThresholdTrigger) or isinstance(chain.trigger, SoftwareTrigger):
            trigger = chain.trigger if trigger.kind == chain.trigger.kind else trigger
        retrieval = real.readout
        if retrieval.kind == chain.readout.kind:
            retrieval = retrieval.replaced(single_run=chain.readout.single_run)
        if isinstance(retrieval, Dma) and isinstance(chain.readout, Dma):
            retrieval = retrieval.replaced(read_period_s=chain.readout.read_period_s)
            if chain.read_period_s is None and real.buffer.samples < 2:
                real = real.replaced(buffer=real.buffer.replaced(samples=2), readout=retrieval)
        loop = chain.buffer
        if retrieval.kind == "dma":
            loop = loop.replaced(samples=real.buffer.samples, element_bits=real.buffer.element_bits)
        elif retrieval.kind == "polling" and chain.readout.kind == "polling":
            retrieval = chain.readout
        return real.replaced(
            slots=tuple(slots),
            trigger=trigger,
            readout=retrieval,
            buffer=loop,
            read_as=chain.read_as,
            startup=steps,
        )

    def _signal(self, chain: Chain, name: str, real: Signal) -> None:
        signal = self.signals[name]
        updates: dict[str, object] = {"pin": real.pin, "negative": real.negative}
        stage = real.filter
        if signal.filter is not None and signal.filter.done_in == "hardware" and stage is not None:
            known = {"count", "shift"} & set(signal.filter.__struct_fields__)
            updates["filter"] = signal.filter.replaced(
                **{key: getattr(stage, key) for key in known}
            )
        self.signals[name] = signal.replaced(**updates)
        mine = [
            window for own, window in hardware_thresholds(self.workspace, chain) if own.name == name
        ]
        if mine:
            self.signals[name] = self.signals[name].replaced(
                thresholds=self._windows(signal, list(real.thresholds))
            )

    @staticmethod
    def _windows(signal: Signal, real: list[Threshold]) -> tuple[Threshold, ...]:
        """Hardware windows with the limits that registers have; their names and re-arming are the
        program's."""
        thresholds = []
        # Silicon knows no front end, and takes every sum for a mean.
        gain = float(signal.scaling)
        if signal.slot_filter is not None:
            gain *= signal.slot_filter.assumed_gain
        for window in signal.thresholds:
            if window.done_in != "hardware":
                thresholds.append(window)
            elif real:
                decoded = real.pop(0)
                thresholds.append(
                    window.replaced(
                        low=decoded.low,
                        high=decoded.high,
                        condition=decoded.condition,
                        input=decoded.input
                        if window.input != decoded.input and signal.later_filter is not None
                        else window.input,
                        minus_v=None if decoded.minus_v is None else decoded.minus_v / gain,
                        hysteresis_v=decoded.hysteresis_v / gain,
                        consecutive=decoded.consecutive,
                        on=decoded.on,
                        action=decoded.action,
                        interrupt_enabled=decoded.interrupt_enabled,
                        rearm=decoded.rearm,
                    )
                )
            else:
                thresholds.append(window.replaced(interrupt_enabled=False))
        return tuple(thresholds)

    def comparators(self) -> list[Comparator]:
        merged = []
        for item in self.design.comparators:
            real = self.silicon.comparator(item.name)
            if real is not None:
                merged.append(real.replaced(signal=item.signal))
        return merged

    def generators(self) -> list[Generator]:
        merged = []
        for generator in self.design.generators:
            real = self._generators.get(generator.dac)
            if isinstance(generator.output, SoftwareRamp):
                merged.append(generator)
            elif real is not None:
                output = real.output
                merged.append(real.replaced(name=generator.name, output=self._following(output)))
        return merged

    def _following(self, output: Output) -> Output:
        """A playback that follows another, by the design's name of that."""
        if not isinstance(output, Playback) or not isinstance(
            output.update_trigger, GeneratorFollow
        ):
            return output
        trigger = output.update_trigger
        leader = next(
            (
                generator.name
                for generator in self.design.generators
                if generator.dac == trigger.follows
            ),
            None,
        )
        return (
            output
            if leader is None
            else output.replaced(update_trigger=GeneratorFollow(follows=leader))
        )

    def pwm(self) -> list[PwmOutput]:
        real = {pwm.timer: pwm for pwm in self.silicon.pwm}
        return [
            real[pwm.timer].replaced(name=pwm.name) for pwm in self.design.pwm if pwm.timer in real
        ]

    def uarts(self) -> list[UartSetup]:
        merged = []
        for uart in self.design.uarts:
            real = self.silicon.uart(uart.name)
            if real is not None:
                merged.append(
                    uart.replaced(
                        baud=real.baud,
                        data_bits=real.data_bits,
                        parity=real.parity,
                        stop_bits=real.stop_bits,
                    )
                )
        return merged

    def routes(self) -> list[Route]:
        merged = []
        timers = {pwm.timer: pwm.name for pwm in self.design.pwm}
        for route in self.design.routes:
            real = next(
                (other for other in self.silicon.routes if other.channel == route.channel), None
            )
            if real is None:
                played = self._played(route)
                merged += [played] if played is not None else []
                continue
            sink, source = real.destination, real.source
            if isinstance(sink, (DutyDestination, PeriodDestination)):
                sink = sink.replaced(pwm=timers.get(sink.pwm, sink.pwm))
            if isinstance(source, ResultSource) and source.signal is not None:
                source = source.replaced(signal=self._slot_name(source))
            merged.append(
                real.replaced(
                    name=route.name,
                    destination=sink,
                    source=source,
                    destination_endianness=route.expected_endianness,
                )
            )
        return merged

    def _played(self, route: Route) -> Route | None:
        """A table that a route carries to a DAC: registers know no difference to one that is
        played."""
        sink = route.destination
        real = self._generators.get(sink.dac) if isinstance(sink, DacDestination) else None
        if real is None or not isinstance(real.output, Playback):
            return None
        playback = real.output
        if playback.channel != route.channel or not isinstance(route.source, TableSource):
            return None
        trigger = playback.update_trigger
        timer = (
            RouteTimer(timer=trigger.timer, period_s=trigger.period_s)
            if isinstance(trigger, TimerTrigger)
            else route.timer
        )
        return route.replaced(source=TableSource(table=playback.table), timer=timer)

    def _slot_name(self, source: ResultSource) -> str | None:
        real = self.silicon.chain(source.converter)
        chain = self.design.chain(source.converter)
        if real is None or chain is None:
            return None
        number = next(
            (place for place, slot in enumerate(real.slots) if slot.signal == source.signal), None
        )
        if number is None or number >= len(chain.slots):
            return None
        return chain.slots[slot_order(self.workspace, chain)[number]].signal
