"""Items are not what the program takes them for: width, order, alignment, places."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wattigram.core.analysis import explained_share
from wattigram.core.judge.causes.base import (
    MOST_SAMPLES,
    FailingSignal,
    LikelyCause,
    register_cause,
)
from wattigram.core.model.design.edits import SetAlignment
from wattigram.core.predict.expected import expected_raw
from wattigram.core.predict.timing import slot_order

FEWEST_LAPS = 3


def _items(case: FailingSignal) -> NDArray[Any]:
    """The stream as the program reads it, whole laps of it."""
    data = case.first_items
    lap = case.chain.buffer.samples
    return data[: len(data) // lap * lap] if len(data) >= lap else data


@register_cause("item-width-read")
def width_differs(case: FailingSignal) -> LikelyCause | None:
    """Every other value is zero; or part of each lap never changes from zero, and the rest is too
    big."""
    data, width, written = (
        _items(case),
        case.chain.read_as.element_bits,
        case.chain.buffer.element_bits,
    )
    if len(data) < case.chain.buffer.samples or width is None or width == written or not data.any():
        return None
    if width < written:
        step = written // width
        rows = data[: len(data) // step * step].reshape(-1, step)
        empty = float(np.mean(rows[:, 1:] == 0))
        fit = empty * float(np.mean(rows[:, 0] != 0))
        evidence = f"of {step} values one is a sample, {empty * 100:.1f} % of the others are zero"
        title = f"{written}-bit samples are read as {width}-bit values"
    else:
        laps = data.reshape(-1, case.chain.buffer.samples)
        filled = case.chain.buffer.samples * written // width
        if not 0 < filled < case.chain.buffer.samples:
            return None
        unused = float(np.mean(laps[:, filled:] == 0))
        beyond = float(np.mean(laps[:, :filled] >= 1 << written))
        fit = unused * min(1.0, 0.5 + beyond)
        evidence = (
            f"the last {case.chain.buffer.samples - filled} values of each wrap are zero "
            f"({unused * 100:.1f} %), and "
            f"{beyond * 100:.0f} % of the others exceed {written} bits: two samples in one"
        )
        title = f"{written}-bit samples are read as {width}-bit values"
    return case.cause(
        "item-width-read", title, fit, evidence, case.remedy("item-width-read"), whole=True
    )


@register_cause("dma-no-increment")
def address_fixed(case: FailingSignal) -> LikelyCause | None:
    """Only the first item of each lap ever changes."""
    data = _items(case)
    if len(data) < 2 * case.chain.buffer.samples:
        return None
    laps = data.reshape(-1, case.chain.buffer.samples)
    came = case.take.valid(case.stream, np.arange(len(data))).reshape(laps.shape)
    others = int(np.count_nonzero(came[:, 1:]))
    if not others or not laps[:, 0].any():
        return None
    rest = float(np.count_nonzero((laps[:, 1:] == 0) & came[:, 1:])) / others
    if rest < 0.9:
        return None
    return case.cause(
        "dma-no-increment",
        "DMA always writes the same sample",
        rest,
        f"sample 0 of {case.chain.buffer.name} changes, {rest * 100:.1f} % of all others are zero",
        case.remedy("dma-no-increment"),
        whole=True,
    )


@register_cause("same-half-again")
def same_half_again(case: FailingSignal) -> LikelyCause | None:
    """The second half of each lap is the first once more, noise and all: both are sent from the
    same place."""
    data, half = _items(case), case.chain.buffer.samples // 2
    if len(data) < FEWEST_LAPS * case.chain.buffer.samples or case.chain.buffer.samples % 2:
        return None
    if len(np.unique(data[:half])) <= 2 * len(case.chain.slots):
        return None  # readings without noise are alike whatever is sent
    laps = data.reshape(-1, 2, half)
    same = int(np.count_nonzero((laps[:, 0] == laps[:, 1]).all(axis=1)))
    if not same:
        return None
    return case.cause(
        "same-half-again",
        f"Both halves of {case.chain.buffer.name} are sent from the same place",
        same / len(laps),
        f"in {same} of {len(laps)} wraps of {case.chain.buffer.name} the second half is the first "
        "once more, noise and all",
        None,
        whole=True,
    )


@register_cause("byte-order-read")
def bytes_are_swapped(case: FailingSignal) -> LikelyCause | None:
    """With the two bytes of each item exchanged the readings are right."""
    if not case.is_off or case.captured is None or case.captured.items.dtype.itemsize < 2:
        return None
    items = case.captured.items[: len(case.valid)][case.valid]
    swapped = case.scale.item_volts(items.byteswap())
    fit = explained_share(case.settled_v, case.measured_v, swapped)
    # Swapped bytes leave nothing to be explained; what merely comes nearer is something else.
    left = (
        np.abs(swapped - case.settled_v)
        <= case.expected.half_width_v * case.gain + 8 * case.scale.lsb_v
    )
    if fit < 0.5 or float(np.mean(left)) < 0.5:
        return None
    return case.cause(
        "byte-order-read",
        "Bytes are read in the wrong order",
        fit,
        f"with the bytes of each sample exchanged {float(np.mean(left)) * 100:.1f} % of the samples "
        "are as expected",
        case.remedy("byte-order-read"),
        whole=True,
    )


@register_cause("alignment-read", "wrong-alignment")
def wrong_alignment(case: FailingSignal) -> LikelyCause | None:
    """All readings are 2^k times too big or too small."""
    if not case.is_off:
        return None
    base = float(case.settled_v @ case.settled_v)
    spare = case.chain.buffer.element_bits - case.chain.bits
    if base <= 0 or spare <= 0:
        return None
    factor = float(case.measured_v @ case.settled_v) / base
    if factor <= 0:
        return None
    power = round(math.log2(factor))
    if abs(power) != spare or abs(math.log2(factor) - power) > 0.1:
        return None
    fit = explained_share(case.measured_v, case.settled_v, case.settled_v * 2.0**power)
    captured, other = ("left", "right") if power > 0 else ("right", "left")
    remedy = case.remedy("alignment-read") or SetAlignment(
        case.chain.converter, "left" if power > 0 else "right"
    )
    return case.cause(
        "wrong-alignment",
        f"Codes are {captured}-aligned, read as {other}-aligned",
        fit,
        f"readings are {factor:.3f} times what is expected, and {case.chain.bits} bits in "
        f"{case.chain.buffer.element_bits} "
        f"leave a factor of {2**spare}",
        remedy,
        whole=True,
    )


@register_cause("item-too-narrow")
def item_too_narrow(case: FailingSignal) -> LikelyCause | None:
    """Readings fold over at the item's width."""
    width = case.chain.buffer.element_bits
    if not case.is_off or width >= case.chain.bits or case.chain.read_as.element_bits is not None:
        return None
    fold_v = (1 << width) * case.scale.lsb_v
    near = np.mod(case.settled_v, fold_v)
    # A value beside a fold may be read on either side of it.
    off = np.abs((case.measured_v - near + fold_v / 2) % fold_v - fold_v / 2)
    fit = float(np.mean(off <= case.expected.half_width_v * case.gain))
    return case.cause(
        "item-too-narrow",
        f"Samples of {width} bits cut codes off",
        fit,
        f"{fit * 100:.1f} % of the samples are what is expected less a multiple of {1 << width} "
        "counts",
        case.remedy("item-too-narrow"),
        whole=True,
    )


