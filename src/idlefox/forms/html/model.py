"""The model of a page's form, in addition to that of a sheet: elements in tree order, and its target.

Plain facts, read by `page` and used by the engine. Words are those of the HTML Living Standard.
"""

# No deferred annotations here: typing.NamedTuple would compile each as a forward reference, at every start.
import typing
from collections.abc import Mapping
from typing import Any

from ...records import NamedTuple

# The base URL of a page from a file; people see paths without it.
ORIGIN = "http://page.invalid"


class Native(typing.NamedTuple):
    """The attributes of a field from a page.

    *address* is its address as people write it; *raw* is the text in its control at load. *disabled*, *hidden* and *barred* are
    the reasons for these states, "" if it is not in them. *span* is the minimum, maximum, step and step base of a slider;
    *suggests* its datalist.
    """

    address: str
    name: str = ""
    raw: str = ""
    disabled: str = ""
    hidden: str = ""
    barred: str = ""
    fixed: bool = False  # read-only
    base: Any = None  # the step base, None for the type's own
    span: tuple[Any, Any, Any, Any] | None = None
    suggests: tuple[str, ...] = ()
    like: int = 0  # fields of a page with the same number have the same attributes (0: one of its kind)
    repeats: bool = False  # other fields have the same name
    described: str = ""


class Control(typing.NamedTuple):
    """One element that may make an entry. *field* is the name of its field in the form; *value* a checkbox's or radio's.

    *required* is a checkbox's own attribute; *direction* the text direction that `dirname` sends ("": the value's).
    """

    field: str
    kind: str
    name: str = ""
    value: str = ""
    disabled: bool = False
    required: bool = False
    tab: int = 0
    dirname: str = ""
    direction: str = "ltr"


class PageButton(NamedTuple):
    """A button of a page. *kind*: submit, image, reset or button; attributes are "" or None if missing.

    *known* are the words one may call it by: its name, ``#id``, its text.
    """

    kind: str
    name: str
    value: str
    text: str
    known: tuple[str, ...]
    disabled: str = ""
    hidden: str = ""
    tab: int = 0
    action: str | None = None
    method: str | None = None
    send: str | None = None
    novalidate: bool = False


class HtmlPage(NamedTuple):
    """A form's page: *base* is the URL its targets resolve against, *home* where the page itself is.

    *elements* are the controls and buttons in tree order; *names* leads from an address as written to a field's name.
    """

    file: str
    home: str
    base: str
    elements: tuple[Control | PageButton, ...]
    names: Mapping[str, str]
    action: str = ""
    method: str = "GET"  # GET, POST or DIALOG
    send: str = "urlencoded"
    novalidate: bool = False
    charset: str = "UTF-8"  # the Encoding Standard's name
    autofocus: int = -1  # the element with the focus at load, by number
    blocking: int = 0  # fields that block implicit submission
    dialog: bool = False  # the form is in a dialog
    hidden: str = ""
    scripts: tuple[str, ...] = ()
    bare: bool = True  # without a sheet
    form_id: str = ""  # the form's id or name in the markup

    @property
    def buttons(self) -> tuple[PageButton, ...]:
        """The buttons in tree order."""
        return tuple(e for e in self.elements if isinstance(e, PageButton))

    @property
    def default_button(self) -> PageButton | None:
        """HTML, "default button": the first submit button in tree order."""
        return next((b for b in self.buttons if b.kind in ("submit", "image")), None)

    def validates(self, button: PageButton | None) -> bool:
        """Return whether submitting by *button* checks constraints (HTML, "no-validate state")."""
        return not (self.novalidate or (button is not None and button.novalidate))

    def called(self, word: str) -> tuple[PageButton, ...]:
        """The submit buttons that *word* may mean: by name or id, else by their text."""
        submits = [b for b in self.buttons if b.kind in ("submit", "image")]
        by_name = tuple(b for b in submits if word in b.known)
        return by_name or tuple(b for b in submits if b.text == word)
