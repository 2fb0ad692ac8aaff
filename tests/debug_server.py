"""A real debug server with a program of this machine, for whoever reads memory."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Iterator
from pathlib import Path

import pytest

HOST = """
#include <stdint.h>
#include <unistd.h>
volatile uint32_t counter = 41u;
int16_t table[4] = {-1, 2, -3, 4};
int main(void)
{
    alarm(30); /* whoever lets it run need not end it */
    for (;;) {
        counter++;
        usleep(1000);
    }
}
"""


@pytest.fixture
def gdbserver(tmp_path: Path) -> Iterator[tuple[Path, int]]:
    """A program of the host under a real debug server, and the server's port."""
    if shutil.which("gdbserver") is None:
        pytest.skip("no debug server on this machine")
    (tmp_path / "h.c").write_text(HOST)
    flags = ["-g", "-no-pie", "-D_DEFAULT_SOURCE", "-std=c11"]
    subprocess.run(["gcc", *flags, "h.c", "-o", "h"], cwd=tmp_path, check=True)
    process = subprocess.Popen(
        ["gdbserver", "--once", "127.0.0.1:0", str(tmp_path / "h")],
        stderr=subprocess.PIPE,
        text=True,
    )
    assert process.stderr is not None
    port = 0
    while not port:
        line = process.stderr.readline()
        assert line, "the debug server ended"
        if "port" in line:
            port = int(line.rpartition(" ")[2])
    yield tmp_path / "h", port
    process.kill()
    process.wait()
    process.stderr.close()
