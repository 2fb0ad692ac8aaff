"""Files with damage drawn by dice: each is read, or gives a sentence; nothing else may come out."""

from __future__ import annotations

import random
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from tests.paths import KILN
from wattigram.core.advise.findings import find_all
from wattigram.core.base.errors import WattigramError
from wattigram.core.capture.take import Take, open_take
from wattigram.core.capture.take.repair import repair_take
from wattigram.core.judge import prove
from wattigram.core.model.design import Workspace, open_workspace
from wattigram.core.model.part import find_part, load_part
from wattigram.core.model.part.svd import blocks_toml, read_svd
from wattigram.core.predict.waveform.files import read_points, table_c, table_csv, write_wav

DAMAGES = 12
SVD = """<?xml version="1.0"?><device><name>X</name><peripherals><peripheral><name>ADC1</name>
<baseAddress>0x40000000</baseAddress><registers><register><name>CR</name><addressOffset>0x0</addressOffset>
<fields><field><name>EN</name><bitOffset>0</bitOffset><bitWidth>1</bitWidth></field></fields></register>
<register><dim>4</dim><dimIncrement>4</dimIncrement><name>S%s</name><addressOffset>0x10</addressOffset></register>
</registers></peripheral><peripheral derivedFrom="ADC1"><name>ADC2</name><baseAddress>0x40001000</baseAddress>
</peripheral></peripherals></device>"""


def damaged(whole: bytes, seed: int) -> bytes:
    """A copy in which bytes are changed, gone, doubled, or of a kind that parsers trip over."""
    dice = random.Random(seed)
    data = bytearray(whole)
    for _ in range(dice.choice((1, 1, 2, 4, 16))):
        size = len(data) or 1
        at = dice.randrange(size)
        match dice.randrange(7):
            case 0:
                data[at : at + 1] = bytes([dice.randrange(256)])
            case 1:
                del data[at : at + dice.randrange(1, 2000)]
            case 2:
                data[at:at] = bytes(dice.randrange(256) for _ in range(dice.randrange(1, 20)))
            case 3:
                del data[at:]
            case 4:
                data[at:at] = data[dice.randrange(size) :][: dice.randrange(1, 3000)]
            case 5:
                data[at : at + 8] = dice.choice(
                    (b"\xff" * 8, b"\0" * 8, b"99999999", "\u00b2".encode(), b"1e999999", b"-1")
                )
            case _:
                data[at:at] = dice.choice(
                    (b'"', b"[", b"<a>", b"(", b"{", b"\0", b"0x", b"1" * 50)
                ) * dice.choice((1, 3, 1000, 20_000))
    return bytes(data)


def read_project(path: Path) -> None:
    find_all(open_workspace(path))


def read_part(path: Path) -> None:
    load_part(path)


def read_svd_file(path: Path) -> None:
    blocks_toml(read_svd(path).peripherals, {"ADC1": "converter"})


def read_table(path: Path) -> None:
    read_points(path, 0.0, 3.3, 3.3 / 4096)


def read_take(path: Path) -> None:
    with open_take(path) as take:
        prove(take.workspace, take)


def mend_take(path: Path) -> None:
    mended = path.with_name("mended.h5")
    mended.unlink(missing_ok=True)
    repair_take(path, mended)
    read_take(mended)


@pytest.fixture
def wholes(kiln: Workspace, take_of: Callable[..., Take], tmp_path: Path) -> dict[str, bytes]:
    codes = np.arange(200) * 7
    write_wav(tmp_path / "x.wav", codes, 12, kiln.bus_clock_hz / 4000)
    return {
        ".wattigram.toml": KILN.read_bytes(),
        ".toml": find_part("osprey-x2").text.encode(),
        ".svd": SVD.encode(),
        ".csv": table_csv(codes * 1e-3, codes, codes * 1e-3, 1 / kiln.bus_clock_hz).encode(),
        ".c": table_c("table", codes, "of no meaning").encode(),
        ".wav": (tmp_path / "x.wav").read_bytes(),
        ".h5": take_of(kiln, 0.1).path.read_bytes(),
    }


@pytest.mark.parametrize("block", range(4))
@pytest.mark.parametrize(
    ("suffix", "read"),
    [
        (".wattigram.toml", read_project),
        (".toml", read_part),
        (".svd", read_svd_file),
        (".csv", read_table),
        (".c", read_table),
        (".wav", read_table),
        (".h5", read_take),
        (".h5", mend_take),
    ],
)
def test_damage_is_a_sentence(
    suffix: str, read: Callable[[Path], None], block: int, wholes: dict[str, bytes], tmp_path: Path
) -> None:
    read_whole = tmp_path / f"whole{suffix}"
    read_whole.write_bytes(wholes[suffix])
    read(read_whole)
    told = 0
    count = DAMAGES // 2 if suffix == ".h5" else DAMAGES  # takes are read by a process of their own
    for seed in range(block * count, (block + 1) * count):
        path = tmp_path / f"damaged{suffix}"
        path.write_bytes(damaged(wholes[suffix], seed))
        try:
            read(path)
        except WattigramError as fault:
            assert str(fault)
            told += 1
    assert told
