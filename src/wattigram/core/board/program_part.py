"""The program's part without a processor: reactions, each at the instant at which the program would
come to it."""

from __future__ import annotations

from bisect import bisect_left, bisect_right, insort

import msgspec

from wattigram.core.board.channel import Judgeable
from wattigram.core.board.event_detection import DetectedEvent
from wattigram.core.board.program_outputs import ProgramOutputs
from wattigram.core.contract.board_config import (
    ACTED_UPON,
    EffectiveConfig,
    EffectivePiece,
    EffectiveReaction,
    EffectiveReading,
)

NEVER = 1 << 62
BEFORE_ALL = -1
"""Rank of what a timer starts: its interrupt comes before results of the same instant."""


class _Due(msgspec.Struct, frozen=True, order=True):
    """A reaction whose time comes; those of one instant in the order in which they were found."""

    ticks: int
    rank: int
    reaction: int
    holds: bool


class Control(msgspec.Struct, frozen=True):
    """A converter is turned on or off by the program, re-armed, or its ``places`` pointed to a pin."""

    ticks: int
    converter: int
    action: str
    places: tuple[int, ...] = ()
    pin: str = ""


class _Known:
    """The newest value of a reading, as the program came to know it."""

    def __init__(self) -> None:
        self._ticks: list[int] = []
        self._codes: list[int] = []

    def add(self, ticks: int, code: int) -> None:
        """A value that the program has from then on."""
        self._ticks.append(ticks)
        self._codes.append(code)

    def at(self, ticks: int, *, before: bool) -> int | None:
        """The newest value then; without what comes in that very instant where ``before``."""
        find = bisect_left if before else bisect_right
        place = find(self._ticks, ticks) - 1
        if place < 0:
            return None
        code = self._codes[place]
        del self._ticks[:place], self._codes[:place]
        return code


