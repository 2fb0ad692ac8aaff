"""The steps from a design to a proof on a real board, each with what was seen of it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import msgspec

from wattigram.core.base.quantity import format_percent, format_rounded
from wattigram.core.capture.bring_up.clock_check import ClockCheck
from wattigram.core.capture.bring_up.link_check import NEAR_SHARE, LinkCheck
from wattigram.core.capture.session.address import is_serial, is_virtual
from wattigram.core.capture.session.link_load import (
    BITS_A_BYTE,
    overload_text,
    serial_baud,
    stream_bytes_hz,
)
from wattigram.core.capture.session.snapshot import Snapshot
from wattigram.core.capture.session.wiring_check import WiringCheck
from wattigram.core.model.design import Workspace

Outcome = Literal["waits", "goes on", "holds", "fails", "passed over"]
SILENT_S = 3.0
"""A board that says nothing for so long is not only slow."""


class Step(msgspec.Struct, frozen=True):
    """One step.

    Attributes
    ----------
    outcome : not begun, going on, done and right, wrong, or not to be judged here
    said : what was seen, with its figures
    cure : what to do next
    """

    key: str
    title: str
    outcome: Outcome
    said: str
    cure: str = ""


class BringUpFacts(msgspec.Struct, kw_only=True):
    """What is known of a board that is brought up.

    Attributes
    ----------
    errors : titles of findings that are errors, and that nobody has accepted
    build : whether firmware of the design as it is now was built, of an older one, or none
    build_said : what the compiler said of it
    address : of the board
    silent_s : for how long a board that was opened has said nothing
    recorded : a take was recorded on the board
    proof : how many expectations hold, fail and stay open; None before a proof
    """

    errors: tuple[str, ...] = ()
    build: Literal["none", "old", "built"] = "none"
    build_said: str = ""
    address: str = "virtual"
    snapshot: Snapshot = msgspec.field(default_factory=Snapshot)
    silent_s: float = 0.0
    clock: ClockCheck = msgspec.field(default_factory=ClockCheck)
    link: LinkCheck = msgspec.field(default_factory=LinkCheck)
    wiring: WiringCheck | None = None
    recorded: str = ""
    proof: tuple[int, int, int] | None = None


def bring_up_steps(workspace: Workspace, facts: BringUpFacts) -> tuple[Step, ...]:
    """All steps in their order, each as it stands."""
    return tuple(_steps(workspace, facts))


def _steps(workspace: Workspace, facts: BringUpFacts) -> Iterator[Step]:
    yield _design(facts)
    yield _firmware(workspace, facts)
    yield _board(facts)
    yield _identity(workspace, facts)
    yield _clock(workspace, facts)
    yield _link(workspace, facts)
    yield _wiring(facts)
    yield _take(facts)
    yield _proof(facts)


def _design(facts: BringUpFacts) -> Step:
    title = "The design has no error"
    if not facts.errors:
        return Step("design", title, "holds", "No finding is an error.")
    count = len(facts.errors)
    said = f"{count} error{'s' if count > 1 else ''}: {facts.errors[0]}"
    return Step("design", title, "fails", said, "What is wrong here is wrong on the board too.")


def _firmware(workspace: Workspace, facts: BringUpFacts) -> Step:
    title = "Its firmware is built"
    if facts.build == "built":
        return Step("firmware", title, "holds", facts.build_said or f"Build {workspace.build_id}.")
    if facts.build == "old":
        said = "What was built is of the design as it was before."
        return Step("firmware", title, "waits", said, "Build it anew.")
    said = "Nothing was built here."
    return Step("firmware", title, "waits", said, "Write the C, fill in port.c, and build (F7).")


def _board(facts: BringUpFacts) -> Step:
    title = "A board is chosen"
    if is_virtual(facts.address):
        said = "It is the virtual board: all that follows can be tried on it first."
        return Step("board", title, "waits", said, "Load the image, connect your board, choose it.")
    return Step("board", title, "holds", facts.address)


def _identity(workspace: Workspace, facts: BringUpFacts) -> Step:
    title = "It says who it is"
    shot = facts.snapshot
    if shot.state == "failed":
        return Step("identity", title, "fails", shot.message, "Mend that, and run it again.")
    if shot.state == "off":
        return Step("identity", title, "waits", "The board is off.", "Run it (F5).")
    if not shot.board:
        if facts.silent_s < SILENT_S:
            return Step("identity", title, "goes on", "It is asked.")
        said = f"Nothing was heard for {format_rounded(facts.silent_s, 's', 2)}."
        cure = "Is it the right port, at the right rate? Does the main loop run, and wg_port_send send?"
        return Step("identity", title, "fails", said, cure)
    if shot.mark_matches is False:
        said = f"{shot.board} runs build {shot.build_id}; the design is {workspace.build_id}."
        return Step("identity", title, "fails", said, "Build and load it anew.")
    return Step("identity", title, "holds", f"{shot.board}, build {shot.build_id}.")


def _clock(workspace: Workspace, facts: BringUpFacts) -> Step:
    title = "Its clock goes as designed"
    seen = facts.clock.seen
    if is_virtual(facts.address):
        said = "The virtual board has no clock of its own: it goes by this computer's."
        return Step("clock", title, "passed over", said)
    if seen is None:
        running = facts.snapshot.state == "running"
        said = "It is listened to." if running else "The board does not run."
        return Step("clock", title, "goes on" if running else "waits", said)
    clock_hz, tolerance = float(workspace.bus_clock_hz), workspace.clock_tolerance
    said = (
        f"{format_rounded(clock_hz * seen.ratio, 'Hz', 5)} ± {format_percent(seen.uncertainty, 2)} by this "
        f"computer's clock, in {format_rounded(seen.span_s, 's', 2)}; designed are "
        f"{format_rounded(clock_hz, 'Hz', 5)} ± {format_percent(tolerance, 2)}."
    )
    if not seen.is_within(tolerance):
        part = seen.fraction
        what = f" It is {part} of that." if part is not None else ""
        cure = "Look at the clock's set-up in port.c: oscillator, multiplier, dividers."
        return Step("clock", title, "fails", said + what, cure)
    return Step("clock", title, "holds" if seen.is_sure else "goes on", said)


def _link(workspace: Workspace, facts: BringUpFacts) -> Step:
    title = "The link carries the stream"
    seen, wanted = facts.link.seen, stream_bytes_hz(workspace)
    if seen is None:
        overload = overload_text(workspace, facts.address)
        if overload:
            return Step("link", title, "fails", overload)
        running = facts.snapshot.state == "running"
        said = f"The design sends {format_rounded(wanted, 'B/s', 3)}."
        return Step("link", title, "goes on" if running else "waits", said)
    said = f"{format_rounded(seen.bytes_hz, 'B/s', 4)} came"
    baud = serial_baud(facts.address) if is_serial(facts.address) else None
    if baud:
        said += f" of {format_rounded(baud / BITS_A_BYTE, 'B/s', 3)} that {baud} baud carry"
    said += f"; the design sends {format_rounded(wanted, 'B/s', 3)}"
    if not seen.is_whole:
        said += f". {seen.lost_cycles} scans were lost, {seen.bytes_skipped} bytes were no frame"
        cure = "Choose a higher rate, a shorter cable, or send less: a mean, fewer signals, fewer bits."
        return Step("link", title, "fails", f"{said}.", cure)
    if wanted and abs(seen.bytes_hz / wanted - 1) > NEAR_SHARE:
        cure = "Is it the firmware of this design, and does its trigger run at the designed rate?"
        return Step("link", title, "fails", f"{said}: that is another stream.", cure)
    return Step("link", title, "holds", f"{said}; nothing was lost.")


def _wiring(facts: BringUpFacts) -> Step:
    title = "Each wire is where it should be"
    check = facts.wiring
    if check is None:
        said = "Nobody has gone through the wiring."
        return Step("wiring", title, "waits", said, "Ground each input, tie it, exchange two.")
    if check.step is not None:
        return Step("wiring", title, "goes on", check.note)
    left = [
        step.text
        for step, outcome in zip(check.steps, check.outcomes, strict=True)
        if outcome == "skipped"
    ]
    if left:
        said = f"{len(left)} of {len(check.steps)} were not seen: {left[0]}"
        cure = "A pin that does not answer is not the pin that the design says."
        return Step("wiring", title, "fails", said, cure)
    return Step("wiring", title, "holds", f"All {len(check.steps)} were seen in the stream.")


def _take(facts: BringUpFacts) -> Step:
    title = "A take is recorded"
    if facts.recorded:
        return Step("take", title, "holds", facts.recorded)
    if facts.snapshot.recording is not None:
        return Step("take", title, "goes on", f"{facts.snapshot.recording.name} is being written.")
    return Step("take", title, "waits", "None was recorded on this board.", "Record it (Ctrl+R).")


def _proof(facts: BringUpFacts) -> Step:
    title = "The proof holds"
    if facts.proof is None:
        return Step("proof", title, "waits", "Nothing was proved.", "Record and prove (F6).")
    holds, fails, left = facts.proof
    said = f"{holds} hold, {fails} fail, {left} are not judged."
    if fails:
        return Step("proof", title, "fails", said, "The Proof page has the likely causes.")
    if not holds:
        return Step("proof", title, "waits", said, "State what must hold on the Proof page.")
    return Step("proof", title, "holds", said)
