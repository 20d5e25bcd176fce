"""Generates pages from a seed: types of controls, attributes, values and a person's actions, in compatible combinations.

`python tools/browse.py` runs them in the engine and in browsers.
"""

from __future__ import annotations

import random
from html import escape
from typing import Any

from page_cases import Case

TEXTS = ["", "a", "abc", " a ", "abcdefgh", "é🔦", "a1", "<b>", "x@y", "12", "a,b", "A B"]
NUMBERS = ["", "0", "1", "5", "10", "2.5", "-3", "0.1", "1e1", "007", "x", "99999999999999999999", "-0", ".5", "1e-7"]
BOUNDS = ["0", "1", "5", "10", "-2.5", "0.3", "x", "", "1e2"]
STEPS = ["1", "2", "0.5", "any", "0", "3", "x", "", "0.1"]
DATES = {
    "date": (["", "2031-05-02", "2031-05-03", "2031-02-30", "x", "2031-05-31", "0999-12-31"], ["2031-05-02", "2031-05-20", "2030-01-01", "x"], ["1", "7", "2", "any", "0.5", "x"]),
    "month": (["", "2031-05", "2031-12", "2031-13", "x"], ["2031-05", "2032-01", "2030-01"], ["1", "3", "any"]),
    "week": (["", "2031-W18", "2031-W52", "2031-W60", "x"], ["2031-W18", "2031-W30", "2030-W01"], ["1", "2", "any"]),
    "time": (["", "09:30", "09:30:30", "23:59", "25:00", "00:00", "9:30"], ["09:00", "17:30", "22:00", "06:00"], ["60", "900", "1", "any", "7"]),
    "datetime-local": (["", "2031-05-02T09:30", "2031-05-02 09:30", "2031-05-02T09:30:01", "x"], ["2031-05-02T09:00", "2031-05-03T00:00"], ["60", "600", "any", "1"]),
}  # fmt: skip
PATTERNS = ["[a-z]+", "[0-9]{2}", ".", "a|abc", "[A-Z", "\\w+@\\w+", "(ab?c*)+", "[^a]*"]
LENGTHS = ["0", "1", "2", "5", "x", "-1", " 3"]
EMAILS = ["", "a@b", "a@b.example", "x", "a b@c", "a@b,c@d", " a@b ", "@b", "a@b.c-", "ä@b", "a@b..c"]
URLS = ["", "http://x.example", "x", "mailto:a", " http://a ", "http:", "https://x.example/p?q#f", "ftp://[::1]/", "http://a:99999", "//a"]
LINES = ("text", "search", "tel", "password", "email", "url")
TYPES = (*LINES, "number", "range", *DATES, "color", "checkbox", "radio", "hidden", "textarea", "select", "checks")
FLAGS = ("required", "readonly", "disabled", "hidden")


