"""A table of pins as a data sheet or a spreadsheet has it: pins, the analog inputs they lead to, and their
other functions."""

from __future__ import annotations

import re
from collections.abc import Iterator

import msgspec

from wattigram.core.base.errors import QuantityError
from wattigram.core.base.facts import expand
from wattigram.core.model.field_types import PIN_PATTERN
from wattigram.core.model.part.sheet.draft import PartDraft
from wattigram.core.model.part.sheet.sufficiency import owners_of

_ANALOG = re.compile(r"(?i)^(?:([A-Z][A-Z0-9]*?)[_ ]?)?(?:AIN|ANA|IN|CH|AN|A)[_ ]?(\d+)$")
_PORT = re.compile(r"(?i)\bport\s+([A-Z]+)\b")
_SEND = re.compile(r"(?i)^(.*?)[_ ]?(?:TXD?|transmit)$")
_RECEIVE = re.compile(r"(?i)^(.*?)[_ ]?(?:RXD?|receive)$")
LARGEST_TEXT = 200_000


class PinTable(msgspec.Struct, frozen=True):
    """What a table says."""

    pins: tuple[str, ...]
    channels: dict[str, int]
    """Channel of each pin that leads to the converter."""
    ports: dict[str, dict[str, int]]
    """Bits of pins by the letter of their port."""
    send_pins: dict[str, str]
    """Pin at which a UART sends, by the UART as the table calls it; so the next."""
    receive_pins: dict[str, str]
    outputs: dict[str, str]
    """Pins of DACs, pulses and others that the sheet has a name for."""
    unread: tuple[str, ...]
    """Functions that say nothing about this sheet, as they are written."""

    @property
    def summary(self) -> str:
        """In a line."""
        parts = [f"{len(self.pins)} pins"]
        if self.channels:
            parts.append(f"{len(self.channels)} with a channel")
        if self.ports:
            parts.append(f"{len(self.ports)} port{'s' if len(self.ports) > 1 else ''}")
        return ", ".join(parts)


def read_pin_table(text: str, draft: PartDraft) -> PinTable:
    """A table with a row for each pin or range of pins, its cells parted by tabs, strokes, semicolons or
    commas.

    The cell that holds pins is found by itself, and so is the one with analog inputs.

    Raises
    ------
    QuantityError
        When no row has a pin.
    """
    if len(text) > LARGEST_TEXT:
        raise QuantityError(
            "This is no table of pins: it is too long.", cure="Copy the table alone."
        )
    names = {name.casefold(): name for name in _named(draft)}
    pins: list[str] = []
    channels: dict[str, int] = {}
    ports: dict[str, dict[str, int]] = {}
    sends: dict[str, str] = {}
    receives: dict[str, str] = {}
    outputs: dict[str, str] = {}
    unread: list[str] = []
    for line in text.splitlines():
        cells = _cells(line)
        at = next((number for number, cell in enumerate(cells) if _pins(cell)), None)
        if at is None:
            continue
        row = _pins(cells[at])
        pins += [pin for pin in row if pin not in pins]
        for item, having in _functions((*cells[:at], *cells[at + 1 :]), row):
            numbers = _channels(item, len(having))
            if numbers is not None:
                channels |= dict(zip(having, numbers, strict=True))
            elif (match := _PORT.search(item)) is not None:
                bits = ports.setdefault(match[1].upper(), {})
                bits |= {pin: int(re.sub(r"\D", "", pin[-2:]) or 0) for pin in having}
            elif len(having) == 1 and (match := _SEND.match(item)) is not None:
                sends[match[1].strip()] = having[0]
            elif len(having) == 1 and (match := _RECEIVE.match(item)) is not None:
                receives[match[1].strip()] = having[0]
            elif len(having) == 1 and (known := _known(item, names)) is not None:
                outputs[known] = having[0]
            elif not _says_nothing(item):
                unread.append(
                    f"{having[0] if len(having) == 1 else f'{having[0]}–{having[-1]}'}: {item}"
                )
    if not pins:
        raise QuantityError(
            "No line of it has a pin.",
            cure="A row begins with a pin or a range of them, such as A3 or P0–P7.",
        )
    return PinTable(
        tuple(pins), channels, ports, sends, receives, outputs, tuple(dict.fromkeys(unread))
    )


