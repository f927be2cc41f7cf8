"""Runs `worker_tasks` in a second process, or in this one if that fails. Called from threads. No Qt."""

from __future__ import annotations

import subprocess
import sys
import threading
import time
import traceback
from multiprocessing import Pipe
from multiprocessing.connection import Connection
from queue import Empty, SimpleQueue
from typing import Any

from kakushi.desktop.document.task_context import TaskContext
from kakushi.model.errors import Cancelled

_LOOK_S = 0.02
"""Interval, s, at which somebody who waits for an answer looks whether it is still wanted."""
_LEAVES_S = 2.0
"""Longest wait, s, for the reader of answers to find the pipe closed: usually a millisecond."""
_MOST_STARTS, _WITHIN_S = 3, 60.0
"""Starts allowed within a time, s: after that the process would only end again."""

_Answer = tuple[str, Any]


class Worker:
    """Works tasks out in the thread that asks."""

    def call(self, task: str, context: TaskContext, *arguments: Any) -> Any:
        """The answer of a task of `worker_tasks`. Raises what it raises."""
        from kakushi.desktop.document import worker_tasks

        return getattr(worker_tasks, task)(context, *arguments)

    def close(self) -> None:
        """Leave."""


class WorkerProcess(Worker):
    """Works tasks out in a process of its own. When that ends, they are worked out here, and it is started again."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._started: list[float] = []
        self._running: _Running | None = None
        self._closed = False
        self._begin()

    @property
    def pid(self) -> int | None:
        """The id of the process, None where none runs."""
        return self._running.process.pid if self._running is not None and self._running.is_alive else None

    def _begin(self) -> _Running | None:
        """The process, started where it does not run; None where it cannot be."""
        with self._lock:
            if self._running is not None and self._running.is_alive:
                return self._running
            now = time.monotonic()
            self._started = [at for at in self._started if now - at < _WITHIN_S]
            if self._closed or len(self._started) >= _MOST_STARTS:
                return None
            self._started.append(now)
            try:
                self._running = _Running()
            except OSError:
                self._running = None
            return self._running

    def call(self, task: str, context: TaskContext, *arguments: Any) -> Any:
        """As `Worker.call`."""
        running = self._begin()
        try:
            if running is not None:
                return running.call(task, context, arguments)
        except _ProcessGone:
            if context.cancelled():
                raise Cancelled from None
        return super().call(task, context, *arguments)

    def close(self) -> None:
        """End the process."""
        self._closed = True
        if self._running is not None:
            self._running.close()


class _ProcessGone(Exception):
    pass


class _Running:
    """One process, and the calls that wait for it."""

    def __init__(self) -> None:
        # Imported by whoever waits for the first answer, not by the window's thread.
        self._end: Any = None
        here, there = Pipe()
        try:
            self.process = subprocess.Popen(
                [sys.executable, "-P", "-m", "kakushi.desktop.document.worker", str(there.fileno())],
                stdin=subprocess.DEVNULL,
                stdout=subprocess.DEVNULL,
                pass_fds=[there.fileno()],
            )
        finally:
            there.close()
        self._pipe: Connection[Any, Any] = here
        self._lock, self._sending = threading.Lock(), threading.Lock()
        self._calls: dict[int, SimpleQueue[_Answer]] = {}
        self._last = 0
        self.is_alive = True
        self._reader = threading.Thread(target=self._read, name="worker answers", daemon=True)
        self._reader.start()

    def call(self, task: str, context: TaskContext, arguments: tuple[Any, ...]) -> Any:
        number, answers = self._ask((task, arguments), by_name=True)
        try:
            while True:
                try:
                    kind, value = answers.get(timeout=_LOOK_S)
                except Empty:
                    kind, value = "nothing yet", None
                if context.cancelled():
                    self._send(-number)
                    raise Cancelled
                match kind:
                    case "nothing yet":
                        continue
                    case "answer":
                        return value
                    case "draft":
                        context.drafted(value)
                    case "progress":
                        context.progress(value)
                    case "stale":
                        del self._calls[number]
                        number, answers = self._ask((task, arguments), by_name=False)
                    case "error":
                        raise value
                    case "failed":
                        sys.stderr.write(value)
                        raise RuntimeError(value.strip().splitlines()[-1])
                    case _:
                        raise _ProcessGone
        finally:
            self._calls.pop(number, None)

    def _ask(self, request: object, by_name: bool) -> tuple[int, SimpleQueue[_Answer]]:
        answers: SimpleQueue[_Answer] = SimpleQueue()
        with self._lock:
            if not self.is_alive:
                raise _ProcessGone
            packed = self._window_end.packed(request, by_name)
            self._last += 1
            number = self._last
            self._calls[number] = answers
        self._send(number, packed)
        return number, answers

    @property
    def _window_end(self) -> Any:
        if self._end is None:
            from kakushi.desktop.document.sending import WindowEnd

            self._end = WindowEnd()
        return self._end

    def _send(self, number: int, packed: bytes | None = None) -> None:
        # Never while `_lock` is held: answers must be taken in while a full pipe holds a request up.
        with self._sending:
            try:
                self._pipe.send_bytes(number.to_bytes(8, "little", signed=True))
                if packed is not None:
                    self._pipe.send_bytes(packed)
            except OSError:
                raise _ProcessGone from None

    def _read(self) -> None:
        try:
            while True:
                data = self._pipe.recv_bytes()
                with self._lock:
                    kind, number, value = self._window_end.unpacked(data)
                answers = self._calls.get(number)
                if answers is not None:
                    answers.put((kind, value))
        except (EOFError, OSError):
            pass
        except Exception:  # an answer that cannot be read: the process is given up
            traceback.print_exc()
        finally:
            self.is_alive = False
            self._pipe.close()
            for answers in list(self._calls.values()):
                answers.put(("gone", None))
            # Whatever closed the pipe: nothing of it stays behind.
            self.process.kill()
            self.process.wait()

    def close(self) -> None:
        # At once: the process keeps nothing that could be lost. The reader finds the pipe closed.
        self.is_alive = False
        self.process.kill()
        self.process.wait()
        self._reader.join(_LEAVES_S)
