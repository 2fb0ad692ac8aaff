"""Slots that a converter can only sample for the same time."""

from __future__ import annotations

from wattigram.core.model.design.project import Chain, Project
from wattigram.core.model.part import Part


def sampled_alike(project: Project, part: Part, chain: Chain, place: int) -> tuple[int, ...]:
    """Places of the slots that share their sampling time with a slot, which is among them."""
    signal = project.signal(chain.slots[place].signal)
    shared = set(_places(project, part, chain, signal.pin, signal.negative))
    return tuple(sorted({place, *shared}))


def given_sampling(
    project: Project, part: Part, chain: Chain, pin: str, negative: str | None
) -> float | None:
    """The sampling time, in converter clocks, that a new slot of an input must have; None where it is
    free."""
    places = _places(project, part, chain, pin, negative)
    return chain.slots[places[0]].sampling_cycles if places else None


def _places(
    project: Project, part: Part, chain: Chain, pin: str, negative: str | None
) -> tuple[int, ...]:
    converter = part.converter(chain.converter)
    if converter is None:
        return ()
    if converter.one_sampling_time:
        return tuple(range(len(chain.slots)))
    channel = converter.channel(pin, negative)
    group = next((one for one in part.sampling_groups(converter) if channel in one), ())
    signals = [project.signal(slot.signal) for slot in chain.slots]
    return tuple(
        place
        for place, signal in enumerate(signals)
        if converter.channel(signal.pin, signal.negative) in group
    )
