from __future__ import annotations

import random
from pathlib import Path

import pytest

from wattigram.core.base.errors import PartError
from wattigram.core.model.part import find_part, list_parts, load_part, parse_part
from wattigram.core.model.part.catalogue import FOLDER

MARTEN = (FOLDER / "marten-m3.toml").read_text()


def test_marten_is_as_its_data_sheet_says() -> None:
    part = find_part("marten-m3")
    first = part.converters[0]
    assert part.processor.clock_hz == 96_000_000
    assert first.bits == (12, 10, 8)
    assert [first.conversion_cycles(bits) for bits in first.bits] == [13, 11, 9]
    assert first.dividers == (1, 2, 3, 4, 6, 8, 12, 16, 32)
    assert first.sampling_cycles == (3, 8, 16, 32, 64, 128, 384, 768)
    assert (first.clock_low_hz, first.clock_high_hz) == (500_000, 32_000_000)
    assert (first.sampling_capacitor_f, first.switch_resistance_ohm) == (16e-12, 1200.0)
    assert list(first.channels) == [f"A{n}" for n in range(8)] + [f"B{n}" for n in range(8)]
    assert first.slots == 16
    assert len(part.timers[0].names) == 6
    assert part.timers[0].counter_bits == part.timers[0].prescaler_bits == 16
    assert part.dma[0].widths == (8, 16, 32)
    assert part.dma[0].items_max == 65_535
    assert [(dac.pin, dac.settling_s * 10**7, dac.buffer_margin_v) for dac in part.dacs] == [
        ("A5", 25, 0.15),
        ("B5", 25, 0.15),
    ]
    assert {item.name: item.voltage_v for item in part.references} == {
        "supply": 3.3,
        "internal": 1.2,
    }
    assert part.converters[0].offset_calibrated_lsb != part.converters[1].offset_calibrated_lsb


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        (
            'clock = "96 MHz"',
            'clock = "96 mV"',
            "processor.clock: “96 mV” has the unit “V”. Write a frequency such as 10 kHz",
        ),
        ('clock = "96 MHz"', "clock = 96000000", "has no unit"),
        ('clock = "96 MHz"', 'clok = "96 MHz"', "Did you mean “clock”"),
        ('clock = "96 MHz"', 'clock = "-96 MHz"', "It must be above 0 Hz"),
        ('clock = "96 MHz"', 'clock = "0 Hz"', "It must be above 0 Hz"),
        ("bits = [12, 10, 8]", "bits = [12, 10, 99]", "converters[1].bits[3]"),
        ("bits = [12, 10, 8]", "bits = []", "converters[1].bits"),
        ("bits = [12, 10, 8]", 'bits = "12"', "converters[1].bits"),
        ("bits = [12, 10, 8]", "bits = [12, 12]", "is listed twice"),
        ("slots = 16", "slots = 0", "converters[1].slots"),
        ("slots = 16", "slots = 16.5", "converters[1].slots"),
        ('clock_low = "500 kHz"', 'clock_low = "50 MHz"', "clock_low is not below clock_high"),
        ('clock_high = "32 MHz"', 'clock_high = "600 kHz"', "no divider brings the bus clock"),
        ('sampling_capacitor = "16 pF"', 'sampling_capacitor = "0 F"', "must be above 0 F"),
        ('full_scale = "2^N"', 'full_scale = "about"', "converters[1].full_scale"),
        (
            "needs_calibration = true",
            'needs_calibration = "yes"',
            "converters[1].needs_calibration",
        ),
        ("A0 = 0", "A0 = 7", "channel 7 is listed twice"),
        ("A0 = 0", "C99 = 0", "pin C99 is not among"),
        ('name = "Marten M3"', 'name = ""', "name"),
        ('id = "marten-m3"', 'id = "../x"', "id"),
        ("version = 7", "version = 8", "newer Wattigram"),
        ("version = 7", 'version = "2"', "Versions 1 to 7"),
        ('format = "wattigram-part"', 'format = "other"', "The first line must read"),
        ('pin = "A5"', 'pin = "Z5"', "pin Z5 is not among"),
        ("widths = [8, 16, 32]", "widths = [8, 16, 33]", "dma[1].widths[3]"),
        ('voltage = "3.3 V"', 'voltage = "0 V"', "It must be above 0 V"),
        ('accuracy = "2 LSB"', 'accuracy = "2 V"', "a number of counts"),
        ("[processor]", "[processor", "not valid TOML"),
        ('summary = "96', 'extra = 1\nsummary = "96', "extra: unknown key"),
    ],
)
def test_a_fault_is_a_sentence_with_path_and_cure(old: str, new: str, words: str) -> None:
    assert old in MARTEN
    with pytest.raises(PartError) as fault:
        parse_part(MARTEN.replace(old, new, 1), "my-part.toml")
    assert words in str(fault.value) + " ".join(fault.value.faults)
    assert str(fault.value).startswith("my-part.toml: ")


def test_every_fault_is_listed() -> None:
    text = MARTEN.replace("slots = 16", "slots = 0").replace('clock = "96 MHz"', 'clock = "x"')
    with pytest.raises(PartError) as fault:
        parse_part(text, "x")
    assert sum("slots" in line for line in fault.value.faults) == 2
    assert any("processor.clock" in line for line in fault.value.faults)


def test_mangled_part_files_give_sentences_only() -> None:
    rng = random.Random(7)
    lines = MARTEN.split("\n")
    refused = 0
    for _ in range(150):
        mangled = list(lines)
        for _change in range(rng.randint(1, 3)):
            number = rng.randrange(len(mangled))
            choice = rng.random()
            if choice < 0.3:
                mangled[number] = ""
            elif choice < 0.6:
                mangled[number] = mangled[number][: rng.randrange(len(mangled[number]) + 1)]
            else:
                mangled[number] = mangled[number].replace(
                    "=", rng.choice(["= -", "= [", "= 1e400", '= "?"', ":"]), 1
                )
        try:
            parse_part("\n".join(mangled), "x")
        except PartError as fault:
            refused += 1
            assert fault.message
    assert refused > 75


def test_parts_are_listed_and_found() -> None:
    assert [part.id for part in list_parts()] == ["marten-m3", "osprey-x2", "quill-q8"]
    with pytest.raises(PartError, match="Known ids: marten-m3, osprey-x2, quill-q8"):
        find_part("marten-m4")


@pytest.mark.parametrize("name", ["../marten-m3", "marten-m3/../x", "", "/etc/passwd", "a\x00b"])
def test_an_id_is_never_a_path(name: str) -> None:
    with pytest.raises(PartError):
        find_part(name)


def test_an_engineers_own_part_lies_beside_the_project(tmp_path: Path) -> None:
    own = tmp_path / "mine.toml"
    own.write_text(MARTEN.replace("Marten M3", "Mine").replace("marten-m3", "mine"))
    assert find_part("mine.toml", tmp_path).name == "Mine"
    assert load_part(own).id == "mine"
    for name in ("../mine.toml", "/mine.toml"):
        with pytest.raises(PartError, match="own folder"):
            find_part(name, tmp_path / "sub")
