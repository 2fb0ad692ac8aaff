"""Own code in hooks, as the virtual board runs it: every item of a signal once, and events as they
are told."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray

from tests.core.firmware.compiled import needs_compiler, rebuilt
from tests.paths import EXAMPLES
from wattigram.core.capture.session import record_run
from wattigram.core.capture.session.board_process import ImageBoardProcess
from wattigram.core.capture.take import open_take
from wattigram.core.capture.transport import open_transport
from wattigram.core.capture.transport.debug_client import DebugClient
from wattigram.core.contract.image import load_image, memory_locations
from wattigram.core.emulator.board_setup import board_setup
from wattigram.core.firmware import write_firmware
from wattigram.core.firmware.c_names import c_identifiers
from wattigram.core.model.design import Workspace, open_workspace

pytestmark = needs_compiler
SECONDS = 0.5

OWN = """#include "wg_hooks.h"

volatile uint32_t starts, stops;
{variables}

void wg_on_start(void)
{{
    starts++;
}}

void wg_on_stop(void)
{{
    stops++;
}}
{hooks}
"""
HOOK = """
void wg_samples_{name}(const wg_samples *items)
{{
    for (uint32_t n = 0u; n < items->count; n++) {{
        sum_{name} += wg_sample(items, n) * (n % 7u + 1u);
        count_{name}++;
    }}
}}
"""


def own_code(workspace: Workspace) -> str:
    names = c_identifiers(signal.name for signal in workspace.project.signals).values()
    variables = "\n".join(f"volatile uint32_t sum_{name}, count_{name};" for name in names)
    return OWN.format(variables=variables, hooks="".join(HOOK.format(name=name) for name in names))


def own_memory(workspace: Workspace, folder: Path, seconds: float) -> dict[str, NDArray[Any]]:
    """Variables of own code after a run, each with all of its elements."""
    elf = folder / "build" / "firmware.elf"
    with ImageBoardProcess(board_setup(workspace, 1), elf) as board:
        transport = open_transport(board.address)
        transport.command(f"start fast ticks={int(seconds * workspace.bus_clock_hz)}")
        said = b""
        while b"stopped ticks" not in said:
            said = said[-64:] + transport.read()
        client = DebugClient("127.0.0.1", int(str(board.ready["gdb"])))
        found = {
            memory_location.name: memory_location.numbers(
                client.read(memory_location.address, memory_location.size)
            )
            for memory_location in memory_locations(load_image(elf))
            if memory_location.file == "own.c"
        }
        client.close()
        transport.close()
    return found


def read_all(workspace: Workspace, folder: Path) -> dict[str, int]:
    """The first element of each."""
    found = own_memory(workspace, folder, SECONDS)
    return {name: int(numbers[0]) for name, numbers in found.items()}


@pytest.mark.parametrize("example", ["studio-kiln", "kiln-ramp"])
def test_hooks_are_given_each_item_of_their_signal_once(example: str, tmp_path: Path) -> None:
    workspace = open_workspace(EXAMPLES / example)
    write_firmware(workspace, tmp_path / "c")
    (tmp_path / "c" / "own.c").write_text(own_code(workspace))
    result = rebuilt(workspace, tmp_path / "c")
    assert result.elf is not None, result.output
    assert result.diagnostics == ()
    found = read_all(workspace, tmp_path / "c")
    assert (found["starts"], found["stops"]) == (1, 1)
    record_run(workspace, SECONDS, tmp_path / "t.h5", fast=True)
    with open_take(tmp_path / "t.h5") as take:
        for name, c_name in c_identifiers(
            signal.name for signal in workspace.project.signals
        ).items():
            samples = take.raw(name)
            assert samples is not None
            assert found[f"count_{c_name}"] == len(samples.items) > 1000
            chain = workspace.project.chain_of(name)
            assert chain is not None
            per_half = chain.buffer.samples // 2 // len(chain.slots)
            weights = np.arange(len(samples.items)) % per_half % 7 + 1
            assert found[f"sum_{c_name}"] == int(
                (samples.items.astype(np.int64) * weights).sum()
            ) % (1 << 32)
