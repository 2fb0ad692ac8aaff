"""A project together with the part it names, checked against each other."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from fractions import Fraction
from functools import cached_property, wraps
from pathlib import Path
from typing import Concatenate, ParamSpec, TypeVar, cast

import msgspec

from wattigram.core.base.cache import Cache
from wattigram.core.base.errors import ProjectError
from wattigram.core.model.bench import DcSource, Wiring
from wattigram.core.model.design.event_sources import Watch, watches
from wattigram.core.model.design.part_compatibility import part_faults
from wattigram.core.model.design.project import BoardReference, Chain, Project
from wattigram.core.model.design.project_file import (
    build_id,
)
from wattigram.core.model.part import Converter, Dac, Part


class Workspace(msgspec.Struct, frozen=True, dict=True):
    """What every calculation starts from. It never changes, so what follows from it is worked out
    once.

    ``known`` is where functions keep what they have worked out of it, ``recent`` where they keep
    long arrays for as long as the next question is about them.
    """

    project: Project
    part: Part
    others: Mapping[str, Workspace] = msgspec.field(default_factory=dict)
    """Other projects whose boards are wired to this one, by the names of their files."""
    unread: Mapping[str, str] = msgspec.field(default_factory=dict)
    """Why some of them could not be read."""
    path: Path | None = None
    """Its file, beside which other projects lie; None for a project that has none."""
    is_caller: bool = False
    """It stands for the board that hears the one whose other board it is: the two are wired both ways."""
    known: Cache = msgspec.field(default_factory=Cache)
    recent: Cache = msgspec.field(default_factory=lambda: Cache(2))

    def with_project(self, project: Project) -> Workspace:
        """Another design in the same surroundings."""
        others = heard_back(self.others, project, self.part)
        return Workspace(project, self.part, others, self.unread, self.path, self.is_caller)

    def hearing(self, others: Mapping[str, Workspace]) -> Workspace:
        """The same with other boards as they are now."""
        others = heard_back(others, self.project, self.part)
        return Workspace(self.project, self.part, others, {}, self.path, self.is_caller)

    def placed(self, path: Path) -> Workspace:
        """The same as another file, beside which other projects are looked for."""
        return Workspace(self.project, self.part, self.others, self.unread, path, self.is_caller)

    @cached_property
    def bus_clock_hz(self) -> Fraction:
        """The bus clock as designed, the part's own where the design is silent."""
        return self.project.bus_clock_hz or self.part.processor.clock_hz

    @cached_property
    def clock_tolerance(self) -> float:
        """Share by which the bus clock may be off: the board's, the part's own where the design is
        silent."""
        stated = self.project.bus_clock_tolerance
        return self.part.processor.clock_tolerance if stated is None else stated

    @cached_property
    def reference_v(self) -> float:
        """Voltage of the chosen reference."""
        return self.voltage_of(self.project.reference)

    def voltage_of(self, reference: str) -> float:
        """Voltage of any reference of the part, as this board has it."""
        return reference_voltage(self.part, reference, self.project.wired, self.project.references)

    def tolerance_of(self, reference: str) -> float:
        """Share by which that voltage may be off."""
        own = next((one for one in self.project.references if one.name == reference), None)
        if own is not None and own.tolerance is not None:
            return own.tolerance
        known = self.part.reference(reference)
        if known is not None and known.pin is not None:
            wired = self.project.wired(known.pin)
            return wired.tolerance if wired is not None else 0.0  # the bench says what it is
        if known is None or (own is not None and own.voltage_v is not None):
            return 0.0  # a voltage that was measured is what it is
        return known.tolerance

    def dac_reference(self, dac: Dac) -> str:
        """What a DAC's full scale is measured against: always the same where the part has it so, what is chosen for
        it where it can choose, else the converters' reference."""
        output = next((one for one in self.project.generators if one.dac == dac.name), None)
        chosen = output.reference if output is not None else None
        return reference_of_dac(dac, chosen, self.project.reference)

    def full_scale_v(self, dac: Dac) -> float:
        """Voltage of a DAC's reference."""
        return self.voltage_of(self.dac_reference(dac))

    @cached_property
    def reference_pin(self) -> str | None:
        """The pin that the chosen reference comes from; None for one inside the part."""
        reference = self.part.reference(self.project.reference)
        assert reference is not None
        return reference.pin

    @cached_property
    def supply_v(self) -> float:
        """Voltage of the supply, which is a reference too where the part says so."""
        return supply_voltage(self.part, self.project.references, self.reference_v)

    def wiring(self, pin: str) -> Wiring | None:
        """What feeds a pin, from the bench; or an internal channel, from the part."""
        wired = self.project.wired(pin)
        return wired if wired is not None else self._internal.get(pin)

    @cached_property
    def _internal(self) -> dict[str, Wiring]:
        return {
            item.name: Wiring(
                pin=item.name,
                label="inside the part",
                source_resistance_ohm=item.resistance_ohm,
                source=DcSource(
                    voltage_v=item.supply_share * self.supply_v or item.voltage_v,
                    noise_v=item.noise_v,
                ),
            )
            for converter in self.part.converters
            for item in converter.internal
        }

    @cached_property
    def build_id(self) -> str:
        """Short hash of the design."""
        return build_id(self.project)

    @cached_property
    def watches(self) -> tuple[Watch, ...]:
        """All that makes events; an event's number is a place in this."""
        return watches(self.project)

    def converter(self, chain: Chain) -> Converter:
        """The part's converter that the chain uses."""
        converter = self.part.converter(chain.converter)
        assert converter is not None
        return converter


