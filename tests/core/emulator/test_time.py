"""Instructions are counted one by one, and a run is the same in whatever steps the board goes."""

from __future__ import annotations

import ctypes
import random
from pathlib import Path
from typing import Any

import pytest
import unicorn
from unicorn import arm_const as arm

from tests.conftest import edited
from tests.core.firmware.compiled import built, needs_compiler
from tests.paths import EXAMPLES
from wattigram.core.contract.image import load_image
from wattigram.core.emulator.board_setup import board_setup
from wattigram.core.emulator.configure import image_silicon
from wattigram.core.emulator.instruction_counter import InstructionCounter
from wattigram.core.emulator.machine import Machine, UartLine
from wattigram.core.emulator.run import ImageRun
from wattigram.core.emulator.trial import try_out
from wattigram.core.model.design import (
    Interrupt,
    Polling,
    SoftwareTrigger,
    Workspace,
    open_workspace,
)
from wattigram.core.model.design.edits import Edit, SetRetrieval, SetTrigger

uc_api: Any = unicorn
CODE, REGISTERS, PAGE = 0x0800_0000, 0x4000_0000, 4096
LOOP = bytes.fromhex("0131 0132 0138 fbd1 00bf")
"""adds r1; adds r2; subs r0; bne to the first; nop."""
ACCESS = bytes.fromhex("0131 4ff00502 2368 0131 2160 0132 30bf")
"""adds r1; mov.w r2 (four bytes); ldr r3, [r4]; adds r1; str r1, [r4]; adds r2; wfi."""


class Processor:
    """A processor with a few instructions, and what was counted at each access to a register."""

    def __init__(self, program: bytes) -> None:
        self.code = ctypes.create_string_buffer(2 * PAGE)
        at = -(-ctypes.addressof(self.code) // PAGE) * PAGE
        self.uc = uc_api.Uc(uc_api.UC_ARCH_ARM, uc_api.UC_MODE_THUMB | uc_api.UC_MODE_MCLASS)
        self.uc.ctl_set_cpu_model(arm.UC_CPU_ARM_CORTEX_M33)
        self.uc.mem_map_ptr(CODE, PAGE, uc_api.UC_PROT_READ | uc_api.UC_PROT_EXEC, at)
        self.uc.mem_write(CODE, program)
        self.counter = InstructionCounter(self.uc, CODE, self.code, at)
        self.counter.look_at(REGISTERS, REGISTERS + PAGE - 1)
        self.seen: list[int] = []
        self.uc.mmio_map(REGISTERS, PAGE, self._read, None, self._write, None)
        self.uc.reg_write(arm.UC_ARM_REG_R4, REGISTERS)

    @property
    def pc(self) -> int:
        return int(self.uc.reg_read(arm.UC_ARM_REG_PC)) & ~1

    def _read(self, *_access: object) -> int:
        self.seen.append(self.counter.before(self.pc))
        return 7

    def _write(self, *_access: object) -> None:
        self.seen.append(self.counter.before(self.pc))

    def go(self, begin: int, until: int = 0, most: int | None = None) -> int:
        """Run, and give what was counted since the processor was made."""
        self.counter.begin(most)
        self.uc.emu_start(begin | 1, until)
        self.counter.settle(self.pc)
        return self.counter.settled


def test_every_instruction_counts_once() -> None:
    processor = Processor(LOOP)
    processor.uc.reg_write(arm.UC_ARM_REG_R0, 1000)
    assert processor.go(CODE, CODE + 8) == 4000
    assert processor.uc.reg_read(arm.UC_ARM_REG_R1) == 1000


def test_a_limit_stops_at_the_next_block_and_nothing_is_counted_twice() -> None:
    processor = Processor(LOOP)
    processor.uc.reg_write(arm.UC_ARM_REG_R0, 1000)
    assert processor.go(CODE, CODE + 8, 10) == 12
    assert processor.counter.is_over
    assert processor.uc.reg_read(arm.UC_ARM_REG_R1) == 3
    assert processor.go(processor.pc, CODE + 8) == 4000
    assert not processor.counter.is_over


def test_an_access_knows_what_ran_before_it() -> None:
    processor = Processor(ACCESS)
    assert processor.go(CODE) == 7
    assert processor.seen == [2, 4]


def running(design: Workspace, elf: Path, seconds: float) -> tuple[Machine, ImageRun]:
    """An image whose set-up is done, in this process."""
    setup = board_setup(design, 1)
    machine = Machine(load_image(elf), setup)
    machine.boot()
    machine.peripherals.begin()
    machine.uarts = {
        uart: UartLine()
        for block in setup.part.blocks
        if block.kind == "uart"
        for uart in block.owners
    }
    ticks = int(seconds * setup.part.processor.clock_hz)
    machine.on_command(f"start ticks={ticks}\n".encode())
    machine.peripherals.take_outbox()
    machine.activity.clear()
    machine.peripherals.running = True
    trial = try_out(machine)

    def codes(address: int, count: int, bits: int) -> tuple[int, ...]:
        data = machine.cpu.read(address, count * bits // 8)
        step = bits // 8
        return tuple(
            int.from_bytes(data[at : at + step], "little") for at in range(0, len(data), step)
        )

    silicon = image_silicon(machine.peripherals.state.copy(), setup, codes, trial.observed)
    return machine, ImageRun(
        silicon,
        machine,
        ticks,
        decode=lambda state, _inputs: image_silicon(
            state, setup, codes, trial.observed, by_triggers=True
        ),
    )


POLLED: dict[str, tuple[Edit, ...]] = {
    "kiln-lamp": (),
    "glaze-mixer": (),
    "wheel-pedal": (),
    "studio-kiln": (
        SetTrigger("ADC 1", SoftwareTrigger()),
        SetRetrieval("ADC 1", Interrupt()),
        SetRetrieval("ADC 2", Polling()),
    ),
}
"""Examples, with what the program is to do itself."""


@needs_compiler
@pytest.mark.parametrize("example", POLLED)
def test_an_image_does_the_same_in_any_steps(example: str, tmp_path: Path) -> None:
    """Every byte that is sent, and every clock that is taken."""
    design = edited(open_workspace(EXAMPLES / example), *POLLED[example])
    elf = built(design, tmp_path / "c").elf
    assert elf is not None
    results = []
    for seed in (None, 1, 2):
        # Sixty thousand interrupts a second leave no time to pass over.
        seconds = 0.015 if example == "studio-kiln" else 0.05
        machine, run = running(design, elf, 0.8 * seconds)
        steps = random.Random(seed)
        end, said = int(seconds * run.config.tick_hz), b""
        while run.ticks < end:
            step = (
                run.largest_step_ticks
                if seed is None
                else steps.randrange(50, run.config.tick_hz // 300)
            )
            run.advance(min(end, run.ticks + step))
            said += b"".join(machine.peripherals.take_outbox())
        assert machine.fault is None
        results.append((said, machine.busy_ticks, run.totals()))
    assert len(results[0][0]) > 500
    assert results[0] == results[1] == results[2]
