"""All sources of the bench: a file for each, and its line here."""

from typing import get_args

from wattigram.core.model.bench.sources.battery import Battery
from wattigram.core.model.bench.sources.board import BoardSource
from wattigram.core.model.bench.sources.bridge import Bridge
from wattigram.core.model.bench.sources.dc import DcSource
from wattigram.core.model.bench.sources.floating import FloatingInput
from wattigram.core.model.bench.sources.generator import SignalGenerator
from wattigram.core.model.bench.sources.jumper import Jumper
from wattigram.core.model.bench.sources.paired import PairedSource
from wattigram.core.model.bench.sources.serial import SerialSource
from wattigram.core.model.bench.sources.sine import SineSource
from wattigram.core.model.bench.sources.source import SourceModel
from wattigram.core.model.bench.sources.square import SquareSource
from wattigram.core.model.bench.sources.supply import Supply
from wattigram.core.model.bench.sources.swept import SweptSource
from wattigram.core.model.bench.sources.switch import Switch
from wattigram.core.model.bench.sources.thermistor import Thermistor
from wattigram.core.model.bench.sources.tied import TiedInput
from wattigram.core.model.bench.sources.triangle import TriangleSource

Source = (
    DcSource
    | SineSource
    | TriangleSource
    | SquareSource
    | FloatingInput
    | PairedSource
    | TiedInput
    | Switch
    | Battery
    | Supply
    | SignalGenerator
    | SweptSource
    | Thermistor
    | Bridge
    | Jumper
    | BoardSource
    | SerialSource
)
SOURCES: tuple[type[SourceModel], ...] = get_args(Source)
"""In the order in which they are offered."""

__all__ = [
    "SOURCES",
    "Battery",
    "BoardSource",
    "Bridge",
    "DcSource",
    "FloatingInput",
    "Jumper",
    "PairedSource",
    "SerialSource",
    "SignalGenerator",
    "SineSource",
    "Source",
    "SquareSource",
    "Supply",
    "SweptSource",
    "Switch",
    "Thermistor",
    "TiedInput",
    "TriangleSource",
]
