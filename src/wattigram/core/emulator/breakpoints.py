"""Where a debugger wants the processor to stop: before instructions, behind accesses, or after one
step."""

from __future__ import annotations

from typing import Any, Literal

import unicorn

uc_api: Any = unicorn  # its type hints are incomplete
WatchKind = Literal["watch", "rwatch", "awatch"]
"""What is stopped at: writes, reads, or both."""
_ACCESSES = {
    "watch": uc_api.UC_HOOK_MEM_WRITE,
    "rwatch": uc_api.UC_HOOK_MEM_READ,
    "awatch": uc_api.UC_HOOK_MEM_READ | uc_api.UC_HOOK_MEM_WRITE,
}
_WIDEST_ACCESS = 8


class Breakpoints:
    """Breakpoints, watchpoints and steps of one processor."""

    def __init__(self, uc: Any) -> None:
        self._uc = uc
        self.step_wanted = False
        """Whatever runs next is to stop after one instruction."""
        self.are_off = False
        """What runs is taken back: nothing stops it."""
        self.was_reached = False
        """The processor stopped for one of them."""
        self.reason = ""
        """What was touched at the last stop, where a watchpoint made it: "watch:20000010"."""
        self._breakpoints: dict[int, Any] = {}
        self._watchpoints: dict[tuple[WatchKind, int, int], Any] = {}
        self._watching: Any = None
        self._touched = ""
        self._passing: int | None = None
        self._stepping: Any = None

    def begin(self) -> None:
        """The processor is about to run."""
        self.was_reached, self.reason = False, ""
        if self.step_wanted and self._stepping is None and not self.are_off:
            self._stepping = self._hook(uc_api.UC_HOOK_CODE, self._on_step)

    def go_on_from(self, address: int) -> None:
        """A stop has been dealt with: the instruction there is let pass, and a step is over."""
        self._end_step()
        self._passing = address

    def set_breakpoint(self, address: int) -> None:
        """Stop before the instruction at an address."""
        if address not in self._breakpoints:
            self._breakpoints[address] = self._hook(
                uc_api.UC_HOOK_CODE, self._on_breakpoint, address, address
            )

    def clear_breakpoint(self, address: int) -> None:
        """No longer stop there."""
        self._unhook(self._breakpoints.pop(address, None))

    def set_watchpoint(self, kind: WatchKind, address: int, count: int) -> None:
        """Stop behind the instruction that writes or reads any of these bytes; what DMA writes is
        not seen."""
        key = kind, address, count
        if key in self._watchpoints:
            return

        def on_access(_uc: Any, _access: int, at: int, size: int, _value: int, _data: Any) -> None:
            if at < address + count and at + size > address and not self.are_off:
                self._touched = f"{kind}:{address:x}"

        first = max(0, address - _WIDEST_ACCESS + 1)
        self._watchpoints[key] = self._hook(_ACCESSES[kind], on_access, first, address + count - 1)
        if self._watching is None:
            self._watching = self._hook(uc_api.UC_HOOK_CODE, self._on_watched)

    def clear_watchpoint(self, kind: WatchKind, address: int, count: int) -> None:
        """No longer watch them."""
        self._unhook(self._watchpoints.pop((kind, address, count), None))
        if not self._watchpoints:
            self._unhook(self._watching)
            self._watching, self._touched = None, ""

    def clear(self) -> None:
        """No longer stop anywhere."""
        for address in list(self._breakpoints):
            self.clear_breakpoint(address)
        for key in list(self._watchpoints):
            self.clear_watchpoint(*key)
        self._end_step()

    def _hook(self, kind: int, call: Any, first: int = 1, last: int = 0) -> Any:
        """Have something called; without limits everywhere. What has been translated must be so
        anew."""
        hook = self._uc.hook_add(kind, call, None, first, last)
        self._uc.ctl_flush_tb()
        return hook

    def _unhook(self, hook: Any) -> None:
        if hook is not None:
            self._uc.hook_del(hook)
            self._uc.ctl_flush_tb()

    def _end_step(self) -> None:
        self.step_wanted = False
        self._unhook(self._stepping)
        self._stepping = None

    def _stop(self) -> None:
        self.was_reached = True
        self._uc.emu_stop()

    def _on_step(self, _uc: Any, address: int, _size: int, _data: Any) -> None:
        """The first instruction is let pass; before the one after it the processor stops."""
        if self._passing == address:
            self._passing = None
        else:
            self._stop()

    def _on_breakpoint(self, _uc: Any, address: int, _size: int, _data: Any) -> None:
        if self._passing == address or self.are_off:
            self._passing = None
        else:
            self._stop()

    def _on_watched(self, _uc: Any, _address: int, _size: int, _data: Any) -> None:
        """Before each instruction: the one before may have touched what is watched."""
        if self._touched:
            self.reason, self._touched = self._touched, ""
            self._stop()
