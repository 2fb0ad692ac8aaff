"""A wiring check for real boards: ground each input, tie each to the reference, exchange two; the
stream tells."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

import msgspec

from wattigram.core.capture.session.snapshot import StreamPicture
from wattigram.core.model.design import Workspace
from wattigram.core.predict.expected import band_half_width_v

NEAR_SHARE = 0.01
"""Of full scale: so near to ground or reference counts as there, whatever the accuracy."""
STEADY_LOOKS = 3
"""So many looks in a row must agree."""

Kind = Literal["ground", "reference", "exchange"]


class WiringStep(msgspec.Struct, frozen=True):
    """Something to do with a wire.

    Attributes
    ----------
    other : str
        The signal that it is exchanged with; "" otherwise.
    """

    kind: Kind
    signal: str
    pin: str
    other: str = ""
    other_pin: str = ""

    @property
    def text(self) -> str:
        """What to do, as a sentence."""
        match self.kind:
            case "ground":
                return f"Connect pin {self.pin} ({self.signal}) to ground."
            case "reference":
                return f"Connect pin {self.pin} ({self.signal}) to the reference."
            case "exchange":
                return f"Exchange the wires of pins {self.pin} ({self.signal}) and {self.other_pin} ({self.other})."


def wiring_steps(workspace: Workspace) -> tuple[WiringStep, ...]:
    """Ground and reference for each signal on a pin of its own, then two neighbours exchanged."""
    project = workspace.project
    signals = [
        signal
        for signal in project.signals
        if signal.negative is None
        and signal.pin[0].isupper()
        and project.chain_of(signal.name) is not None
    ]
    steps: list[WiringStep] = []
    for signal in signals:
        steps += [
            WiringStep("ground", signal.name, signal.pin),
            WiringStep("reference", signal.name, signal.pin),
        ]
    if len(signals) > 1:
        first, second = signals[0], signals[1]
        steps.append(WiringStep("exchange", first.name, first.pin, second.name, second.pin))
    return tuple(steps)


class WiringCheck:
    """Goes through the steps as the stream shows that each was done."""

    def __init__(self, workspace: Workspace) -> None:
        self._workspace = workspace
        self.steps = wiring_steps(workspace)
        self.place = 0
        self.outcomes: list[Literal["seen", "skipped"]] = []
        self._agreed = 0
        self._before: dict[str, float] = {}
        self._own: dict[str, float] = {}
        """What each signal read before anything was done: its own source."""

    @property
    def step(self) -> WiringStep | None:
        """What is to be done now; None at the end."""
        return self.steps[self.place] if self.place < len(self.steps) else None

    @property
    def note(self) -> str:
        """What is to be done, and how far it has got."""
        step = self.step
        if step is None:
            seen = self.outcomes.count("seen")
            return f"The wiring check is done: {seen} of {len(self.steps)} steps were seen in the stream."
        return f"Step {self.place + 1} of {len(self.steps)}: {step.text}"

    def skip(self) -> None:
        """Go on without having seen it."""
        if self.step is not None:
            self._advance("skipped")

    def look(self, pictures: Mapping[str, StreamPicture]) -> bool:
        """Look at what came; whether this made a step done."""
        step = self.step
        for name in pictures:
            if not self.outcomes and self._agreed == 0 and name not in self._own:
                self._own[name] = self._at_pin(name, pictures)
        if step is None or step.signal not in pictures:
            return False
        self._agreed = self._agreed + 1 if self._is_done(step, pictures) else 0
        if self._agreed < STEADY_LOOKS:
            return False
        self._advance("seen")
        return True

    def _advance(self, outcome: Literal["seen", "skipped"]) -> None:
        self.outcomes.append(outcome)
        self.place += 1
        self._agreed = 0
        self._before = {}

    def _is_done(self, step: WiringStep, pictures: Mapping[str, StreamPicture]) -> bool:
        reading = self._at_pin(step.signal, pictures)
        full_v = self._workspace.reference_v
        near_v = max(NEAR_SHARE * full_v, self._band_v(step.signal))
        match step.kind:
            case "ground":
                return abs(reading) <= near_v
            case "reference":
                return abs(reading - full_v) <= near_v
            case "exchange":
                if step.other not in pictures:
                    return False
                other = self._at_pin(step.other, pictures)
                if not self._before:
                    self._before = {step.signal: reading, step.other: other}
                # The step before left a wire at the reference: what counts then is what both read
                # at the beginning.
                bases = [
                    base
                    for base in (self._before, self._own)
                    if {step.signal, step.other} <= base.keys()
                ]
                if any(self._crossed(step, base, reading, other, near_v) for base in bases):
                    return True
                if abs(self._before[step.signal] - self._before[step.other]) < 4 * near_v:
                    # Two wires that carry the same cannot be told apart: wait until they do not.
                    self._before = {}
                return False

    @staticmethod
    def _crossed(
        step: WiringStep, base: Mapping[str, float], reading: float, other: float, near_v: float
    ) -> bool:
        apart = abs(base[step.signal] - base[step.other])
        if apart < 4 * near_v:
            return False
        return abs(reading - base[step.other]) + abs(other - base[step.signal]) < apart / 2

    def _at_pin(self, name: str, pictures: Mapping[str, StreamPicture]) -> float:
        return self._workspace.project.signal(name).at_pin(pictures[name].reading_v)

    def _band_v(self, name: str) -> float:
        chain = self._workspace.project.chain_of(name)
        assert chain is not None
        return self._workspace.project.signal(name).at_pin(
            band_half_width_v(self._workspace, chain, name, reduced=False)
        )
