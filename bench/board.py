"""The virtual board against the noise that it cannot do without."""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

from bench.harness import Row, compare
from wattigram.core.board.converter_codes import BLOCK_SAMPLES, ConverterSynth, codes_on
from wattigram.core.board.output_waveforms import Outputs
from wattigram.core.model.design import open_workspace
from wattigram.core.silicon.deploy import effective_config

KILN = Path(__file__).parents[1] / "examples" / "studio-kiln"
BLOCKS = 60


def board_rows() -> Iterator[Row]:
    """Sources, settling, noise and codes of the demo's first converter."""
    config = effective_config(open_workspace(KILN))

    def synth() -> ConverterSynth:
        return ConverterSynth(
            config.converters[0], 0, config.bench, Outputs(config), config.tick_hz, 1
        )

    alone = synth()
    cycles = alone.block_cycles * BLOCKS
    out = np.empty(BLOCK_SAMPLES, dtype=np.float32)

    def noise() -> None:
        for block in range(BLOCKS):
            np.random.Generator(np.random.SFC64([1, 0, block])).standard_normal(
                dtype=np.float32, out=out
            )

    yield compare(
        "virtual board, one thread",
        "SFC64 normal noise, as many samples",
        2.0,
        lambda: alone.codes(0, cycles),
        noise,
    )
    pair = [synth(), synth()]
    with ThreadPoolExecutor(2) as executor:
        yield compare(
            "virtual board, two threads",
            "itself on one",
            0.65,
            lambda: codes_on(pair, 0, cycles, executor),
            lambda: alone.codes(0, cycles),
        )
