from __future__ import annotations

import random
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.conftest import edited
from tests.paths import FORMER_FILES, KILN
from wattigram.core.base.errors import PartError, ProjectError, WattigramError
from wattigram.core.model.bench import DcSource, SineSource, Wiring
from wattigram.core.model.design import (
    Workspace,
    build_id,
    load_project,
    open_workspace,
    parse_project,
    project_text,
    save_project,
)
from wattigram.core.model.design.edits import RenameSignal, SetPeriod, SetWiring
from wattigram.core.model.design.workspace_files import workspace_from_text

TEXT = KILN.read_text()
FORMER = (FORMER_FILES / "studio-kiln.version-4.toml").read_text()


def test_saving_loses_nothing(kiln: Workspace, tmp_path: Path) -> None:
    path = tmp_path / "a.wattigram.toml"
    save_project(kiln.project, path)
    assert load_project(path) == kiln.project


@given(
    st.fractions(Fraction(1, 10**7), Fraction(1000), max_denominator=10**9),
    st.floats(0, 1e9).map(lambda value: round(value, 12)),
    st.floats(-1e4, 1e4).map(lambda value: round(value, 12)),
    st.text(st.characters(blacklist_categories=("Cs", "Cc")), min_size=1, max_size=30),
)
def test_any_value_survives_its_file(
    kiln: Workspace, hertz: Fraction, ohm: float, volts: float, name: str
) -> None:
    design = edited(
        kiln,
        SetWiring(
            Wiring(
                pin="A2",
                source_resistance_ohm=ohm,
                source=SineSource(offset_v=volts, amplitude_v=1.0, frequency_hz=hertz),
            )
        ),
        RenameSignal("Coil current", name),
        SetPeriod("ADC 1", 1 / hertz),
    )
    assert parse_project(project_text(design.project), "x") == design.project


def test_a_rate_stays_a_rate(kiln: Workspace) -> None:
    design = edited(kiln, SetPeriod("ADC 1", Fraction(1, 44_100)))
    assert 'period = "44.1 kHz"' in project_text(design.project)
    counted = edited(kiln, SetPeriod("ADC 1", Fraction(2177, 96_000_000)))
    assert 'period = "96000000/2177 Hz"' in project_text(counted.project)


def test_version_1_gets_its_shift(kiln: Workspace) -> None:
    old = (
        version_2(FORMER)
        .replace("version = 2", "version = 1")
        .replace("shift = 4\n", "")
        .replace("shift = 6\n", "")
    )
    assert parse_project(old, "x") == kiln.project


def version_2(text: str) -> str:
    """The project as version 2 had it: one window, twins without limits, DMA and two triggers
    only."""
    swaps = (
        ("version = 4", "version = 2"),
        ("[[signals.windows]]", "[signals.window]"),
        ('[signals.twin]\nof = "Upper zone"\n\n', ""),
        ('pin = "B1"\n', 'pin = "B1"\ntwin_of = "Upper zone"\n'),
        ('kind = "timer"\n', ""),
        ('kind = "converter"\n', ""),
        ('[chains.retrieval]\nkind = "dma"\nchannel = "DMA 1"\n\n', ""),
        ('[chains.retrieval]\nkind = "dma"\nchannel = "DMA 2"\n\n', ""),
        ('name = "Loop A"\n', 'name = "Loop A"\ndma = "DMA 1"\n'),
        ('name = "Loop B"\n', 'name = "Loop B"\ndma = "DMA 2"\n'),
    )
    for new, old in swaps:
        assert new in text
        text = text.replace(new, old, 1)
    return text


def test_version_2_is_read_as_it_was_meant(kiln: Workspace) -> None:
    assert parse_project(version_2(FORMER), "x") == kiln.project


