"""What firmware wrote beside what was meant: values, places in the order, what is missing; and the
sheet of registers."""

from __future__ import annotations

import random
from pathlib import Path

import pytest

from tests.core.silicon.registers.designs import random_workspace
from tests.paths import EXAMPLE_FILES
from wattigram.core.base.errors import RegisterError
from wattigram.core.contract.link import parse_writes, writes_text
from wattigram.core.model.design import TimerTrigger, Workspace, open_workspace
from wattigram.core.silicon.registers import (
    DesignMemory,
    as_written,
    design_writes,
    differences,
    line_changes,
    placed,
    register_map,
    register_sheet,
    write_lines,
)

IDS = [path.name.removesuffix(".wattigram.toml") for path in EXAMPLE_FILES]


def plain(workspace: Workspace) -> list[tuple[int, int, int]]:
    return placed(design_writes(workspace), DesignMemory(workspace).address_of)


def number_of(workspace: Workspace, owner: str, register: str, last: bool = True) -> int:
    """Place of the last, or first, write to a register."""
    found = [
        number
        for number, write in enumerate(design_writes(workspace))
        if write.at is not None and (write.at.owner, write.at.register.name) == (owner, register)
    ]
    return found[-1 if last else 0]


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=IDS)
def test_a_designs_own_writes_differ_in_nothing(path: Path) -> None:
    workspace = open_workspace(path)
    assert differences(workspace, plain(workspace)) == ()
    again = as_written(workspace, plain(workspace))
    assert [chain.converter for chain in again.project.chains] == [
        one.converter for one in workspace.project.chains
    ]
    assert [chain.slots for chain in again.project.chains] == [
        one.slots for one in workspace.project.chains
    ]


def test_random_designs_differ_in_nothing() -> None:
    for seed in range(25):
        workspace = random_workspace(seed)
        try:
            writes = plain(workspace)
        except RegisterError:
            continue
        assert differences(workspace, writes) == (), seed


def test_every_changed_field_is_named() -> None:
    """One bit of one write turned over: a difference that names the peripheral, or nothing that
    stays."""
    dice = random.Random(5)
    for seed in range(12):
        workspace = random_workspace(seed)
        try:
            writes = plain(workspace)
        except RegisterError:
            continue
        registers = register_map(workspace.part)
        for _ in range(6):
            number = dice.randrange(len(writes))
            address, bits, value = writes[number]
            at = registers.at(address)
            later = any(other[0] == address for other in writes[number + 1 :])
            if at is None or later or not at.register.fields:
                continue
            field = dice.choice(at.register.fields)
            if field.access != "read-write" or field.coded == "pointer":
                continue
            changed = [*writes]
            changed[number] = (
                address,
                bits,
                value ^ (1 << (field.low + dice.randrange(field.width))),
            )
            found = differences(workspace, changed)
            assert any(
                one.owner == at.owner and f"{at.name}.{field.name}" in one.text for one in found
            ), (
                seed,
                at.name,
            )


def test_a_period_with_one_too_much(kiln: Workspace) -> None:
    writes = plain(kiln)
    number = number_of(kiln, "Timer 2", "TOP")
    address, bits, value = writes[number]
    writes[number] = (address, bits, value + 1)
    (found,) = differences(kiln, writes)
    assert found.owner == "Timer 2"
    assert "TOP.COUNTS is 9600 (period 9601), the design's is 9599 (period 9600)" in found.text
    trigger = as_written(kiln, writes).project.chains[0].trigger
    assert isinstance(trigger, TimerTrigger)
    assert trigger.period_register == 9600
    assert trigger.period_s == kiln.project.chains[0].trigger.period_s  # type: ignore[union-attr]


def test_dma_after_the_converter(kiln: Workspace) -> None:
    writes = plain(kiln)
    late = writes.pop(number_of(kiln, "DMA 1", "RULE"))
    writes.append(late)
    texts = [difference.text for difference in differences(kiln, writes)]
    assert "ADC 1 is enabled before DMA 1 is enabled" in texts
    chain = as_written(kiln, writes).project.chains[0]
    assert chain.startup is not None
    assert chain.startup.index("memory") > chain.startup.index("converter")


def test_a_converter_that_nobody_sets_up(kiln: Workspace) -> None:
    registers = register_map(kiln.part)
    writes = [
        one for one in plain(kiln) if (at := registers.at(one[0])) is None or at.owner != "ADC 2"
    ]
    assert any(
        "ADC 2 never is enabled" in difference.text for difference in differences(kiln, writes)
    )
    assert as_written(kiln, writes).project.chains[1].startup == ()


def test_no_writes_at_all(kiln: Workspace) -> None:
    assert differences(kiln, ())
    assert all(chain.startup == () for chain in as_written(kiln, ()).project.chains)


def test_writes_survive_the_log() -> None:
    writes = [(number * 4, (8, 16, 32)[number % 3], number * 77) for number in range(250)]
    lines = writes_text(writes)
    assert len(lines) == 3
    back = [write for line in lines for write in parse_writes(line) or ()]
    assert back == writes
    assert parse_writes("bench ticks=3") is None
    for spoilt in (
        "registers x:8:1",
        "registers 1:9:1",
        "registers 1:8",
        "registers 1ffffffff:8:1",
    ):
        assert parse_writes(spoilt) is None


@pytest.mark.parametrize("path", EXAMPLE_FILES, ids=IDS)
def test_the_sheet_has_what_the_writes_leave(path: Path) -> None:
    workspace = open_workspace(path)
    writes = design_writes(workspace)
    rows = register_sheet(register_map(workspace.part), writes)
    assert len({row.at.address for row in rows}) == len(rows)
    for row in rows:
        own = [writes[number] for number in row.writes]
        assert all(write.at is not None and write.at.address == row.at.address for write in own)
        for field in row.fields:
            if field.last is not None and field.field.access == "read-write" and not row.symbol:
                assert field.code == field.last.code
                assert field.writes[-1] in row.writes
            elif field.is_command:
                assert field.code  # it was given ...
                assert not row.value & field.field.mask  # ... and the value is without it
            elif field.last is None:
                assert field.code == (row.at.register.reset & field.field.mask) >> field.field.low


def test_changed_lines_are_told_in_their_order(kiln: Workspace) -> None:
    lines = write_lines(design_writes(kiln))
    other = (*lines[:2], "0x0 = 0x1  more", *lines[3:])
    assert [line_change for line_change in line_changes(lines, other) if line_change[0] != " "] == [
        ("−", lines[2]),
        ("+", "0x0 = 0x1  more"),
    ]
    assert {sign for sign, _line in line_changes(lines, lines)} == {" "}
