"""Reasons why a person could not take a step, as data: a kind and the facts, for any kind of form. `report.wording` makes the
sentences.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from .records import NamedTuple

# Kinds, and the facts of each.
KINDS: dict[str, tuple[str, ...]] = {
    # out of reach
    "left": (),  # the page has been left
    "panel closed": ("panel",),
    "hidden": ("culprit", "condition"),  # `visible` of it, or of something around it, does not hold
    "hidden type": (),
    "hidden by markup": ("why",),
    "other view": ("view",),
    "disabled": ("culprit", "condition"),
    "disabled by markup": ("why",),
    "locked": (),  # the form is busy, and locked while it is
    "readonly": ("culprit", "condition"),
    "readonly by markup": ("why",),
    # rows
    "no such row": ("rows", "count"),
    "no such place": ("count", "place"),
    "most rows": ("count", "most"),
    "least rows": ("count", "least"),
    "too few rows": ("count",),
    "not offered": ("condition",),
    # values
    "no such option": ("value", "offered"),
    "disabled option": ("value",),
    "one file": ("count",),
    "other size": ("file", "size", "there"),
    "file not accepted": ("file", "type", "accept"),
    "needs an object": ("value",),
    "needs objects": ("value",),
    "needs true or false": ("value",),
    "needs an option": ("value",),
    "needs files": ("value",),
    "no such field": ("field", "fields"),
    # buttons and pages
    "no submit button": (),
    "no reset button": (),
    "nothing on show": ("view",),
    "nothing of the panel": (),
    "no notice": (),
    "notice stays": (),  # it has nothing to close it with
    "nothing left": (),
    "panel open": ("panel",),
    "file outside": ("file",),  # of the project
    "file too large": ("file", "size", "most"),
    # pages in a browser
    "not on page": (),  # nothing on the page has this name
    "not found": (),  # it should be there, but nothing on the page has its name or label
    "hidden on page": (),
    "disabled on page": (),
    "readonly on page": (),
    "button hidden": (),  # the button that adds or removes a row
    "button disabled": (),
    "no row button": (),
    "rows stay": ("count",),  # the page's button was pressed, and there are as many rows as before
    "no panel button": (),
    "no focus": (),
    "cannot be set": (),
    "not typed": (),
    "unanswered": ("box", "text"),  # the page asked something by a box of the browser
    "two controls": ("controls",),  # nothing decides which one is meant
    "not opened": ("value",),  # the list or calendar of a choice or date
    "not removed": ("value",),  # from several that are chosen
    "value not reached": ("value", "read"),
    "date not entered": ("value", "read"),
    "may come": ("ms",),  # a timer of the page is due that may make it possible
    "covered": ("by",),
    "moved away": (),
    "press missed": (),
    "not a step there": ("why",),
    "unseen": ("why",),  # a check that is not possible there
    "restless": (),
    "too long": ("seconds",),  # the scenario, in real time
    "browser gone": ("why",),
    "no page": ("url", "why"),
    "page error": ("texts",),  # of its own scripts
    # time
    "still under way": ("within", "names"),
    "endless": ("what",),
    "slow pattern": ("pattern", "length"),  # matching it took too long
    # ours
    "record no object": ("value",),  # the stored record, from which the form would be loaded
    "process ended": ("how",),  # by what a trusted Python rule did
    "internal": ("what",),  # a fault of Idle Fox itself
}


# Not observable on this subject: neither right nor wrong.
UNSEEN = "unseen"
# Whether a person could take the step is not known.
UNCERTAIN = frozenset({"unseen", "two controls", "not opened", "may come", "not found"})
# Not a failed step or check: the form did not settle.
NO_END = frozenset({"endless", "slow pattern", "restless", "too long", "browser gone", "no page"})


class Refusal(NamedTuple):
    """A refused step: *what* is its address or button, *doing* its effect if it had been possible.

    *see* is the address of what explains it by its state, None where nothing does.
    """

    kind: str
    what: str = ""
    doing: str = ""
    facts: Mapping[str, Any] = {}
    see: str | None = None
