"""SVD files become the start of a part file; hostile ones are refused with a sentence."""

from __future__ import annotations

import tomllib
from pathlib import Path

import pytest

from tests.cli.test_cli import wattigram
from wattigram.core.base.errors import PartError
from wattigram.core.base.models import model_of
from wattigram.core.model.part.registers import Block
from wattigram.core.model.part.svd import blocks_toml, read_svd

HERON = """<?xml version="1.0"?>
<device><name>HERON</name><size>32</size><peripherals>
<peripheral><name>SAMPLER1</name><description>makes  numbers
 of volts</description><baseAddress>0x40012000</baseAddress>
<interrupt><name>SAMPLER1</name><value>18</value></interrupt>
<registers>
<register><name>RULE</name><addressOffset>0x4</addressOffset><resetValue>0x10</resetValue><fields>
<field><name>ON</name><bitOffset>0</bitOffset><bitWidth>1</bitWidth></field>
<field><name>CUT</name><bitRange>[7:4]</bitRange><enumeratedValues>
<enumeratedValue><name>by two</name><value>0x1</value></enumeratedValue>
<enumeratedValue><name>by "four"</name><value>#10</value></enumeratedValue></enumeratedValues></field>
<field><name>FRESH</name><lsb>9</lsb><msb>9</msb><access>read-only</access></field></fields></register>
<register><name>SLOT[%s]</name><dim>4</dim><dimIncrement>2</dimIncrement><size>16</size><addressOffset>0x20</addressOffset></register>
<cluster><name>LIMIT</name><addressOffset>0x40</addressOffset>
<register><name>LOW</name><addressOffset>0x8</addressOffset><size>8</size></register></cluster>
</registers></peripheral>
<peripheral derivedFrom="SAMPLER1"><name>SAMPLER2</name><baseAddress>0x40013000</baseAddress></peripheral>
</peripherals></device>
"""


@pytest.fixture
def heron(tmp_path: Path) -> Path:
    (tmp_path / "heron.svd").write_text(HERON)
    return tmp_path / "heron.svd"


def test_everything_that_the_format_says_is_read(heron: Path) -> None:
    first, second = read_svd(heron).peripherals
    assert (first.name, first.base, first.text, first.lines) == (
        "SAMPLER1",
        0x40012000,
        "makes numbers of volts",
        (18,),
    )
    rule, slot, low = first.registers
    assert (rule.offset, rule.width, rule.reset) == (4, 32, 0x10)
    assert [(field.name, field.low, field.width) for field in rule.fields] == [
        ("ON", 0, 1),
        ("CUT", 4, 4),
        ("FRESH", 9, 1),
    ]
    assert rule.fields[1].values == (("by two", 1), ('by "four"', 2))
    assert (slot.name, slot.count, slot.step, slot.width) == ("SLOT", 4, 2, 16)
    assert (low.name, low.offset, low.width) == ("LIMIT_LOW", 0x48, 8)
    assert second.registers == first.registers
    assert second.base == 0x40013000


def test_blocks_can_be_pasted_into_a_part_file(heron: Path) -> None:
    text = blocks_toml(read_svd(heron).peripherals, {"SAMPLER1": "converter"})
    block = model_of(Block, tomllib.loads(text)["blocks"][0])
    assert block.bases == (0x40012000,)
    assert block.lines == (18,)
    assert [register.name for register in block.registers] == ["RULE", "SLOT", "LIMIT_LOW"]
    line = next(splitline for splitline in text.splitlines() if '"CUT"' in splitline)
    field = tomllib.loads("x = " + line.strip().removeprefix("# ").split(",  ")[0].rstrip(","))["x"]
    assert field["table"] == {"by two": 1, 'by "four"': 2}
    assert "sampling, repeats" in text


def test_the_command_lists_and_prints(heron: Path) -> None:
    listed = wattigram("part", "svd", heron)
    assert "SAMPLER2" in listed.stdout
    printed = wattigram("part", "svd", heron, "--block", "SAMPLER2=converter")
    assert 'owners = ["SAMPLER2"]' in printed.stdout
    wrong = wattigram("part", "svd", heron, "--block", "SAMPLER9=converter")
    assert wrong.returncode == 2
    assert "There is no peripheral “SAMPLER9”" in wrong.stderr
    assert "no kind" in wattigram("part", "svd", heron, "--block", "SAMPLER1=toaster").stderr


LAUGHS = '<?xml version="1.0"?><!DOCTYPE device [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;">]><device>&b;</device>'
OUTSIDE = '<?xml version="1.0"?><!DOCTYPE device [<!ENTITY a SYSTEM "file:///etc/passwd">]><device>&a;</device>'


@pytest.mark.parametrize(
    "text",
    [
        "",
        "no xml",
        "<device/>",
        "<other><peripherals/></other>",
        LAUGHS,
        OUTSIDE,
        HERON.replace("0x40012000", "zero"),
        HERON.replace("[7:4]", "[7-4]"),
    ],
    ids=[
        "empty",
        "text",
        "no peripherals",
        "another root",
        "entities",
        "outside",
        "no number",
        "no range",
    ],
)
def test_what_is_no_description_is_refused(text: str, tmp_path: Path) -> None:
    (tmp_path / "x.svd").write_text(text)
    with pytest.raises(PartError, match=r"x\.svd"):
        read_svd(tmp_path / "x.svd")
    with pytest.raises(PartError):
        read_svd(tmp_path / "missing.svd")


