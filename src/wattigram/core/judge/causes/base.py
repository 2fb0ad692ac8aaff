"""A failing signal with all that is known of it, and the register of testers."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Collection, Sequence
from functools import cached_property
from typing import Any

import msgspec
import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from wattigram.core.advise.findings import Finding, find_all
from wattigram.core.base.errors import RegisterError
from wattigram.core.capture.take import SignalSamples, Take
from wattigram.core.judge.causes.involved_peripherals import chain_owners, signal_owners
from wattigram.core.model.bench import FloatingInput
from wattigram.core.model.design import Chain, Scale, Signal, Workspace, rate_divisor, signal_scale
from wattigram.core.model.design.edits import Edit
from wattigram.core.predict.expected import (
    ExpectedStream,
    expected_filtered,
    expected_raw,
    expected_settled,
)
from wattigram.core.predict.pins import input_source
from wattigram.core.predict.timing import ScanTiming, scan_timing
from wattigram.core.silicon.registers import RegisterDifference, as_written, differences

FloatArray = NDArray[np.float64]
WEAKEST_FIT = 0.5
MOST_SAMPLES = 200_000
FEWEST_SAMPLES = 64
MOST_DIFFERENCES = 3
FIRMWARE_FIT = 0.9
"""Of a set-up that differs: it is certain that it does, and likely that this is why."""
BESIDE_DIFFERENCE = 0.8
"""At most, of a cause that fits just as well whether firmware differs or not."""
BETTER = 0.02
DIFFERS = "firmware-differs"
OF_WHAT_IS_WANTED = frozenset(
    {"level-out-of-reach", "table-not-codes", "table-wraps", "table-clips"}
)
"""Mistakes in values that a design asks for; no register makes them, though it may look so."""
OTHERWISE_NAMED = {
    "startup-calibrate": "not-calibrated",
    "pin-floats": "floating-pin",
    "pin-not-wired": "floating-pin",
    "alignment-read": "wrong-alignment",
}
"""Causes that have another name than the finding that tells them beforehand."""


class LikelyCause(msgspec.Struct, frozen=True):
    """A mistake that would look like this.

    Attributes
    ----------
    fit : float, 0 to 1
        Share of what is wrong that the cause accounts for.
    converter : str
        The converter that it concerns as a whole; "" where it concerns the signal alone.
    """

    signal: str
    cause: str
    title: str
    fit: float
    evidence: str
    remedy: Edit | None = None
    converter: str = ""
    fix: str = ""
    """What the remedy changes, for people."""
    others: tuple[str, ...] = ()
    """Further signals that the same cause concerns."""

    @property
    def signals(self) -> tuple[str, ...]:
        """All signals that it concerns."""
        return (self.signal, *self.others)

    @property
    def about(self) -> str:
        """What it concerns, for people."""
        return self.converter or ", ".join(self.signals)


def first_values(take: Take, name: str) -> SignalSamples | None:
    """The first values of a signal's stage, as many as some multiple of :data:`MOST_SAMPLES` gives;
    None without one."""
    stage = take.workspace.project.signal(name).later_filter
    each = rate_divisor(stage) if stage is not None else 1
    most = min(MOST_SAMPLES, max(FEWEST_SAMPLES, 4 * MOST_SAMPLES // each))
    return take.head(name, most, reduced=True)


class FailingSignal:
    """One failing signal; all in volts at the pin. Data are fetched when a tester asks for them."""

    def __init__(
        self,
        take: Take,
        chain: Chain,
        signal: Signal,
        findings: tuple[Finding, ...],
        kinds: Collection[str],
    ) -> None:
        self.take = take
        self.chain = chain
        self.signal = signal
        self._findings = findings
        self.kinds = kinds
        """Of the expectations on it that fail."""

    @cached_property
    def stream(self) -> int:
        """Number of the converter's stream."""
        return self.take.workspace.project.chains.index(self.chain)

    @cached_property
    def cycle(self) -> ScanTiming:
        """The chain's timing."""
        return scan_timing(self.take.workspace, self.chain)

    @cached_property
    def scale(self) -> Scale:
        """The signal's transfer as the program reads it."""
        return signal_scale(self.take.workspace, self.chain, self.signal.name)

    @cached_property
    def floats(self) -> bool:
        """By the design's own bench nothing drives its pin."""
        workspace = self.take.workspace
        wiring = workspace.wiring(self.signal.pin)
        return wiring is not None and isinstance(
            input_source(workspace, self.signal.pin), FloatingInput
        )

    @cached_property
    def gain(self) -> float:
        """Of the front end."""
        return float(self.signal.scaling)

    @cached_property
    def first_items(self) -> NDArray[Any]:
        """The converter's results as they lay in memory, from the first that was recorded, (items,) unsigned."""
        first = self.take.first_item(self.stream)
        return self.take.items(self.stream, first, first + MOST_SAMPLES)

    @cached_property
    def captured(self) -> SignalSamples | None:
        """The first raw samples, where there are enough of them to say anything."""
        samples = self.take.head(self.signal.name, MOST_SAMPLES)
        return samples if samples is not None and samples.count >= FEWEST_SAMPLES else None

    @cached_property
    def expected(self) -> ExpectedStream:
        """What was expected of the same cycles."""
        assert self.captured is not None
        first = int(self.captured.cycles[0])
        end = min(int(self.captured.cycles[-1]) + 1, first + MOST_SAMPLES)
        instants = self.take.instants(self.chain, first, end)
        return expected_raw(
            self.take.history, self.chain.converter, self.signal.name, first, end, instants
        )

    @cached_property
    def _count(self) -> int:
        assert self.captured is not None
        return min(len(self.expected.settled_v), len(self.captured.volts))

    @cached_property
    def valid(self) -> NDArray[np.bool_]:
        """Which of the compared samples really came.

        (samples,) bool.
        """
        assert self.captured is not None
        return self.captured.valid[: self._count]

    @cached_property
    def measured_v(self) -> FloatArray:
        assert self.captured is not None
        return np.asarray(self.captured.volts[: self._count][self.valid] * self.gain)

    @cached_property
    def settled_v(self) -> FloatArray:
        return np.asarray(self.expected.settled_v[: self._count][self.valid] * self.gain)

    @cached_property
    def times_s(self) -> FloatArray:
        assert self.captured is not None
        return np.asarray(self.captured.times_s[: self._count][self.valid])

    @cached_property
    def is_reading(self) -> bool:
        """Values are what the converter can read: items beyond its range are read otherwise,
        whatever drives the pin."""
        scale = self.scale
        low_v, high_v = (
            (scale.lowest_code - 1) * scale.lsb_v,
            (scale.highest_code + 1) * scale.lsb_v,
        )
        return bool(
            self.measured_v.min(initial=0.0) >= low_v and self.measured_v.max(initial=0.0) <= high_v
        )

    @cached_property
    def is_off(self) -> bool:
        """Something is wrong with the samples that noise does not explain."""
        if self.captured is None:
            return False
        off = np.abs(self.measured_v - self.settled_v)
        return float(np.mean(off > self.expected.half_width_v * self.gain)) > 0.01

    def due_after_stage(self, count: int) -> FloatArray:
        """Volts at the pin due of the first ``count`` values after the reduce stage, wherever that
        is.

        (count,) float64.
        """
        name, converter = self.signal.name, self.chain.converter
        stage = self.signal.later_filter
        since = self.take.first_sample(name, reduced=stage is not None)
        each, places = (
            rate_divisor(stage) if stage is not None else 1,
            len(self.chain.places_of(name)),
        )
        first, end = since * each // places, -(-(since + count) * each // places)
        instants = self.take.instants(self.chain, first, end)
        history = self.take.history
        if stage is not None:
            due = expected_filtered(history, converter, name, since, since + count, instants)
            return due.settled_v * self.gain
        settled = expected_settled(history, converter, name, first, end, instants)
        return settled[since - first * places :][:count] * self.gain

    def finding(self, code: str) -> Finding | None:
        """The design's own finding of that code that concerns this signal."""
        for finding in self._findings:
            is_own = finding.signal in {"", self.signal.name} and finding.converter in {
                "",
                self.chain.converter,
            }
            if finding.code == code and is_own:
                return finding
        return None

    def about(self, signal: str, code: str) -> Finding | None:
        """The design's own finding of that code on another signal."""
        return next(
            (
                finding
                for finding in self._findings
                if finding.code == code and finding.signal == signal
            ),
            None,
        )

    def of_chain(self, code: str) -> Finding | None:
        """The same for the whole converter, whichever of its signals is named."""
        return next(
            (
                finding
                for finding in self._findings
                if finding.code == code and finding.converter == self.chain.converter
            ),
            None,
        )

    def remedy(self, code: str) -> Edit | None:
        """The cure that the design's own findings offer."""
        finding = self.finding(code)
        return finding.remedy if finding is not None else None

    def cause(
        self,
        code: str,
        title: str,
        fit: float,
        evidence: str,
        remedy: Edit | None,
        whole: bool = False,
    ) -> LikelyCause:
        """A cause of this case."""
        fit = float(min(1.0, max(0.0, fit)))
        converter = self.chain.converter if whole else ""
        return LikelyCause(self.signal.name, code, title, fit, evidence, remedy, converter)


