"""The clock of a served sheet."""

from __future__ import annotations

import time


class Clock:
    """The server's time: real, or from *start* on (milliseconds since 1970). *at_once*: it is frozen and nothing takes time."""

    def __init__(self, start: int | None = None, *, at_once: bool = False) -> None:
        self.at_once = at_once
        self._start = start
        self._begun = time.monotonic()

    def now(self) -> int:
        """Return the current time."""
        if self._start is None:
            return int(time.time() * 1000)
        return self._start + (0 if self.at_once else int((time.monotonic() - self._begun) * 1000))
