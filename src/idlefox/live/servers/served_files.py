"""Which folder a page is served from, and under which path."""

from __future__ import annotations

import os
import re
from pathlib import Path
from urllib.parse import quote

from ...forms.model.live import LivePage
from ...records import NamedTuple
from ...roots import is_below, project_root

_UPWARDS = re.compile(r"(?:\.\./)+")


class ServedPath(NamedTuple):
    """The *folder* that is served, and the *path* of the page in its URL, without the first slash."""

    folder: str
    path: str


def served_path(sheet: str, page: str) -> ServedPath:
    """Return where the file *page* of the form *sheet* is served from, both paths of files.

    That is the sheet's folder; the root of the project if the page is not below it, or refers to files above it; or else, for a
    page outside the project, its own folder.
    """
    own, root = os.path.dirname(sheet) or ".", project_root(sheet)
    above = _steps_up(page) > _depth(page, own) if is_below(page, own) else True
    folder = own if not above else root if is_below(page, root) else os.path.dirname(page) or "."
    return ServedPath(folder, quote(Path(os.path.relpath(os.path.realpath(page), os.path.realpath(folder))).as_posix()))


def live_path(live: LivePage) -> ServedPath:
    """Return where the page file of *live* is served from."""
    return served_path(live.file, str(Path(live.file).parent / live.page.partition("#")[0]))


def _depth(page: str, folder: str) -> int:
    return len(Path(os.path.relpath(os.path.realpath(page), os.path.realpath(folder))).parts) - 1


def _steps_up(page: str) -> int:
    """Return by how many folders the references of *page* go up at most."""
    try:
        text = Path(page).read_text("utf-8", "replace")
    except OSError:
        return 0
    return max((len(found[0]) // 3 for found in _UPWARDS.finditer(text)), default=0)
