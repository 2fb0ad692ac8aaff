"""Building firmware with the engineer's own compiler."""

from __future__ import annotations

import os
import re
import selectors
import shutil
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

import msgspec

from wattigram.core.base.errors import FirmwareError
from wattigram.core.contract.image import load_image
from wattigram.core.firmware.built_objects import BuiltObjects
from wattigram.core.firmware.compiler_flags import C_FLAGS, ELF, LINK_FLAGS, target_flags
from wattigram.core.firmware.memory_overflow import is_of_room, overflows
from wattigram.core.model.part import Part

USUAL_COMPILER = "arm-none-eabi-gcc"
BUILD_FOLDER = "build"
WHAT_TO_INSTALL = (
    "Install a cross compiler for Arm Cortex-M, on Debian: sudo apt-get install gcc-arm-none-eabi."
)
_COMPLAINT = re.compile(
    r"^(?P<file>[^:\n]+):(?P<line>\d+):(?:(?P<column>\d+):)? "
    r"(?P<kind>fatal error|error|warning|note): (?P<text>.*)$"
)
_UNDEFINED = re.compile(
    r"^(?:\S*ld: )?(?P<file>[^:\n]+):(?P<line>\d+): (?P<text>undefined reference .*)$"
)
_OF_ITSELF = re.compile(r"^[^:\s]+: (?:fatal )?error: (?P<text>.*)$")
"""What a compiler has to say of no line: an option that it does not know, a file that is not
there."""
TARGETS = ("arm", "thumb")
_POLL_S = 0.02


class Compiler(msgspec.Struct, frozen=True):
    """A compiler that was found: where it is, and what it says of itself."""

    path: str
    version: str


class Diagnostic(msgspec.Struct, frozen=True):
    """What a compiler has against a line; ``line`` counts from 1, 0 where it names none."""

    file: str
    line: int
    kind: str
    text: str

    @property
    def is_error(self) -> bool:
        """It keeps the firmware from being built."""
        return self.kind.endswith("error")


class BuildResult(msgspec.Struct, frozen=True):
    """What became of a build.

    Attributes
    ----------
    elf : Path or None
        The image, where it was built.
    code_bytes, data_bytes : int
        Taken of the part's code memory, and of its data memory with the stack.
    """

    elf: Path | None
    diagnostics: tuple[Diagnostic, ...]
    output: str
    code_bytes: int = 0
    data_bytes: int = 0
    seconds: float = 0.0
    cancelled: bool = False
    sources: tuple[str, ...] = msgspec.field(default=())

    @property
    def warnings(self) -> int:
        """Complaints that do not keep it from being built."""
        return sum(1 for diagnostic in self.diagnostics if diagnostic.kind == "warning")


def find_compiler(chosen: str = "") -> Compiler | None:
    """The compiler that was chosen, or the usual one where it can be found; None where there is
    none.

    Raises
    ------
    FirmwareError
        When the chosen one is not there, does not run, or builds for another kind of processor.
    """
    path = shutil.which(chosen or USUAL_COMPILER)
    if path is None:
        if chosen:
            raise FirmwareError(f"There is no compiler “{chosen}”.", cure=WHAT_TO_INSTALL)
        return None
    try:
        version, target = (_answer(path, asked) for asked in ("--version", "-dumpmachine"))
    except (OSError, subprocess.SubprocessError) as fault:
        raise FirmwareError(f"{path} does not run: {fault}.", cure=WHAT_TO_INSTALL) from fault
    if not target.startswith(TARGETS):
        raise FirmwareError(
            f"{path} builds for {target or 'nothing that it can name'}, and the image is for an "
            "Arm Cortex-M core.",
            cure=WHAT_TO_INSTALL,
        )
    return Compiler(path, version or path)


def _answer(path: str, asked: str) -> str:
    """The first line that a compiler says of itself."""
    said = subprocess.run([path, asked], capture_output=True, text=True, timeout=20, check=True)
    return said.stdout.splitlines()[0].strip() if said.stdout.strip() else ""


