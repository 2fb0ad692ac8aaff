"""Tables to and from CSV, WAV and C."""

from __future__ import annotations

import csv
import io
import re
import warnings
from fractions import Fraction
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from wattigram.core.base.errors import WaveError
from wattigram.core.base.foreign import reading_foreign
from wattigram.core.contract.shapes import LONGEST_TABLE

FloatArray = NDArray[np.float64]
IntArray = NDArray[np.int64]
LARGEST_FILE_BYTES = 64 * 1024 * 1024
_COMMENT = re.compile(r"/\*|//")
_C_NUMBER = re.compile(r"([+-]?)\s*(0[xX][0-9a-fA-F]{1,16}|0[bB][01]{1,64}|[0-9]{1,20})[uUlL]{0,3}")


def table_csv(
    wanted_v: FloatArray, codes: IntArray, levels_v: FloatArray, update_s: Fraction
) -> str:
    """One line a point: number, time, volts wanted, code, volts of the code.

    Arrays are (points,); volts, codes, volts and seconds.
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["point", "time_s", "wanted_v", "code", "level_v"])
    for number, row in enumerate(
        zip(wanted_v.tolist(), codes.tolist(), levels_v.tolist(), strict=True)
    ):
        wanted, code, level = row
        writer.writerow(
            [number, f"{float(number * update_s):.12g}", f"{wanted:.9g}", code, f"{level:.9g}"]
        )
    return out.getvalue()


def table_c(name: str, codes: IntArray, comment: str) -> str:
    """A C array of 16-bit items.

    ``codes`` is (points,) int64.
    """
    word = re.sub(r"\W+", "_", name.lower()).strip("_") or "wave"
    word = f"t_{word}" if word[0].isdigit() else word
    rows = [
        ", ".join(f"{code:5d}" for code in codes[at : at + 12].tolist())
        for at in range(0, len(codes), 12)
    ]
    body = ",\n    ".join(rows)
    clean = comment.replace("*/", "* /")
    return (
        f"/* {clean} */\n#include <stdint.h>\n\n#define {word.upper()}_POINTS {len(codes)}u\n\n"
        f"const uint16_t {word}_table[{word.upper()}_POINTS] = {{\n    {body}\n}};\n"
    )


def write_wav(
    path: Path, codes: IntArray, bits: int, update_hz: Fraction, seconds: float = 0.0
) -> int:
    """Write codes as 16-bit PCM, half scale at zero; the table again and again for at least
    ``seconds``.

    ``codes`` is (points,) int64.

    Returns
    -------
    The sample rate in the file, which is a whole number of hertz.

    Raises
    ------
    WaveError
        When the file cannot be written.
    """
    from scipy.io import wavfile  # late: a quarter of a second

    rate = max(1, round(update_hz))
    laps = max(1, -(-round(seconds * rate) // len(codes)))
    shift = 16 - bits
    centred = codes - (1 << (bits - 1))
    pcm = centred << shift if shift >= 0 else centred >> -shift
    try:
        wavfile.write(path, rate, np.tile(pcm, laps).astype(np.int16))
    except OSError as fault:
        raise WaveError(
            f"The file cannot be written: {fault.strerror or fault}.", where=str(path)
        ) from fault
    return rate


def read_points(path: Path, low_v: float, high_v: float, lsb_v: float) -> tuple[float, ...]:
    """Values in volts from a file: CSV as volts, WAV with its full scale from ``low_v`` to
    ``high_v``, C as codes.

    Raises
    ------
    WaveError
        When the file holds no such thing.
    """
    with reading_foreign(WaveError, "The file cannot be read", str(path)):
        size_bytes = path.stat().st_size
        if size_bytes > LARGEST_FILE_BYTES:
            raise WaveError(
                f"The file has {size_bytes} bytes, more than {LARGEST_FILE_BYTES}.", where=str(path)
            )
        suffix = path.suffix.lower()
        try:
            if suffix == ".wav":
                values = _read_wav(path, low_v, high_v)
            else:
                text = path.read_bytes().decode("utf-8-sig")
                values = _read_c(text) * lsb_v if suffix in {".c", ".h"} else _read_csv(text)
        except WaveError as fault:
            raise WaveError(fault.message, where=str(path), cure=fault.cure) from fault
    if len(values) < 2 or not np.all(np.isfinite(values)) or np.abs(values).max() > 1e6:
        raise WaveError(
            f"It holds {len(values)} usable values.",
            where=str(path),
            cure="At least two finite voltages are needed.",
        )
    if len(values) > LONGEST_TABLE:
        # More than a table can hold: means of equal stretches, so that nothing is folded down.
        edges = np.linspace(0, len(values), LONGEST_TABLE + 1).astype(np.int64)
        values = np.add.reduceat(values, edges[:-1]) / np.diff(edges)
    return tuple(float(f"{value:.9g}") for value in values.tolist())


def _read_wav(path: Path, low_v: float, high_v: float) -> FloatArray:
    from scipy.io import wavfile  # late: a quarter of a second

    with (
        reading_foreign(
            WaveError, "This is no WAV file that can be read", "", "Save it as PCM or float."
        ),
        warnings.catch_warnings(),
    ):
        warnings.simplefilter("ignore", wavfile.WavFileWarning)
        _rate, data = wavfile.read(path)
    first = data[:, 0] if data.ndim > 1 else data
    if first.dtype == np.uint8:
        share = (first.astype(np.float64) - 128) / 128
    elif np.issubdtype(first.dtype, np.integer):
        share = first / float(-np.iinfo(first.dtype).min)
    else:
        share = first.astype(np.float64)
    return np.asarray((low_v + high_v) / 2 + share * (high_v - low_v) / 2, dtype=np.float64)


def _read_c(text: str) -> FloatArray:
    text = _without_comments(text)
    begin, end = text.find("{"), text.rfind("}")
    if begin < 0 or end < begin:
        raise WaveError("There is no array in braces in it.", cure="It must hold { 1, 2, 0x3 }.")
    numbers = []
    for place, word in enumerate(text[begin + 1 : end].split(",")):
        plain = word.strip()
        if plain:
            numbers.append(_c_number(plain, place))
    return np.array(numbers, dtype=np.float64)


def _without_comments(text: str) -> str:
    """C without its comments, in one pass however many of them begin and never end."""
    kept = []
    place = 0
    while (comment := _COMMENT.search(text, place)) is not None:
        kept.append(text[place : comment.start()])
        is_block = comment[0] == "/*"
        close = text.find("*/", comment.end()) if is_block else text.find("\n", comment.end())
        place = len(text) if close < 0 else close + 2 if is_block else close
    kept.append(text[place:])
    return " ".join(kept)


def _c_number(text: str, place: int) -> int:
    """An integer constant of C11 (6.4.4.1), with 0b for binary; one that begins with 0 is octal."""
    match = _C_NUMBER.fullmatch(text)
    if match is None:
        raise WaveError(
            f"Item {place + 1} is “{text[:40]}”, no integer of C.",
            cure="Write decimal, 0x or octal numbers.",
        )
    digits = match[2].lower()
    base = (
        16
        if digits[:2] == "0x"
        else 2
        if digits[:2] == "0b"
        else 8
        if digits[:1] == "0" and len(digits) > 1
        else 10
    )
    try:
        value = int(digits, base)
    except ValueError as fault:
        raise WaveError(
            f"Item {place + 1} is “{text[:40]}”: a number that begins with 0 is octal, and has "
            "digits below 8.",
            cure="Leave the leading 0 out if it is meant as decimal.",
        ) from fault
    return -value if match[1] == "-" else value


def _read_csv(text: str) -> FloatArray:
    """The column of volts: one that is so named, else the last one that holds numbers
    throughout."""
    lines = [
        line for line in text.splitlines() if line.strip() and not line.lstrip().startswith("#")
    ]
    if not lines:
        return np.empty(0)
    comma = ";" if lines[-1].count(";") else "\t" if lines[-1].count("\t") else ","
    try:
        rows = list(csv.reader(lines, delimiter=comma))
    except (
        csv.Error
    ) as fault:  # a cell of more than 131 072 characters, or a quote that is never closed
        raise WaveError(
            f"This is no table: {fault}.", cure="Write one value a line, or columns with commas."
        ) from fault
    head = [name.strip().lower() for name in rows[0]]
    is_head = any(_number(cell) is None for cell in rows[0])
    body = rows[1:] if is_head else rows
    width = min((len(row) for row in body), default=0)
    columns = [[_number(row[at]) for row in body] for at in range(width)]
    good = [at for at in range(width) if all(value is not None for value in columns[at])]
    if not good:
        line = next(
            (
                at
                for at, row in enumerate(body, start=2)
                if all(_number(cell) is None for cell in row)
            ),
            1,
        )
        raise WaveError(
            f"No column holds numbers throughout; look at line {line}.",
            cure="Give a column of volts.",
        )
    named = [
        at
        for at in good
        if is_head and at < len(head) and re.search(r"wanted|volt|_v$|^v$|\[v\]", head[at])
    ]
    return np.array(columns[(named or good[-1:])[0]], dtype=np.float64)


def _number(cell: str) -> float | None:
    try:
        return float(cell.strip().replace(",", "."))
    except ValueError:
        return None
