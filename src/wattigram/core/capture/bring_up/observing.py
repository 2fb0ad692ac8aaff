"""What a running board shows while nobody asks it anything."""

from __future__ import annotations

from wattigram.core.capture.bring_up.clock_check import ClockCheck
from wattigram.core.capture.bring_up.link_check import LinkCheck
from wattigram.core.capture.session.snapshot import Snapshot


def observe(clock: ClockCheck, link: LinkCheck, snapshot: Snapshot, at_s: float) -> None:
    """Give both checks a snapshot that came at ``at_s`` of this computer's clock; one of a board that does not run,
    or has not said who it is, tells them nothing."""
    if snapshot.state != "running" or not snapshot.board:
        return
    clock.look(snapshot.seconds, at_s)
    link.look(snapshot.seconds, snapshot.bytes_came, snapshot.lost_cycles, snapshot.bytes_skipped)
