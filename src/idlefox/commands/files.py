"""Writing files whole or not at all: a full disk or an interrupt never leaves half of one, nor costs the one that was there."""

from __future__ import annotations

import os
import stat
from collections.abc import Iterable


def write_whole(path: str, text: str | Iterable[str]) -> None:
    """Write *text* (UTF-8), or its pieces, to the file at *path*, completely or not at all.

    The text goes to a temporary file, which then replaces the old one. A device or a pipe is written to directly. Raises
    OSError; the old file then stays unchanged.
    """
    pieces = [text] if isinstance(text, str) else text
    write_bytes_whole(path, (piece.encode("utf-8", "backslashreplace") for piece in pieces))


def write_bytes_whole(path: str, data: Iterable[bytes]) -> None:
    """Write *data* to a file completely or not at all."""
    target = os.path.realpath(path)
    mode = _mode_of(target)
    if mode is not None and not stat.S_ISREG(mode):
        with open(target, "wb") as handle:
            handle.writelines(data)
        return
    import tempfile

    descriptor, beside = tempfile.mkstemp(prefix=".idlefox-", dir=os.path.dirname(target))
    try:
        with open(descriptor, "wb") as handle:
            handle.writelines(data)
            handle.flush()
            os.fsync(handle.fileno())
        os.chmod(beside, stat.S_IMODE(mode) if mode is not None else 0o666 & ~_umask())
        os.replace(beside, target)
    except BaseException:
        os.unlink(beside)
        raise


def _mode_of(path: str) -> int | None:
    try:
        return os.stat(path).st_mode
    except FileNotFoundError:
        return None


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def why(fault: OSError | ValueError) -> str:
    """A fault of the file system in words."""
    return (getattr(fault, "strerror", None) or str(fault) or "unknown reason").lower()


def own_folder(folder: str) -> str:
    """Return the folder ``.idlefox`` below *folder*, created with an ignore file if missing; "" if that is not possible."""
    place = os.path.join(folder, ".idlefox")
    try:
        os.makedirs(place, exist_ok=True)
        if not os.path.exists(os.path.join(place, ".gitignore")):
            write_whole(os.path.join(place, ".gitignore"), "*\n")
    except OSError:
        return ""
    return place


def keep_picture(folder: str, name: str, picture: bytes) -> str:
    """Save *picture* in ``.idlefox`` below *folder* and return its path, "" if it could not be saved."""
    place = own_folder(folder)
    if not place:
        return ""
    try:
        write_bytes_whole(os.path.join(place, name), [picture])
    except OSError:
        return ""
    return os.path.normpath(os.path.join(place, name))
