"""The virtual board with an image: commands go to the firmware, frames come from it."""

from __future__ import annotations

import contextlib
import selectors
import time
from collections.abc import Mapping

from msgspec.structs import replace

from wattigram.core.base.errors import BoardError
from wattigram.core.board import Run
from wattigram.core.board.server import Client, PortServer
from wattigram.core.contract.board_config import EffectiveConfig, check_bench, parse_pins
from wattigram.core.contract.image import Image
from wattigram.core.contract.link import (
    FAILED,
    FLAG_UNSEQUENCED,
    FrameType,
    late_write_text,
    pointings_text,
    writes_text,
)
from wattigram.core.emulator.board_setup import BoardSetup
from wattigram.core.emulator.configure import Silicon, image_silicon
from wattigram.core.emulator.debug_server import DebugServer
from wattigram.core.emulator.machine import Machine
from wattigram.core.emulator.pointing import Pointing
from wattigram.core.emulator.run import ImageRun
from wattigram.core.emulator.trial import Trial, try_out
from wattigram.core.emulator.uarts import UartLine
from wattigram.core.silicon.registers import SiliconState

LONGEST_TEXT_BYTES = 1024
NEVER = 1 << 62
HELD_S = 0.0002
MOST_WORK = 5_000_000
"""Instructions, or as much as they are, at once: some tenths of a second, for which others wait."""
LEAST_STEP_SHARE = 1e-4


