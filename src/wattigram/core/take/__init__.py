"""Recordings: store, overview for drawing, reading by signal, export."""

from wattigram.core.take.export import export_csv
from wattigram.core.take.overview import Overview
from wattigram.core.take.reader import SignalSamples, Take, open_take
from wattigram.core.take.writer import TakeWriter

__all__ = ["Overview", "SignalSamples", "Take", "TakeWriter", "export_csv", "open_take"]
