"""What a part that is being described suffices for: a design, its proof, its C; and what is missing for
the next of these."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import msgspec

from wattigram.core.model.part.registers import SETTINGS, BlockKind
from wattigram.core.model.part.sheet.draft import PartDraft, Steps
from wattigram.core.model.part.sheet.sentences import CHAPTERS, Chapter, missing_facts

OWNERS: dict[BlockKind, tuple[str, str]] = {
    "converter": ("converters", "name"),
    "timer": ("timers", "names"),
    "dma": ("dma", "names"),
    "dac": ("dacs", "name"),
    "uart": ("uarts", "names"),
    "port": ("ports", "name"),
    "comparator": ("comparators", "name"),
}
"""Where the peripherals of a kind of block are named."""
SYSTEM = "System"


class Missing(msgspec.Struct, frozen=True):
    """Something that a sheet has not said yet, and where it would be said."""

    steps: Steps
    text: str
    chapter: str = ""
    """Id of the chapter that says it; "" for registers."""
    owner: str = ""
    """The peripheral whose registers are meant."""


class Use(msgspec.Struct, frozen=True):
    """What a part can be used for, and what is missing for it."""

    name: str
    missing: tuple[Missing, ...]
    text: str
    """What it would suffice for."""
    without: tuple[str, ...] = ()
    """What it has by its sheet, and cannot be used so, with what is missing for it."""

    @property
    def suffices(self) -> bool:
        """Whether nothing is missing."""
        return not self.missing


def uses(draft: PartDraft) -> tuple[Use, ...]:
    """Design, proof and C, in their order."""
    facts = tuple(_missing_facts(draft))
    registers = tuple(missing_settings(draft))
    if not draft.get(("memory",)):
        place = Missing(("memory",), "where code and data lie", "memory")
        registers = (place, *registers)
    return (
        Use("design", facts, "timing, accuracy and findings of a design"),
        Use("proof", facts, "a proof on the virtual board, by a model of the program"),
        Use(
            "C",
            (*facts, *registers),
            "C that sets its registers, and its image on the virtual board",
            tuple(_without(draft)),
        ),
    )


def _missing_facts(draft: PartDraft) -> Iterator[Missing]:
    told = False
    for one in CHAPTERS:
        for steps in missing_facts(draft, one):
            told = True
            yield Missing(steps, _fact_name(one, steps), one.id)
    if told:
        return
    for fault in draft.faults():
        yield Missing(fault.steps, fault.text, chapter_of(fault.steps))


def _fact_name(one: Chapter, steps: Steps) -> str:
    if steps == one.steps:
        return f"a {one.one}"
    names = [str(step).replace("_", " ") for step in steps if isinstance(step, str)]
    number = next((step for step in steps if isinstance(step, int)), None)
    key = " ".join(names[1:] if len(names) > 1 else names)
    return f"{one.one or one.title.lower()}{f' {number + 1}' if number is not None else ''}: {key}"


def chapter_of(steps: Steps) -> str:
    """The chapter that tells what stands at a place; "" for what no chapter does, such as registers."""
    if not steps:
        return ""
    within = [
        one
        for one in CHAPTERS
        if one.within and steps[0] == one.within and len(steps) > 2 and steps[2] == one.steps[0]
    ]
    direct = [one for one in CHAPTERS if not one.within and one.steps and steps[0] == one.steps[0]]
    plain = [
        one
        for one in CHAPTERS
        if not one.steps
        and any(key.split(".")[0] == steps[0] for said in one.sentences for key in said.keys)
    ]
    found = within or direct or plain
    return found[0].id if found else ""


def owners_of(draft: PartDraft, kind: BlockKind) -> tuple[str, ...]:
    """The peripherals of a kind, by the names that the sheet has for them."""
    if kind == "system":
        return (SYSTEM,)
    key, name = OWNERS[kind]
    found: list[str] = []
    for item in draft.items((key,)):
        said = item.get(name)
        found += said if isinstance(said, list) else [said] if isinstance(said, str) else []
    return tuple(str(one) for one in found)


def missing_settings(draft: PartDraft) -> Iterator[Missing]:
    """Settings that C needs of the peripherals that there are, and that no field holds."""
    for kind in SETTINGS:
        for owner in owners_of(draft, kind):
            held = held_settings(draft, owner)
            wanted = needed_settings(draft, kind, owner)
            if held is None:
                if wanted:
                    yield Missing(("blocks",), f"{owner}: its registers", owner=owner)
                continue
            for choice in wanted:
                if not is_held(choice, held):
                    first = choice.split("|")[0].split("+")[0]
                    meaning = SETTINGS[kind][setting_of(first)[0]]
                    yield Missing(("blocks",), f"{owner}: {first}, {meaning}", owner=owner)


def is_held(choice: str, held: set[str]) -> bool:
    """Whether one of the ways that a needed setting can be held is."""
    return any(set(way.split("+")) <= held for way in choice.split("|"))


def held_settings(draft: PartDraft, owner: str) -> set[str] | None:
    """Settings of a peripheral that a field holds; None where it has no registers."""
    for block in draft.items(("blocks",)):
        if owner in block.get("owners", ()):
            return {
                field_setting(field)
                for register in block.get("registers", ())
                for field in register.get("fields", ())
            }
    return None


def field_setting(field: Mapping[str, Any]) -> str:
    """The setting that a field of a part file holds, numbered where several hold it together."""
    sets = str(field.get("sets"))
    return numbered(sets, int(field.get("number", 0))) if field.get("of") else sets


class Ability(msgspec.Struct, frozen=True):
    """Something that a peripheral can do, with the settings that C needs for it."""

    text: str
    choices: tuple[str, ...]


def needed_settings(draft: PartDraft, kind: BlockKind, owner: str) -> tuple[str, ...]:
    """Settings that C cannot do without, by what the sheet says of a peripheral; ``a|b`` either of
    them, ``a+b`` both."""
    item = item_of(draft, kind, owner)
    match kind:
        case "system":
            return ()  # its core tells the time, and a mailbox in memory carries bytes
        case "converter":
            return tuple(_of_converter(item))
        case "timer":
            pulses = ("compare",) if owner in (item.get("pwm_pins") or {}) else ()
            return ("run", "prescaler", "period", *pulses)
        case "dma":
            marks = [what for what in ("half", "full") if item.get(f"{what}_mark")]
            seen = [f"{what}-seen" for what in marks]
            again = ["repeat"] if "loop" in item.get("modes", ()) else []
            return ("on", "request", "from", "to", "count", "place|left", *again, *marks, *seen)
        case "dac":
            return ("data",)
        case "uart":
            return ("on", "divider", "sent", "room")
        case "port":
            return ("outputs", "output")
        case "comparator":
            several = ("input",) if len(item.get("inputs", ())) > 1 else ()
            steps = item.get("steps")
            own = isinstance(steps, int) and steps > 2 and "internal" in item.get("thresholds", ())
            told = "seen+high+ticks-low+ticks-high|rose+tells-rising|fell+tells-falling"
            return ("on", *several, *(("step",) if own else ()), told)


def abilities(draft: PartDraft, kind: BlockKind, owner: str) -> tuple[Ability, ...]:
    """What a peripheral can do by its sheet beside what C needs anyhow."""
    item = item_of(draft, kind, owner)
    found: list[Ability] = []
    match kind:
        case "converter":
            retrievals = item.get("retrievals", ("polling", "interrupt"))
            hardware = item.get("hardware") or {}
            if "interrupt" in retrievals:
                found.append(Ability("interrupts", ("delivery|tells-result|tells-scan", "done")))
            if "polling" in retrievals:
                found.append(Ability("polling", ("done",)))
            if "fifo" in retrievals:
                found.append(Ability("the FIFO", ("delivery", "mark", "queued", "passes")))
            if {"sum", "block-average"} & set(hardware.get("stages", ())):
                found.append(Ability("sums in hardware", ("repeats", "shift")))
            if hardware.get("windows"):
                parts = [
                    "on",
                    "low",
                    "high",
                    "condition",
                    "seen",
                    "entered",
                    "value",
                    "ticks-low",
                    "ticks-high",
                ]
                names = tuple(f"window-{one}" for one in parts)
                found.append(Ability("thresholds in hardware", names))
        case "dac" if item.get("can_buffer_twice", True):
            found.append(Ability("its second register", ("twice|trigger",)))
        case "uart":
            found.append(Ability("bytes that come", ("received", "arrived", "tells")))
        case "port":
            found.append(Ability("input pins", ("input",)))
        case _:
            pass
    return tuple(found)


def _without(draft: PartDraft) -> Iterator[str]:
    for kind in SETTINGS:
        for owner in owners_of(draft, kind):
            held = held_settings(draft, owner)
            if held is None:
                continue
            for one in abilities(draft, kind, owner):
                missing = [choice for choice in one.choices if not is_held(choice, held)]
                if missing:
                    names = ", ".join(choice.split("|")[0].split("+")[0] for choice in missing)
                    yield f"{one.text} of {owner} ({names})"


def _of_converter(item: dict[str, Any]) -> Iterator[str]:
    triggers = item.get("triggers", ("software", "free-running"))
    retrievals = item.get("retrievals", ("polling", "interrupt"))
    yield from ("on", "divider")
    if len(item.get("bits", ())) > 1:
        yield "bits"
    if "left" in item.get("alignments", ("right", "left")):
        yield "alignment"
    if item.get("needs_calibration"):
        yield "calibrate"
    yield from ("trigger", "per-trigger")
    groups = len(item.get("sampling_groups", ()))
    counted = [numbered("sampling", number) for number in range(groups)]
    yield "|".join(["sampling", *(["+".join(counted)] if groups > 1 else [])])
    if {"software", "free-running"} & set(triggers):
        yield "start"
    if item.get("sequence", "free") == "free":
        yield from ("length+channel|listed+channel",)
    else:
        yield "channel|listed"
    yield "result|result-low+result-high|newest"
    if "dma" not in retrievals:
        yield "done"


def numbered(setting: str, number: int) -> str:
    """One of several fields that hold a setting together, as it is asked for."""
    return f"{setting} {number + 1}"


def setting_of(text: str) -> tuple[str, int | None]:
    """The setting, and which of several fields it is, from 0; None for one alone."""
    name, _, number = text.partition(" ")
    return (name, int(number) - 1) if number.isdigit() else (text, None)


def item_of(draft: PartDraft, kind: BlockKind, owner: str) -> dict[str, Any]:
    """What the sheet says of a peripheral; nothing for one that it does not name."""
    if kind == "system":
        return {}
    key, name = OWNERS[kind]
    for item in draft.items((key,)):
        said = item.get(name)
        if said == owner or (isinstance(said, list) and owner in said):
            return dict(item)
    return {}
