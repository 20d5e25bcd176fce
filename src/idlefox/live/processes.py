"""Child processes that must not outlive this one: each in a group of its own, with a guard process."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from types import FrameType
from typing import IO, Any

# Reads process groups, one per line, until its input ends, which happens however the other process ends. Then it ends the groups and
# removes a folder. A process that was just being started is not listed yet. So, if /proc exists, it also ends session leaders (all
# our child processes are) whose command line contains the folder.
GUARD = """
import os, shutil, signal, sys, time
groups = [int(line) for line in sys.stdin.buffer]
def strangers():
    for name in os.listdir("/proc") if os.path.isdir("/proc/self") else ():
        try:
            with open("/proc/" + name + "/cmdline", "rb") as handle:
                if name.isdigit() and os.fsencode(sys.argv[1]) in handle.read() and os.getsid(int(name)) == int(name) != os.getpid():
                    yield int(name)
        except (OSError, ValueError):
            pass
for turn in range(100):
    if turn < 10:
        groups += [group for group in strangers() if group not in groups]
    for group in groups[:]:
        try:
            os.killpg(group, signal.SIGKILL)
        except OSError:
            groups.remove(group)
    if not groups and turn > 4:
        break
    time.sleep(0.05)
for _ in range(20):
    shutil.rmtree(sys.argv[1], ignore_errors=True)
    if not os.path.exists(sys.argv[1]):
        break
    time.sleep(0.05)
"""


class ProcessGroup:
    """A folder, and a process that works in it with all that it starts. `end` ends them and clears the folder, and so does our own end."""

    def __init__(self) -> None:
        self.folder = tempfile.mkdtemp(prefix="idlefox-browser-")
        self.process: subprocess.Popen[bytes] | None = None
        self._guard: subprocess.Popen[bytes] | None = None
        if os.name == "posix":
            with defer_interrupts():
                guard = [sys.executable, "-S", "-E", "-c", GUARD, self.folder]
                self._guard = subprocess.Popen(guard, stdin=subprocess.PIPE, start_new_session=True)

    def start(self, command: list[str], *, output: str, environment: dict[str, str], folder: str | None = None) -> IO[bytes]:
        """Start *command* in *folder* and return the process; its *output* (stdout, stderr or both) can be read."""
        streams: dict[str, Any] = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL, output: subprocess.PIPE}
        if output == "both":
            streams = {"stdout": subprocess.PIPE, "stderr": subprocess.STDOUT}
        streams |= {"stdin": subprocess.DEVNULL, "cwd": folder, "env": environment}
        with defer_interrupts():
            process = subprocess.Popen(command, start_new_session=True, **streams)
            self.process = process
            if self._guard is not None and self._guard.stdin is not None:
                self._guard.stdin.write(f"{process.pid}\n".encode())
                self._guard.stdin.flush()
        stream: IO[bytes] | None = process.stderr if output == "stderr" else process.stdout
        assert stream is not None
        return stream

    def end(self) -> None:
        """Do nothing the second time."""
        with defer_interrupts():
            process, self.process = self.process, None
            guard, self._guard = self._guard, None
            if process is not None:
                end_group(process)
            shutil.rmtree(self.folder, ignore_errors=True)
            if guard is not None and guard.stdin is not None:
                guard.stdin.close()
                guard.wait()


@contextmanager
def defer_interrupts() -> Iterator[None]:
    """Defer SIGINT and SIGTERM until the child is registered for cleanup."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    came: list[tuple[int, FrameType | None]] = []
    handlers = {each: signal.signal(each, lambda number, frame: came.append((number, frame))) for each in (signal.SIGINT, signal.SIGTERM)}
    try:
        yield
    finally:
        for each, handler in handlers.items():
            signal.signal(each, handler)
    for number, frame in came[:1]:
        handler = handlers[signal.Signals(number)]
        if callable(handler):
            handler(number, frame)
        elif handler == signal.SIG_DFL:
            signal.raise_signal(number)


def end_group(process: subprocess.Popen[Any], grace: float = 5.0) -> None:
    """End *process* and its whole group: asked first, made to after *grace* seconds."""
    for wish, wait in ((signal.SIGTERM, grace), (signal.SIGKILL, 5.0)):
        try:
            os.killpg(process.pid, wish)
        except (ProcessLookupError, PermissionError):
            break
        try:
            process.wait(wait)
        except subprocess.TimeoutExpired:
            continue
    try:
        os.killpg(process.pid, signal.SIGKILL)  # processes that outlived their leader
    except (ProcessLookupError, PermissionError):
        pass
    process.poll()
