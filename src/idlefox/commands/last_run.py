"""The failures of the last run: ``.idlefox/last-run.json`` beside the configuration, or in the working directory."""

from __future__ import annotations

import json
import os
from collections.abc import Iterable

from ..playing.results import Results
from ..playing.select import SelectedScript, place_of
from ..problems import Unreadable, read_text
from .files import own_folder, write_whole

_FILE = "last-run.json"
Fallen = frozenset[tuple[str, ...]]  # (place, title, values) of a scenario, (place,) of a script that could not run


def read_last(project: str) -> Fallen | None:
    """Read the failures of the last run; None if there is no record."""
    try:
        data = json.loads(read_text(os.path.join(project or ".", ".idlefox", _FILE)))
        fallen = data["fallen"]
    except (Unreadable, ValueError, KeyError, TypeError, RecursionError):
        return None
    if not isinstance(fallen, list) or not all(isinstance(each, list) and len(each) in (1, 3) for each in fallen):
        return None
    return frozenset(tuple(map(str, each)) for each in fallen)


def keep_last(project: str, results: Results, before: Fallen | None, *, interrupted: bool) -> None:
    """Save the failures for the next run. If nothing ran or nothing can be written, the old record stays.

    Of a run that was broken off, also what had not held *before* and was not played now.
    """
    if not results.total and not results.unplayed:
        return
    fallen: set[tuple[str, ...]] = set()
    played: set[tuple[str, ...]] = set()
    for script in results:
        place = place_of(script.file, project)
        if script.errors:
            fallen.add((place,))
        for scenario in script.scenarios:
            key = (place, scenario.title, scenario.given)
            played.add(key)
            if scenario.fell:
                fallen.add(key)
    if interrupted and before is not None:
        fallen |= before - played
    folder = own_folder(project or ".")
    if folder:
        try:
            write_whole(os.path.join(folder, _FILE), json.dumps({"format": 1, "fallen": sorted(fallen)}, indent=1) + "\n")
        except OSError:
            return


def only_fallen(chosen: Iterable[SelectedScript], fallen: Fallen, project: str) -> list[SelectedScript]:
    """The scripts in which something did not hold."""
    places = {each[0] for each in fallen}
    return [each for each in chosen if place_of(each.file, project) in places]