def with_pin_table(draft: PartDraft, table: PinTable) -> PartDraft:
    """The draft with what a table says: pins, channels of the first converter, ports, and pins of UARTs,
    DACs, pulses and references that the sheet has."""
    pins = list(draft.get(("pins",)) or [])
    draft = draft.with_value(("pins",), [*pins, *(pin for pin in table.pins if pin not in pins)])
    if table.channels:
        draft = draft.with_value(
            ("converters", 0, "channels"),
            {**(draft.get(("converters", 0, "channels")) or {}), **table.channels},
        )
    for letter, bits in table.ports.items():
        names = owners_of(draft, "port")
        known = next((one for one in names if one.upper().endswith(letter)), None)
        if known is None:
            draft = draft.with_item(("ports",), {"name": f"Port {letter}", "bits": bits})
        else:
            steps = ("ports", names.index(known), "bits")
            draft = draft.with_value(steps, {**(draft.get(steps) or {}), **bits})
    for key, said in (("send_pins", table.send_pins), ("receive_pins", table.receive_pins)):
        for called, pin in said.items():
            draft = _with_uart_pin(draft, key, called, pin)
    for name, pin in table.outputs.items():
        draft = _with_output(draft, name, pin)
    return draft


def _with_uart_pin(draft: PartDraft, key: str, called: str, pin: str) -> PartDraft:
    groups = draft.items(("uarts",))
    names = [
        (number, name) for number, group in enumerate(groups) for name in group.get("names", ())
    ]
    found = next((one for one in names if one[1].casefold() == called.casefold()), None)
    if found is None and len(names) == 1:
        found = names[0]
    if found is None:
        name = called or "UART"
        draft = draft.with_item(("uarts",), {"names": [name]})
        found = (len(groups), name)
    steps = ("uarts", found[0], key)
    return draft.with_value(steps, {**(draft.get(steps) or {}), found[1]: pin})


def _with_output(draft: PartDraft, name: str, pin: str) -> PartDraft:
    for key in ("dacs", "references"):
        for number, item in enumerate(draft.items((key,))):
            if item.get("name") == name:
                return draft.with_value((key, number, "pin"), pin)
    for number, group in enumerate(draft.items(("timers",))):
        if name in group.get("names", ()):
            pins = {**(group.get("pwm_pins") or {}), name: pin}
            return draft.with_value(("timers", number, "pwm"), True).with_value(
                ("timers", number, "pwm_pins"), pins
            )
    return draft


def _named(draft: PartDraft) -> list[str]:
    references = [str(one.get("name")) for one in draft.items(("references",))]
    return [*owners_of(draft, "dac"), *owners_of(draft, "timer"), *references]


def _known(item: str, names: dict[str, str]) -> str | None:
    plain = re.sub(r"(?i)\s+(out|output|in|input)$", "", item).casefold()
    return names.get(plain)


def _cells(line: str) -> list[str]:
    plain = line.strip().strip("|")
    if set(plain) <= set("-|: "):
        return []
    for mark in ("\t", "|", ";"):
        if mark in plain:
            return [cell.strip().strip('"') for cell in plain.split(mark)]
    if "," not in plain:
        return [cell.strip() for cell in re.split(r"\s{2,}", plain)]
    return [cell.strip().strip('"') for cell in re.split(r',(?=(?:[^"]*"[^"]*")*[^"]*$)', plain)]


def _functions(
    cells: tuple[str, ...], row: tuple[str, ...]
) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Functions, each with the pins of the row that have it: all of them, unless it names one."""
    for cell in cells:
        listed = re.sub(r"\([^)]*\)", "", cell).strip()
        if _channels(listed, len(row)) is not None:
            yield listed, row
            cell = cell.replace(listed, "")
        for item in _items(cell):
            head, _, rest = item.partition(" ")
            yield (rest, (head,)) if head in row and rest else (item, row)


def _items(cell: str) -> list[str]:
    return [item.strip() for item in re.split(r"[,;/()]", cell) if item.strip()]


def _pins(cell: str) -> tuple[str, ...]:
    """Pins that a cell names; none where it names anything else."""
    try:
        named = expand(cell)
    except QuantityError:
        return ()
    return named if named and all(PIN_PATTERN.fullmatch(one) for one in named) else ()


def _channels(item: str, count: int) -> tuple[int, ...] | None:
    try:
        named = expand(item)
    except QuantityError:
        return None
    matches = [_ANALOG.match(one) for one in named]
    if len(named) != count or any(match is None for match in matches):
        return None
    return tuple(int(match[2]) for match in matches if match is not None)


def _says_nothing(item: str) -> bool:
    return not re.search(r"[A-Za-z0-9]", item)
