"""Rules on serial ports and what comes over them."""

from __future__ import annotations

from collections.abc import Iterator
from fractions import Fraction

import numpy as np

from wattigram.core.advise.findings.finding import Finding, rule
from wattigram.core.advise.findings.fixes import first_effective_fix, rule_satisfied
from wattigram.core.base.quantity import format_percent, format_si
from wattigram.core.contract.serial_bytes import BYTE_BITS
from wattigram.core.contract.serial_line import frame_text
from wattigram.core.model.design import (
    ByteReceived,
    BytesAction,
    Dma,
    Polling,
    TextAction,
    UartSetup,
    Workspace,
)
from wattigram.core.model.design.edits import Edit, SetUart
from wattigram.core.predict.clocks import uart_timing
from wattigram.core.predict.timing import OtherEnd, misread_words, other_end, software_step

BAUDS = (
    9600,
    19200,
    38400,
    57600,
    115_200,
    230_400,
    460_800,
    921_600,
    1_000_000,
    2_000_000,
    3_000_000,
)
WORST_BAUD_ERROR = Fraction(2, 100)


@rule("baud-differs", "baud-off", "line-differs")
def baud_off(workspace: Workspace) -> Iterator[Finding]:
    """The other end reads wrong bytes."""
    for uart in workspace.project.uarts:
        timing = uart_timing(workspace, uart)
        other = other_end(workspace, uart.name)
        tolerance = Fraction(workspace.clock_tolerance)
        if abs(timing.error) + tolerance > WORST_BAUD_ERROR:
            nearest = sorted(BAUDS, key=lambda one: abs(one - uart.baud))
            bauds = nearest if other is None else [other.baud, *nearest]
            edits: list[Edit] = [SetUart(uart.replaced(baud=baud)) for baud in bauds]
            yield Finding(
                "baud-off",
                "error",
                uart.name,
                f"{uart.name} cannot run at {uart.baud} baud",
                f"The nearest that its divider gives is {float(timing.baud_hz):.0f} baud, "
                f"{float(timing.error) * 100:+.2f} %{_clock_text(tolerance)}; "
                "more than 2 % is not read any more.",
                first_effective_fix(
                    workspace, edits, rule_satisfied(baud_off, uart.name, "baud-off")
                ),
                signal=uart.name,
            )
        if other is None:
            continue
        apart = abs(timing.baud_hz / other.baud_hz - 1)
        unsure = tolerance + other.tolerance
        if apart <= WORST_BAUD_ERROR < apart + unsure:
            yield Finding(
                "baud-differs",
                "warning",
                uart.name,
                f"{uart.name} may listen at another rate than is sent",
                f"The two ends are {float(apart) * 100:.2f} % apart{_clock_text(unsure)}: together that may "
                "be more than 2 %, which is not read any more.",
                None,
                signal=uart.name,
            )
        elif apart > WORST_BAUD_ERROR:
            yield Finding(
                "baud-differs",
                "error",
                uart.name,
                f"{uart.name} listens at another rate than is sent",
                f"It runs at {uart.baud} baud, and {other.name} sends at {float(other.baud_hz):.6g}.",
                SetUart(uart.replaced(baud=other.baud)),
                signal=uart.name,
            )
        if (uart.data_bits, uart.parity) != (other.data_bits, other.parity):
            yield _other_frame(workspace, uart, other)


def _clock_text(tolerance: Fraction) -> str:
    return f" ± {format_percent(tolerance, 2)} of the clock" if tolerance else ""


def _other_frame(workspace: Workspace, uart: UartSetup, other: OtherEnd) -> Finding:
    """Data bits or parity of the two ends are not the same; stop bits may differ, for a receiver looks
    at one only."""
    mine = frame_text(uart.data_bits, uart.parity, uart.stop_bits)
    count = 1 << other.data_bits
    read = misread_words(workspace, uart.name)
    wrong = lost = 0
    if read is not None:
        wrong = int(np.count_nonzero((read != np.eye(*read.shape, dtype=np.bool_)).any(axis=1)))
        lost = int(np.count_nonzero(~read.any(axis=1)))
    part = workspace.part.uart(uart.name)
    assert part is not None
    can = other.data_bits in part.data_bits
    return Finding(
        "line-differs",
        "error",
        uart.name,
        f"{uart.name} listens for {mine}, and is sent {other.frame_text}",
        f"Of {count} different words {wrong - lost} are read as others"
        + (f" and {lost} are not kept" if lost else "")
        + (
            "."
            if wrong
            else " as long as the line is idle between them; of words that follow each "
            "other some are lost or false."
        ),
        SetUart(uart.replaced(data_bits=other.data_bits, parity=other.parity)) if can else None,
        signal=uart.name,
    )


@rule("byte-never", "bytes-missed")
def awaited_bytes(workspace: Workspace) -> Iterator[Finding]:
    """The program waits for a byte that does not come, or comes to it too late."""
    for reaction in workspace.project.reactions:
        when = reaction.when
        if not isinstance(when, ByteReceived):
            continue
        other = other_end(workspace, when.uart)
        why = ""
        if other is None:
            part = workspace.part.uart(when.uart)
            pin = part.receive_pins.get(when.uart) if part is not None else None
            why = f"on the bench nothing sends to {when.uart}, pin {pin}"
        elif when.byte is not None and when.byte >= 1 << other.data_bits:
            why = f"{other.name} sends words of {other.data_bits} bits"
        if why:
            yield Finding(
                "byte-never",
                "warning",
                reaction.name,
                f"{reaction.name} waits for a byte that does not come",
                f"It cannot, for {why}.",
                signal=reaction.name,
            )
            continue
        assert other is not None
        blocked_s = sum(
            (
                software_step(workspace, chain).service_s
                for chain in workspace.project.chains
                if not isinstance(chain.readout, Polling)
                and not (isinstance(chain.readout, Dma) and chain.read_period_s is not None)
            ),
            Fraction(0),
        )
        if blocked_s >= other.word_s:
            yield Finding(
                "bytes-missed",
                "error",
                reaction.name,
                f"Bytes for {reaction.name} come quicker than its ISR",
                f"Other ISRs take up to {format_si(blocked_s, 's', 3)}, and a word comes every "
                f"{format_si(other.word_s, 's', 3)}: the next takes its place before it is read.",
                signal=reaction.name,
            )


@rule("word-too-short")
def words_too_short(workspace: Workspace) -> Iterator[Finding]:
    """The upper bit of each byte is left behind."""
    for reaction in workspace.project.reactions:
        do = reaction.do
        uart = (
            workspace.project.uart(do.uart) if isinstance(do, (BytesAction, TextAction)) else None
        )
        if uart is None or uart.data_bits >= BYTE_BITS:
            continue
        if isinstance(do, TextAction) and do.text.isascii():
            continue
        part = workspace.part.uart(uart.name)
        can = part is not None and BYTE_BITS in part.data_bits
        yield Finding(
            "word-too-short",
            "error",
            uart.name,
            f"{uart.name} cuts what {reaction.name} sends",
            f"Its words have {uart.data_bits} bits, and bytes have {BYTE_BITS}: the upper bit is lost.",
            SetUart(uart.replaced(data_bits=BYTE_BITS)) if can else None,
            signal=reaction.name,
        )
