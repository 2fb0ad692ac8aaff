"""``wattigram bring-up``: a board that runs for the first time, step by step."""

from __future__ import annotations

import json
import queue
import time
from pathlib import Path
from typing import TYPE_CHECKING

import click
from msgspec.structs import asdict, replace

from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import WattigramError
from wattigram.core.capture.bring_up import BringUpFacts, Outcome, bring_up_steps, observe
from wattigram.core.capture.session import LiveSession, Snapshot
from wattigram.core.capture.take import open_take
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace, open_workspace

if TYPE_CHECKING:
    from collections.abc import Iterator

MARKS: dict[Outcome, str] = {
    "waits": " ",
    "goes on": "…",
    "holds": "✓",
    "fails": "✕",
    "passed over": "–",
}
NOT_HERE = {"firmware", "wiring"}
"""Steps of the window alone: who builds, and who moves wires."""
LATE_S = 10.0
"""For a board to end a run."""


@click.command("bring-up")
@click.argument("project", type=click.Path(path_type=Path))
@click.option(
    "--board",
    required=True,
    help="serial:DEV@BAUD, tcp:HOST:PORT, gdb:HOST:PORT,ELF, or virtual to try it.",
)
@click.option(
    "--seconds",
    type=click.FloatRange(1, 3600),
    default=15.0,
    show_default=True,
    help="For so long the board is listened to.",
)
@click.option(
    "--take",
    "path",
    type=click.Path(path_type=Path),
    help="Record into this take meanwhile, and prove it.",
)
@click.option("--json", "as_json", is_flag=True, help="Print JSON for scripts.")
def bring_up(project: Path, board: str, seconds: float, path: Path | None, as_json: bool) -> None:
    """Look step by step whether a board does what the design says: who it is, its clock against this
    computer's, what the link really carries, a take and its proof; exit status 1 where a step is wrong.

    PROJECT: Project file, or the folder that holds it.
    """
    workspace = open_workspace(project)
    if path is not None and path.exists():
        raise WattigramError("There is a file of that name already.", where=str(path))
    errors = [one.title for one in find_all(workspace) if one.severity == "error"]
    facts = BringUpFacts(errors=tuple(errors), address=board)
    facts = _listened(workspace, facts, seconds, path)
    if path is not None and path.exists():
        facts = replace(facts, recorded=path.name)
        with open_take(path) as take:
            count = prove(workspace, take).count
        facts = replace(facts, proof=(count("holds"), count("fails"), count("open")))
    steps = [one for one in bring_up_steps(workspace, facts) if one.key not in NOT_HERE]
    if as_json:
        click.echo(json.dumps([asdict(one) for one in steps], indent=2, ensure_ascii=False))
    else:
        for one in steps:
            click.echo(f"{MARKS[one.outcome]} {one.title}: {one.said}")
            if one.cure and one.outcome == "fails":
                click.echo(f"    {one.cure}")
    raise click.exceptions.Exit(1 if any(one.outcome == "fails" for one in steps) else 0)


def _listened(
    workspace: Workspace, facts: BringUpFacts, seconds: float, path: Path | None
) -> BringUpFacts:
    """What is known after a board was listened to for so long."""
    came: queue.SimpleQueue[tuple[float, Snapshot]] = queue.SimpleQueue()
    session = LiveSession(workspace, facts.address, lambda shot: came.put((time.monotonic(), shot)))
    began_s = time.monotonic()
    latest = Snapshot()
    try:
        session.start(path)
        for at_s, latest in _until(came, began_s + seconds):
            if latest.state == "failed":
                break
            observe(facts.clock, facts.link, latest, at_s)
        if latest.state == "running":
            session.stop()
            for _at_s, shot in _until(came, time.monotonic() + LATE_S):
                if shot.state != "running":
                    break
    finally:
        session.close()
    silent_s = 0.0 if latest.board else time.monotonic() - began_s
    return replace(facts, snapshot=latest, silent_s=silent_s)


def _until(
    came: queue.SimpleQueue[tuple[float, Snapshot]], end_s: float
) -> Iterator[tuple[float, Snapshot]]:
    """What comes before an instant."""
    while (left_s := end_s - time.monotonic()) > 0:
        try:
            yield came.get(timeout=left_s)
        except queue.Empty:
            return