def test_the_build_mark_follows_the_design_only(kiln: Workspace) -> None:
    mark = build_id(kiln.project)
    assert len(mark) == 8
    rewired = edited(
        kiln, SetWiring(Wiring(pin="A2", source_resistance_ohm=1.0, source=DcSource(voltage_v=1.0)))
    )
    assert rewired.build_id == mark
    assert edited(kiln, SetPeriod("ADC 1", Fraction(1, 5000))).build_id != mark
    assert build_id(kiln.project.replaced(name="other", expectations=())) == mark


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        (
            'source_resistance = "47 kΩ"',
            "source_resistance = 47",
            "bench[3].source_resistance: 47 has no unit. Write a resistance such as 4.7 kΩ",
        ),
        ('source_resistance = "47 kΩ"', 'source_resistance = "-47 kΩ"', "It must be at least 0 Ω"),
        ('period = "100 us"', 'period = "100 V"', "a frequency such as"),
        ('period = "100 us"', 'period = "0 s"', "must be above 0"),
        (
            "divider = 3",
            "divider = 5",
            "divider 5 is not to be had on Marten M3. Choose one of 1, 2, 3",
        ),
        ("divider = 3", "divider = true", "divider"),
        ("bits = 12", "bits = 11", "resolution 11 is not to be had"),
        ("sampling_cycles = 32", "sampling_cycles = 33", "sampling cycles 33"),
        ("samples = 512", "samples = 70000", "more than 65535"),
        ("samples = 512", "samples = 0", "samples"),
        ('reference = "supply"', 'reference = "moon"', "Choose one of supply, internal"),
        ('timer = "Timer 2"', 'timer = "Timer 9"', "timer Timer 9"),
        (
            'channel = "DMA 2"',
            'channel = "DMA 1"',
            "Two chains, generators or routes use the DMA channel “DMA 1”",
        ),
        ('name = "Loop B"', 'name = "Loop A"', "Two circular buffers are “Loop A”"),
        ('converter = "ADC 2"', 'converter = "ADC 1"', "Two chains use the converter"),
        ('converter = "ADC 2"', 'converter = "ADC 7"', "converter ADC 7"),
        ('follows = "ADC 1"', 'follows = "ADC 2"', "no chain with a trigger of its own"),
        ('pin = "A6"\nscaling', 'pin = "C6"\nscaling', "pin C6"),
        ('scaling = "÷ 2"', 'scaling = "÷ 0"', "no factor"),
        ('scaling = "÷ 2"', 'scaling = "-3"', "impossible"),
        (
            'signal = "Door latch"\nsampling',
            'signal = "Threshold"\nsampling',
            "slot 3: “Threshold” is no signal here",
        ),
        ('paired_with = "Upper zone"', 'paired_with = "Nothing"', "no other signal"),
        ('kind = "square"\nlow', 'kind = "stairs"\nlow', "stairs"),
        ("count = 16", "count = 1", "count"),
        ('name = "studio-kiln"', 'name = ""', "name"),
        ("[[signals]]", "[[signal]]", "unknown key. Did you mean “signals”"),
        ('part = "marten-m3"', 'part = "../../etc/passwd"', "No part has the id"),
        ('part = "marten-m3"', 'part = "mine.toml"', "cannot be used here"),
        ("version = 6", "version = 7", "knows versions up to 6"),
        ('duty = "50 %"', 'duty = "150 %"', "Duty must lie between"),
        ('amplitude = "750 mV"', "amplitude = nan", "amplitude"),
        ('period = "100 us"', 'period = "1e300 s"', "beyond what occurs on a bench"),
        ('period = "100 us"', 'period = "1e-300 s"', "beyond what occurs on a bench"),
        (
            'frequency = "50 Hz"\nnoise',
            'frequency = "1e300 Hz"\nnoise',
            "beyond what occurs on a bench",
        ),
        ('low = "0.4 V"', 'low = "1e308 V"', "beyond what occurs on a bench"),
    ],
)
def test_a_fault_is_a_sentence(old: str, new: str, words: str) -> None:
    assert old in TEXT
    with pytest.raises(WattigramError) as fault:
        workspace_from_text(TEXT.replace(old, new, 1), "p.toml")
    assert isinstance(fault.value, (ProjectError, PartError))
    assert words in str(fault.value) + " ".join(fault.value.faults)


def test_mangled_projects_give_sentences_only() -> None:
    rng = random.Random(3)
    refused = 0
    for _ in range(250):
        data = bytearray(TEXT.encode())
        for _change in range(rng.randint(1, 6)):
            where = rng.randrange(len(data))
            choice = rng.random()
            if choice < 0.4:
                data[where] = rng.randrange(32, 127)
            elif choice < 0.7:
                del data[where : where + rng.randint(1, 30)]
            else:
                data[where:where] = rng.choice(
                    [b"[[", b'"', b"\n", b"=", b"{}", b"9" * 400, b"\xc3\xa9"]
                )
        try:
            workspace_from_text(data.decode("utf-8", "replace"), "x")
        except WattigramError as fault:
            refused += 1
            assert fault.message
    assert refused > 150


@pytest.mark.parametrize(
    "text",
    [
        "a=" + "[" * 3000 + "]" * 3000,
        "format = 5",
        "",
        "\x00",
        'format = "wattigram-project"\nversion = true',
    ],
)
def test_hostile_text_is_refused(text: str) -> None:
    with pytest.raises(WattigramError):
        parse_project(text, "x")


def test_a_folder_stands_for_its_one_project(tmp_path: Path) -> None:
    assert open_workspace(KILN.parent).project.name == "studio-kiln"
    with pytest.raises(ProjectError, match="holds 0 projects"):
        open_workspace(tmp_path)
