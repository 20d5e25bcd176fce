"""What an interrupted study has found so far, in a file, so that the same call goes on from there.

The file is the person's own, in a folder of theirs (never one of the project: what is in it is taken back as it is, code and all).
"""

from __future__ import annotations

import os
import pickle
from typing import Any


class Checkpoint:
    """The notes in *file*: lists of results one behind the other, each with how many there were before it, so that two who note the same
    at once do no harm. Where it cannot be written, nothing is noted.
    """

    def __init__(self, file: str) -> None:
        self.file = file
        self.count = 0
        self.end_of_known = 0

    def found(self) -> list[Any]:
        """All results that are noted, in the order in which they came; what was not written to its end is left out."""
        results: list[Any] = []
        try:
            with open(self.file, "rb") as handle:
                while True:
                    before, more = pickle.load(handle)
                    if before != len(results):
                        return results
                    results += more
                    self.count, self.end_of_known = len(results), handle.tell()
        except (OSError, EOFError, pickle.UnpicklingError, AttributeError, ImportError, TypeError, ValueError):
            return results

    def add(self, results: list[Any]) -> None:
        """Notes *results*."""
        before, self.count = self.count, self.count + len(results)
        try:
            os.makedirs(os.path.dirname(self.file), mode=0o700, exist_ok=True)
            with open(self.file, "r+b" if os.path.exists(self.file) else "w+b") as handle:
                handle.seek(self.end_of_known)
                handle.truncate()
                pickle.dump((before, results), handle)
                self.end_of_known = handle.tell()
        except OSError:
            pass  # it is done all the same; only an interrupted study would have to begin anew

    def over(self) -> None:
        """The study has come to its end: nothing is to be gone on with."""
        try:
            os.unlink(self.file)
        except OSError:
            pass
