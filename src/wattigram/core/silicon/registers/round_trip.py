"""There and back: a design's own register writes, and the design that a board would have of
them."""

from __future__ import annotations

from wattigram.core.base.errors import RegisterError
from wattigram.core.model.design import EdgeTrigger, Workspace
from wattigram.core.predict.waveform import codes_in_memory
from wattigram.core.silicon.registers.decode import SiliconState, decode_writes
from wattigram.core.silicon.registers.design_from_registers import (
    Observed,
    Surroundings,
    silicon_project,
)
from wattigram.core.silicon.registers.encode import Write, placed, setup_writes
from wattigram.core.silicon.registers.merge_program import merge_program
from wattigram.core.silicon.registers.output_settings import uart_steps
from wattigram.core.silicon.registers.register_map import Symbol, register_map
from wattigram.core.silicon.registers.setup_sequence import setup_steps


def design_writes(workspace: Workspace) -> tuple[Write, ...]:
    """The ordered register writes of a design; raises :class:`RegisterError`."""
    return setup_writes(register_map(workspace.part), setup_steps(workspace))


def uart_writes(workspace: Workspace, name: str) -> tuple[Write, ...]:
    """Writes that set up a UART of a design by itself, with an interrupt for what comes; raises
    :class:`RegisterError`."""
    registers = register_map(workspace.part)
    return setup_writes(registers, tuple(uart_steps(workspace, registers, name, told=True)))


def surroundings(workspace: Workspace) -> Surroundings:
    """What is around the silicon of a design's board."""
    project = workspace.project
    levels_v = {
        chain.trigger.pin: chain.trigger.level_v
        for chain in project.chains
        if isinstance(chain.trigger, EdgeTrigger)
    }
    return Surroundings(
        workspace.part,
        project.name,
        project.reference,
        project.bus_clock_hz,
        project.bench,
        project.references,
        levels_v,
    )


class DesignMemory:
    """Loops and tables of a design, one after the other, where a linker might have put them."""

    def __init__(self, workspace: Workspace) -> None:
        memory = workspace.part.memory
        if memory is None:
            raise RegisterError(
                f"{workspace.part.name} has no memory in its part file.",
                cure="Say where code and data lie, or take the tables only.",
            )
        self._next = memory.data_begin
        self._places: dict[Symbol, int] = {}
        self._codes: dict[int, tuple[int, ...]] = {}
        project = workspace.project
        for chain in project.chains:
            self._place(
                Symbol("buffer", chain.converter),
                chain.buffer.samples * chain.buffer.element_bits // 8,
            )
            self._place(Symbol("stamps", chain.converter), chain.buffer.samples * 4)
        for table in project.tables:
            codes = codes_in_memory(workspace, table).tolist()
            if codes:
                address = self._place(Symbol("table", table.name), 2 * len(codes))
                self._codes[address] = tuple(codes)

    def _place(self, symbol: Symbol, size_bytes: int) -> int:
        address = self._places[symbol] = self._next
        self._next += -(-size_bytes // 4) * 4
        return address

    def address_of(self, symbol: Symbol) -> int:
        """Where something lies; raises :class:`RegisterError`."""
        if symbol not in self._places:
            raise RegisterError(f"Nothing places {symbol} in memory.")
        return self._places[symbol]

    def read_codes(self, address: int, count: int, bits: int) -> tuple[int, ...]:
        """Items of a table, as wide as they are read."""
        codes = self._codes.get(address, (0,) * count)
        return tuple(code & ((1 << bits) - 1) for code in codes[:count])


def decoded(workspace: Workspace) -> SiliconState:
    """What a design's own register writes set the silicon to."""
    writes = design_writes(workspace)
    memory = DesignMemory(workspace)
    return decode_writes(register_map(workspace.part), placed(writes, memory.address_of))


def as_set_up(workspace: Workspace) -> Workspace:
    """The design as its register writes make it, with the program of the design; itself for a part
    without registers.

    Raises
    ------
    RegisterError
        When the part's registers cannot hold what the design wants.
    """
    if not workspace.part.blocks:
        return workspace
    state = decoded(workspace)
    memory = DesignMemory(workspace)
    silicon = silicon_project(state, surroundings(workspace), memory.read_codes, Observed())
    return workspace.with_project(merge_program(silicon, workspace))
