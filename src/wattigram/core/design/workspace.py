"""A project together with the part it names, checked against each other."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from fractions import Fraction
from functools import cached_property, wraps
from pathlib import Path
from typing import Any, Concatenate, ParamSpec, TypeVar, cast

from wattigram.core.design.file import build_mark, load_project, parse_project
from wattigram.core.design.model import Chain, Project
from wattigram.core.errors import ProjectError
from wattigram.core.part import Converter, Part, find_part


@dataclass(frozen=True)
class Workspace:
    """What every calculation starts from. It never changes, so what follows from it is worked out once."""

    project: Project
    part: Part
    _known: dict[tuple[object, ...], Any] = field(default_factory=dict, compare=False, repr=False)

    @cached_property
    def bus_clock_hz(self) -> Fraction:
        """The bus clock as designed, the part's own where the design is silent."""
        return self.project.bus_clock_hz or self.part.processor.clock_hz

    @cached_property
    def reference_v(self) -> float:
        """Voltage of the chosen reference."""
        reference = self.part.reference(self.project.reference)
        assert reference is not None
        return reference.voltage_v

    @cached_property
    def build_mark(self) -> str:
        """Short hash of the design."""
        return build_mark(self.project)

    def converter(self, chain: Chain) -> Converter:
        """The part's converter that the chain uses."""
        converter = self.part.converter(chain.converter)
        assert converter is not None
        return converter


Params = ParamSpec("Params")
Result = TypeVar("Result")


def worked_out_once(
    function: Callable[Concatenate[Workspace, Chain, Params], Result],
) -> Callable[Concatenate[Workspace, Chain, Params], Result]:
    """Keep the answers of a function of a workspace and one of its chains with the workspace."""

    @wraps(function)
    def lookup(workspace: Workspace, chain: Chain, *args: Params.args, **named: Params.kwargs) -> Result:
        if named or not any(chain is own for own in workspace.project.chains):
            return function(workspace, chain, *args, **named)
        key = (function, chain.converter, *args)
        if key not in workspace._known:
            workspace._known[key] = function(workspace, chain, *args, **named)
        answer: Result = workspace._known[key]
        return answer

    return cast("Callable[Concatenate[Workspace, Chain, Params], Result]", lookup)


def part_faults(project: Project, part: Part) -> tuple[str, ...]:
    """Sentences on what the project wants and the part does not have at all."""
    faults: list[str] = []

    def known(value: object, choices: tuple[object, ...], what: str) -> None:
        if value not in choices:
            listed = ", ".join(str(choice) for choice in choices)
            faults.append(f"{what} {value!s} is not to be had on {part.name}. Choose one of {listed}.")

    known(project.reference, tuple(item.name for item in part.references), "reference:")
    if project.bus_clock_hz is not None and project.bus_clock_hz > part.processor.clock_hz:
        faults.append(f"bus_clock: above the {float(part.processor.clock_hz / 10**6):g} MHz of {part.name}. Lower it.")
    for signal in project.signals:
        known(signal.pin, part.pins, f"signal “{signal.name}”: pin")
    for wiring in project.bench:
        known(wiring.pin, part.pins, "bench: pin")
    timers = tuple(name for group in part.timers if group.can_trigger for name in group.names)
    channels = tuple(name for group in part.dma for name in group.names)
    for chain in project.chains:
        known(chain.converter, tuple(item.name for item in part.converters), "chain: converter")
        converter = part.converter(chain.converter)
        if converter is None:
            continue
        known(chain.divider, converter.dividers, f"{chain.converter}: divider")
        known(chain.bits, converter.bits, f"{chain.converter}: resolution")
        known(project.timer_trigger(chain).timer, timers, f"{chain.converter}: timer")
        known(chain.loop.dma, channels, f"loop {chain.loop.name}: DMA channel")
        if len(chain.slots) > converter.slots:
            faults.append(f"{chain.converter} has {converter.slots} slots, {len(chain.slots)} are wanted. Remove some.")
        for index, slot in enumerate(chain.slots, start=1):
            known(slot.sampling_cycles, converter.sampling_cycles, f"{chain.converter}, slot {index}: sampling cycles")
        dma = part.dma_channel(chain.loop.dma)
        if dma is not None:
            known(chain.loop.width_bits, dma.widths, f"loop {chain.loop.name}: item width")
            if chain.loop.items > dma.items_max:
                faults.append(
                    f"loop {chain.loop.name}: {chain.loop.items} items are more than {dma.items_max}. Shorten it."
                )
    return tuple(faults)


def join(project: Project, where: str, beside: Path | None = None) -> Workspace:
    """Find the project's part and check the two against each other.

    Raises
    ------
    PartError, ProjectError
        When the part is unknown or cannot do what the project names.
    """
    part = find_part(project.part, beside)
    faults = part_faults(project, part)
    if faults:
        more = f" (and {len(faults) - 1} more)" if len(faults) > 1 else ""
        raise ProjectError(faults[0] + more, where=where, faults=faults)
    return Workspace(project, part)


def open_workspace(path: Path) -> Workspace:
    """Load a project file with its part; a folder stands for the one ``.toml`` project in it."""
    if path.is_dir():
        candidates = sorted(path.glob("*.wattigram.toml"))
        if len(candidates) != 1:
            raise ProjectError(
                f"The folder holds {len(candidates)} projects (*.wattigram.toml).",
                where=str(path),
                cure="Name the file itself.",
            )
        path = candidates[0]
    return join(load_project(path), str(path), path.parent)


def workspace_from_text(text: str, where: str) -> Workspace:
    """A workspace from a project's text, as a take carries it."""
    return join(parse_project(text, where), where)
