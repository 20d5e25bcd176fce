"""A checkpoint of an interrupted study, from which the same call continues.

The file is in the person's own folder, never in a project, because it is unpickled.
"""

from __future__ import annotations

import os
import pickle
from hashlib import sha256
from typing import IO, Any


class Checkpoint:
    """The results in *file*: lists one after the other, each with the number before it, so that two concurrent writers do no harm.

    Each list is pickled after its digest and its length: what is damaged is never unpickled, and the study is done again from
    there. Nothing is written if that is not possible.
    """

    def __init__(self, file: str) -> None:
        self.file = file
        self.count = 0
        self.end_of_known = 0

    def found(self) -> list[Any]:
        """Return all complete results in order."""
        results: list[Any] = []
        try:
            with open(self.file, "rb") as handle:
                while (content := _intact(handle)) is not None:
                    before, more = pickle.loads(content)
                    if before != len(results):
                        return results
                    results += more
                    self.count, self.end_of_known = len(results), handle.tell()
        except OSError:
            pass
        return results

    def add(self, results: list[Any]) -> None:
        """Note *results*."""
        before, self.count = self.count, self.count + len(results)
        try:
            os.makedirs(os.path.dirname(self.file), mode=0o700, exist_ok=True)
            with open(self.file, "r+b" if os.path.exists(self.file) else "w+b") as handle:
                handle.seek(self.end_of_known)
                handle.truncate()
                content = pickle.dumps((before, results))
                handle.write(sha256(content).digest() + len(content).to_bytes(8) + content)
                self.end_of_known = handle.tell()
        except OSError:
            pass  # only an interrupted study would have to start from the beginning

    def over(self) -> None:
        """Delete the checkpoint of a finished study."""
        try:
            os.unlink(self.file)
        except OSError:
            pass


def _intact(handle: IO[bytes]) -> bytes | None:
    """Return the next pickle of the file; None at its end, or where it is damaged."""
    digest, length = handle.read(32), int.from_bytes(handle.read(8))
    left = os.fstat(handle.fileno()).st_size - handle.tell()
    content = handle.read(length) if length <= left else b""
    return content if content and sha256(content).digest() == digest else None
