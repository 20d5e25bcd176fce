"""The compiled form: for each field its checks as closures and, by property, its dependents.

`compile` makes it once, and it never changes: the cells of every scenario refer to it. Differences between the forms of sheets
and pages are plain facts here (a key, a reason, a button), so that no other code has to ask for the kind of form.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from ...forms.expressions import Closure, ConditionPart
from ...forms.html.model import Native
from ...forms.model.form import Field, Form, Lookup, Message
from ...records import NamedTuple

# The moments at which a form may report; each includes the later ones.
LOAD, CHANGE, BLUR, SUBMIT = range(4)
MOMENTS = {"load": LOAD, "change": CHANGE, "blur": BLUR, "submit": SUBMIT}

# Units: the parts of a cell that are evaluated separately.
DERIVE, VISIBLE, ENABLED, READONLY, REQUIRED, CHECK, REVEAL = range(7)

# Whether a rule is broken: by a cell and, of a field, its value as rules see it.
Test = Callable[[Any, Any], bool]
Chain = tuple[int, ...]  # part numbers from a cell downwards; EVERY means every row
EVERY = -1


class Dependency(NamedTuple):
    """A dependent to evaluate when a property changes: *unit* of the cells of *target* that *chain* leads to.

    The chain starts at the row of level *common* around the cell that changed (0: its form's root,
    SAME: the cell itself). *rank* orders units so that each is judged after all it is judged from.
    """

    rank: int
    unit: int
    target: FieldPlan
    check: int
    common: int
    chain: Chain


SAME = -1


def _never(cell: Any, value: Any) -> bool:
    return False


def _as_typed(raw: str) -> tuple[Any, bool]:
    return raw, False


class CheckPlan:
    """One kind of one rule, at the field it belongs to. *line* is the line of the rule in its sheet, 0 if unknown."""

    __slots__ = (
        "bit", "debounce", "flag", "id", "index", "kind", "line", "lookup", "message", "on_empty", "parameters",
        "remember", "start", "test", "when",
    )  # fmt: skip

    def __init__(self, index: int, kind: str, flag: str, rule_id: str, message: Message, line: int = 0) -> None:
        self.index = index
        self.bit = 1 << index
        self.kind = kind
        self.flag = flag
        self.id = rule_id
        self.line = line
        self.message = message
        self.test: Test = _never
        self.when: Closure | None = None
        self.on_empty = False
        self.parameters: dict[str, Any] = {}  # placeholders -> text, or a closure that returns it
        self.lookup = ""
        self.start = BLUR
        self.debounce = 0
        self.remember = False

    @property
    def names(self) -> tuple[str, ...]:
        """The names by which `breaks` can refer to it."""
        return (self.flag, self.kind, self.id) if self.id else (self.flag, self.kind)

    @property
    def name(self) -> str:
        """Its main name: the id, else the flag, else (for a customError) the kind."""
        return self.id or (self.kind if self.flag == "customError" else self.flag)


NEVER, ON_LEAVING, AT_ONCE = range(3)
NO_MARKUP = Native("")
_NO_VIEWS: frozenset[str] = frozenset()


class FieldPlan:
    """A field, group, list of rows, row or whole form, compiled.

    *key* is its address; in a row, the part after the key of the row.
    """

    __slots__ = (
        "above", "add", "again", "bad_bit", "blank", "checks", "commits", "cut", "derive", "enabled", "facts", "field",
        "first", "folded", "forgets", "form", "index", "key", "kind", "label", "level", "lookups", "messages_all", "normal",
        "often", "only_filled", "options", "parent", "parse", "part", "parts", "path", "readonly", "remove", "required", "reveal", "said",
        "tests_empty", "tests_filled", "unique", "value_watch", "views", "visible", "watch",
    )  # fmt: skip

    def __init__(self, kind: str, path: tuple[str, ...], field: Field | None, parent: FieldPlan | None) -> None:
        self.kind = kind
        self.path = path
        self.field: Any = field
        self.parent = parent
        self.level = path.count("*")
        self.index = -1
        self.part = -1
        self.parts: tuple[FieldPlan, ...] = ()
        self.label = field.label if field is not None else ""
        self.key = ""
        self.form: FormPlan = parent.form if parent is not None else None  # type: ignore[assignment]
        self.checks: list[CheckPlan] = []
        self.lookups: list[CheckPlan] = []
        self.tests_empty: list[tuple[int, Test]] = []
        self.tests_filled: list[tuple[int, Test]] = []
        self.only_filled = 0  # checks that an empty field never breaks
        self.bad_bit = 0
        self.unique = False
        self.watch: dict[str, list[Dependency]] = {}
        self.value_watch: list[Dependency] = []
        self.first = BLUR
        self.again = CHANGE
        self.messages_all = False
        self.reveal: Closure | None = None
        self.visible: Closure | None = None
        self.enabled: Closure | None = None
        self.readonly: Closure | None = None
        self.required: Closure | bool = False
        self.add: Closure | None = None  # when the controls of a list are offered
        self.remove: Closure | None = None
        self.options: tuple[Closure | None, ...] = ()  # when each option is enabled
        self.derive: Closure | None = None
        self.often = False  # recompute always (otherwise: on focus)
        self.normal: Callable[[str], str] | None = None  # trim and case, as rules see the value
        self.folded: Callable[[str], str] | None = None  # case alone, as patterns see it
        self.cut: Callable[[str], str] | None = None  # trim and case, as applied on blur
        self.parse: Callable[[str], tuple[Any, bool]] = _as_typed
        self.blank: Any = None
        self.forgets = False  # when it or something around it is hidden
        self.above: tuple[int, ...] = ()  # levels up to each container that has its own checks
        self.said: dict[int, tuple[tuple[int, str], ...]] = {0: ()}  # by broken checks: the messages, if they depend on nothing else
        self.views: frozenset[str] = _NO_VIEWS  # the views of the sheet that show it
        self.facts: Native = NO_MARKUP  # facts from the markup of a page
        self.commits = NEVER  # when a person's change is committed (HTML, "user validity")


class ButtonPlan:
    """A button.

    *press* is its action: submit, reset or nothing. *hidden* and *disabled* are reasons from the markup, "" for none.
    *shown_alone*: it is visible even if the form is not. *source* is its key for the request.
    """

    __slots__ = (
        "always_shown", "disabled", "enabled", "enabled_text", "hidden", "label", "name", "past_checks", "press", "source",
        "validates",
    )  # fmt: skip

    def __init__(self, name: str, label: str, press: str = "submit", source: Any = None) -> None:
        self.name = name
        self.label = label
        self.press = press
        self.source = source
        self.enabled: Closure | None = None
        self.enabled_text = ""
        self.hidden = ""
        self.disabled = ""
        self.past_checks = False
        self.validates = True
        self.always_shown = False


class ReplyPlan(NamedTuple):
    """A reply of the stub server. *reply* is from the model; the closures are evaluated on a payload."""

    reply: Any
    when: Closure | None
    record: Closure | None


class ServerRule(NamedTuple):
    """A rule of the stub server: *tests* are its kinds with the values for their messages."""

    path: tuple[str, ...]
    fixed: tuple[int | None, ...]
    plan: FieldPlan
    when: Closure | None
    on_empty: bool
    tests: tuple[tuple[str, Test, Message], ...]
    parameters: dict[str, str]


class ServerPlan(NamedTuple):
    """The stub server: its rules first, then the replies in order."""

    rules: tuple[ServerRule, ...]
    replies: tuple[ReplyPlan, ...]


class LookupPlan(NamedTuple):
    """The stub of a lookup: *holds* is evaluated for the value to check."""

    model: Lookup
    holds: Closure | None


class FormPlan:
    """A form or panel: its root plan, its buttons, and the settings of its submission.

    *species* does what differs between forms of sheets and of pages in play (`acts.species`); *home* is where the
    person is at load; *follows* tells that an answer takes them to the request's target; *marks_itself* that it
    presents as wrong what HTML's ":user-invalid" says (else: what shows a message). *conditions* takes each condition apart,
    for whoever asks why it does not hold.
    """

    __slots__ = (
        "buttons", "conditions", "elements", "follows", "home", "implicit_kinds", "marks_itself", "model", "name", "reset_buttons", "root",
        "server", "species", "submit", "validates",
    )  # fmt: skip

    def __init__(self, model: Form, root: FieldPlan) -> None:
        self.model = model
        self.name = model.panel
        self.root = root
        self.submit: ButtonPlan | None = None  # the default button
        self.buttons: dict[str, ButtonPlan] = {}  # other buttons, by each name that means one
        self.elements: dict[int, ButtonPlan] = {}  # those of a page, by their number among its elements
        self.reset_buttons: tuple[ButtonPlan, ...] | None = None  # None: there always is one
        self.implicit_kinds: frozenset[str] = frozenset()  # Enter in these submits if there is no default button
        self.server: ServerPlan = ServerPlan((), ())
        self.conditions: dict[Closure, ConditionPart] = {}
        self.species: Any = None
        self.home = "/"
        self.follows = False
        self.marks_itself = False
        self.validates = True  # where no button is pressed


class Plan:
    """The whole sheet, compiled: the form, its panels, every field by its schema path."""

    __slots__ = ("asked", "clock_watch", "faults", "form", "lookups", "main", "panels", "paths", "python", "ranks")

    def __init__(self, form: Form, python: Mapping[str, Callable[..., Any]]) -> None:
        self.form = form
        self.faults = form.faults
        self.main: FormPlan = None  # type: ignore[assignment]
        self.panels: dict[str, FormPlan] = {}
        self.paths: dict[tuple[str, ...], FieldPlan] = {}
        self.clock_watch: list[tuple[str, Dependency]] = []
        self.python = python
        self.lookups: dict[str, LookupPlan] = {}
        self.asked: dict[int, Closure] = {}  # requested conditions, by identity
        self.ranks: dict[tuple[tuple[str, ...], int], int] = {}  # of each condition and derived value
