"""How results leave a converter, and what the program takes them for."""

from __future__ import annotations

from typing import Annotated, Literal

from msgspec import Meta

from wattigram.core.base.fields import Every, Seconds
from wattigram.core.base.models import StrictModel
from wattigram.core.model.field_types import Alignment, Cycles, Flag, Name

InterruptOn = Literal["conversion", "scan"]


class Polling(StrictModel):
    """The program asks until a result is there; it gives a value up after ``timeout_s``.

    ``single_run``: one bufferful is all that is wanted, and the program turns the converter off then.
    """

    kind: Literal["polling"] = "polling"
    timeout_s: Seconds | None = None
    single_run: Flag = False

    @property
    def ends_as_meant(self) -> bool:
        """It fills the buffer once, and that is what it is for."""
        return self.single_run


class Interrupt(StrictModel):
    """An interrupt at each conversion, or at the end of each scan; ``single_run`` as of polling."""

    kind: Literal["interrupt"] = "interrupt"
    per: InterruptOn = "conversion"
    single_run: Flag = False

    @property
    def ends_as_meant(self) -> bool:
        """It fills the buffer once, and that is what it is for."""
        return self.single_run


class Fifo(StrictModel):
    """Results queue up; an interrupt comes when ``watermark`` of them wait; ``single_run`` as of
    polling."""

    kind: Literal["fifo"] = "fifo"
    watermark: Annotated[int, Meta(ge=1, le=4096)]
    single_run: Flag = False

    @property
    def ends_as_meant(self) -> bool:
        """It fills the buffer once, and that is what it is for."""
        return self.single_run


class Dma(StrictModel):
    """DMA writes results into the buffer; ``circular`` round and round, else once.

    ``increment`` false leaves the address where it is. ``single_run`` says that one bufferful is
    all that is wanted; it is no setting of the hardware. With ``read_period_s`` there is no ISR:
    DMA keeps the buffer fresh, and the program reads the newest result of each slot every so often.
    """

    kind: Literal["dma"] = "dma"
    channel: Name
    circular: Flag = True
    increment: Flag = True
    single_run: Flag = False
    read_period_s: Every | None = None

    def __post_init__(self) -> None:
        if self.single_run and self.read_period_s is not None:
            raise ValueError(
                "a single run is handed over as a whole, and here the program reads the newest results "
                "every so often. Leave out single_run, or read_period."
            )

    @property
    def ends_as_meant(self) -> bool:
        """It fills the buffer once, and that is what it is for."""
        return self.single_run and not self.circular


Retrieval = Polling | Interrupt | Fifo | Dma


class CircularBuffer(StrictModel):
    """The memory that results go to, round and round, and the processor cycles of its handler.

    The handler runs at each mark of DMA or FIFO, each interrupt, or each polled value; where there is
    none, each time that the program reads the newest results. ``main_cycles`` are those of the main loop
    for each half that is full, after its ISR has told of it; other ISRs may come between.

    A main loop that looks for results, or for the end of a pass that it follows by the next one, does so
    once in ``round_cycles``; what it finds has started the next conversion ``start_cycles`` later. Where
    they are None, it does nothing else, in the clocks that the part states for looking and starting.

    A polling program that finds results lost sends what it has fetched before them by itself: one result so
    takes it ``gap_cycles`` more, and each of more what a result is of ``main_cycles``. None for one that only
    counts them.
    """

    name: Name
    samples: Annotated[int, Meta(ge=1, le=1 << 24)]
    element_bits: Literal[8, 16, 32] = 16
    isr_cycles: Cycles = 2000
    main_cycles: Cycles = 0
    round_cycles: Annotated[int, Meta(ge=1, le=10**9)] | None = None
    start_cycles: Cycles | None = None
    gap_cycles: Cycles | None = None


class Reader(StrictModel):
    """What the program takes the items for; what is None is taken for what it is."""

    element_bits: Literal[8, 16, 32] | None = None
    alignment: Alignment | None = None
    endianness: Literal["little", "big"] = "little"
    full_scale: Literal["2^N", "2^N-1"] | None = None
