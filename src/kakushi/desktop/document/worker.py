"""The worker process: works out what takes long, outside the window's interpreter lock. No Qt.

Started by `worker_process` as `python -m kakushi.desktop.document.worker FD`, with a pipe at that file descriptor.
Every request runs in a thread of its own, so that what is wanted first does not wait for what began before.
"""

from __future__ import annotations

import os
import signal
import sys
import threading
import traceback
from multiprocessing.connection import Connection
from typing import Any

from kakushi.desktop.document import worker_tasks
from kakushi.desktop.document.sending import StaleName, WorkerEnd
from kakushi.desktop.document.task_context import TaskContext
from kakushi.model.errors import Cancelled, KakushiError

_NICE = 5
"""Added to the niceness: on few cores the window comes first."""


class _Worker:
    def __init__(self, pipe: Connection) -> None:
        self._pipe, self._end, self._lock = pipe, WorkerEnd(), threading.Lock()
        self._running: set[int] = set()

    def serve(self) -> None:
        """Answer requests until the window closes the pipe."""
        while True:
            try:
                number = int.from_bytes(self._pipe.recv_bytes(), "little", signed=True)
                request = self._pipe.recv_bytes() if number > 0 else b""
            except (EOFError, OSError):
                return
            if number < 0:
                self._running.discard(-number)
                continue
            try:
                with self._lock:
                    task, arguments = self._end.unpacked(request)
            except StaleName:
                self._say("stale", number, None)
                continue
            self._running.add(number)
            threading.Thread(target=self._run, args=(number, task, arguments), daemon=True).start()

    def _run(self, number: int, task: str, arguments: tuple[Any, ...]) -> None:
        context = TaskContext(
            progress=lambda share: self._say("progress", number, share),
            cancelled=lambda: number not in self._running,
            drafted=lambda draft: self._say("draft", number, draft),
        )
        try:
            self._say("answer", number, getattr(worker_tasks, task)(context, *arguments))
        except Cancelled:
            pass
        except KakushiError as error:
            self._say("error", number, error)
        except Exception:  # whatever it is, the window says it
            self._say("failed", number, traceback.format_exc())
        finally:
            self._running.discard(number)

    def _say(self, kind: str, number: int, value: object) -> None:
        if kind != "stale" and number not in self._running:
            return
        try:
            with self._lock:
                self._pipe.send_bytes(self._end.packed((kind, number, value)))
        except OSError:
            # The window is gone, and `serve` ends.
            self._running.clear()
        except Exception:  # an answer that cannot be sent: the window works it out, and starts another process
            traceback.print_exc()
            os._exit(1)


def main() -> None:
    """Serve the window that started this process."""
    # Ctrl-C in a terminal reaches both; this process ends when the window does.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.nice(_NICE)
    _Worker(Connection(int(sys.argv[1]))).serve()
    sys.stderr.flush()
    # At once: threads that still compute would be waited for.
    os._exit(0)


if __name__ == "__main__":
    main()
