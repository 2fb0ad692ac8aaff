"""What the virtual board is told about itself: the part, what is wired to it, and how its streams
are numbered."""

from __future__ import annotations

from fractions import Fraction
from typing import Annotated

import msgspec
from msgspec import Meta

from wattigram.core.base.errors import BoardError
from wattigram.core.base.models import StrictModel, model_of_json
from wattigram.core.base.validation import ModelError
from wattigram.core.contract.board_config import EffectiveOutput
from wattigram.core.contract.link import OUTPUT_STREAM
from wattigram.core.model.bench import Wiring
from wattigram.core.model.design import BoardReference, Workspace
from wattigram.core.model.design.workspace_files import BoardText, board_texts
from wattigram.core.model.part import Part
from wattigram.core.silicon.deploy import effective_outputs
from wattigram.core.silicon.registers import Surroundings, surroundings

Stream = Annotated[int, Meta(ge=0, le=255)]


class BoardSetup(StrictModel):
    """All that a virtual board with an image is given besides the image.

    ``probes`` are the streams that carry what is seen at the ends of DMA channels, and
    ``outputs`` those of what the program moves.
    """

    part: Part
    name: str
    reference: str
    bus_clock: str
    bench: tuple[Wiring, ...]
    levels_v: dict[str, float]
    references: tuple[BoardReference, ...] = ()
    probes: dict[str, Stream] = msgspec.field(default_factory=dict)
    outputs: Annotated[tuple[EffectiveOutput, ...], Meta(max_length=8)] = ()
    boards: dict[str, BoardText] = msgspec.field(default_factory=dict)
    """Other projects whose boards are wired to this one."""
    seed: Annotated[int, Meta(ge=0, le=1 << 32)] = 1

    @property
    def surroundings(self) -> Surroundings:
        """As the silicon's registers are read."""
        return Surroundings(
            self.part,
            self.name,
            self.reference,
            Fraction(self.bus_clock),
            self.bench,
            self.references,
            self.levels_v,
        )

    @property
    def clock_divisor(self) -> int:
        """Ticks for each bus clock, where that is no whole number of hertz."""
        return Fraction(self.bus_clock).denominator


def board_setup(workspace: Workspace, seed: int) -> BoardSetup:
    """What a board of this design is given."""
    around = surroundings(workspace)
    project = workspace.project
    probes = {route.channel: OUTPUT_STREAM + number for number, route in enumerate(project.routes)}
    return BoardSetup(
        part=workspace.part,
        name=around.name,
        reference=around.reference,
        bus_clock=str(workspace.bus_clock_hz),
        bench=around.bench,
        levels_v=dict(around.levels_v),
        references=around.references,
        probes=probes,
        outputs=effective_outputs(workspace),
        boards=board_texts(workspace),
        seed=seed,
    )


def parse_setup(text: str) -> BoardSetup:
    """Read a setup from JSON; raises :class:`BoardError`."""
    try:
        return model_of_json(BoardSetup, text)
    except ModelError as fault:
        raise BoardError(f"The board's set-up cannot be used: {fault.first.text}.") from fault
