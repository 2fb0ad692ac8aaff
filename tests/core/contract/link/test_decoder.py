from __future__ import annotations

import random

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from wattigram.core.base.errors import LinkError
from wattigram.core.capture.transport import Decoder, SampleRun, open_transport
from wattigram.core.contract.link import (
    FLAG_FIRST,
    Frame,
    FrameType,
    Identity,
    encode_frame,
    parse_identity,
)
from wattigram.core.contract.link.frame import (
    HEADER_BYTES,
    LARGEST_PAYLOAD_BYTES,
    OVERHEAD_BYTES,
    SYNC,
)


def sample_frame(
    sequence: int, stream: int, first: int, items: np.ndarray, flags: int = 0
) -> bytes:
    return encode_frame(
        FrameType.SAMPLES,
        items.tobytes(),
        stream=stream,
        item_bytes=items.dtype.itemsize,
        flags=flags,
        sequence=sequence,
        ticks=first * 100,
        first=first,
    )


def traffic(seed: int, frames: int = 40) -> tuple[list[bytes], dict[int, np.ndarray], list[str]]:
    """Frames of three streams, two of them of equal length, with text between; and what they
    hold."""
    rng = random.Random(seed)
    numbers = np.random.default_rng(seed)
    out: list[bytes] = []
    held: dict[int, list[np.ndarray]] = {0: [], 1: [], 130: []}
    texts: list[str] = []
    for sequence in range(frames):
        stream = rng.choice([0, 0, 1, 130, -1])
        if stream < 0:
            texts.append(f"line {sequence}")
            out.append(encode_frame(FrameType.LOG, texts[-1].encode(), sequence=sequence))
            continue
        dtype = "<u4" if stream == 130 else "<u2"
        items = numbers.integers(0, 4096, 16 if stream else 64).astype(dtype)
        first = sum(len(part) for part in held[stream])
        held[stream].append(items)
        out.append(sample_frame(sequence, stream, first, items, FLAG_FIRST if first == 0 else 0))
    return out, {stream: np.concatenate(parts) for stream, parts in held.items() if parts}, texts


def gather(
    decoder: Decoder, data: bytes, cuts: list[int]
) -> tuple[dict[int, list[SampleRun]], list[str]]:
    runs: dict[int, list[SampleRun]] = {}
    texts: list[str] = []
    for begin, end in zip([0, *cuts], [*cuts, len(data)], strict=True):
        for found in decoder.feed(data[begin:end]):
            if isinstance(found, SampleRun):
                runs.setdefault(found.stream, []).append(found)
            else:
                texts.append(found.text)
    return runs, texts


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 10**6), st.data())
def test_encode_then_decode_is_identity_however_it_is_cut(seed: int, data: st.DataObject) -> None:
    frames, held, texts = traffic(seed)
    stream = b"".join(frames)
    cuts = sorted(data.draw(st.lists(st.integers(0, len(stream)), max_size=12)))
    decoder = Decoder()
    runs, seen = gather(decoder, stream, cuts)
    assert seen == texts
    for number, items in held.items():
        assert np.array_equal(np.concatenate([run.items for run in runs[number]]), items)
    stats = decoder.stats
    assert (stats.frames, stats.frames_lost, stats.bytes_skipped, stats.items_lost) == (
        len(frames),
        0,
        0,
        {},
    )


def test_one_byte_at_a_time(kiln: object) -> None:
    frames, held, texts = traffic(5, 12)
    stream = b"".join(frames)
    runs, seen = gather(Decoder(), stream, list(range(1, len(stream))))
    assert seen == texts
    assert all(
        np.array_equal(np.concatenate([run.items for run in runs[number]]), held[number])
        for number in held
    )


@settings(max_examples=80, deadline=None)
@given(st.integers(0, 10**6))
def test_what_a_bad_line_loses_is_counted_exactly(seed: int) -> None:
    """Bytes flipped, dropped and put in: whatever survives is right, whatever does not is
    counted."""
    frames, held, _texts = traffic(seed, 60)
    rng = random.Random(seed)
    first, last = frames[:2], frames[-2:]
    spoilt = list(frames)
    for number in range(2, len(frames) - 2):
        body = bytearray(spoilt[number])
        action = rng.random()
        at = rng.randrange(len(body))
        if action < 0.08:
            body[at] ^= 1 << rng.randrange(8)
        elif action < 0.14:
            del body[at : at + rng.randint(1, 9)]
        elif action < 0.20:
            at += (
                at == HEADER_BYTES
            )  # an old header right before a payload of its length makes a sound frame
            body[at:at] = rng.choice(
                [
                    bytes(rng.randrange(256) for _ in range(5)),
                    SYNC,
                    SYNC + b"\x01",
                    frames[0][:HEADER_BYTES],
                ]
            )
        elif action < 0.23:
            body.clear()
        spoilt[number] = bytes(body)
    assert first == spoilt[:2]
    assert last == spoilt[-2:]
    decoder = Decoder()
    runs, _seen = gather(decoder, b"".join(spoilt), [])
    stats = decoder.stats
    assert stats.frames + stats.frames_lost == len(frames)
    for number, items in held.items():
        got = sum(len(run.items) for run in runs.get(number, []))
        for run in runs.get(number, []):
            assert np.array_equal(run.items, items[run.first : run.first + len(run.items)])
        end = max((run.first + len(run.items) for run in runs.get(number, [])), default=0)
        begin = min((run.first for run in runs.get(number, [])), default=0)
        lost_within = end - got - (0 if runs.get(number) and runs[number][0].restarted else begin)
        assert stats.items_lost.get(number, 0) == lost_within


