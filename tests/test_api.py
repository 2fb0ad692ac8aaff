"""What scripts rely on: the names, what they do, and that they cost nothing before they are used."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

import wattigram
from tests.paths import KILN
from wattigram import api

NAMES = {
    "Edit",
    "Finding",
    "WattigramError",
    "Workspace",
    "build_firmware",
    "edited",
    "edits",
    "export",
    "findings",
    "frame",
    "import_recording",
    "measure",
    "open_project",
    "open_recording",
    "open_take",
    "places",
    "prove",
    "run",
    "samples",
    "save",
    "write_firmware",
}


def test_public_names_stay() -> None:
    assert set(api.__all__) == NAMES
    assert all(getattr(wattigram, name) is getattr(api, name) for name in NAMES)
    with pytest.raises(AttributeError, match="nonsense"):
        wattigram.nonsense  # noqa: B018


def test_a_design_is_mended_run_and_proved(tmp_path: Path) -> None:
    kiln = wattigram.open_project(KILN)
    found = wattigram.findings(kiln)
    assert [finding.code for finding in found] == ["sampling-too-short"]
    with pytest.raises(wattigram.WattigramError, match="divider 5"):
        wattigram.edited(kiln, wattigram.edits.SetDivider("ADC 1", 5))
    mended = wattigram.edited(kiln, wattigram.edits.SetSampling("ADC 1", 2, 384))
    assert wattigram.findings(mended) == ()
    wattigram.save(mended, tmp_path / "mended.wattigram.toml")
    assert wattigram.open_project(tmp_path / "mended.wattigram.toml").project == mended.project
    told: list[float] = []
    outcome = wattigram.run(mended, 5.0, tmp_path / "take.h5", seed=7, progress=told.append)
    assert outcome.is_whole
    assert told == sorted(told)
    with wattigram.open_take(tmp_path / "take.h5") as take:
        proof = wattigram.prove(mended, take)
    assert len(proof.verdicts) == 8
    assert proof.all_hold
    written = wattigram.write_firmware(mended, tmp_path / "c")
    assert "wg_design.c" in written.new


def test_the_package_alone_loads_nothing() -> None:
    code = "import sys, wattigram; print([m for m in sys.modules if m.startswith('wattigram.')])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_the_interface_knows_no_window() -> None:
    code = "import sys, wattigram.api; print([m for m in sys.modules if 'PyQt6' in m or 'desktop' in m])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


EXAMPLES = (
    (Path(__file__).parents[1] / "docs/api.md").read_text(encoding="utf-8").split("```python\n")[1:]
)


@pytest.mark.parametrize("number", range(len(EXAMPLES)))
def test_the_examples_of_the_docs_run(number: int, tmp_path: Path) -> None:
    code = EXAMPLES[number].split("```")[0].replace("studio-kiln.wattigram.toml", str(KILN))
    done = subprocess.run(
        [sys.executable, "-c", code], cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    assert done.stdout.split()[-1] == "True"


def test_a_take_is_arrays_and_figures(tmp_path: Path) -> None:
    kiln = wattigram.open_project(KILN)
    wattigram.run(kiln, 1.0, tmp_path / "take.h5")
    with wattigram.open_take(tmp_path / "take.h5") as take:
        times_s, volts = wattigram.samples(take, "Coil current", 0.2, 0.4)
        assert len(times_s) == len(volts) == 2000
        assert times_s[0] == pytest.approx(0.2, abs=1e-4)
        sine = wattigram.measure(take, "sine", "Coil current")
        assert sine.figure("frequency").value == pytest.approx(50, abs=0.01)
        assert "<td>SINAD</td>" in sine._repr_html_()
        assert "<td>holds</td>" in wattigram.prove(kiln, take)._repr_html_()
        above = list(wattigram.places(take, "level", "Coil current", level=2.0, end_s=0.09))
        assert len(above) == len({place.begin_s for place in above})
        assert len(above) >= 4  # 50 Hz, and noise at the level
        assert all(place.begin_s < 0.09 for place in above)
        written = wattigram.export(take, tmp_path / "coil.wav", signals=("Coil current",))
        assert written.rows == 10_000
        with pytest.raises(wattigram.WattigramError, match="no format"):
            wattigram.export(take, tmp_path / "coil.x", "tape")
        with pytest.raises(wattigram.WattigramError, match="no way to measure"):
            wattigram.measure(take, "sine", "Coil current", loudness=3)
    with wattigram.open_recording(tmp_path / "coil.wav", unit="V") as recording:
        gain = wattigram.measure(recording, "statistics", "coil")
        assert gain.figure("mean").value == pytest.approx(1.65, abs=0.01)
    with pytest.raises(wattigram.WattigramError, match="cannot be read so"):
        wattigram.open_recording(tmp_path / "coil.wav", loudness=3)


def test_takes_that_begin_and_end_by_themselves(tmp_path: Path) -> None:
    kiln = api.open_project(KILN)
    outcome = api.run(
        kiln,
        30.0,
        tmp_path / "hot.h5",
        start_at="Upper zone begins",
        before_s=0.2,
        for_s=0.5,
        times=2,
    )
    assert [take.name for take in outcome.takes] == ["hot.h5", "hot 2.h5"]
    with api.open_recording(outcome.takes[1]) as recording:
        times_s, _volts = api.samples(recording, "Coil current")
        assert times_s[-1] - times_s[0] == pytest.approx(0.7, abs=0.02)
    with pytest.raises(api.WattigramError, match="no source of events"):
        api.run(kiln, 1.0, tmp_path / "t.h5", start_at="Oven")
    with pytest.raises(ValueError, match="something that the start waits for"):
        api.run(kiln, 1.0, tmp_path / "t.h5", before_s=1.0)