class ImageServer(PortServer):
    """Offers the same ports as any virtual board; what it says is what its firmware says."""

    _flags = FLAG_UNSEQUENCED

    def __init__(
        self,
        setup: BoardSetup,
        image: Image,
        tcp_port: int = 0,
        fast: bool = False,
        watch_fd: int | None = None,
        gdb_port: int = 0,
    ) -> None:
        super().__init__(tcp_port, fast, watch_fd)
        self._setup = setup
        self._image = image
        self.debug = DebugServer(gdb_port, watch_fd)
        self.debug.touched = self._on_touched
        self.debug.stopped = self._on_stopped
        self._debug_descriptors: tuple[int, ...] = ()
        self._machine = self._new_machine()
        self._trial = Trial()
        self._bench_text = ""
        self._held_since = time.monotonic()
        self._deferred: list[tuple[Client, str, str]] = []
        self._step_share = 1.0
        """Of the largest step, so that it does not take too long to work out."""

    def close(self) -> None:
        """Close all ports and end the processor."""
        super().close()
        self.debug.close()

    def _new_machine(self) -> Machine:
        machine = Machine(self._image, self._setup)
        machine.peripherals.is_probed_elsewhere = self._is_probed
        machine.boot()
        machine.uarts = self._uart_lines()
        self.debug.attach(machine.cpu)
        return machine

    def _is_probed(self) -> bool:
        """A debugger is there, and nobody else who wants what firmware says: it reads the mailbox itself."""
        return self.debug.is_there and all(one.connection is None for one in self._clients.values())

    def _uart_lines(self) -> dict[str, UartLine]:
        blocks = [block for block in self._setup.part.blocks if block.kind == "uart"]
        return {uart: UartLine() for block in blocks for uart in block.owners}

    def _on_stopped(self) -> None:
        """What DMA has moved until now lies in memory, for the debugger to see."""
        self._held_since = time.monotonic()
        run = self._image_run
        if run is not None:
            run.leave_partials()

    def _on_touched(self) -> None:
        """The debugger has let the processor go on; it may have put something into memory."""
        machine = self._machine
        self._started_at += time.monotonic() - self._held_since
        machine.wake()
        machine.run(None)
        if self._run is None and machine.fault is None and self._is_set_up():
            self._broadcast(machine.peripherals.take_outbox())
            self._begin_silicon(self._owner or next(iter(self._clients.values())), NEVER)
        self._pass_on()
        deferred, self._deferred = self._deferred, []
        for client, word, rest in deferred:
            self._obey(client, word, rest)

    def _is_set_up(self) -> bool:
        """Firmware has switched a converter on, without a command that came this way."""
        state = self._machine.peripherals.state
        converters = [converter.name for converter in self._setup.part.converters]
        return any(name in state.touched and state.is_on(name) for name in converters)

    def _end(self) -> None:
        """No run goes on, and nothing is set up."""
        super()._end()
        self._machine.peripherals.begin()

    def _wait(self) -> None:
        """Wait for the debugger as well."""
        wanted = self.debug.descriptors
        if wanted != self._debug_descriptors:
            for descriptor in set(self._debug_descriptors) - set(wanted):
                with contextlib.suppress(KeyError, ValueError):
                    self._selector.unregister(descriptor)
            for descriptor in set(wanted) - set(self._debug_descriptors):
                with contextlib.suppress(KeyError):
                    self._selector.unregister(descriptor)
                self._selector.register(descriptor, selectors.EVENT_READ)
            self._debug_descriptors = wanted
        super()._wait()
        self.debug.service()

    def _advance(self) -> None:
        """Time stands while a debugger holds the processor."""
        if self.debug.holds:
            time.sleep(HELD_S)
            return
        before = self._machine.cpu.work
        super()._advance()
        # Who asks shall not wait for long; how far to go is told by what was done, and not by a clock.
        done = max(1, self._machine.cpu.work - before)
        share = self._step_share * min(2.0, MOST_WORK / done)
        self._step_share = min(1.0, max(LEAST_STEP_SHARE, share))

    def _fast_step_ticks(self, run: Run) -> int:
        return max(1, int(run.largest_step_ticks * self._step_share))

    def _obey(self, client: Client, word: str, rest: str) -> None:
        if self.debug.holds and word != "quit":
            self._deferred.append(
                (client, word, rest)
            )  # until the debugger lets the processor go on
            return
        match word:
            case "bench":
                self._turn_knobs(rest)
            case "quit":
                self._quit = True
            case "start":
                self._start(client, rest.split())
            case "query" if self._fast and self._image_run is not None:
                # Who asks because this machine is slow takes nothing of the firmware's time.
                self._say_silicon(self._image_run)
                self._say(FrameType.REPLY, f"running ticks={self._image_run.ticks}")
            case "":
                pass
            case _:
                run = self._image_run
                if run is not None and word == "stop":
                    run.leave_partials()
                if run is not None and word == "query":
                    self._say_silicon(run)
                self._machine.on_command(f"{word} {rest}".strip().encode() + b"\n")
                self._pass_on()

    @property
    def _image_run(self) -> ImageRun | None:
        return self._run if isinstance(self._run, ImageRun) else None

    def _start(self, client: Client, options: list[str]) -> None:
        if self._run is not None:
            self._machine.on_command(b"stop\n")
            self._pass_on()
            self._end()
        self._fast = self._always_fast or "fast" in options
        if self._machine.fault is not None:
            self._machine = self._new_machine()
        machine = self._machine
        machine.peripherals.begin()
        machine.activity.clear()
        machine.uarts = self._uart_lines()
        machine.on_command(
            " ".join(["start", *(option for option in options if option != "fast")]).encode()
            + b"\n"
        )
        self._broadcast(machine.peripherals.take_outbox())
        self._begin_silicon(client, _end_ticks(options))

    def _begin_silicon(self, client: Client, end_ticks: int | None) -> None:
        """The firmware has set everything up: see what it does, and let the silicon go."""
        machine = self._machine
        if machine.fault is None:
            machine.activity.clear()
            machine.leave_partials = lambda owner: None
            machine.peripherals.running = True
            self._trial = try_out(machine)
        if machine.fault is None:
            try:
                self._begin_run(client, end_ticks)
            except BoardError as fault:
                machine.fault = fault.message.rstrip(".")
        if machine.fault is not None:
            self._tell_fault()

    def _begin_run(self, client: Client, end_ticks: int | None) -> None:
        machine = self._machine
        state = machine.peripherals.state.copy()
        for text in [
            *writes_text(machine.peripherals.written),
            *pointings_text(self._trial.pointed),
        ]:
            self._say(FrameType.LOG, text)
        silicon = image_silicon(state, self._setup, self._read_codes, self._trial.observed)
        if self._bench_text:
            silicon = replace(silicon, config=self._with_knobs(silicon.config))
        self._begin(
            client,
            ImageRun(
                silicon,
                machine,
                end_ticks,
                self._sequence,
                self._threads,
                decode=self._set_up_later,
            ),
        )
        for note in [*state.notes, *machine.peripherals.notes]:
            self._say(FrameType.LOG, note)

    def _set_up_later(
        self, state: SiliconState, inputs: Mapping[str, tuple[Pointing, ...]]
    ) -> Silicon:
        """What registers come to while the board runs, each converter told by its triggers; ``inputs`` are
        those to which software points converters, where they are not what was seen at first."""
        observed = self._trial.observed
        observed = replace(observed, inputs={**observed.inputs, **inputs})
        silicon = image_silicon(state, self._setup, self._read_codes, observed, by_triggers=True)
        return (
            replace(silicon, config=self._with_knobs(silicon.config))
            if self._bench_text
            else silicon
        )

    def _read_codes(self, address: int, count: int, bits: int) -> tuple[int, ...]:
        width = bits // 8
        data = self._machine.cpu.read(address, count * width)
        return tuple(
            int.from_bytes(data[at : at + width], "little") for at in range(0, len(data), width)
        )

    def _turn_knobs(self, text: str) -> None:
        parse_pins(text)
        self._bench_text = text
        run = self._image_run
        ticks = 0
        if run is not None:
            run.set_bench(self._with_knobs(run.config).bench)
            ticks = run.next_tick()
        self._say(FrameType.LOG, f"bench ticks={ticks}")

    def _with_knobs(self, config: EffectiveConfig) -> EffectiveConfig:
        """Pins as they were turned; what the image looks at besides stays as it was wired."""
        bench = config.bench.unchecked(pins={**config.bench.pins, **parse_pins(self._bench_text)})
        try:
            check_bench(bench, config)
        except ValueError as fault:
            raise BoardError(f"The bench does not fit: {fault}.") from fault
        return config.unchecked(bench=bench)

    def _moved(self, run: Run, frames: list[bytes], is_done: bool) -> None:
        """Pass on what the board saw and what the firmware said; where that has stopped, so has the
        silicon."""
        said = self._machine.peripherals.take_outbox()
        if isinstance(run, ImageRun):
            for write in run.late_writes():
                self._say(FrameType.LOG, late_write_text(write))
        ends = any(text.startswith(b"stopped") for text in said if len(text) < LONGEST_TEXT_BYTES)
        self._broadcast(frames)
        self._sequence = run.sequence
        if ends and isinstance(run, ImageRun):
            self._say_silicon(run)
        self._broadcast(said)
        if self._machine.fault is not None:
            self._tell_fault()
        elif ends:
            self._end()

    def _pass_on(self) -> None:
        """Send what the firmware said to a command."""
        run = self._image_run
        if run is not None:
            self._moved(run, [], False)
            return
        self._broadcast(self._machine.peripherals.take_outbox())
        if self._machine.fault is not None:
            self._tell_fault()

    def _say_silicon(self, run: ImageRun) -> None:
        self._say(FrameType.REPLY, " ".join(["silicon", *self._silicon(run)]))

    def _silicon(self, run: ImageRun) -> list[str]:
        """Counts that only the silicon knows, and what handlers were seen to take."""
        counts = [f"{name}={count}" for name, count in run.silicon_totals().items()]
        for channel in run.channels:
            counts += [
                f"{what}.{channel.stream}={cycles[channel.config.name]}"
                for what, cycles in self._trial.of_converters
                if channel.config.name in cycles
            ]
        counts += [f"reaction.{name}={count}" for name, count in self._trial.reactions.items()]
        return counts

    def _tell_fault(self) -> None:
        """The firmware has done what no processor can; the board says so and lives on."""
        run = self._image_run
        self._say(FrameType.LOG, f"{FAILED}: {self._machine.fault}.")
        counts = self._silicon(run) if run is not None else []
        self._say(FrameType.REPLY, " ".join(["stopped", *counts, "fault=1"]))
        self._end()


def _end_ticks(options: list[str]) -> int | None:
    """When a run is to end, where its options say so in ticks; far away where they say nothing."""
    for option in options:
        name, _, value = option.partition("=")
        if name == "ticks" and value.isdigit():
            return int(value)
    return None if any(option.startswith("cycles=") for option in options) else NEVER
