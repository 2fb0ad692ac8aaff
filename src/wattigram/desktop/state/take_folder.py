"""Where the takes of a window's project lie: by the project's path, and apart for each that has
none yet."""

from __future__ import annotations

import itertools
import os
import time
from pathlib import Path

from wattigram.core.base.user_folders import data_folder, safe_name
from wattigram.desktop.state.document import Document
from wattigram.desktop.state.settings import Settings

_numbers = itertools.count(1)


class TakeFolders:
    """Follows a document: when it gets its first file, its takes stay its own."""

    def __init__(self, document: Document, settings: Settings) -> None:
        self._document = document
        self._settings = settings

    @property
    def name(self) -> str:
        """Name of the folder, for takes and for whatever else belongs to the project."""
        document = self._document
        if document.path is not None:
            if document.takes is not None:
                self._settings.keep_takes_name(document.path, document.takes)
                document.takes = None
            return self._settings.takes_name(document.path)
        if document.takes is None:
            document.takes = (
                f"untitled {time.strftime('%Y-%m-%d %H-%M-%S')} {os.getpid()}-{next(_numbers)}"
            )
        return document.takes

    @property
    def folder(self) -> Path:
        """Where new takes go."""
        return data_folder() / "takes" / self.name

    @property
    def folders(self) -> tuple[Path, ...]:
        """Where takes of the project lie: earlier versions kept them by the project's name
        alone."""
        old = data_folder() / "takes" / safe_name(self._document.workspace.project.name)
        return (
            (self.folder, old)
            if self._document.path is not None and old.is_dir()
            else (self.folder,)
        )

    @property
    def firmware(self) -> Path:
        """Where the firmware of a project goes that has no file."""
        return data_folder() / "firmware" / self.name
