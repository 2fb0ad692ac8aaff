"""Takes as careless firmware leaves them: each is told by its cause, whatever compiler there is or
is not."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from numpy.typing import NDArray

from wattigram.core.capture.session.stream_receiver import StreamReceiver
from wattigram.core.capture.take import Take, TakeWriter, open_take
from wattigram.core.contract.link import EVENT_DTYPE, FAILED, FrameType, encode_frame, writes_text
from wattigram.core.judge import Proof, prove
from wattigram.core.judge.causes import likely_causes
from wattigram.core.model.design import Workspace, project_text
from wattigram.core.silicon.registers import DesignMemory, design_writes, placed, register_map

SECONDS = 2.5
HALF = 256


@dataclass(frozen=True)
class Portion:
    """One frame of one stream."""

    stream: int
    first: int
    ticks: int
    items: NDArray[Any]


Change = Callable[[list[Portion]], Iterator[Portion]]


def portions(take: Take) -> list[Portion]:
    """All frames of a take, as a board sent them."""
    found = []
    for stream in take.streams:
        items = take.items(stream)
        for row in take.frame_rows(stream):
            first, count = int(row["first"]), int(row["count"])
            found.append(Portion(stream, first, int(row["ticks"]), items[first : first + count]))
    return sorted(found, key=lambda one: (one.ticks, one.stream))


@pytest.fixture
def proof_of(
    cured: Workspace, take_of: Callable[..., Take], tmp_path: Path
) -> Callable[..., tuple[Proof, Take]]:
    """The proof of a good take after something was done to its frames; texts are what the board
    says besides."""

    def make(change: Change, *texts: str, totals: str = "") -> tuple[Proof, Take]:
        good = take_of(cured, SECONDS)
        reception = StreamReceiver(cured)
        path = tmp_path / f"{len(list(tmp_path.iterdir()))}.h5"
        reception.start_writing(
            TakeWriter(path, project_text(cured.project), cured.build_id, good.tick_hz)
        )
        sequence = 0
        counts = " ".join(
            f"{name}={count}"
            for name, count in good.totals.items()
            if not name.startswith("items.")
        )
        said = [(FrameType.LOG, text) for text in texts]
        for one in change(portions(good)):
            reception.feed(
                encode_frame(
                    FrameType.SAMPLES,
                    one.items.tobytes(),
                    stream=one.stream,
                    item_bytes=one.items.itemsize,
                    sequence=sequence,
                    ticks=one.ticks,
                    first=one.first,
                )
            )
            sequence += 1
        events = np.zeros(len(good.events), dtype=EVENT_DTYPE)
        for name in good.events.dtype.names or ():
            events[name] = good.events[name]
        reception.feed(
            encode_frame(
                FrameType.EVENTS,
                events.tobytes(),
                item_bytes=EVENT_DTYPE.itemsize,
                sequence=sequence,
            )
        )
        sequence += 1
        said.append((FrameType.REPLY, f"stopped {counts} {totals}".strip()))
        for kind, text in said:
            reception.feed(encode_frame(kind, text.encode(), sequence=sequence))
            sequence += 1
        reception.finish_writing()
        take = open_take(path)
        proof = prove(cured, take)
        take.close()
        return proof, take

    return make


def as_it_is(found: list[Portion]) -> Iterator[Portion]:
    yield from found


def first_cause(proof: Proof) -> tuple[str, str]:
    assert not proof.all_hold
    assert proof.causes, [verdict.note for verdict in proof.verdicts]
    return proof.causes[0].cause, proof.causes[0].evidence


def test_what_was_sent_well_holds(proof_of: Callable[..., tuple[Proof, Take]]) -> None:
    proof, _take = proof_of(as_it_is)
    assert proof.all_hold
    assert (proof.causes, proof.differences, proof.fault) == ((), (), "")


def test_halves_that_come_twice(proof_of: Callable[..., tuple[Proof, Take]]) -> None:
    def twice(found: list[Portion]) -> Iterator[Portion]:
        for one in found:
            yield one
            if one.stream == 0 and one.first % (2 * HALF) == 0:
                yield one

    proof, _take = proof_of(twice)
    cause, evidence = first_cause(proof)
    assert cause == "sent-again"
    assert "100 % of them in portions of 256" in evidence
    rate = next(verdict for verdict in proof.verdicts if verdict.kind == "rate")
    assert "samples came again" in rate.note


@pytest.mark.parametrize(("half", "word"), [(0, "first"), (1, "second")])
def test_halves_that_never_come(
    half: int, word: str, proof_of: Callable[..., tuple[Proof, Take]]
) -> None:
    def without(found: list[Portion]) -> Iterator[Portion]:
        return (one for one in found if one.stream != 0 or one.first // HALF % 2 != half)

    proof, _take = proof_of(without)
    cause, evidence = first_cause(proof)
    assert cause == "half-not-served"
    assert f"the {word} halves" in evidence


def test_losses_at_random_are_no_forgotten_half(
    proof_of: Callable[..., tuple[Proof, Take]],
) -> None:
    rng = np.random.default_rng(3)
    proof, _take = proof_of(
        lambda found: (one for one in found if one.stream != 0 or rng.random() > 0.2)
    )
    assert not proof.all_hold
    assert all(cause.cause != "half-not-served" or cause.fit < 0.8 for cause in proof.causes)


def test_nothing_of_a_converter(proof_of: Callable[..., tuple[Proof, Take]]) -> None:
    proof, _take = proof_of(
        lambda found: (one for one in found if one.stream not in {1, 64 + 1, 130})
    )
    cause, evidence = first_cause(proof)
    assert cause == "never-sent"
    assert "25000 were due; it converted 25000 times" in evidence
    twin = next(verdict for verdict in proof.verdicts if verdict.kind == "redundant-pair")
    assert (twin.outcome, twin.note) == ("fails", "none of 25000 values came of Upper zone, twin")


def test_instants_that_stand_still(proof_of: Callable[..., tuple[Proof, Take]]) -> None:
    proof, _take = proof_of(
        lambda found: (
            Portion(one.stream, one.first, 0, one.items) if one.stream == 0 else one
            for one in found
        )
    )
    cause, evidence = first_cause(proof)
    assert cause == "frame-times"
    assert "no time passes" in evidence


def test_instants_in_another_unit(proof_of: Callable[..., tuple[Proof, Take]]) -> None:
    """A port that counts microseconds where ticks of the clock are meant."""
    proof, _take = proof_of(
        lambda found: (
            Portion(one.stream, one.first, one.ticks // 96, one.items) if one.stream == 0 else one
            for one in found
        )
    )
    cause, evidence = first_cause(proof)
    assert cause == "frame-times"
    assert "960 kHz" in evidence


def test_a_stage_that_gives_nothing(proof_of: Callable[..., tuple[Proof, Take]]) -> None:
    proof, _take = proof_of(lambda found: (one for one in found if one.stream != 128))
    causes = {cause.cause: cause for cause in proof.causes}
    assert proof.count("fails")  # without its mean the twin scatters more than it may
    assert causes["stage-not-served"].signal == "Upper zone"


def test_firmware_that_failed_holds_nothing(proof_of: Callable[..., tuple[Proof, Take]]) -> None:
    said = f"{FAILED}: the program reads from an address where there is nothing: own.c:7 in wg_on_start() at 0x08000100."
    proof, _take = proof_of(as_it_is, said, totals="fault=1")
    assert proof.count("fails") == 0
    assert first_cause(proof) == ("firmware-failed", said)
    assert proof.fault == said


def test_registers_that_differ_are_told_though_all_holds(
    proof_of: Callable[..., tuple[Proof, Take]], cured: Workspace
) -> None:
    writes = placed(design_writes(cured), DesignMemory(cured).address_of)
    proof, _take = proof_of(as_it_is, *writes_text(writes))
    assert proof.differences == ()
    pace = register_map(cured.part).find("ADC 2", "divider").address
    other = [(address, bits, 1 if address == pace else value) for address, bits, value in writes]
    proof, _take = proof_of(as_it_is, *writes_text(other))
    assert proof.differences == ("ADC 2 PACE.CUT is 1 (divider 2), the design's is 2 (divider 3)",)
    assert proof.all_hold
    assert proof.causes == ()


def test_a_take_too_short_to_tell_blames_no_instants(
    proof_of: Callable[..., tuple[Proof, Take]], cured: Workspace
) -> None:
    """Of a few cycles, one more or less is much; that is no wrong clock."""

    def beginning(found: list[Portion]) -> Iterator[Portion]:
        return (one for one in found if one.ticks < 1_000_000)

    _proof, take = proof_of(beginning, totals="ticks=1200000")
    with open_take(take.path) as again:
        assert again.chain_cycles(cured.project.chains[0]) < 200
        codes = {
            cause.cause
            for signal in cured.project.signals
            for cause in likely_causes(again, signal.name, {"level", "rate"})
        }
    assert "frame-times" not in codes
