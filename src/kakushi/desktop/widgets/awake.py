"""Keeps the screen awake while somebody builds, where the desktop lets a program ask for that."""

from __future__ import annotations

from typing import Any

_SERVICE, _PATH = "org.freedesktop.ScreenSaver", "/org/freedesktop/ScreenSaver"


class Awake:
    """Asks the desktop's screen saver over D-Bus to wait; without one nothing happens."""

    def __init__(self) -> None:
        self._cookie: int | None = None

    def keep(self, on: bool) -> None:
        """Keep the screen awake, or let it sleep again."""
        if on == (self._cookie is not None):
            return
        if on:
            answer = self._call("Inhibit", "Kakushi", "building")
            self._cookie = answer if isinstance(answer, int) else None
        else:
            self._call("UnInhibit", self._cookie)
            self._cookie = None

    def _call(self, method: str, *given: Any) -> Any:
        from PyQt6.QtDBus import QDBusConnection, QDBusInterface

        bus = QDBusConnection.sessionBus()
        if not bus.isConnected():
            return None
        saver = QDBusInterface(_SERVICE, _PATH, _SERVICE, bus)
        if not saver.isValid():
            return None
        answer = saver.call(method, *given).arguments()
        return answer[0] if answer else None
