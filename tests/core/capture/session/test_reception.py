"""What comes over a link, sorted: also what comes twice, too early or with a number that cannot
be."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from wattigram.core.capture.session.stream_receiver import StreamReceiver
from wattigram.core.capture.take import Take, TakeWriter, open_take
from wattigram.core.contract.link import FLAG_FIRST, FrameType, encode_frame
from wattigram.core.model.design import Workspace, project_text

HALF = 256


class Board:
    """Frames of one stream, as careless firmware may send them."""

    def __init__(self) -> None:
        self.sequence = 0

    def half(self, first: int, ticks: int, value: int = 0, count: int = HALF) -> bytes:
        flags = FLAG_FIRST if first == 0 else 0
        items = np.full(count, value, dtype="<u2").tobytes()
        return self._frame(
            FrameType.SAMPLES,
            items,
            first=first % (1 << 64),
            ticks=ticks,
            flags=flags,
            item_bytes=2,
        )

    def say(self, text: str, kind: FrameType = FrameType.LOG) -> bytes:
        return self._frame(kind, text.encode())

    def _frame(self, kind: FrameType, payload: bytes, **more: int) -> bytes:
        frame = encode_frame(kind, payload, sequence=self.sequence, **more)
        self.sequence += 1
        return frame


@pytest.fixture
def board() -> Board:
    return Board()


@pytest.fixture
def reception(kiln: Workspace, tmp_path: Path) -> StreamReceiver:
    found = StreamReceiver(kiln)
    found.start_writing(
        TakeWriter(tmp_path / "t.h5", project_text(kiln.project), kiln.build_id, 96_000_000)
    )
    return found


def finished(reception: StreamReceiver) -> Take:
    writer = reception.finish_writing()
    assert writer is not None
    return open_take(writer.path)


def test_a_half_that_comes_again_is_passed_over_and_told_once(
    reception: StreamReceiver, board: Board
) -> None:
    for number in range(4):
        reception.feed(board.half(number * HALF, 1000 * number, value=1))
        reception.feed(board.half(number * HALF, 1000 * number + 5, value=2))
    assert reception.repeated == {0: 4 * HALF}
    assert [line for line in reception.log if "again" in line] == [
        "Stream 0 gave 256 samples again that had come before, from sample 0 on."
    ]
    with finished(reception) as take:
        assert take.item_count(0) == 4 * HALF
        assert set(take.items(0).tolist()) == {1}  # the first that came
        assert take.repeats["first"].tolist() == [0, HALF, 2 * HALF, 3 * HALF]
        assert take.repeated_items(0) == 4 * HALF
        assert take.lost_items(0) == 0


def test_of_a_run_that_overlaps_the_new_part_is_kept(
    reception: StreamReceiver, board: Board
) -> None:
    reception.feed(board.half(0, 0, value=1))
    reception.feed(board.half(HALF - 16, 1000, value=2))
    with finished(reception) as take:
        assert take.item_count(0) == 2 * HALF - 16
        assert take.items(0)[HALF - 1 : HALF + 1].tolist() == [1, 2]
        rows = take.frame_rows(0)
        assert (rows["first"].tolist(), rows["count"].tolist()) == ([0, HALF], [HALF, HALF - 16])
        assert take.repeated_items(0) == 16


@pytest.mark.parametrize("first", [-HALF, -1, -(1 << 62)])
def test_numbers_below_zero_belong_nowhere(
    reception: StreamReceiver, board: Board, first: int
) -> None:
    reception.feed(board.half(first, 0))
    reception.feed(board.half(0, 10, value=3))
    with finished(reception) as take:
        assert take.item_count(0) == HALF
        assert take.repeated_items(0) > 0


def test_numbers_that_no_board_could_come_to_are_counted_from_where_they_were(
    reception: StreamReceiver, board: Board
) -> None:
    """A handler that passes on the count of another converter; the take stays as small as what
    came."""
    far = 0
    for number in range(6):
        far += (1 << 32) * (number % 3 == 2)
        reception.feed(board.half(number * HALF + far, 1000 * number, value=number))
    reception.feed(board.say(f"stopped ticks=6000 items.0={6 * HALF + far}", FrameType.REPLY))
    assert sum("went from sample 512 to 4294967808" in line for line in reception.log) == 1
    with finished(reception) as take:
        assert take.item_count(0) == 6 * HALF
        assert take.lost_items(0) == 0
        assert take.items(0)[::HALF].tolist() == [0, 1, 2, 3, 4, 5]
        assert take.totals["jumps.0"] == 2


def test_a_single_number_that_cannot_be_changes_no_other(
    reception: StreamReceiver, board: Board
) -> None:
    for first in (0, 1 << 40, 2 * HALF, 4 * HALF):
        reception.feed(board.half(first, first % 1000))
    with finished(reception) as take:
        assert take.item_count(0) == 5 * HALF
        assert take.lost_items(0) == HALF


def test_a_long_loss_is_believed_where_there_was_time_for_it(
    reception: StreamReceiver, board: Board
) -> None:
    reception.feed(board.half(0, 0))
    reception.feed(board.half(50_000_000, 96_000_000))
    with finished(reception) as take:
        assert take.lost_items(0) == 50_000_000 - HALF
        assert "jumps.0" not in take.totals


def test_a_start_that_is_announced_is_no_repetition(
    reception: StreamReceiver, board: Board
) -> None:
    reception.feed(board.say("started build=x"))
    reception.feed(board.half(0, 100))
    reception.feed(board.say("started build=x"))
    reception.feed(board.half(0, 100))
    assert "started anew" in str(reception.writing_fault)
    assert reception.writer is None
    assert reception.samples == HALF  # the stream itself goes on


def test_time_that_goes_back_is_a_new_start(kiln: Workspace, board: Board) -> None:
    reception = StreamReceiver(kiln)
    for number in range(3):
        reception.feed(board.half(number * HALF, 1000 * number))
    reception.feed(board.half(HALF, 900))  # its first frame was lost
    assert reception.repeated == {}
    assert reception.rings[0].end == 2 * HALF


def test_a_first_start_is_no_new_one(reception: StreamReceiver, board: Board) -> None:
    reception.feed(board.say("started build=x"))
    reception.feed(board.half(0, 100))
    reception.feed(board.half(0, 100))
    assert reception.repeated == {0: HALF}


def test_older_takes_have_no_repeats(reception: StreamReceiver, board: Board) -> None:
    import h5py

    reception.feed(board.half(0, 0))
    path = finished(reception).path
    with h5py.File(path, "a") as file:
        del file["repeats"]
    with open_take(path) as take:
        assert len(take.repeats) == 0
        assert take.repeated_items(0) == 0


def test_a_stream_that_was_counted_and_never_came_may_come_after_all(
    kiln: Workspace, board: Board
) -> None:
    """The board said how much it had sent; whoever starts it again unheard begins at the first
    item."""
    reception = StreamReceiver(kiln)
    reception.feed(board.say("stopped ticks=5000 items.1=500", FrameType.REPLY))
    reception.feed(board.half(0, 10))
    run = encode_frame(
        FrameType.SAMPLES, bytes(20), stream=1, item_bytes=2, sequence=board.sequence, ticks=0
    )
    reception.feed(run)
    assert reception.repeated == {1: 10}
