"""Rules on what the program takes items for."""

from __future__ import annotations

from collections.abc import Iterator

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.model.design import Workspace
from wattigram.core.model.design.edits import SetReader


@rule("item-width-read", cell="transfer")
def read_in_another_width(workspace: Workspace) -> Iterator[Finding]:
    """Every other value is zero, or two samples lie in one."""
    for chain in workspace.project.chains:
        width, written = chain.read_as.element_bits, chain.buffer.element_bits
        if width is None or width == written:
            continue
        if width < written:
            symptom = f"of {written // width} values only the first is a sample, the others are its empty upper part"
        else:
            symptom = f"{width // written} samples lie in each value, and part of the buffer is never filled"
        yield Finding(
            "item-width-read",
            "error",
            chain.buffer.name,
            f"Samples of {chain.buffer.name} are read in another width",
            f"Samples are written with {written} bits and read with {width}: {symptom}.",
            SetReader(chain.converter, chain.read_as.replaced(element_bits=None)),
            converter=chain.converter,
        )


@rule("alignment-read", cell="transfer")
def read_in_another_alignment(workspace: Workspace) -> Iterator[Finding]:
    """Readings are 2^k times too big, or too small."""
    for chain in workspace.project.chains:
        alignment = chain.read_as.alignment
        if alignment is None or alignment == chain.alignment:
            continue
        spare = chain.buffer.element_bits - chain.bits
        yield Finding(
            "alignment-read",
            "error",
            chain.buffer.name,
            f"Codes of {chain.converter} are read as {alignment}-aligned",
            f"They are {chain.alignment}-aligned: {chain.bits} bits in {chain.buffer.element_bits} "
            f"make readings {2 ** abs(spare)} "
            f"times too {'big' if chain.alignment == 'left' else 'small'}.",
            SetReader(chain.converter, chain.read_as.replaced(alignment=None)),
            converter=chain.converter,
        )


@rule("byte-order-read", cell="transfer")
def read_in_other_endianness(workspace: Workspace) -> Iterator[Finding]:
    """Readings jump by 256 counts for every one, all over the range."""
    for chain in workspace.project.chains:
        if (
            chain.read_as.endianness == "big"
            and (chain.read_as.element_bits or chain.buffer.element_bits) > 8
        ):
            yield Finding(
                "byte-order-read",
                "error",
                chain.buffer.name,
                f"Bytes of {chain.buffer.name} are read in the wrong order",
                "Samples lie in memory little-endian and are read big-endian.",
                SetReader(chain.converter, chain.read_as.replaced(endianness="little")),
                converter=chain.converter,
            )


@rule("full-scale-read", cell="transfer")
def read_with_another_full_scale(workspace: Workspace) -> Iterator[Finding]:
    """Volts are off by a share of one in 2^N."""
    for chain in workspace.project.chains:
        own = workspace.converter(chain).full_scale
        used = chain.read_as.full_scale
        if used is None or used == own:
            continue
        ppm = 1e6 / ((1 << chain.bits) - 1)
        yield Finding(
            "full-scale-read",
            "warning",
            chain.converter,
            f"Volts of {chain.converter} are computed with {used}",
            f"Its full scale is {own}: all volts are {ppm:.3g} ppm too "
            f"{'big' if used == '2^N-1' else 'small'}, "
            f"{workspace.reference_v * ppm * 1e-3:.3g} mV at full scale.",
            SetReader(chain.converter, chain.read_as.replaced(full_scale=None)),
            converter=chain.converter,
        )
