"""What the registers say, with what the program does: the design as a board has it."""

from __future__ import annotations

from wattigram.core.model.design import (
    Chain,
    Comparator,
    Project,
    Signal,
    SoftwareTrigger,
    Threshold,
    WindowTrigger,
    Workspace,
)
from wattigram.core.model.design.outputs import (
    ConstantLevel,
    Generator,
    GeneratorFollow,
    Playback,
    PwmOutput,
    SoftwareRamp,
    UartSetup,
)
from wattigram.core.model.design.route import DutySink, PeriodSink, ResultSource, Route
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


AnyOutput = ConstantLevel | SoftwareRamp | Playback


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
                found = real.slots[number]
                slots[place] = slots[place].replaced(sampling_cycles=found.sampling_cycles)
                self._signal(chain, slots[place].signal, self.silicon.signal(found.signal))
        elif software:
            slots = [slot.replaced(sampling_cycles=real.slots[0].sampling_cycles) for slot in slots]
        trigger, steps = real.trigger, real.startup or ()
        if isinstance(trigger, SoftwareTrigger) and isinstance(chain.trigger, WindowTrigger):
            trigger, steps = (
                chain.trigger,
                (*(step for step in steps if step != "trigger"), "trigger"),
            )
        elif isinstance(trigger, WindowTrigger) or isinstance(chain.trigger, SoftwareTrigger):
            trigger = chain.trigger if trigger.kind == chain.trigger.kind else trigger
        retrieval = real.retrieval
        loop = chain.loop
        if retrieval.kind == "dma":
            loop = loop.replaced(items=real.loop.items, width_bits=real.loop.width_bits)
        elif retrieval.kind == "polling" and chain.retrieval.kind == "polling":
            retrieval = chain.retrieval
        return real.replaced(
            slots=tuple(slots),
            trigger=trigger,
            retrieval=retrieval,
            loop=loop,
            reader=chain.reader,
            startup=steps,
        )

    def _signal(self, chain: Chain, name: str, real: Signal) -> None:
        signal = self.signals[name]
        updates: dict[str, object] = {"pin": real.pin, "negative": real.negative}
        stage = real.reduce
        if signal.reduce is not None and signal.reduce.by == "hardware" and stage is not None:
            known = {"count", "shift"} & set(type(signal.reduce).model_fields)
            updates["reduce"] = signal.reduce.replaced(
                **{one: getattr(stage, one) for one in known}
            )
        self.signals[name] = signal.replaced(**updates)
        mine = [
            window for own, window in hardware_thresholds(self.workspace, chain) if own.name == name
        ]
        if mine:
            self.signals[name] = self.signals[name].replaced(
                windows=self._windows(signal, list(real.windows))
            )

    @staticmethod
    def _windows(signal: Signal, real: list[Threshold]) -> tuple[Threshold, ...]:
        """Hardware windows with the limits that registers have; their names, pins and re-arming are
        the program's."""
        found = []
        # Silicon knows no front end, and takes every sum for a mean.
        gain = float(signal.front_end)
        if signal.slot_stage is not None:
            gain *= signal.slot_stage.assumed_gain
        for window in signal.windows:
            if window.by != "hardware":
                found.append(window)
            elif real:
                one = real.pop(0)
                action = (
                    window.action
                    if one.action == "event" and window.action == "pin"
                    else one.action
                )
                found.append(
                    window.replaced(
                        low=one.low,
                        high=one.high,
                        condition=one.condition,
                        on=one.on
                        if window.on != one.on and signal.later_stage is not None
                        else window.on,
                        target_v=None if one.target_v is None else one.target_v / gain,
                        hysteresis_v=one.hysteresis_v / gain,
                        times=one.times,
                        when=one.when,
                        action=action,
                        enabled=one.enabled,
                        rearm=one.rearm,
                    )
                )
            else:
                found.append(window.replaced(enabled=False))
        return tuple(found)

    def comparators(self) -> list[Comparator]:
        found = []
        for item in self.design.comparators:
            real = self.silicon.comparator(item.name)
            if real is not None:
                found.append(real.replaced(signal=item.signal))
        return found

    def generators(self) -> list[Generator]:
        found = []
        for generator in self.design.generators:
            real = self._generators.get(generator.dac)
            if isinstance(generator.output, SoftwareRamp):
                found.append(generator)
            elif real is not None:
                output = real.output
                found.append(real.replaced(name=generator.name, output=self._following(output)))
        return found

    def _following(self, output: AnyOutput) -> AnyOutput:
        """A playback that follows another, by the design's name of that."""
        if not isinstance(output, Playback) or not isinstance(output.trigger, GeneratorFollow):
            return output
        trigger = output.trigger
        leader = next(
            (
                generator.name
                for generator in self.design.generators
                if generator.dac == trigger.follows
            ),
            None,
        )
        return (
            output if leader is None else output.replaced(trigger=GeneratorFollow(follows=leader))
        )

    def pwm(self) -> list[PwmOutput]:
        real = {one.timer: one for one in self.silicon.pwm}
        return [
            real[one.timer].replaced(name=one.name) for one in self.design.pwm if one.timer in real
        ]

    def uarts(self) -> list[UartSetup]:
        found = []
        for uart in self.design.uarts:
            real = self.silicon.uart(uart.name)
            if real is not None:
                found.append(
                    uart.replaced(baud=real.baud, parity=real.parity, stop_bits=real.stop_bits)
                )
        return found

    def routes(self) -> list[Route]:
        found = []
        timers = {one.timer: one.name for one in self.design.pwm}
        for route in self.design.routes:
            real = next(
                (other for other in self.silicon.routes if other.channel == route.channel), None
            )
            if real is None:
                continue
            sink, source = real.sink, real.source
            if isinstance(sink, (DutySink, PeriodSink)):
                sink = sink.replaced(pwm=timers.get(sink.pwm, sink.pwm))
            if isinstance(source, ResultSource) and source.signal is not None:
                source = source.replaced(signal=self._slot_name(source))
            found.append(
                real.replaced(
                    name=route.name, sink=sink, source=source, expects=route.expected_order
                )
            )
        return found

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
