"""What all tests share: the demo project, takes made once, and a guard against things left
alive."""

from __future__ import annotations

import contextlib
import os
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from tests.paths import KILN
from tests.patience import PATIENCE_S
from wattigram.core.capture.session import record_run
from wattigram.core.capture.take import Take, open_take
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.design.edits import Edit, SetSampling, apply_edit
from wattigram.core.model.part import copy_part

pytest_plugins = ["tests.debug_server"]

# Boards are processes of their own, started by the thousand: they read compiled code, kept out of the tree.
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
os.environ["PYTHONPYCACHEPREFIX"] = str(Path(__file__).parents[1] / ".pytest_cache" / "bytecode")
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
# How long a case takes is the machine's business, not a fault of the case.
settings.register_profile(
    "any machine", deadline=None, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("any machine")
os.environ["WATTIGRAM_STATE"] = tempfile.mkdtemp(prefix="wattigram-state-")
CURE = SetSampling("ADC 1", 2, 384, "Door latch")


@pytest.fixture(scope="session")
def kiln_path() -> Path:
    return KILN


@pytest.fixture(scope="session")
def kiln() -> Workspace:
    return open_workspace(KILN)


@pytest.fixture
def own_part(tmp_path: Path) -> Path:
    """A project on a part file of its own that lies beside it."""
    folder = tmp_path / "own"
    folder.mkdir()
    copy_part("marten-m3", folder / "mine.toml", "Mine")
    path = folder / "kiln.wattigram.toml"
    path.write_text(KILN.read_text().replace('part = "marten-m3"', 'part = "mine.toml"', 1))
    return path


@pytest.fixture(scope="session")
def cured(kiln: Workspace) -> Workspace:
    return apply_edit(kiln, CURE)


def edited(workspace: Workspace, *edits: Edit) -> Workspace:
    """A workspace after some edits."""
    for edit in edits:
        workspace = apply_edit(workspace, edit)
    return workspace


@pytest.fixture(scope="session")
def take_of(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Callable[..., Take]]:
    """Records a take of a workspace on the virtual board; the same one for the same design."""
    folder = tmp_path_factory.mktemp("takes")
    made: dict[str, Take] = {}

    def take(workspace: Workspace, seconds: float = 2.5) -> Take:
        key = f"{workspace.project!r} {seconds}"
        if key not in made:
            path = folder / f"{len(made)}.h5"
            record_run(workspace, seconds, path, fast=True)
            made[key] = open_take(path)
        return made[key]

    yield take
    for opened in made.values():
        opened.close()


def child_processes() -> set[str]:
    """Process numbers of this process's children."""
    found = set()
    for task in Path("/proc/self/task").iterdir():
        with contextlib.suppress(FileNotFoundError):  # a thread that has just ended
            found |= set((task / "children").read_text().split())
    return found


@pytest.fixture(autouse=True)
def nothing_left_alive() -> Iterator[None]:
    """No test may leave a thread or a process behind."""
    threads, children = set(threading.enumerate()), child_processes()
    yield
    deadline = time.monotonic() + PATIENCE_S
    while time.monotonic() < deadline:
        new_threads = [
            thread
            for thread in set(threading.enumerate()) - threads
            if not thread.name.startswith("Dummy")
        ]
        new_children = child_processes() - children
        if not new_threads and not new_children:
            return
        threading.Event().wait(0.01)
    assert not new_threads
    assert not new_children
