"""Meters and generators on the bench, spoken to in SCPI over TCP; and a simulated one."""

from wattigram.core.capture.instrument.client import Instrument, apply_source, read_voltage

__all__ = ["Instrument", "apply_source", "read_voltage"]
