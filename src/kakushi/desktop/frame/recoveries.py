"""Jobs of a program that ended without saying goodbye, offered on the start page."""

from __future__ import annotations

from collections.abc import Sequence

from kakushi.desktop.frame.files import Files
from kakushi.desktop.frame.notice import Mend, Notice
from kakushi.desktop.frame.start_page import StartPage
from kakushi.formats.store.recovery import Recovery, discard


class Recoveries:
    """What can be recovered; each is taken up or thrown away once."""

    def __init__(self, recoveries: Sequence[Recovery], files: Files, start_page: StartPage, notice: Notice) -> None:
        self._left = list(recoveries)
        self._files, self._start_page, self._notice = files, start_page, notice

    def show(self) -> None:
        """List what can be recovered, and say so."""
        self._start_page.show_recoveries(self._left, self._recover, self._forget)
        if self._left:
            first = self._left[0]
            words = f"“{first.job.brief.title}” was not saved when the program ended. The start page keeps it."
            self._notice.warn(words, Mend("Recover it", lambda: self._recover(first)))

    def _recover(self, recovery: Recovery) -> None:
        self._left.remove(recovery)
        self._files.recover(recovery)
        self.show()

    def _forget(self, recovery: Recovery) -> None:
        self._left.remove(recovery)
        discard(recovery.copy)
        self.show()