def reference_of_dac(dac: Dac, chosen: str | None, others: str) -> str:
    """The reference of a DAC, by its name; ``others`` is what the converters have, and what a DAC that can choose has
    where nothing is ``chosen`` for it, or else the first that it can have."""
    if not dac.references:
        return dac.reference or others
    first = others if others in dac.references else dac.references[0]
    return chosen if chosen in dac.references else first


def reference_voltage(
    part: Part,
    name: str,
    wired: Callable[[str], Wiring | None],
    stated: Sequence[BoardReference] = (),
) -> float:
    """Voltage of a reference of a part, as the board has it where that is ``stated``; of one that comes from a pin
    what is wired there, where that is a level."""
    reference = part.reference(name)
    assert reference is not None
    if reference.pin is not None:
        wiring = wired(reference.pin)
        if (
            wiring is not None
            and isinstance(wiring.source, DcSource)
            and wiring.source.voltage_v > 0
        ):
            return wiring.source.voltage_v
    own = next((one.voltage_v for one in stated if one.name == name), None)
    return reference.voltage_v if own is None else own


def supply_voltage(part: Part, stated: Sequence[BoardReference], other_v: float) -> float:
    """Voltage of the supply, which is a reference too where the part says so, else ``other_v``."""
    if part.reference("supply") is None:
        return max(other_v, 0.0)
    return reference_voltage(part, "supply", lambda _pin: None, stated)


Params = ParamSpec("Params")
Result = TypeVar("Result")


def cached(
    function: Callable[Concatenate[Workspace, Chain, Params], Result],
) -> Callable[Concatenate[Workspace, Chain, Params], Result]:
    """Keep the answers of a function of a workspace and one of its chains with the workspace."""

    @wraps(function)
    def lookup(
        workspace: Workspace, chain: Chain, *args: Params.args, **named: Params.kwargs
    ) -> Result:
        if named or not any(chain is own for own in workspace.project.chains):
            return function(workspace, chain, *args, **named)
        key = (function, chain.converter, *args)
        return workspace.known.answer(key, lambda: function(workspace, chain, *args, **named))

    return cast("Callable[Concatenate[Workspace, Chain, Params], Result]", lookup)


def heard_back(
    others: Mapping[str, Workspace], project: Project, part: Part
) -> Mapping[str, Workspace]:
    """Other boards of a project, those that hear it in turn as it is now."""
    turned = dict(others)
    for name, other in others.items():
        for own, caller in other.others.items():
            if caller.is_caller and (caller.project is not project or caller.part is not part):
                now = Workspace(project, part, {}, {}, caller.path, True)
                turned[name] = Workspace(
                    other.project,
                    other.part,
                    {**other.others, own: now},
                    other.unread,
                    other.path,
                    other.is_caller,
                )
    return turned


def join_workspace(project: Project, where: str, part: Part) -> Workspace:
    """Check a project and its part against each other.

    Raises
    ------
    ProjectError
        When the part cannot do what the project names.
    """
    faults = part_faults(project, part)
    if faults:
        more = f" (and {len(faults) - 1} more)" if len(faults) > 1 else ""
        raise ProjectError(faults[0] + more, where=where, faults=faults)
    return Workspace(project, part)
