"""``wattigram ports``: serial ports of this machine."""

from __future__ import annotations

import click

from wattigram.core.capture.transport import DEFAULT_BAUD, serial_ports


@click.command("ports")
def ports() -> None:
    """List serial ports with what they say of themselves; exit status 1 when there is none."""
    listed = serial_ports()
    for port in listed:
        click.echo(f"serial:{port.device}@{DEFAULT_BAUD:<12}{port.text}")
    if not listed:
        click.echo(
            "There is no serial port. Is the board plugged in, and may you open its device?",
            err=True,
        )
    raise click.exceptions.Exit(0 if listed else 1)