Tester = Callable[[FailingSignal], LikelyCause | None]


class CauseTest(msgspec.Struct, frozen=True):
    """A test for likely causes, with the codes of those that it may give."""

    test: Tester
    codes: tuple[str, ...]


_TESTS: dict[str, list[CauseTest]] = {}
"""Tests by the module that they stand in."""


def register_cause(*codes: str) -> Callable[[Tester], Tester]:
    """Register a test with the codes of what it may give; scripts know those, so they never change."""

    def register(test: Tester) -> Tester:
        _TESTS.setdefault(test.__module__, []).append(CauseTest(test, codes))
        return test

    return register


def cause_tests() -> tuple[CauseTest, ...]:
    """All tests; causes that fit equally well come in this order."""
    return tuple(test for module in _ORDER for test in _TESTS[f"{__package__}.{module}"])


_ORDER = (
    "own_code",
    "settling",
    "expectations_and_costs",
    "events",
    "loopback",
    "levels",
    "item_format",
    "rates",
    "missing_samples",
    "stages",
)


def never_converted(take: Take, signal: str) -> list[LikelyCause]:
    """A signal that is expected and in no slot: there is nothing to be judged, and that is why."""
    for finding in find_all(take.workspace):
        if finding.code == "signal-not-converted" and finding.signal == signal:
            return [
                LikelyCause(
                    signal, finding.code, finding.title, 1.0, finding.message, finding.remedy
                )
            ]
    return []


