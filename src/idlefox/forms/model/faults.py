"""Known faults of forms. A sheet declares those of its page; `weaken` plants them."""

# No deferred annotations here: NamedTuple would compile each as a forward reference, at every start.
from ...records import NamedTuple

Paths = frozenset[tuple[str, ...]]
_NONE: Paths = frozenset()


class KnownFaults(NamedTuple):
    """Truths about the whole form, and sets of schema paths of the fields that have a fault."""

    second_press: bool = False  # a press while the form is busy sends again
    sends_while_asking: bool = False  # an attempt does not wait for a lookup's answer
    stale_answers: bool = False  # an answer applies to the current value
    rows_by_index: bool = False  # messages and touched marks stay with the number of a row
    server_stays: bool = False  # errors of the server are never cleared
    server_lost: bool = False  # errors of the server are not shown
    notice_stays: bool = False  # a notice cannot be closed and does not close itself
    reset_forgets: Paths = _NONE  # a reset leaves these as they are
    messages_stay: Paths = _NONE  # messages of these fields are never cleared
    last_edited: Paths = _NONE  # rules of these fields are evaluated only when the field itself is edited
    sends_hidden: Paths = _NONE  # sent though they are hidden or disabled
    sends_text: Paths = _NONE  # sent as text, whatever their type


NO_FAULTS = KnownFaults()
