"""Registers as firmware meets them: flags that come and go, results that are taken, waiting that is
noticed."""

from __future__ import annotations

from collections import deque

import pytest

from wattigram.core.emulator.peripherals import CALIBRATION_READS, Peripherals
from wattigram.core.model.part import find_part
from wattigram.core.silicon.registers import register_map

PORT = ("outputs", "output", "set", "clear", "toggle", "input")


class PeripheralListener:
    """What stands around the registers, for a test to look at."""

    def __init__(self) -> None:
        self.ticks = 0x1_2345_6789
        self.in_main = True
        self.looks = self.stirs = 0
        self.seen: list[tuple[object, ...]] = []
        self.alarms: list[int] = []
        self.room = True

    def read_memory(self, address: int, count: int) -> bytes:
        return bytes((address + at) & 0xFF for at in range(count))

    def on_result(self, owner: str) -> None:
        self.seen.append(("found", owner))

    def on_look(self, what: str) -> None:
        self.seen.append(("vain", what))
        self.looks += 1

    def on_stir(self) -> None:
        self.stirs += 1

    def on_change_seen(self) -> None:
        self.seen.append(("changes",))

    def on_alarm(self, due: int) -> None:
        self.alarms.append(due)

    def on_place(self, owner: str) -> None:
        self.seen.append(("asked how far", owner))

    def on_start(self, owner: str) -> None:
        self.seen.append(("started", owner))

    def on_enable(self, owner: str, on: bool) -> None:
        self.seen.append(("enabled", owner, on))

    def on_set_up(self) -> None:
        self.seen.append(("set up",))

    def on_dac_code(self, owner: str, code: int) -> None:
        self.seen.append(("coded", owner, code))

    def on_late_write(self, owner: str, setting: str, before: int, after: int) -> None:
        self.seen.append(("changed", owner, setting, before, after))

    def on_levels(self, owner: str, levels: int, outputs: int) -> None:
        self.seen.append(("levels", owner, levels, outputs))

    def pin_levels(self, owner: str) -> int:
        return 0b1010

    def on_retimed(self, owner: str, setting: str) -> None:
        self.seen.append(("retimed", owner, setting))

    def on_byte(self, owner: str, byte: int) -> None:
        self.seen.append(("sent", owner, byte))

    def has_room(self, _owner: str) -> bool:
        return self.room


@pytest.fixture
def around() -> PeripheralListener:
    return PeripheralListener()


@pytest.fixture
def osprey(around: PeripheralListener) -> Peripherals:
    return Peripherals(find_part("osprey-x2"), around)


def address(part: str, owner: str, name: str, index: int = 0) -> int:
    return register_map(find_part(part)).find(owner, name, index).address


def test_ticks_are_read_whole(osprey: Peripherals) -> None:
    low = osprey.read(address("osprey-x2", "System", "ticks-low"), 4)
    assert low == 0x23456789
    assert osprey.read(address("osprey-x2", "System", "ticks-high"), 4) == 1


def test_what_was_written_is_read_back_and_commands_are_not(osprey: Peripherals) -> None:
    power = address("osprey-x2", "ADC 1", "on")
    osprey.write(power, 4, 0x81)  # on, and calibrate
    reads = [osprey.read(power, 4) & 0x80 for _ in range(CALIBRATION_READS + 2)]
    assert reads[0] == 0x80
    assert reads[-1] == 0
    assert osprey.read(power, 4) == 1
    assert osprey.written == [(power, 32, 0x81)]


def test_bytes_of_a_register_are_written_one_by_one(osprey: Peripherals) -> None:
    form = address("osprey-x2", "ADC 1", "bits")
    osprey.write(form + 1, 1, 0x05)
    assert osprey.read(form, 4) == 0x500
    assert osprey.read(form + 1, 1) == 5


def test_a_fifo_gives_the_oldest_first_with_its_instant(osprey: Peripherals) -> None:
    live = osprey.converters["ADC 2"]
    live.fifo = deque([(11, 100), (22, 200)])
    queued = address("osprey-x2", "ADC 2", "queued")
    assert osprey.read(queued, 4) >> 8 == 2
    assert osprey.read(queued, 4) & 1  # a result is there
    ready, newest = (address("osprey-x2", "ADC 2", name) for name in ("result-ticks", "newest"))
    assert (osprey.read(ready, 4), osprey.read(newest, 4)) == (100, 11)
    assert (osprey.read(ready, 4), osprey.read(newest, 4)) == (200, 22)
    assert osprey.read(queued, 4) >> 8 == 0
    assert osprey.read(newest, 4) == 22  # nothing newer


def test_flags_are_taken_by_writing_one(osprey: Peripherals) -> None:
    marks = address("osprey-x2", "DMA 1", "half-seen")
    osprey.live["DMA 1", "half-seen", 0] = 1
    osprey.live["DMA 1", "full-seen", 0] = 1
    before = osprey.read(marks, 4)
    assert before
    osprey.write(marks, 4, 0)
    assert osprey.read(marks, 4) == before
    place = register_map(find_part("osprey-x2")).find("DMA 1", "half-seen")
    osprey.write(marks, 4, place.field.mask)
    assert osprey.read(marks, 4) == before & ~place.field.mask


def test_only_the_main_loop_looks_in_vain(osprey: Peripherals, around: PeripheralListener) -> None:
    state = address("osprey-x2", "ADC 1", "done")
    for _ in range(3):
        assert osprey.read(state, 4) & 1 == 0
    assert around.looks == 3
    around.in_main = False
    osprey.read(state, 4)
    assert around.looks == 3  # a handler does not wait