def likely_causes(take: Take, signal: str, kinds: Collection[str]) -> list[LikelyCause]:
    """Causes for one signal of which expectations of these kinds fail, the best fit first; empty
    where nothing fits.

    Where the board told what its firmware set up, mistakes of the firmware are looked for as those
    of a design are.
    """
    causes = _of_design(take, signal, kinds)
    if register_differences(take):
        real = _firmware(take)[1]
        causes = _with_firmware(take, real, causes, _of_firmware(take, real, signal, kinds))
    return sorted(causes, key=lambda cause: -cause.fit)


def _with_firmware(
    take: Take, real: Workspace | None, of_design: list[LikelyCause], of_firmware: list[LikelyCause]
) -> list[LikelyCause]:
    """Causes in the design and in what its firmware made of it, together.

    Where firmware is known to differ, what only looks like a mistake is less likely than it was.
    """
    meant, made = _mistakes(take.workspace), _mistakes(real) if real is not None else set()
    differs = any(cause.cause == DIFFERS for cause in of_firmware)
    before = {cause.cause: cause for cause in of_design}
    causes: list[LikelyCause] = []
    for cause in of_firmware:
        earlier = before.get(cause.cause)
        fits_better = earlier is None or cause.fit > earlier.fit + BETTER
        if cause.cause not in meant and (fits_better or cause.cause in made):
            before.pop(cause.cause, None)
            is_known = (
                cause.cause in made and cause.cause not in OF_WHAT_IS_WANTED
            ) or cause.cause == DIFFERS
            causes.append(cause if is_known else at_most(cause, BESIDE_DIFFERENCE))
    for cause in before.values():
        is_guess = differs and cause.cause not in meant
        causes.append(at_most(cause, BESIDE_DIFFERENCE) if is_guess else cause)
    return causes