class _Maker:
    def __init__(self, seed: int, number: int) -> None:
        self.random = random.Random(f"{seed}/{number}")
        self.number = number

    def one(self, choices: Any) -> Any:
        return self.random.choice(list(choices))

    def chance(self, share: float) -> bool:
        return self.random.random() < share

    def case(self) -> Case:
        kind = self.one(TYPES)
        controls = {"textarea": self.textarea, "select": self.select, "radio": self.group, "checks": self.group}
        inner, steps = controls.get(kind, self.input)(kind)
        before = self.one(["", "", "<input name=z value=1>", "<fieldset disabled>", "<input type=hidden name=h value=q>"])
        after = "</fieldset>" if before.startswith("<fieldset") else ""
        button = self.one(["<button>s</button>", "<button>s</button>", "<button name=b value=1>s</button>", "<button formnovalidate>s</button>"])
        if self.able(inner, before) and steps:
            chosen = [self.one(steps) for _ in range(self.random.randint(0, 3))]
        else:
            chosen = []
        if self.chance(0.6):
            chosen.append("submit")
        form = self.one(["", "", "", " novalidate", " enctype=multipart/form-data", " enctype=text/plain"])
        markup = f"<form id=f method=post action=/go{form}>{before}{inner}{after}{button}</form>"
        return Case(f"generated {self.number}", markup, "; ".join(chosen))

    def able(self, inner: str, before: str) -> bool:
        """Whether a person comes at it: what one cannot do a browser's script can, so that says nothing."""
        return not any(f" {flag}" in inner for flag in ("readonly", "disabled", "hidden")) and "disabled" not in before and "type=hidden" not in inner

    def flags(self, kind: str) -> str:
        found = [f for f in FLAGS if self.chance(0.5 if f == "required" else 0.06)]
        return "".join(f" {f}" for f in found)

    def attribute(self, name: str, choices: Any, share: float = 0.4) -> str:
        return f' {name}="{escape(self.one(choices))}"' if self.chance(share) else ""

    def input(self, kind: str) -> tuple[str, list[str]]:
        attributes = self.flags(kind)
        values, steps = TEXTS, [f"type a {_quoted(t)}" for t in ("a", "bc", "7", "🔦", "x y")]
        steps += ["erase a", "clear a", "blur", "press Enter in a", 'retype a "ab"', 'paste a "pqrs"']
        if kind in LINES:
            attributes += self.attribute("pattern", PATTERNS) + self.attribute("maxlength", LENGTHS) + self.attribute("minlength", LENGTHS)
            values = {"email": EMAILS, "url": URLS}.get(kind, TEXTS)
            if kind in ("email", "url"):
                steps = [f"retype a {_quoted(v)}" for v in values if v == v.strip() and v.isascii() and v] + ["blur", "clear a", "erase a"]
            if kind == "email" and self.chance(0.3):
                attributes += " multiple"
        elif kind in ("number", "range"):
            attributes += self.attribute("min", BOUNDS) + self.attribute("max", BOUNDS) + self.attribute("step", STEPS)
            values = NUMBERS
            steps = ["press ArrowUp in a", "press ArrowDown in a", "blur"]
            if kind == "number":
                steps += ["clear a", 'retype a "5"', 'retype a "-2.5"', 'retype a "1e"', "press Enter in a", "erase a"]
            else:
                steps += ["set a 5", "set a 7.3", "set a -20"]
        elif kind in DATES:
            values, bounds, sizes = DATES[kind]
            attributes += self.attribute("min", bounds) + self.attribute("max", bounds) + self.attribute("step", sizes)
            steps = [f"set a {_quoted(v)}" for v in values]  # a script sets them in the browser, which marks nothing
        elif kind == "color":
            values, steps = ["", "#abcdef", "red", "#ABC", "x", "rgb(1,2,3)"], ['set a "#123456"', "blur"]
        elif kind == "checkbox":
            values, steps = ["on", "x", ""], ["toggle a", "turn a on", "turn a off", "blur"]
            attributes += " checked" if self.chance(0.4) else ""
        value = self.attribute("value", values, 0.8)
        return f"<input type={kind} name=a{attributes}{value}>", steps

    def textarea(self, kind: str) -> tuple[str, list[str]]:
        attributes = self.flags(kind) + self.attribute("maxlength", LENGTHS) + self.attribute("minlength", LENGTHS)
        text = self.one(["", "a", "a\nb", "\na", " ", "abcdef", "🔦"])
        return f"<textarea name=a{attributes}>{text}</textarea>", ['type a "x"', 'type a "y\\nz"', "erase a", "clear a", "blur", 'retype a "q"']

    def select(self, kind: str) -> tuple[str, list[str]]:
        attributes = self.flags(kind).replace(" readonly", "") + (" multiple" if self.chance(0.4) else "") + self.attribute("size", ["1", "3", "0"], 0.2)
        values = [self.one(["", "x", "y", "z"]) for _ in range(self.random.randint(0, 4))]
        options = "".join(
            f"<option value='{v}'{' selected' if self.chance(0.25) else ''}{' disabled' if self.chance(0.15) else ''}>{v or 'none'}</option>"
            for v in values
        )
        if self.chance(0.15) and values:
            options = f"<optgroup label=g{' disabled' if self.chance(0.3) else ''}>{options}</optgroup>"
        free = sorted({v for v in values if v and values.count(v) == 1 and f"<option value='{v}' disabled" not in options and "selected disabled" not in options})
        if "disabled" in options.partition(">")[0]:
            free = []
        return f"<select name=a{attributes}>{options}</select>", [f"pick a {_quoted(v)}" for v in free] + (["blur"] if free else [])

    def group(self, kind: str) -> tuple[str, list[str]]:
        kind = "radio" if kind == "radio" else "checkbox"
        values = [self.one(["x", "y", "z", ""]) for _ in range(self.random.randint(1, 4))]
        parts = [
            f"<input type={kind} name=a value='{v}'{' checked' if self.chance(0.3) else ''}{' required' if self.chance(0.25) else ''}"
            f"{' disabled' if self.chance(0.08) else ''}>"
            for v in values
        ]
        free = sorted({v for v in values if v and values.count(v) == 1}) if len(values) > 1 or kind == "radio" else []
        return "".join(parts), [f"pick a {_quoted(v)}" for v in free]


def _quoted(text: str) -> str:
    return '"' + text.replace("\\", "\\\\").replace('"', '\\"') + '"'


def generated(count: int, seed: int) -> list[Case]:
    """*count* cases from *seed*: the same ones each time."""
    return [_Maker(seed, number).case() for number in range(count)]