def test_bytes_come_and_go(osprey: Peripherals, around: PeripheralListener) -> None:
    waiting, byte = (
        address("osprey-x2", "System", "waiting"),
        address("osprey-x2", "System", "received"),
    )
    osprey.inbox.extend(b"ab")
    assert osprey.read(waiting, 4) == 2
    assert bytes((osprey.read(byte, 4), osprey.read(byte, 4))) == b"ab"
    assert osprey.read(byte, 4) == 0
    osprey.write(address("osprey-x2", "System", "send-from"), 4, 0x20000010)
    osprey.write(address("osprey-x2", "System", "send-count"), 4, 3)
    assert osprey.take_outbox() == [b"\x10\x11\x12"]
    assert osprey.take_outbox() == []


def test_an_alarm_counts_from_now(osprey: Peripherals, around: PeripheralListener) -> None:
    alarm = address("osprey-x2", "System", "alarm")
    osprey.write(alarm, 4, 1000)
    assert osprey.alarm_at == around.ticks + 1000
    assert around.alarms == [around.ticks + 1000]
    osprey.write(alarm, 4, 0)
    assert osprey.alarm_at is None


def test_what_firmware_does_while_it_runs_is_told(
    osprey: Peripherals, around: PeripheralListener
) -> None:
    go, power = address("osprey-x2", "ADC 1", "start"), address("osprey-x2", "ADC 1", "on")
    osprey.write(power, 4, 1)
    osprey.write(go, 4, 1)
    assert around.seen == []  # that was the set-up
    osprey.running = True
    osprey.write(go, 4, 1)
    osprey.write(power, 4, 0)
    osprey.write(power, 4, 0)
    osprey.write(
        address("osprey-x2", "DAC", "data")
        if register_map(find_part("osprey-x2")).has("DAC", "data")
        else go,
        4,
        1,
    )
    assert around.seen[:3] == [
        ("started", "ADC 1"),
        ("changed", "ADC 1", "on", 1, 0),
        ("enabled", "ADC 1", False),
    ]
    osprey.write(power, 4, 1)
    assert around.seen[-1] == ("enabled", "ADC 1", True)  # told as a change once only
    assert osprey.written == [(power, 32, 1), (go, 32, 1)]


def test_a_timer_that_is_set_anew_is_told(osprey: Peripherals, around: PeripheralListener) -> None:
    top = address("osprey-x2", "Timer 1", "period")
    osprey.write(top, 4, 99)
    osprey.running = True
    osprey.write(top, 4, 99)
    osprey.write(top, 4, 50)
    osprey.write(top, 4, 51)
    assert around.seen.count(("set up",)) == 2
    assert [one for one in around.seen if one != ("set up",)] == [
        ("retimed", "Timer 1", "period"),
        ("changed", "Timer 1", "period", 99, 50),
        ("retimed", "Timer 1", "period"),
        ("retimed", "Timer 1", "period"),
    ]


def test_pins_go_high_and_low_by_any_of_their_registers() -> None:
    around = PeripheralListener()
    marten = Peripherals(find_part("marten-m3"), around)
    at = {name: address("marten-m3", "Port B", name) for name in PORT}
    marten.write(at["output"], 4, 0b0001)
    marten.write(at["outputs"], 4, 0b0111)
    marten.running = True
    marten.write(at["set"], 4, 0b0110)
    marten.write(at["clear"], 4, 0b0010)
    marten.write(at["toggle"], 4, 0b1001)
    levels = [seen[2:] for seen in around.seen if seen[0] == "levels"]
    assert levels == [(0b0001, 0), (0b0001, 7), (0b0111, 7), (0b0101, 7), (0b1100, 7)]
    changed = [seen[3:] for seen in around.seen if seen[0] == "changed"]
    assert changed == [(0b0001, 0b0111)]  # the first of them, since the board runs
    assert marten.read(at["output"], 4) == 0b1100
    assert marten.read(at["input"], 4) == 0b1010


def test_lines_of_the_system_outlive_a_new_start(osprey: Peripherals) -> None:
    osprey.write(0xE000E100, 4, 0b110001)
    assert {0, 4, 5} <= osprey.state.lines
    osprey.begin()
    assert osprey.state.lines == {0}
    assert osprey.line_enabled("System") == 0
    assert osprey.line_enabled("ADC 1") is None


def test_addresses_without_a_register_are_noted(osprey: Peripherals) -> None:
    assert osprey.read(0x50100FFC, 4) == 0
    osprey.write(0x50100FFC, 4, 1)
    osprey.write(0x50100FFC, 4, 1)
    assert len(osprey.notes) == 2
    assert "0x50100ffc" in osprey.notes[0]


def test_looking_takes_nothing(osprey: Peripherals) -> None:
    osprey.inbox.extend(b"x")
    live = osprey.converters["ADC 1"]
    live.newest, live.done, live.tally = 0x1234, True, 77
    newest, tally = address("osprey-x2", "ADC 1", "newest"), address("osprey-x2", "ADC 1", "passes")
    assert [osprey.peek(newest + at) for at in range(2)] == [0x34, 0x12]
    assert osprey.peek(tally) == 77
    assert osprey.peek(address("osprey-x2", "System", "ticks-low")) == 0x89
    assert osprey.peek(0x50100FFC) == 0
    assert live.done
    assert len(osprey.inbox) == 1
