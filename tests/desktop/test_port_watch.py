"""Waiting for a device that went away."""

from __future__ import annotations

from pathlib import Path

import pytest
from pytestqt.qtbot import QtBot

from tests.patience import PATIENCE_MS
from wattigram.desktop.controllers import reconnect
from wattigram.desktop.controllers.reconnect import PortWatch


@pytest.fixture(autouse=True)
def quick(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(reconnect, "LOOK_MS", 10)


@pytest.fixture
def device(tmp_path: Path) -> Path:
    path = tmp_path / "ttyBoard"
    path.touch()
    return path


def test_a_device_that_comes_back_is_told(qtbot: QtBot, device: Path) -> None:
    watch = PortWatch()
    watch.note(f"serial:{device}@9600")
    device.unlink()
    watch.wait()
    assert watch.is_waiting
    with qtbot.waitSignal(watch.returned, timeout=PATIENCE_MS):
        device.touch()
    assert not watch.is_waiting


def test_another_device_of_the_name_is_a_return_too(
    qtbot: QtBot, device: Path, tmp_path: Path
) -> None:
    watch = PortWatch()
    watch.note(f"serial:{device}")
    (tmp_path / "other").touch()
    (tmp_path / "other").replace(device)  # it was never seen to be gone
    with qtbot.waitSignal(watch.returned, timeout=PATIENCE_MS):
        watch.wait()


def test_a_device_that_stays_is_not_waited_for_in_vain(qtbot: QtBot, device: Path) -> None:
    watch = PortWatch()
    watch.note(f"serial:{device}@9600")
    watch.wait()
    with qtbot.assertNotEmitted(watch.returned, wait=100):
        pass
    watch.stop()
    assert not watch.is_waiting


@pytest.mark.parametrize(
    "address", ["virtual", "tcp:127.0.0.1:1", "serial:/nowhere/tty@9600", "serial:", "serial:\0@1"]
)
def test_what_was_no_device_is_not_waited_for(qtbot: QtBot, address: str) -> None:
    watch = PortWatch()
    watch.note(address)
    watch.wait()
    assert not watch.is_waiting


def test_a_port_that_never_opens_is_given_up(qtbot: QtBot, device: Path) -> None:
    watch = PortWatch()
    watch.note(f"serial:{device}")
    returns = 0

    def fail_again() -> None:
        nonlocal returns
        returns += 1
        watch.wait()

    watch.returned.connect(fail_again)
    device.unlink()
    watch.wait()
    device.touch()
    qtbot.waitUntil(lambda: returns == reconnect.TRIES, timeout=PATIENCE_MS)
    qtbot.wait(60)
    assert returns == reconnect.TRIES
    assert not watch.is_waiting
    watch.note(f"serial:{device}")  # somebody connects by hand: the tries begin anew
    device.unlink()
    watch.wait()
    assert watch.is_waiting
    watch.stop()
