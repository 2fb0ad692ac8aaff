"""Another project's board at the other end of a wire."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Annotated, ClassVar, Literal, Self

from msgspec import Meta

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.fields import VoltsOrZero
from wattigram.core.model.bench.sources.dc import DcSource
from wattigram.core.model.bench.sources.source import (
    Choice,
    Driven,
    SourceModel,
    Surroundings,
)
from wattigram.core.model.field_types import Name

ProjectName = Annotated[
    str,
    Meta(
        pattern=r"^[^/\\]{1,200}\.toml\Z",
        description="the name of a project file that lies beside this one",
    ),
]


class BoardSource(SourceModel):
    """What leaves the board of another project: one of its output pins, or, on a receive pin, one of
    its serial ports. Both boards start together."""

    title: ClassVar[str] = "board of another project"
    labels: ClassVar[Mapping[str, str]] = {"noise_v": "noise rms"}
    kind: Literal["board"] = "board"
    project: ProjectName
    output: Name
    noise_v: VoltsOrZero = 0.0

    @classmethod
    def fresh(cls, around: Surroundings, noise_v: float) -> Self:
        for project, outputs in around.boards.items():
            if outputs:
                return cls(project=project, output=outputs[0], noise_v=noise_v)
        raise QuantityError(
            "No other project lies beside this one, or nothing leaves its board.",
            cure="Save this project into the folder of the other, and give that an output.",
        )

    def opened(self, around: Surroundings) -> Driven:
        played = around.board(self.project, self.output)
        if played is None:
            return DcSource(voltage_v=0.0, noise_v=self.noise_v)
        return played.with_noise(math.hypot(played.noise_v, self.noise_v))

    def choices(self, around: Surroundings) -> tuple[Choice, ...]:
        projects = {name: name for name, outputs in around.boards.items() if outputs}
        outputs = around.boards.get(self.project, ())
        return (
            Choice("project", "project", {**projects, self.project: self.project}),
            Choice(
                "its output", "output", {**{one: one for one in outputs}, self.output: self.output}
            ),
        )