def at_most(cause: LikelyCause, fit: float) -> LikelyCause:
    """The cause with no better a fit than this."""
    return replace(cause, fit=min(cause.fit, fit))


def _mistakes(workspace: Workspace) -> set[str]:
    """Causes that a design has, as its own findings know them."""
    codes = {finding.code for finding in find_all(workspace)}
    return codes | {OTHERWISE_NAMED[code] for code in codes if code in OTHERWISE_NAMED}


def _of_design(take: Take, signal: str, kinds: Collection[str]) -> list[LikelyCause]:
    chain = take.workspace.project.chain_of(signal)
    if chain is None:
        return []
    case = FailingSignal(
        take, chain, take.workspace.project.signal(signal), find_all(take.workspace), kinds
    )
    return [
        cause
        for known in cause_tests()
        if (cause := known.test(case)) is not None and cause.fit >= WEAKEST_FIT
    ]


def register_differences(take: Take) -> tuple[RegisterDifference, ...]:
    """What the board's firmware set up otherwise than the take's design; empty where nobody watched
    it."""
    return _firmware(take)[0]


def _firmware(take: Take) -> tuple[tuple[RegisterDifference, ...], Workspace | None]:
    """Differences, and the design that the board really has where there are any; worked out once
    for a take."""
    writes, workspace = take.register_writes, take.workspace
    if not writes:
        return (), None
    pointings = take.pointings
    key = _firmware, writes, tuple(pointings.items())

    def make() -> tuple[tuple[RegisterDifference, ...], Workspace | None]:
        differing: tuple[RegisterDifference, ...] = ()
        real = None
        with contextlib.suppress(RegisterError):  # what cannot be told is left out
            differing = differences(workspace, writes, pointings)
            real = as_written(workspace, writes, pointings) if differing else None
        return differing, real

    return workspace.known.answer(key, make)


def _of_firmware(
    take: Take, real: Workspace | None, signal: str, kinds: Collection[str]
) -> list[LikelyCause]:
    """Causes in the design that the board really has, where any does that; they are mended in the
    firmware."""
    chain = take.workspace.project.chain_of(signal)
    of_chain = chain_owners(chain) if chain is not None else set()
    owners = of_chain | signal_owners(take.workspace, signal)
    listed = register_differences(take)
    said = _said([one for one in listed if one.owner in owners] or listed)
    causes = [
        replace(
            cause,
            evidence=f"{cause.evidence.rstrip('.')}. The firmware on the board differs from the "
            f"design: {said}.",
            remedy=None,
        )
        for cause in (_of_design(take.as_of(real), signal, kinds) if real is not None else ())
    ]
    about_chain = chain is not None and any(one.owner in of_chain for one in listed)
    differing = difference_cause(
        take, signal, owners, chain.converter if chain is not None and about_chain else ""
    )
    return [*causes, differing] if differing is not None else causes


def difference_cause(
    take: Take, subject: str, owners: set[str], converter: str = ""
) -> LikelyCause | None:
    """That firmware sets up some of these peripherals otherwise than the design; None where it does
    not."""
    about = [
        register_difference
        for register_difference in register_differences(take)
        if register_difference.owner in owners
    ]
    if not about:
        return None
    title = f"The firmware sets up {converter or about[0].owner} otherwise than the design"
    return LikelyCause(subject, DIFFERS, title, FIRMWARE_FIT, _said(about), None, converter)


def _said(differing: Sequence[RegisterDifference]) -> str:
    return "; ".join(one.text for one in differing[:MOST_DIFFERENCES])
