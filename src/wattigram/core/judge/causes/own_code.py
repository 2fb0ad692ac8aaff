"""Own code that sets something else than the design says."""

from __future__ import annotations

from wattigram.core.base.quantity import format_si
from wattigram.core.capture.take import Take
from wattigram.core.contract.link import LateWrite
from wattigram.core.judge.causes.base import FailingSignal, LikelyCause, register_cause
from wattigram.core.judge.causes.involved_peripherals import chain_owners, signal_owners

FIT = 0.99
"""It was seen, and not concluded from what came."""


@register_cause("own-code-writes")
def own_code_writes(case: FailingSignal) -> LikelyCause | None:
    """A register of what makes or converts the signal was written while the board ran."""
    take, workspace = case.take, case.take.workspace
    owners = signal_owners(workspace, case.signal.name) | chain_owners(case.chain)
    writes = [write for write in take.late_writes if write.owner in owners]
    if not writes or not case.is_off:
        return None
    title, evidence = told(take, writes)
    return case.cause("own-code-writes", title, FIT, evidence, None)


def told(take: Take, writes: list[LateWrite]) -> tuple[str, str]:
    """Title and sentence: which register, by which line, and when first."""
    first = min(writes, key=lambda write: write.ticks)
    names = ", ".join(dict.fromkeys(f"{write.owner}: {write.setting}" for write in writes))
    where = first.place or "the program"
    return (
        f"Own code sets {first.owner} while the board runs",
        f"{where} first wrote {first.setting} of {first.owner} at "
        f"{format_si(first.ticks / take.tick_hz, 's', 4)}: {first.before:#x} → {first.after:#x}. "
        f"Written so: {names}. The design knows nothing of it",
    )
