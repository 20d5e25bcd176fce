"""Texts of Idle Fox's own languages, derived from their grammars: expressions and scripts. Most are valid; some symbols are odd."""

from __future__ import annotations

import json
import random

FIELDS = ("a", "n", "k", "pick", "many", "d", "when", "g.x", "r[0].t", "r[1].n", "r", "g", "up", "secret")
_NAMES = (
    "a",
    "n",
    "k",
    "pick",
    "many",
    "d",
    "when",
    "g.x",
    "a.touched",
    "n.valid",
    "k.dirty",
    "form.valid",
    "form.dirty",
    "form.attempted",
)
_ODD_NAMES = (
    "value",
    "row",
    "form",
    "p.t",
    "p.n",
    "nosuch",
    "r[*].n",
    "r[-1].t",
    ".t",
    '.["odd name"]',
    "form.errors",
    "a.reads",
    "k.label",
    "r",
)
_TYPED = ("a", "when", "g.x", "r[0].t", "r[1].t")
_NUMBERS = ("0", "1", "-1", "3.5", "1e3", "99999999999999999999", "0.1")
_TEXTS = ("", "x", "late", "2031-05-02", "é🔦", "a@b.example", '"', "\\", "$$a", "x" * 300, " a ", "\u202e", "(a+)+b")
_TIMES = ("0s", "1ms", "400ms", "3s", "2m", "1h")
_STATES = (
    "valid",
    "invalid",
    "clean",
    "dirty",
    "touched",
    "marked",
    "asking",
    "unasked",
    "focused",
    "enabled",
    "disabled",
    "visible",
    "hidden",
    "required",
    "optional",
    "readonly",
    "empty",
    "filled",
    "on",
    "off",
    "attempted",
    "waiting",
)
_FUNCTIONS = (
    "count",
    "len",
    "sum",
    "min",
    "max",
    "any",
    "all",
    "lower",
    "upper",
    "trim",
    "starts",
    "ends",
    "contains",
    "matches",
    "empty",
    "filled",
    "today",
    "now",
    "days",
    "years",
)
_OPERATORS = ("==", "!=", "<", "<=", ">", ">=", "+", "-", "*", "/", "%", "and", "or", "in", "not in")