NESTED = """<?xml version="1.0"?>
<device><name>NEST</name><cpu><name>CM4</name></cpu><size>32</size><peripherals>
<peripheral><name>MOVER</name><baseAddress>0x1000</baseAddress><registers>
<cluster><name>OUTER</name><addressOffset>0x100</addressOffset>
<register><name>PLAIN</name><addressOffset>0x4</addressOffset><fields>
<field><name>MODE</name><bitOffset>0</bitOffset><bitWidth>2</bitWidth><enumeratedValues><name>MODES</name>
<enumeratedValue><name>slow</name><value>0</value></enumeratedValue>
<enumeratedValue><name>fast</name><value>1</value></enumeratedValue></enumeratedValues></field>
<field derivedFrom="MODE"><name>MODE2</name><description>the other</description><bitOffset>4</bitOffset><bitWidth>2</bitWidth></field>
</fields></register>
<register><dim>3</dim><dimIncrement>4</dimIncrement><name>ROW%s</name><addressOffset>0x10</addressOffset></register>
<cluster><name>INNER</name><addressOffset>0x40</addressOffset>
<register><name>DEEP</name><addressOffset>0x8</addressOffset></register></cluster>
</cluster>
<cluster><dim>2</dim><dimIncrement>0x20</dimIncrement><name>LANE[%s]</name><addressOffset>0x200</addressOffset>
<register><name>GO</name><addressOffset>0x0</addressOffset></register>
<register><dim>2</dim><dimIncrement>4</dimIncrement><name>WORD%s</name><addressOffset>0x8</addressOffset></register></cluster>
<register derivedFrom="OUTER.PLAIN"><name>LIKE</name><description>as that</description><addressOffset>0x300</addressOffset></register>
<register><name>PINS</name><size>8</size><addressOffset>0x310</addressOffset><fields>
<field><dim>8</dim><dimIncrement>1</dimIncrement><name>P%s</name><bitOffset>0</bitOffset><bitWidth>1</bitWidth></field>
<field><name>ODD</name><access>now-and-then</access><bitOffset>9</bitOffset><bitWidth>1</bitWidth></field>
</fields></register>
</registers></peripheral></peripherals></device>
"""


def test_clusters_arrays_and_derivations_are_unfolded(tmp_path: Path) -> None:
    (tmp_path / "nest.svd").write_text(NESTED)
    read = read_svd(tmp_path / "nest.svd")
    assert (read.name, read.core) == ("NEST", "CM4")
    registers = {one.name: one for one in read.peripherals[0].registers}
    places = {name: (one.offset, one.count, one.step) for name, one in registers.items()}
    assert places == {
        "OUTER_PLAIN": (0x104, 1, 4),
        "OUTER_ROW": (0x110, 3, 4),
        "OUTER_INNER_DEEP": (0x148, 1, 4),
        "LANE_GO": (0x200, 2, 0x20),
        "LANE_WORD_0": (0x208, 2, 4),
        "LANE_WORD_1": (0x228, 2, 4),
        "LIKE": (0x300, 1, 4),
        "PINS": (0x310, 1, 4),
    }
    mode, other = registers["OUTER_PLAIN"].fields
    assert other.values == mode.values == (("slow", 0), ("fast", 1))
    assert (other.low, other.text) == (4, "the other")
    pins, _odd = registers["PINS"].fields
    assert (pins.name, pins.low, pins.width, pins.count) == ("P", 0, 8, 8)
    assert any("now-and-then" in note for note in read.notes)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        (NESTED.replace("<dim>3</dim>", "<dim>900000000</dim>"), "is there 900000000 times"),
        (
            NESTED.replace("<dim>3</dim>", "<dim>4000</dim>").replace(
                "<dim>2</dim>", "<dim>4000</dim>"
            ),
            "unfolds to more than",
        ),
        (
            NESTED.replace(
                "<register derivedFrom",
                '<register derivedFrom="LIKE"><name>x</name></register><register derivedFrom',
                1,
            ).replace('derivedFrom="OUTER.PLAIN"', 'derivedFrom="x"'),
            "derived from itself",
        ),
    ],
    ids=["many", "many of many", "circle"],
)
def test_what_would_unfold_without_end_is_refused(text: str, words: str, tmp_path: Path) -> None:
    (tmp_path / "x.svd").write_text(text)
    with pytest.raises(PartError, match=words):
        read_svd(tmp_path / "x.svd")


def test_a_long_chain_of_derivations_is_a_sentence(tmp_path: Path) -> None:
    chain = "".join(
        f'<register derivedFrom="R{number + 1}"><name>R{number}</name></register>'
        for number in range(4000)
    )
    text = NESTED.replace("<cluster><name>OUTER", f"{chain}<cluster><name>OUTER", 1)
    (tmp_path / "deep.svd").write_text(text)
    with pytest.raises(PartError, match=r"nested too deeply|takes too long"):
        read_svd(tmp_path / "deep.svd")
