"""The compiled form: for every field its checks as closures and, by property, who must be judged again.

Made once by `compile`, never changed after; every scenario's live cells point into it.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from ...forms.expressions import Closure
from ...forms.model.form import Field, Form, Message
from ...records import NamedTuple

MOMENTS = {"load": 0, "change": 1, "blur": 2, "submit": 3}

# Units: the parts of a cell that are judged again by themselves.
DERIVE, VISIBLE, ENABLED, READONLY, REQUIRED, CHECK, REVEAL = range(7)

Test = Callable[[Any], bool]
Chain = tuple[int, ...]  # part numbers from a cell downwards; EVERY stands for every row
EVERY = -1


class Watch(NamedTuple):
    """Who to judge again when a property changes: *unit* of the cells of *target* that *chain* leads to.

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


class CheckPlan:
    """One kind of one rule, at the field that carries it."""

    __slots__ = (
        "bit", "debounce", "flag", "id", "index", "kind", "late", "lookup", "message", "on_empty", "owner",
        "parameters", "remember", "start", "test", "when",
    )  # fmt: skip

    def __init__(self, index: int, kind: str, flag: str, rule_id: str, message: Message) -> None:
        self.index = index
        self.bit = 1 << index
        self.kind = kind
        self.flag = flag
        self.id = rule_id
        self.message = message
        self.test: Test = lambda cell: False
        self.when: Closure | None = None
        self.on_empty = False
        self.owner: tuple[int, Chain] | None = None  # common level and chain to the cell whose value is judged
        self.parameters: dict[str, Any] = {}  # placeholders -> text, or a closure that gives it
        self.late = False  # whether the text depends on the value, or on more than the plan
        self.lookup = ""
        self.start = "blur"
        self.debounce = 0
        self.remember = False

    @property
    def names(self) -> tuple[str, ...]:
        """What `breaks` may call it."""
        return (self.flag, self.kind, self.id) if self.id else (self.flag, self.kind)


class FieldPlan:
    """A field, group, list of rows, row or whole form, compiled."""

    __slots__ = (
        "above", "again", "bad_bit", "blank", "checks", "cut", "derive", "enabled", "field", "first", "folded", "forgets",
        "form", "index", "kind", "label", "level", "lookups", "messages_all", "native", "normal", "often", "parent", "parse",
        "part", "parts", "path", "readonly", "required", "reveal", "tests_empty", "tests_filled", "texts", "unique",
        "value_watch", "visible", "watch",
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
        self.native: Any = field.native if field is not None else None  # what only a page's field has
        self.form: FormPlan = parent.form if parent is not None else None  # type: ignore[assignment]
        self.checks: list[CheckPlan] = []
        self.lookups: list[CheckPlan] = []
        self.tests_empty: list[tuple[int, Test]] = []
        self.tests_filled: list[tuple[int, Test]] = []
        self.bad_bit = 0
        self.unique = False
        self.watch: dict[str, list[Watch]] = {}
        self.value_watch: list[Watch] = []
        self.first = 2
        self.again = 1
        self.messages_all = False
        self.reveal: Closure | None = None
        self.visible: Closure | None = None
        self.enabled: Closure | None = None
        self.readonly: Closure | None = None
        self.required: Closure | bool = False
        self.derive: Closure | None = None
        self.often = False  # derived always (else: on focus)
        self.normal: Callable[[str], str] | None = None  # trim and case, as rules see the value
        self.folded: Callable[[str], str] | None = None  # case alone, as patterns see it
        self.cut: Callable[[str], str] | None = None  # trim and case, as applied on blur
        self.parse: Callable[[str], tuple[Any, bool]] = lambda raw: (raw, False)
        self.blank: Any = None
        self.forgets = False  # when it or something around it is hidden
        self.above: tuple[int, ...] = ()  # how many steps up the containers stand that have checks of their own
        self.texts: dict[int, Any] = {}  # mask -> messages, where no text depends on the value


class FormPlan:
    """A form or panel: its root plan and what a submission needs."""

    __slots__ = ("buttons", "enabled", "model", "name", "root", "server")

    def __init__(self, form: Form, root: FieldPlan) -> None:
        self.model = form
        self.name = form.panel
        self.root = root
        self.enabled: Closure | None = None
        self.buttons: dict[str, Closure | None] = {}
        self.server: Any = None


class Plan:
    """The whole sheet, compiled: the form, its panels, every field by its schema path."""

    __slots__ = ("clock_watch", "form", "main", "option_conditions", "panels", "paths", "python", "ranks", "seeds")

    def __init__(self, form: Form) -> None:
        self.form = form
        self.main: FormPlan = None  # type: ignore[assignment]
        self.panels: dict[str, FormPlan] = {}
        self.paths: dict[tuple[str, ...], FieldPlan] = {}
        self.clock_watch: list[tuple[str, Watch]] = []
        self.python: dict[str, Callable[..., Any]] = {}
        self.ranks: dict[tuple[tuple[str, ...], int], int] = {}  # of each unit of each field
        self.seeds: dict[Any, Any] = {}  # ready-made initial states, by their clock
        self.option_conditions: dict[tuple[str, ...], tuple[Closure | None, ...]] = {}