class Grammar:
    """Derives texts. *chance* decides; *depth* bounds how deep they nest."""

    def __init__(self, chance: random.Random) -> None:
        self.chance = chance
        self.odd = chance.choice((0, 0, 0.02, 0.2))  # how often something is odd

    def one(self, *choices: str) -> str:
        return self.chance.choice(choices)

    def often(self, usual: str, *odd: str) -> str:
        return usual if self.chance.random() >= self.odd else self.chance.choice(odd)

    # expressions
    def expression(self, depth: int = 4) -> str:
        """An expression over the fields that is true or false, unless it is odd."""
        if depth <= 0:
            return self.often(self.one("k", "a.touched", "n.valid", "form.dirty", "form.valid", "true", "false"), *_ODD_NAMES)

        def one() -> str:
            return self.expression(depth - 1)

        def other() -> str:
            return self.number(depth - 1)

        def words() -> str:
            return self.words(depth - 1)

        return self.chance.choice(
            (
                lambda: f"{other()} {self.one('<', '<=', '>', '>=', '==', '!=')} {other()}",
                lambda: f"{words()} {self.one('==', '!=')} {words()}",
                lambda: f"({one()} {self.one('and', 'or')} {one()})",
                lambda: f"not {one()}",
                lambda: f"{self.one('empty', 'filled')}({words()})",
                lambda: f"{self.one('starts', 'ends', 'contains')}({words()}, {words()})",
                lambda: f'matches({words()}, "{self.one("a+", "(a|b)*c")}")',
                lambda: f"{self.one('any', 'all')}({self.one('p.n > 1', 'p.t == a', 'filled(p.t)')} for p in r)",
                lambda: f"({one()} if {one()} else {one()})",
                lambda: f"{words()} in [{words()}, {words()}]",
                lambda: f"days(today(), d) {self.one('<', '>=')} {other()}",
                lambda: self.often(one(), f"{one()}{self.one(')', '(', ',', chr(0))}", f"{one()} {self.one(*_OPERATORS)} {words()}"),
            )
        )()

    def number(self, depth: int) -> str:
        """An expression for a number."""
        if depth <= 0:
            return self.often(self.one("n", "len(a)", "count(r)", *_NUMBERS[:4]), *_NUMBERS, *_ODD_NAMES)
        below = self.number(depth - 1), self.number(depth - 1)
        return self.one(
            f"({below[0]} {self.one('+', '-', '*', '/', '%')} {below[1]})",
            "sum(p.n for p in r)",
            f"max({below[0]}, {below[1]})",
            f"len({self.words(depth - 1)})",
            f"{self.often('min', *_FUNCTIONS)}({below[0]}, {below[1]})",
        )

    def words(self, depth: int) -> str:
        """An expression for a text."""
        if depth <= 0:
            return self.often(self.one("a", "when", "pick", "g.x", *(json.dumps(each) for each in _TEXTS[:3])), self.text(), *_ODD_NAMES)
        return self.one(
            self.words(0), f"{self.one('lower', 'upper', 'trim')}({self.words(depth - 1)})", f"({self.words(0)} + {self.words(depth - 1)})"
        )

    # values
    def text(self) -> str:
        return json.dumps(self.one(*_TEXTS), ensure_ascii=self.chance.random() < 0.2)

    def value(self, depth: int = 2) -> str:
        """A JSON value, or a pattern of one."""
        if depth <= 0 or self.chance.random() < 0.7:
            return self.often(self.one(self.text(), *_NUMBERS, "true", "false", "null"), "any", "any text", "$n", "/a+/")
        if self.chance.random() < 0.5:
            return "[" + ", ".join(self.value(depth - 1) for _ in range(self.chance.randrange(4))) + "]"
        members = (f"{json.dumps(self.one(*FIELDS))}: {self.value(depth - 1)}" for _ in range(self.chance.randrange(3)))
        return "{" + ", ".join(members) + "}"

    def address(self) -> str:
        return self.often(self.one(*FIELDS[:-1]), ".t", "nosuch", "r[99].t", "r[-1].t", "a.b.c", '["odd"]', "[0]", "r[$n].t", "r[", "form")

    # statements
    def step(self) -> str:
        """A step, of any kind."""
        at, text, any_at = self.often(self.one(*_TYPED), self.address()), self.text(), self.address()
        some = self.often("r", any_at)
        row, number, time = self.one("0", "1", "-1", "7"), self.one(*_NUMBERS), self.one(*_TIMES)
        steps = (
            f"type {at} {text}",
            f"type {at} {text}",
            f"retype {at} {text}",
            f"paste {at} {text}",
            f"erase {at} {self.often('1', number)}",
            f"type n {self.one('1', '-3', '1e')!r}".replace("'", '"'),
            f"clear {at}",
            f'set d "{self.one("2031-05-02", "", "x")}"',
            f'pick pick "{self.often(self.one("p", "q"), "x")}"',
            f'pick many "{self.one("x", "y")}"',
            f"pick many except {text}",
            f"toggle {self.often('k', any_at)}",
            f"turn {self.often('k', any_at)} {self.often(self.one('on', 'off'), 'up')}",
            f'upload {self.often("up", any_at)} "a.pdf"',
            f"focus {any_at}",
            f"blur {any_at}",
            "blur",
            f"press {self.often(self.one('Enter', 'Tab', 'Escape', 'ArrowUp'), 'Nix')} in {at}",
            f"press {self.one('Tab', 'Shift+Tab', 'Enter')}",
            f"add {some}",
            f"add {some} at {self.often('0', number)}",
            f"remove {some}[{row}]",
            f"move {some}[0] to {row}",
            "submit",
            "reset",
            "settle",
            "leave",
            "return",
            "reload",
            self.often("submit", "close", "submit past checks", "submit nosuch"),
            f"wait {time}",
            f"note {text}",
            f"answer known with {self.one('accept', 'refuse', 'failure')} after {time}",
            f"answer submit with {self.often(self.one('failure', '422', '201'), '99', text)}",
            "answer submit with 422 " + self.often('{"errors": {"a": ' + text + "}}", self.value(2)),
            self.often("blur", f"do {self.one('helper', 'twice', 'nosuch')}({self.value(0)})", f"settle {time}"),
        )
        return self.one(*steps)

    def check(self) -> str:
        """A check of any noun."""
        states = ", ".join(self.often(self.one(*_STATES), "not", "nosuch", "") for _ in range(self.chance.randint(1, 2)))
        rules = self.often("valueMissing", "nosuch", "lookup", "badInput, tooLong")
        words = self.often(self.one("rows", "options"), "messages", "x")
        general = (f"= {self.value()}", f"!= {self.value()}", f"includes {self.value()}")
        of_field = (
            *general,
            f"contains {self.text()}",
            f"is {states}",
            f"not is {states}",
            f"breaks {rules}",
            "breaks nothing",
            f"breaks only {rules}",
            f"shows {self.text()}",
            "shows nothing",
            "shows like /a+/",
            f"reads {self.text()}",
            f"offers {self.value()}",
            f"labelled {self.text()}",
            f"has {self.often('2', *_NUMBERS)} {words}",
            f"allows {self.often(self.one('add', 'remove', 'move'), 'x')}",
        )
        odd = (*of_field, "nothing", f"omits {self.address()}", f"< {self.value(0)}", f"like /{self.one('a+', '(', '[^')}/", "")
        of_form = ("values", "errors", "payload", "record", "focus", "notice", "dirty", "touched", "asking", "location", "view", "outcome")
        nouns = (*of_form, "form", "submit", "request", "requests", "status", 'button "Save"', "nosuch", "answer", "body", "panel side")
        late = self.one("", "", "", f" within {self.one(*_TIMES)}", f" for {self.one(*_TIMES)}")
        if self.chance.random() < 0.1:
            return f"expect cannot {self.step()}"
        usual = self.one(
            f"{self.address()} {self.one(*of_field)}", f"{self.one('values', 'errors', 'payload')} {self.one(*general)}", "errors nothing"
        )
        return f"expect {self.often(usual, f'{self.one(*nouns)} {self.one(*odd)}')}{late}"

    def statements(self, count: int, indent: str = "    ") -> str:
        """Statements, some of them blocks."""
        found = ""
        for _ in range(count):
            where = self.chance.random()
            line = self.step() if where < 0.55 else self.check()
            if where < 0.06:
                lines = (f"{indent}    {self.often('a', self.address())} {self.often(self.text(), self.value(1))}\n" for _ in range(2))
                found += f"{indent}fill\n{''.join(lines)}"
            elif where > 0.95:
                inside = self.one('type .t "x"', "blur", self.often("blur", self.step()))
                found += f"{indent}inside {self.often('r[0]', self.address())}\n{indent}    {inside}\n"
            else:
                found += f"{indent}{line}\n"
        return found

    def script(self) -> str:
        """A script about the form f.form.yaml."""
        text = 'subject "f.form.yaml"\n' + self.often("clock 2031-05-02T09:00:00Z\n", "clock nosuch\n", 'use "other.fox"\n')
        if self.chance.random() < 0.3:
            text += "\nroutine helper(x)\n" + self.statements(2) + "\nroutine twice(n)\n    do helper($n)\n" + self.statements(1)
        if self.chance.random() < 0.15:
            text += "\nprelude\n" + self.statements(2)
        for number in range(self.chance.randint(1, 3)):
            tags = self.often(self.one("", "", " [x]", " [x, y]"), f" known {self.text()}", f" aside {self.text()}", " []")
            text += f"\nscenario {self.often(json.dumps(f's {number}'), self.text(), json.dumps('s $n'))}{tags}\n"
            if self.chance.random() < 0.2:
                rows = "".join(f"        {self.value(1)}, {self.one(self.value(0), 'nothing')}\n" for _ in range(self.chance.randint(1, 3)))
                text += f'    with n, m\n{rows}    type a "$n"\n'
            text += self.statements(self.chance.randint(1, 7))
        return text