def build_firmware(
    folder: Path,
    part: Part,
    compiler: Compiler,
    on_line: Callable[[str], None] = lambda _line: None,
    is_cancelled: Callable[[], bool] = lambda: False,
) -> BuildResult:
    """Compile all C of a folder that has changed since it was built, and link it.

    Raises
    ------
    FirmwareError
        When the compiler cannot be started, or the folder cannot be written.
    """
    begun = time.monotonic()
    sources = sorted(folder.glob("*.c"))
    if not sources:
        raise FirmwareError(
            "There is no C here to build.", where=str(folder), cure="Write the firmware first."
        )
    out = folder / BUILD_FOLDER
    try:
        out.mkdir(exist_ok=True)
        (out / ELF).unlink(missing_ok=True)
    except OSError as fault:
        raise FirmwareError(
            f"The build folder cannot be written: {fault.strerror}.", where=str(out)
        ) from fault
    lines: list[str] = []

    def take(line: str) -> None:
        lines.append(line)
        on_line(line)

    flags = [*C_FLAGS, *target_flags(part.processor.core)]
    objects = []
    good = True
    kept = 0
    before = BuiltObjects(folder, out)
    for source in sources:
        target = out / f"{source.stem}.o"
        objects.append(target.relative_to(folder))
        name = str(target.relative_to(folder))
        command = [compiler.path, *flags, "-MMD", "-c", source.name, "-o", name]
        how = [compiler.version, *command]
        if before.has(target.name, how):
            kept += 1
            continue
        before.forget(target.name)
        take(f"{Path(compiler.path).name} -c {source.name}")
        said = len(lines)
        is_made = _run(command, folder, take, is_cancelled)
        good = is_made and good
        if is_made and len(lines) == said:
            before.note(target.name, how)
        if is_cancelled():
            break
    before.keep()
    if kept:
        take(f"{kept} {'files' if kept > 1 else 'file'} as built before")
    elf: Path | None = None
    if good and not is_cancelled():
        take(f"{Path(compiler.path).name} -o {ELF}")
        names = [str(name) for name in objects]
        command = [
            compiler.path,
            *flags,
            *LINK_FLAGS,
            "-T",
            "wg_memory.ld",
            "-o",
            f"{BUILD_FOLDER}/{ELF}",
            *names,
            "-lgcc",
        ]
        if _run(command, folder, take, is_cancelled):
            elf = out / ELF
    code, data = _sizes(elf, part) if elf is not None else (0, 0)
    output = "\n".join(lines)
    too_big = overflows(output, [folder / name for name in objects], part)
    for text in too_big:
        take(text)
    return BuildResult(
        elf=elf,
        diagnostics=(
            *(Diagnostic("", 0, "error", text) for text in too_big),
            *(
                diagnostic
                for diagnostic in diagnostics(output)
                if not (too_big and is_of_room(diagnostic.text))
            ),
        ),
        output=output,
        code_bytes=code,
        data_bytes=data,
        seconds=time.monotonic() - begun,
        cancelled=is_cancelled(),
        sources=tuple(source.name for source in sources),
    )


def diagnostics(output: str) -> list[Diagnostic]:
    """What a compiler said of lines, in its order."""
    parsed = []
    for line in output.splitlines():
        if match := _COMPLAINT.match(line):
            parsed.append(
                Diagnostic(match["file"], int(match["line"]), match["kind"], match["text"])
            )
        elif match := _UNDEFINED.match(line):
            parsed.append(
                Diagnostic(Path(match["file"]).name, int(match["line"]), "error", match["text"])
            )
        elif re.match(r"^(?:\S*ld|collect2)\S*: ", line) and "warning" not in line:
            parsed.append(Diagnostic("", 0, "error", line))
        elif match := _OF_ITSELF.match(line):
            parsed.append(Diagnostic("", 0, "error", match["text"]))
    return parsed


def _run(
    command: list[str], folder: Path, take: Callable[[str], None], is_cancelled: Callable[[], bool]
) -> bool:
    """Run a program and pass on its lines as they come; false where it failed or was cancelled."""
    try:
        process = subprocess.Popen(
            command, cwd=folder, stdout=subprocess.PIPE, stderr=subprocess.STDOUT
        )
    except OSError as fault:
        raise FirmwareError(
            f"{command[0]} cannot be started: {fault.strerror}.", cure=WHAT_TO_INSTALL
        ) from fault
    try:
        rest = _follow(process, take, is_cancelled)
    except BaseException:  # whoever listens no longer wants it
        process.kill()
        process.wait()
        raise
    if rest:
        take(rest.decode("utf-8", "replace"))
    return process.wait() == 0 and not is_cancelled()


def _follow(
    process: subprocess.Popen[bytes], take: Callable[[str], None], is_cancelled: Callable[[], bool]
) -> bytes:
    """Pass on whole lines until a program has said all; gives what is left without an end."""
    assert process.stdout is not None
    rest = b""
    with process.stdout as stream, selectors.DefaultSelector() as selector:
        selector.register(stream, selectors.EVENT_READ)
        while True:
            if is_cancelled():
                process.kill()
                break
            if not selector.select(_POLL_S):
                continue
            data = os.read(stream.fileno(), 1 << 16)
            if not data:
                break
            *whole, rest = (rest + data).split(b"\n")
            for line in whole:
                take(line.decode("utf-8", "replace"))
    return rest


def _sizes(elf: Path, part: Part) -> tuple[int, int]:
    """Bytes of code and of data memory that an image takes."""
    memory = part.memory
    code = data = 0
    for address, size, is_loaded in load_image(elf).sections:
        if memory is not None and memory.has_data(address):
            data += size
            code += size if is_loaded else 0
        else:
            code += size
    return code, data
