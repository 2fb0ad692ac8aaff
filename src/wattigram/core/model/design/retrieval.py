"""How results leave a converter, and what the program takes them for."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from wattigram.core.base.fields import Seconds
from wattigram.core.base.models import StrictModel
from wattigram.core.model.field_types import Alignment, Cycles, Flag, Name

InterruptOn = Literal["conversion", "scan"]


class Polling(StrictModel):
    """The program asks until a result is there; it gives a value up after ``timeout_s``."""

    kind: Literal["polling"] = "polling"
    timeout_s: Seconds | None = None


class Interrupt(StrictModel):
    """An interrupt at each conversion, or at the end of each scan."""

    kind: Literal["interrupt"] = "interrupt"
    per: InterruptOn = "conversion"


class Fifo(StrictModel):
    """Results queue up; an interrupt comes when ``mark`` of them wait."""

    kind: Literal["fifo"] = "fifo"
    watermark: Annotated[int, Meta(ge=1, le=4096)]


class Dma(StrictModel):
    """DMA writes results into the buffer; ``circular`` round and round, else once.

    ``increment`` false leaves the address where it is. ``single_run`` says that one bufferful is
    all that is wanted; it is no setting of the hardware.
    """

    kind: Literal["dma"] = "dma"
    channel: Name
    circular: Flag = True
    increment: Flag = True
    single_run: Flag = False

    @property
    def ends_as_meant(self) -> bool:
        """It fills the buffer once, and that is what it is for."""
        return self.single_run and not self.circular


Retrieval = Polling | Interrupt | Fifo | Dma


class CircularBuffer(StrictModel):
    """The memory that results go to, round and round, and the processor cycles of its handler.

    The handler runs at each mark of DMA or FIFO, each interrupt, or each polled value.
    """

    name: Name
    samples: Annotated[int, Meta(ge=2, le=1 << 24)]
    element_bits: Literal[8, 16, 32] = 16
    isr_cycles: Cycles = 2000


class Reader(StrictModel):
    """What the program takes the items for; what is None is taken for what it is."""

    element_bits: Literal[8, 16, 32] | None = None
    alignment: Alignment | None = None
    endianness: Literal["little", "big"] = "little"
    full_scale: Literal["2^N", "2^N-1"] | None = None
