"""What is wired to the board's pins."""

from wattigram.core.model.bench.sources import (
    SOURCES,
    Battery,
    Bridge,
    DcSource,
    FloatingInput,
    Jumper,
    PairedSource,
    SerialSource,
    SignalGenerator,
    SineSource,
    Source,
    SquareSource,
    Supply,
    SweptSource,
    Switch,
    Thermistor,
    TiedInput,
    TriangleSource,
)
from wattigram.core.model.bench.sources.shaped import ShapeSource
from wattigram.core.model.bench.sources.source import Choice, Driven, SourceModel, Surroundings
from wattigram.core.model.bench.wiring import Wiring, resolve_source, swapped_partner

__all__ = [
    "SOURCES",
    "Battery",
    "Bridge",
    "Choice",
    "DcSource",
    "Driven",
    "FloatingInput",
    "Jumper",
    "PairedSource",
    "SerialSource",
    "ShapeSource",
    "SignalGenerator",
    "SineSource",
    "Source",
    "SourceModel",
    "SquareSource",
    "Supply",
    "Surroundings",
    "SweptSource",
    "Switch",
    "Thermistor",
    "TiedInput",
    "TriangleSource",
    "Wiring",
    "resolve_source",
    "swapped_partner",
]