class ProgramPart:
    """Reactions of a design, in the order in which the main loop comes to them."""

    def __init__(self, config: EffectiveConfig, outputs: ProgramOutputs) -> None:
        self._config = config
        self._outputs = outputs
        self._due: list[_Due] = []
        self._rank = 0
        self._known = {
            (reading.tap, reading.on_reduced): _Known()
            for reaction in config.reactions
            for reading in reaction.readings
        }
        self._free_at = 0
        """When the main loop is through with what it has done."""
        self._left = ACTED_UPON
        self.ended: int | None = None
        """When the program ended the run."""
        self.controls: list[Control] = []
        """What was done to converters and has not taken effect, in the order of time."""
        self._by_watch: dict[int, list[int]] = {}
        for number, reaction in enumerate(config.reactions):
            if reaction.on == "watch":
                self._by_watch.setdefault(reaction.watch, []).append(number)
        self._next_period = {
            number: reaction.period_ticks
            for number, reaction in enumerate(config.reactions)
            if reaction.on == "period"
        }
        for number, reaction in enumerate(config.reactions):
            if reaction.on == "start":
                self._add(0, number)

    def _add(self, ticks: int, reaction: int, holds: bool = True) -> None:
        self._rank += 1
        insort(self._due, _Due(ticks, self._rank, reaction, holds))

    def fetched(
        self, converter: int, ticks: int, judged: list[Judgeable], *, is_full: bool
    ) -> None:
        """The program has got results of a converter; with them its buffer ``is_full``."""
        self._left = ACTED_UPON
        for one in judged:
            for on_reduced, values in ((False, one.raw), (True, one.reduced)):
                known = self._known.get((one.tap, on_reduced))
                if known is not None and len(values.values):
                    known.add(ticks, int(values.values[-1]))
        for number, reaction in enumerate(self._config.reactions):
            mine = reaction.on == "results" and reaction.converter == converter
            if mine and (reaction.mark == "each" or is_full == (reaction.mark == "full")):
                self._add(ticks, number)

    def happened(self, events: list[DetectedEvent], ticks: int | None, later: int = 0) -> None:
        """Events that the program sees at ``ticks``, or as they come, so many ticks later than
        they were held."""
        for event in events:
            causes = self._by_watch.get(event.watch, ())
            if not causes:
                continue
            if ticks is not None:
                self._left -= 1
                if self._left < 0:
                    return
            for number in causes:
                change = self._config.reactions[number].change
                if change == "both" or event.entered == (change == "enters"):
                    self._add(
                        event.ticks + later if ticks is None else ticks, number, event.entered
                    )

    def next_act_ticks(self, converter: int) -> int:
        """When something comes first that turns a converter on or off; far away where nothing does."""
        return self._next_of(
            {
                number
                for number, reaction in enumerate(self._config.reactions)
                if reaction.controls and reaction.acts_on == converter
            }
        )

    def next_end_ticks(self) -> int:
        """When something comes first that ends the run; far away where nothing is known to."""
        return self._next_of(
            {
                number
                for number, reaction in enumerate(self._config.reactions)
                if reaction.action == "end"
            }
        )

    def _next_of(self, acting: set[int]) -> int:
        due = [one.ticks for one in self._due if one.reaction in acting]
        due += [at for number, at in self._next_period.items() if number in acting]
        return min(due, default=NEVER)

    def advance(self, until: int) -> None:
        """Do what comes before ``until``."""
        for number in self._next_period:
            while self._next_period[number] < until:
                insort(self._due, _Due(self._next_period[number], BEFORE_ALL, number, True))
                self._next_period[number] += self._config.reactions[number].period_ticks
        while self._due and self._due[0].ticks < until:
            self._do(self._due.pop(0))

    def _do(self, due: _Due) -> None:
        """One reaction after the other, each in its time."""
        reaction = self._config.reactions[due.reaction]
        done = self._free_at = max(self._free_at, due.ticks) + reaction.busy_ticks
        if reaction.action == "end" and self.ended is None:
            self.ended = done
        if reaction.action == "point":
            self._point(done, reaction)
            return
        if reaction.controls:
            self.controls.append(Control(done, reaction.acts_on, reaction.action))
        if reaction.output is None:
            return
        codes = [self._code(due, reading) for reading in reaction.readings]
        if any(code is None for code in codes):
            return
        output = self._outputs.traces[reaction.output].output
        match reaction.action:
            case "sends":
                data = b"".join(piece_bytes(piece, codes) for piece in reaction.pieces)
                self._outputs.serial[output.name].send(float(done), data)
            case "scaled":
                self._write(done, reaction, int(codes[0] or 0))
            case _:
                pin = output.pins[0]
                level = {
                    "high": True,
                    "low": False,
                    "toggle": not self._outputs.levels[pin],
                    "follows": due.holds,
                    "follows-inverted": not due.holds,
                }[reaction.action]
                self._outputs.set_pins(float(done), {pin: level})

    def _point(self, done: int, reaction: EffectiveReaction) -> None:
        assert reaction.output is not None
        if self._outputs.point(reaction.output, float(done), reaction.channel):
            places = self._outputs.traces[reaction.output].output.places
            self.controls.append(
                Control(done, reaction.acts_on, reaction.action, places, reaction.pin)
            )

    def _code(self, due: _Due, reading: EffectiveReading) -> int | None:
        known = self._known[reading.tap, reading.on_reduced]
        return known.at(due.ticks, before=due.rank == BEFORE_ALL)

    def _write(self, done: int, reaction: EffectiveReaction, code: int) -> None:
        assert reaction.scale is not None
        assert reaction.output is not None
        value = reaction.scale.of(code)
        output = self._outputs.traces[reaction.output].output
        if output.kind == "pins":
            mask = (1 << value) - 1 if reaction.is_bar else value
            levels = {pin: bool(mask >> bit & 1) for bit, pin in enumerate(output.pins)}
            self._outputs.set_pins(float(done), levels)
        else:
            self._outputs.write(reaction.output, float(done), value)


def piece_bytes(piece: EffectivePiece, codes: list[int | None]) -> bytes:
    """A piece of a text, or of bytes, as it is sent."""
    if piece.reading is None:
        return piece.plain.encode()
    code = int(codes[piece.reading] or 0)
    match piece.form:
        case "byte":
            return bytes([max(0, code >> piece.shift) & 0xFF])
        case "word":
            return (code & 0xFFFF).to_bytes(2, "little" if piece.low_first else "big")
        case "code":
            return str(code).encode()
        case "hex":
            return f"0x{code & 0xFFFFFFFF:X}".encode()
        case _:
            tenths = (2 * code * piece.factor + piece.divisor) // (2 * piece.divisor)
            places = 4 if piece.form == "V" else 1
            sign = "-" if tenths < 0 else ""
            whole, rest = divmod(abs(tenths), 10**places)
            return f"{sign}{whole}.{rest:0{places}d}".encode()