@settings(max_examples=150, deadline=None)
@given(
    st.binary(max_size=600),
    st.lists(
        st.sampled_from([SYNC, SYNC[:2], b"\x01\x00\x02\x00", b"W", b"\xff" * 12]), max_size=30
    ),
)
def test_any_bytes_are_survived_and_a_frame_after_them_is_found(
    noise: bytes, parts: list[bytes]
) -> None:
    frame = encode_frame(FrameType.LOG, b"here", sequence=9)
    garbage = noise + b"".join(parts)
    decoder = Decoder()
    found = decoder.feed(garbage + frame + frame)
    assert [item.text for item in found if isinstance(item, Frame)][-1:] == ["here"]
    assert decoder.stats.bytes_skipped >= len(garbage) - OVERHEAD_BYTES if not found else True


def test_garbage_made_of_sync_words_takes_bounded_work() -> None:
    decoder = Decoder()
    data = SYNC * 50_000
    decoder.feed(data)
    assert decoder.stats.bytes_skipped > len(data) - HEADER_BYTES - 4
    assert len(decoder._kept) < HEADER_BYTES + 4


def test_a_header_that_promises_too_much_is_not_waited_for() -> None:
    whole = bytearray(encode_frame(FrameType.LOG, b"x" * 10))
    whole[12:16] = (LARGEST_PAYLOAD_BYTES + 1).to_bytes(4, "little")
    decoder = Decoder()
    assert decoder.feed(bytes(whole) + encode_frame(FrameType.LOG, b"next"))
    assert decoder.stats.frames == 1


def test_a_board_started_anew_is_no_loss() -> None:
    items = np.arange(8, dtype="<u2")
    decoder = Decoder()
    decoder.feed(sample_frame(100, 0, 0, items, FLAG_FIRST) + sample_frame(101, 0, 8, items))
    (again,) = decoder.feed(sample_frame(0, 0, 0, items, FLAG_FIRST))
    assert isinstance(again, SampleRun)
    assert again.restarted
    assert (decoder.stats.restarts, decoder.stats.frames_lost, decoder.stats.items_lost) == (
        1,
        0,
        {},
    )


def test_sequence_numbers_wrap() -> None:
    decoder = Decoder()
    for sequence in (0xFFFFFFFE, 0xFFFFFFFF, 0, 1):
        decoder.feed(encode_frame(FrameType.LOG, b"", sequence=sequence))
    assert decoder.stats.frames_lost == 0


def test_every_single_bit_error_in_a_header_is_seen() -> None:
    frame = encode_frame(FrameType.LOG, b"text", sequence=7, ticks=123456, first=99)
    for bit in range(HEADER_BYTES * 8):
        spoilt = bytearray(frame)
        spoilt[bit // 8] ^= 1 << bit % 8
        decoder = Decoder()
        assert not decoder.feed(bytes(spoilt) + b"\x00" * 64)
        assert decoder.stats.frames == 0


def test_an_identity_survives_its_text() -> None:
    identity = Identity("Marten M3 · kiln", "4f2a0011", 96_000_000)
    assert parse_identity(identity.text() + "unknown=1\nnoise\n") == identity


@pytest.mark.parametrize(
    "text",
    [
        "",
        "protocol=3\ntick_hz=1\n",
        "protocol=2\n",
        "protocol=2\ntick_hz=0\n",
        "protocol=2\ntick_hz=-5\n",
        "protocol=2\ntick_hz=²\n",
    ],
)
def test_a_wrong_identity_is_a_sentence(text: str) -> None:
    with pytest.raises(LinkError):
        parse_identity(text)


@pytest.mark.parametrize(
    ("address", "words"),
    [
        ("", "is no board address"),
        ("serial:", "is no board address"),
        ("tcp:127.0.0.1", "has no port number"),
        ("tcp:127.0.0.1:99999", "has no port number"),
        ("tcp:127.0.0.1:1", "Nobody answers"),
        ("serial:/dev/nothing@115200", "cannot be opened"),
        ("serial:/dev/ttyS0@fast", "is no baud rate"),
        ("usb:1", "Use virtual, image:ELF, serial"),
    ],
)
def test_a_wrong_address_is_a_sentence(address: str, words: str) -> None:
    with pytest.raises(LinkError) as fault:
        open_transport(address)
    assert words in str(fault.value)
