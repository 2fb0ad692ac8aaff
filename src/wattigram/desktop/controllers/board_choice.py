"""Choosing a board: what there is to choose from, and what an address leaves out."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QInputDialog, QWidget

from wattigram.core.capture.session import DEBUGGER, IMAGE
from wattigram.core.capture.transport import DEFAULT_BAUD, serial_ports
from wattigram.desktop.controllers.board_session import LiveBoard
from wattigram.desktop.controllers.firmware_controller import FirmwareWork

HELP = "virtual, image:ELF, serial:DEV@BAUD, tcp:HOST:PORT, gdb:HOST:PORT or rows:SOURCE"
BEHIND = "  "
"""What stands behind an address in the list is only told."""


class BoardChoice(QObject):
    """Asks for an address and lets the board be another one."""

    def __init__(self, parent: QWidget, board: LiveBoard, firmware: FirmwareWork) -> None:
        super().__init__(parent)
        self._parent = parent
        self._board = board
        self._firmware = firmware
        firmware.run_wanted.connect(self.run_image)

    @property
    def known(self) -> list[str]:
        """Addresses to choose from, with what is known of each."""
        built = self._built
        image = [f"{IMAGE}{built}"] if built is not None else []
        serial = [
            f"serial:{serial_port.device}@{DEFAULT_BAUD}{BEHIND}{serial_port.text}"
            for serial_port in serial_ports()
        ]
        return ["virtual", *image, *serial]

    @property
    def _built(self) -> Path | None:
        result = self._firmware.result
        return result.elf if result is not None else None

    def ask(self) -> None:
        """Ask for a board's address; the window stays usable."""
        dialog = QInputDialog(self._parent)
        dialog.setWindowTitle("Board")
        dialog.setLabelText(HELP)
        known, here = self.known, self._board.address
        dialog.setComboBoxItems(known if here in known else [here, *known])
        dialog.setComboBoxEditable(True)
        dialog.setTextValue(here)
        dialog.textValueSelected.connect(lambda text: self.use(text.split(BEHIND)[0]))
        dialog.open()

    def use(self, address: str) -> None:
        """Use the board at an address; behind a debug server runs what was built last, where the
        address names no image."""
        address = address.strip() or "virtual"
        if address.startswith(DEBUGGER):
            if "," not in address and self._built is not None:
                address = f"{address},{self._built}"
            elf = address.partition(",")[2]
            if elf:
                self._firmware.look_into(Path(elf))
        self._board.set_address(address)

    def run_image(self, address: str) -> None:
        """Let the virtual board run an image that was built."""
        self.use(address)
        self._board.start()