@register_cause("loop-out-of-step")
def buffer_splits_scans(case: FailingSignal) -> LikelyCause | None:
    """From lap to lap the signal's places hold other signals."""
    slots, items = len(case.chain.slots), case.chain.buffer.samples
    if items % slots == 0 or not case.is_off:
        return None
    data = case.first_items
    cycles = min(len(data) // slots, MOST_SAMPLES // slots)
    by_slot = _expected_by_slot(case, cycles)
    numbers = np.arange(cycles * slots)
    believed = numbers % items % slots
    mine = np.isin(believed, case.chain.places_of(case.signal.name))
    measured = case.scale.item_volts(data[: cycles * slots])[mine]
    own = by_slot[numbers[mine] // slots, believed[mine]]
    true = by_slot.ravel()[mine]
    fit = explained_share(measured, own, true)
    return case.cause(
        "loop-out-of-step",
        f"{case.chain.buffer.name} is out of step",
        fit,
        f"{items} samples are no multiple of {slots} slots: from the second wrap on the places hold "
        "signals "
        f"{items % slots} along; taking that into account explains {fit * 100:.1f} % of the error",
        case.remedy("loop-out-of-step"),
        whole=True,
    )


def _expected_by_slot(case: FailingSignal, cycles: int) -> NDArray[np.float64]:
    """Readings due in each slot from the first scan that was recorded, (cycles, slots) volts at the pin."""
    project, first = case.take.workspace.project, case.take.first_cycle(case.chain)
    instants = case.take.instants(case.chain, first, first + cycles)
    by_slot = np.empty((cycles, len(case.chain.slots)))
    for name in {slot.signal for slot in case.chain.slots}:
        gain = float(project.signal(name).scaling)
        course = (
            expected_raw(
                case.take.history, case.chain.converter, name, first, first + cycles, instants
            ).predicted_v
            * gain
        )
        by_slot[:, list(case.chain.places_of(name))] = course.reshape(cycles, -1)
    return by_slot


@register_cause("slot-order")
def other_order(case: FailingSignal) -> LikelyCause | None:
    """The converter takes its slots in the order of channels, and readings are other signals' from
    the start."""
    order = slot_order(case.take.workspace, case.chain)
    if not case.is_off or order == list(range(len(order))) or case.captured is None:
        return None
    place = case.chain.places_of(case.signal.name)[0]
    first = case.take.first_cycle(case.chain)
    cycles = min(int(case.captured.cycles[-1]) + 1 - first, MOST_SAMPLES)
    by_slot = _expected_by_slot(case, cycles)
    really = by_slot[case.captured.cycles[: len(case.valid)][case.valid] - first, order[place]]
    fit = explained_share(case.measured_v, case.settled_v, really)
    name = case.chain.slots[order[place]].signal
    return case.cause(
        "slot-order",
        f"{case.chain.converter} converts in another order",
        fit,
        f"what is read as {case.signal.name} is {name}: that explains {fit * 100:.1f} % of the "
        "error; the converter goes "
        "up by channel number",
        (finding.remedy if (finding := case.of_chain("slot-order")) else None),
        whole=True,
    )
