"""The one tree of errors.

WattigramError
├── QuantityError        text that is no quantity, or one of another unit
├── FileError            a file that cannot be used: where, what, and the cure
│   ├── PartError
│   ├── ProjectError
│   ├── TakeError
│   └── WaveError
├── EditError            an edit that the design does not admit
├── RegisterError        a setting that a part's registers cannot hold
├── FirmwareError        firmware that cannot be written, built, loaded or run
├── BoardError           the virtual board was given what it cannot run
└── LinkError            a port or board that does not answer as it should
"""

from __future__ import annotations


class WattigramError(Exception):
    """A fault that is the user's to mend: says what, where and what to do."""

    def __init__(self, message: str, *, where: str = "", cure: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.where = where
        self.cure = cure

    def __str__(self) -> str:
        text = f"{self.where}: {self.message}" if self.where else self.message
        return f"{text} {self.cure}" if self.cure else text


def internal_error(what: str, fault: BaseException) -> str:
    """A sentence for a fault of the program's own; the log has the traceback."""
    return f"Internal error: {what} ended with {type(fault).__name__}: {fault}. The log has the details."


class QuantityError(WattigramError, ValueError):
    """Text that is no quantity, or one of another unit."""


class FileError(WattigramError):
    """A file that cannot be used.

    Attributes
    ----------
    faults : tuple of str
        One sentence for each fault found, the first one also in ``message``.
    """

    def __init__(
        self, message: str, *, where: str = "", cure: str = "", faults: tuple[str, ...] = ()
    ) -> None:
        super().__init__(message, where=where, cure=cure)
        self.faults = faults or (f"{message} {cure}".strip(),)


class PartError(FileError):
    """A part file that does not describe a part."""


class ProjectError(FileError):
    """A project file that does not describe a project."""


class TakeError(FileError):
    """A take that cannot be read or written."""


class WaveError(FileError):
    """A file of points that cannot be read or written."""


class EditError(WattigramError):
    """An edit that the design does not admit."""


class RegisterError(WattigramError):
    """A setting that a part's registers cannot hold."""


class FirmwareError(WattigramError):
    """Firmware that cannot be written, built, loaded or run."""


class BoardError(WattigramError):
    """The virtual board was given what it cannot run."""


class LinkError(WattigramError):
    """A port or board that does not answer as it should."""
