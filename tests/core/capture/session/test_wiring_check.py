"""The wiring check, fed with pictures of a stream."""

from __future__ import annotations

import numpy as np

from tests.paths import EXAMPLES
from wattigram.core.capture.session import StreamPicture
from wattigram.core.capture.session.wiring_check import STEADY_LOOKS, WiringCheck, wiring_steps
from wattigram.core.model.design import open_workspace

RAMP = open_workspace(EXAMPLES / "kiln-ramp")


def pictures(**readings: float) -> dict[str, StreamPicture]:
    none = np.empty(0)
    names = {"power": "Power command", "heater": "Heater drive"}
    return {
        names[key]: StreamPicture(names[key], 0.0, 0.1, none, none, none, none, 0.0, None, volts)
        for key, volts in readings.items()
    }


def test_each_signal_is_grounded_and_tied_and_two_are_exchanged() -> None:
    steps = [(step.kind, step.pin) for step in wiring_steps(RAMP)]
    assert steps == [
        ("ground", "A2"),
        ("reference", "A2"),
        ("ground", "A0"),
        ("reference", "A0"),
        ("exchange", "A2"),
    ]
    differential = open_workspace(EXAMPLES / "kiln-safety")
    assert "Coil current" not in [step.signal for step in wiring_steps(differential)]


def test_it_goes_on_when_the_stream_shows_it_for_a_while() -> None:
    check = WiringCheck(RAMP)
    assert "ground" in check.note
    assert not check.look(pictures(power=1.2, heater=1.0))
    for _look in range(STEADY_LOOKS - 1):
        assert not check.look(pictures(power=0.001, heater=1.0))
    assert not check.look(pictures(power=0.5, heater=1.0))  # a touch does not count
    looks = [check.look(pictures(power=0.001, heater=1.0)) for _look in range(STEADY_LOOKS)]
    assert looks == [False] * (STEADY_LOOKS - 1) + [True]
    assert check.step is not None
    assert check.step.kind == "reference"
    for _look in range(STEADY_LOOKS):
        check.look(pictures(power=3.298, heater=1.0))
    assert check.outcomes == ["seen", "seen"]


def test_an_exchange_is_seen_in_both() -> None:
    check = WiringCheck(RAMP)
    for _step in range(4):
        check.skip()
    assert check.step is not None
    assert check.step.kind == "exchange"
    check.look(pictures(power=1.0, heater=1.01))  # alike: nothing can be told
    check.look(pictures(power=2.5, heater=0.5))
    for _look in range(STEADY_LOOKS - 1):
        assert not check.look(pictures(power=0.51, heater=2.49))
    assert check.look(pictures(power=0.51, heater=2.49))
    assert check.step is None
    assert "1 of 5" in check.note
    assert not check.look(pictures(power=0.0, heater=0.0))


def test_a_signal_that_is_not_there_is_waited_for() -> None:
    check = WiringCheck(RAMP)
    assert not check.look(pictures(heater=0.0))
    assert check.place == 0


def test_wires_may_be_exchanged_straight_after_the_steps_before() -> None:
    """Nobody puts the wire back from the reference first, only to take it off again."""
    check = WiringCheck(RAMP)
    own = {"power": 2.4, "heater": 0.6}
    check.look(pictures(**own))
    for readings in (
        {"power": 0.0, "heater": 0.6},
        {"power": 3.3, "heater": 0.6},
        {"power": 2.4, "heater": 0.0},
        {"power": 2.4, "heater": 3.3},
    ):
        for _look in range(STEADY_LOOKS):
            check.look(pictures(**readings))
    assert check.outcomes == ["seen"] * 4
    assert check.step is not None
    assert check.step.kind == "exchange"
    for _look in range(STEADY_LOOKS):
        check.look(pictures(power=0.6, heater=2.4))
    assert check.outcomes == ["seen"] * 5
